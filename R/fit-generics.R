# R's own generics on a fit. Printing and drawing are in the presentation layer.

#' R's generics on a fitted panel model
#'
#' Question answered: *how do I get the numbers out?* As from any model in R.
#'
#' * `coef()`: the slopes; the constant too, except with fixed effects, where it is
#'   a normalisation reported beside them.
#' * `vcov()`, `confint()`: of the same coefficients, under the fit's own errors.
#' * `residuals(type = )`: `"disturbance"` is y less the regressors' part and the
#'   effect; `"effect"` the effect itself (estimated, or for random effects
#'   predicted and shrunken by \eqn{T_i \sigma^2_u / (\sigma^2_e + T_i
#'   \sigma^2_u)}{T_i s2_u / (s2_e + T_i s2_u)}), as a deviation from the constant;
#'   `"both"` their sum; `"transformed"` the residual of the regression as
#'   estimated (swept, quasi-demeaned).
#' * `fitted()` is y less the disturbance.
#' * `predict(newdata, effects = )`: with the effect of each row's known entity, or
#'   without (`FALSE`: of an average entity). An unknown entity, and a row with a
#'   missing regressor, is `NA`. `interval = "confidence"` gives a data frame of `fit`,
#'   `low` and `high` for the mean, `"prediction"` for a new row: the slopes' part under the
#'   fit's own errors, the disturbance's under its classical variance.
#' * `deviance()`: the residual sum of squares of the transformed regression.
#' * `logLik()`: normal, at the variance SSR / n; its parameters are the
#'   coefficients, the effects and the variances. `AIC()` and `BIC()` follow.
#' * `model.matrix()`: the regressors before anything was swept out; `type = "swept"` after:
#'   less the effects, quasi-demeaned, or, with two sets of random effects, less their
#'   shrunken levels.
#' * `update()`: the same call with some of it changed.
#' * `as.data.frame()`: a row a coefficient, with the columns `term`, `estimate`,
#'   `std_error`, `statistic` (t), `p_value`, `low`, `high`.
#'
#' All vectors by row have one element for each row used, in the order of the data.
#'
#' @param object,x,formula A fit.
#' @param parm Names or numbers of coefficients.
#' @param level Coverage of the interval.
#' @param type Which residual, or which matrix: `"raw"` or `"swept"`.
#' @param interval Whether to give an interval, and of what.
#' @param newdata A data frame with the regressors (and, for effects, the column of
#'   the effect), or `NULL` for the rows of the fit.
#' @param effects Whether the effect of a row's entity is added.
#' @param row.names,optional As for [as.data.frame()].
#' @param ... Not used.
#' @return As R's generics give.
#' @section Errors:
#' `wavetax_error_unknown_column` and `wavetax_error_new_level` from `predict()`.
#' Warning `wavetax_warning_unknown_effect`.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fixed <- fit_fixed(log(nights) ~ levy + storms, panel)
#' coef(fixed)
#' confint(fixed, "levy")
#' as.data.frame(fixed)
#' head(residuals(fixed))
#' predict(fixed, head(harbours))
#' @name panel_fit
NULL

#' @rdname panel_fit
#' @export
coef.panel_fit <- function(object, ...) object$estimates[object$shows]

#' @rdname panel_fit
#' @export
vcov.panel_fit <- function(object, ...) {
  object$errors$covariance[object$shows, object$shows, drop = FALSE]
}

#' @rdname panel_fit
#' @export
confint.panel_fit <- function(object, parm, level = 0.95, ...) {
  table <- as.data.frame(object, level = level)
  out <- as.matrix(table[c("low", "high")])
  dimnames(out) <- list(table$term, paste(format(100 * c((1 - level) / 2, (1 + level) / 2)), "%"))
  if (missing(parm)) out else out[parm, , drop = FALSE]
}

#' @rdname panel_fit
#' @export
as.data.frame.panel_fit <- function(x, row.names = NULL, optional = FALSE, level = 0.95, ...) {
  coefficient_table(x, x$shows, level)
}

coefficient_table <- function(fit, which, level = 0.95) {
  estimate <- unname(fit$estimates[which])
  std_error <- unname(sqrt(diag(fit$errors$covariance)))[which]
  statistic <- estimate / std_error
  half <- stats::qt((1 + level) / 2, fit$errors$df) * std_error
  data.frame(
    term = names(fit$estimates)[which], estimate = estimate, std_error = std_error,
    statistic = statistic, p_value = 2 * stats::pt(-abs(statistic), fit$errors$df),
    low = estimate - half, high = estimate + half
  )
}

#' @rdname panel_fit
#' @export
residuals.panel_fit <- function(object,
                                type = c("disturbance", "effect", "both", "transformed"), ...) {
  type <- rlang::arg_match(type)
  check_keeps_rows(object, "residuals")
  shrunken <- object$method %in% c("random", "correlated")
  if (type == "transformed" || (type == "disturbance" && !shrunken)) return(object$residuals)
  effect <- effect_by_row(object)
  if (type == "effect") return(effect)
  composite <- object$design$y - linear_part(object)
  if (type == "both") composite else composite - effect
}

# The effects of each used row, as deviations from the constant.
effect_by_row <- function(fit) {
  total <- rep(sum(fit$solution$offset), fit$n)
  for (set in fit$effects) total <- total + set_effect(set, set$groups$codes, function(name) {
    trend_values(fit$design, name)
  }, fit$design)
  total
}

# The effect of a set on rows of the groups `codes`; `values(name)` gives a trend's values.
# A trend's slope is of its deviation from the group's mean (and from trends before it), so it
# is read through the loadings that the fit swept with.
set_effect <- function(set, codes, values, design) {
  out <- if (is.null(set$level)) numeric(length(codes)) else set$level[codes]
  if (length(set$slopes) == 0) return(out)
  loadings <- core_loadings(
    core_effect_set(set$groups$codes, set$groups$count, lapply(set$trends, values), set$intercept),
    design$weights
  )
  loadings <- Filter(Negate(is.null), loadings)
  for (s in seq_along(set$slopes)) out <- out + set$slopes[[s]][codes] * loadings[[s]]
  out
}

# x'b with the constant.
linear_part <- function(fit) {
  x <- fit$design$x
  total <- rep(constant_of(fit), fit$n)
  for (name in setdiff(names(fit$estimates), "(Intercept)")) {
    total <- total + x[[name]] * fit$estimates[[name]]
  }
  total
}

constant_of <- function(fit) {
  if ("(Intercept)" %in% names(fit$estimates)) fit$estimates[["(Intercept)"]] else 0
}

#' @rdname panel_fit
#' @export
fitted.panel_fit <- function(object, ...) {
  check_keeps_rows(object, "fitted values")
  object$design$y - residuals(object)
}

#' @rdname panel_fit
#' @export
predict.panel_fit <- function(object, newdata = NULL, effects = TRUE,
                              interval = c("none", "confidence", "prediction"), level = 0.95, ...) {
  interval <- rlang::arg_match(interval)
  if (is.null(newdata) && interval == "none") {
    return(if (effects) fitted(object) else linear_part(object))
  }
  x <- if (is.null(newdata)) used_regressors(object) else all_new_regressors(object, newdata)
  effects <- effects && length(object$effects) > 0
  slopes <- object$estimates[slope_names(object)]
  out <- drop(x[, names(slopes), drop = FALSE] %*% slopes) + constant_of(object)
  if (effects) out <- out + if (is.null(newdata)) effect_by_row(object) else new_effects(object, newdata)
  out <- unname(out)
  if (interval == "none") return(out)
  variance <- prediction_variance(object, x, newdata, effects)
  if (interval == "prediction") variance <- variance + noise_variance(object, effects)
  half <- stats::qt((1 + level) / 2, object$errors$df) * sqrt(variance)
  data.frame(fit = out, low = out - half, high = out + half)
}

used_regressors <- function(fit) do.call(cbind, fit$design$x)

all_new_regressors <- function(fit, newdata) {
  check_is_table(newdata)
  cbind(new_regressors(fit, newdata), new_means(fit, newdata))
}

# Variance of the predicted mean: of x'b and the constant under the fit's own errors; with
# effects of one set, x is taken from its group's mean (of which random effects keep their
# share), and the effect's own variance is added.
prediction_variance <- function(fit, x, newdata, effects) {
  terms <- slope_names(fit)
  x <- x[, terms, drop = FALSE]
  V <- fit$errors$covariance
  if (!effects) {
    if ("(Intercept)" %in% names(fit$estimates)) x <- cbind("(Intercept)" = 1, x)
    return(quadratic(t(x), V[colnames(x), colnames(x), drop = FALSE]))
  }
  set <- fit$effects[[1]]
  if (length(fit$effects) > 1 || length(set$slopes) > 0) {
    stop_wavetax(
      "no_interval", "Intervals with several sets of effects, or with trends, are not known.",
      todo = "`effects = FALSE` gives them for an average group."
    )
  }
  at <- set$groups$codes
  if (!is.null(newdata)) at <- match(as.character(newdata[[set$columns]]), as.character(set$labels))
  weight <- group_weights(fit, set)
  means <- layer_rows(fit, fit$transform$layers[[1]]$levels)
  if (fit$method == "fixed") {
    apart <- t(x) - means[, at, drop = FALSE]
    return(sigma2_of(fit) / weight[at] + quadratic(apart, V[terms, terms, drop = FALSE]))
  }
  sigma2_u <- fit$variance$sigma2[[1]]
  shrink <- weight * sigma2_u / (fit$variance$sigma2_e + weight * sigma2_u)
  z <- t(x) - means[, at, drop = FALSE] * rep(shrink[at], each = length(terms))
  if ("(Intercept)" %in% names(fit$estimates)) z <- rbind(1 - shrink[at], z)
  sigma2_u * (1 - shrink[at]) + quadratic(z, V)
}

# Variance of a new row about its mean.
noise_variance <- function(fit, effects) {
  if (is.null(fit$variance)) return(sigma2_of(fit))
  fit$variance$sigma2_e + if (effects) 0 else sum(fit$variance$sigma2)
}

new_regressors <- function(fit, newdata) {
  design <- fit$design
  terms <- stats::delete.response(design$terms)
  wanted <- intersect(all.vars(terms), c(names(design$data), design$columns))
  check_columns(wanted, newdata)
  index <- if (is_panel_frame(newdata)) panel_index(newdata)
  calls <- as.list(attr(terms, "predvars"))[-1]
  names <- vapply(as.list(attr(terms, "variables"))[-1], deparse_words, character(1))
  frame <- lapply(seq_along(calls), function(v) {
    value <- evaluate_one(calls[[v]], names[v], newdata, baseenv_or(environment(terms)), index)
    if (names[v] %in% names(design$xlevels)) known_levels(value, names[v], design$xlevels) else value
  })
  frame <- structure(frame, names = names, class = "data.frame",
                     row.names = .set_row_names(nrow(newdata)), terms = terms)
  stats::model.matrix(terms, frame, contrasts.arg = design$contrasts)
}

# Entity means that a correlated random effects fit added, for rows of entities it has seen.
new_means <- function(fit, newdata) {
  means <- fit$design$means
  if (is.null(means)) return(NULL)
  check_columns(means$column, newdata)
  at <- match(as.character(newdata[[means$column]]), as.character(means$labels))
  warn_unknown_effects(unique(as.character(newdata[[means$column]])[is.na(at)]), means$column)
  do.call(cbind, lapply(means$values, function(values) values[at]))
}

known_levels <- function(x, name, xlevels) {
  known <- xlevels[[name]]
  new <- setdiff(as.character(x), c(known, NA))
  if (length(new) > 0) {
    stop_wavetax(
      "new_level", sprintf("`%s` has values that the fit has not seen: %s.", name, list_some(new)),
      todo = sprintf("Seen were %s.", list_some(known, 8))
    )
  }
  factor(x, levels = known)
}

# The effects on new rows, of groups that the fit has seen.
new_effects <- function(fit, newdata) {
  total <- numeric(nrow(newdata))
  for (set in fit$effects) {
    if (length(set$slopes) > 0) {
      stop_wavetax(
        "trend_effects", sprintf("Effects with trends of %s are not carried to new data.", set$name),
        todo = "`predict(fit)` gives them on the rows of the fit; `effects = FALSE` leaves them out."
      )
    }
    check_columns(set$columns, newdata)
    labels <- do.call(paste, c(lapply(set$columns, function(name) trimws(format(newdata[[name]]))), sep = ":"))
    if (length(set$columns) == 1) labels <- as.character(newdata[[set$columns]])
    at <- match(labels, as.character(set$labels))
    warn_unknown_effects(unique(labels[is.na(at)]), set$name)
    total <- total + set$level[at]
  }
  total
}

warn_unknown_effects <- function(unknown, name) {
  if (length(unknown) == 0) return(invisible())
  warn_wavetax(
    "unknown_effect",
    sprintf("%s not in the fit: %s.", if (length(unknown) == 1) paste("A", name, "is") else
      paste(count_of(length(unknown), name), "are"), list_some(unknown)),
    where = "Their predictions are NA.",
    todo = sprintf("`effects = FALSE` predicts for an average %s.", name)
  )
}

#' @rdname panel_fit
#' @export
nobs.panel_fit <- function(object, ...) object$n

#' @rdname panel_fit
#' @export
formula.panel_fit <- function(x, ...) x$design$formula

#' @rdname panel_fit
#' @export
terms.panel_fit <- function(x, ...) x$design$terms

#' @rdname panel_fit
#' @export
model.matrix.panel_fit <- function(object, type = c("raw", "swept"), ...) {
  type <- if (missing(type)) "raw" else rlang::arg_match(type, c("raw", "swept"))
  check_keeps_rows(object, "model matrix")
  terms <- names(coef(object))
  if (type == "swept") return(swept_regressors(object)[, terms, drop = FALSE])
  x <- do.call(cbind, object$design$x)
  if ("(Intercept)" %in% terms) x <- cbind("(Intercept)" = 1, x)
  x[, terms, drop = FALSE]
}

swept_regressors <- function(fit) {
  x <- fit$design$x
  ones <- isTRUE(fit$transform$ones)
  layers <- as.list(fit$transform$layers)
  out <- cpp_swept(c(list(rep(1, fit$n)), x), fit$n, layers,
                   c(if (ones) 1L else 0L, seq_along(x) + ones))
  colnames(out) <- c("(Intercept)", names(x))
  out
}

#' @rdname panel_fit
#' @export
df.residual.panel_fit <- function(object, ...) object$df_residual

#' @rdname panel_fit
#' @export
deviance.panel_fit <- function(object, ...) object$ssr

#' @rdname panel_fit
#' @export
logLik.panel_fit <- function(object, ...) {
  structure(object$log_lik, df = object$parameters, nobs = object$n, class = "logLik")
}
