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
#' * `fitted()` is y less the disturbance. With `pad = TRUE` both have a value for each row of
#'   the data, `NA` where it was not used, and so can be put into the panel.
#' * `predict(newdata, effects = )`: with the effect of each row's known groups, or
#'   without (`FALSE`: of an average entity). An unknown entity is `NA` after fixed effects;
#'   after random effects it has the population's effect, 0; a new period, or another set
#'   beyond the first, the average effect 0. A warning names them. A row with a missing
#'   regressor is `NA`. `interval = "confidence"` gives a data frame of `fit`,
#'   `low` and `high` for the mean, `"prediction"` for a new row: the slopes' part under the
#'   fit's own errors, the disturbance's under its classical variance. `se.fit = TRUE` gives
#'   a list as R's own `predict()` does: `fit`, `se.fit` (of the mean), `df`, `residual.scale`.
#' * `deviance()`: the residual sum of squares of the transformed regression.
#' * `logLik()`: normal, at the variance SSR / n; its parameters are the
#'   coefficients, the effects and the variances. `AIC()` and `BIC()` follow.
#' * `model.matrix()`: the regressors before anything was swept out; `type = "swept"` after:
#'   less the effects, quasi-demeaned, or, with two sets of random effects, less their
#'   shrunken levels.
#' * `update()`: the same call with some of it changed; errors that [with_errors()] set stay,
#'   unless `errors =` is given.
#' * `anova()`: the F test of two nested fits under classical errors.
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
#' @param se.fit Whether the standard error of the mean is given too.
#' @param pad Whether there is a value for each row of the data.
#' @param row.names,optional As for [as.data.frame()].
#' @param ... Takes nothing: an argument that is not known is an error.
#' @return As R's generics give.
#' @section Errors:
#' `wavetax_error_argument` for an argument that is not known or of the wrong kind,
#' `wavetax_error_level`, `wavetax_error_unknown_term`; `wavetax_error_unknown_column`,
#' `wavetax_error_kind` and `wavetax_error_new_level` from `predict()`. Warning
#' `wavetax_warning_unknown_effect`.
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
coef.panel_fit <- function(object, ...) {
  check_no_dots(..., of = method_call("coef"))
  object$estimates[object$shows]
}

# What a generic's method takes, for the check of its dots.
method_call <- function(name, todo = NULL) {
  list(call = get(paste0(name, ".panel_fit")), name = paste0(name, "()"), todo = todo,
       hidden = c("object", "x", "row.names", "optional"))
}

#' @rdname panel_fit
#' @export
vcov.panel_fit <- function(object, ...) {
  check_no_dots(..., of = method_call("vcov", "Other errors: `vcov(with_errors(fit, se_clustered(~ region)))`."))
  object$errors$covariance[object$shows, object$shows, drop = FALSE]
}

#' @rdname panel_fit
#' @export
confint.panel_fit <- function(object, parm, level = 0.95, ...) {
  check_no_dots(..., of = method_call("confint", "Other errors: `confint(with_errors(fit, se_classical()))`."))
  check_level(level)
  table <- coefficient_table(object, object$shows, level)
  out <- as.matrix(table[c("low", "high")])
  tails <- format(100 * c((1 - level) / 2, (1 + level) / 2), trim = TRUE, digits = 3, decimal.mark = ".")
  dimnames(out) <- list(table$term, paste(tails, "%"))
  if (missing(parm)) out else out[chosen_terms(parm, table$term), , drop = FALSE]
}

# Coefficients by name or number; the constant also by the name that it is printed with.
chosen_terms <- function(parm, terms) {
  if (!is.atomic(parm) || is.null(parm)) parm <- structure(NA, words = value_words(parm))
  if (is.character(parm)) {
    parm[parm == "constant" & !"constant" %in% terms] <- "(Intercept)"
    known <- parm %in% terms
  } else {
    known <- is.numeric(parm) & is.finite(parm) & parm %in% seq_along(terms)
  }
  if (length(parm) > 0 && all(known)) return(parm)
  stop_wavetax(
    "unknown_term", sprintf("The fit has no coefficient %s.", if (is.null(attr(parm, "words"))) {
      list_some(sQuote(parm[!known], FALSE))
    } else {
      attr(parm, "words")
    }),
    todo = sprintf("Coefficients are %s.", list_some(terms, 8))
  )
}

#' @rdname panel_fit
#' @export
as.data.frame.panel_fit <- function(x, row.names = NULL, optional = FALSE, level = 0.95, ...) {
  check_no_dots(..., of = method_call("as.data.frame"))
  check_level(level)
  coefficient_table(x, x$shows, level)
}

coefficient_table <- function(fit, which, level = 0.95) {
  estimate <- unname(fit$estimates[which])
  std_error <- standard_errors(fit)[which]
  statistic <- estimate / std_error
  half <- stats::qt((1 + level) / 2, fit$errors$df) * std_error
  data.frame(
    term = names(fit$estimates)[which], estimate = estimate, std_error = std_error,
    statistic = statistic, p_value = 2 * stats::pt(-abs(statistic), fit$errors$df),
    low = estimate - half, high = estimate + half
  )
}

# A variance that rounding makes of an exact zero is none.
standard_errors <- function(fit) {
  variance <- unname(diag(fit$errors$covariance))
  sqrt(ifelse(variance > 0, variance, NA_real_))
}

#' @rdname panel_fit
#' @export
residuals.panel_fit <- function(object, type = c("disturbance", "effect", "both", "transformed"), pad = FALSE,
                                ...) {
  check_no_dots(..., of = method_call("residuals"))
  type <- check_one_of(type, c("disturbance", "effect", "both", "transformed"), "type")
  check_flag(pad, "pad")
  check_keeps_rows(object, "residuals")
  pad_rows(residuals_of(object, type), object, pad)
}

residuals_of <- function(fit, type) {
  shrunken <- fit$method %in% c("random", "correlated")
  if (type == "transformed" || (type == "disturbance" && !shrunken)) return(fit$residuals)
  effect <- effect_by_row(fit)
  if (type == "effect") return(effect)
  composite <- fit$design$y - linear_part(fit)
  if (type == "both") composite else composite - effect
}

# A value for each row of the data, NA where the row was not used.
pad_rows <- function(values, fit, pad) {
  if (!pad) return(values)
  if (fit$method == "between") stop_between_rows(fit)
  if (is.null(fit$design$rows)) return(values)
  out <- rep(NA_real_, nrow(fit$design$data))
  out[fit$design$rows] <- values
  out
}

stop_between_rows <- function(fit) {
  stop_argument("pad", "TRUE", sprintf("A between fit has one residual for each %s, not for each row.",
                                       fit$design$between))
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
    core_effect_set(set$groups, lapply(set$trends, values), set$intercept),
    design[["weights"]]
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
fitted.panel_fit <- function(object, pad = FALSE, ...) {
  check_no_dots(..., of = method_call("fitted"))
  check_flag(pad, "pad")
  check_keeps_rows(object, "fitted values")
  pad_rows(object$design$y - residuals_of(object, "disturbance"), object, pad)
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
  check_no_dots(..., of = method_call("model.matrix"))
  type <- check_one_of(type, c("raw", "swept"), "type")
  check_keeps_rows(object, "model matrix")
  terms <- names(object$estimates)[object$shows]
  if (type == "swept") return(swept_regressors(object)[, terms, drop = FALSE])
  x <- do.call(cbind, object$design$x)
  if ("(Intercept)" %in% terms) x <- cbind("(Intercept)" = 1, x)
  x[, terms, drop = FALSE]
}

swept_regressors <- function(fit) {
  out <- core_swept(design_rows(fit$design), fit$transform, fit$solution)
  colnames(out) <- names(fit$estimates)
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
