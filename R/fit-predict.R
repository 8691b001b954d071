# Predictions, on the rows of a fit or on new ones.

#' @rdname panel_fit
#' @export
predict.panel_fit <- function(object, newdata = NULL, effects = TRUE,
                              interval = c("none", "confidence", "prediction"), level = 0.95, se.fit = FALSE,
                              type = "response", disturbance = FALSE, scale = c("equation", "outcome"), ...) {
  check_no_dots(..., of = method_call("predict"))
  interval <- check_one_of(interval, c("none", "confidence", "prediction"), "interval")
  if (check_one_of(scale, c("equation", "outcome"), "scale") == "outcome") {
    predicted <- function(se) {
      stats::predict(object, newdata, effects = effects, interval = interval, level = level, se.fit = se, type = type,
                     disturbance = disturbance)
    }
    return(on_outcome_scale(object, predicted, interval, effects, level, se.fit))
  }
  check_response(type, object)
  check_level(level)
  check_flag(effects, "effects")
  check_flag(se.fit, "se.fit")
  if (is.null(newdata)) check_keeps_rows(object, "predictions on its own rows")
  plain <- interval == "none" && !se.fit
  check_flag(disturbance, "disturbance")
  if (disturbance) {
    check_carries(object, plain)
    return(stats::predict(object, newdata, effects = effects) + carried_disturbance(object, newdata))
  }
  if (is.null(newdata) && plain) {
    return(if (effects) fitted(object) else with_row_names(linear_part(object) + offset_of(object), object))
  }
  x <- if (is.null(newdata)) regressor_matrix(object) else replay_blueprint(object$design$blueprint, newdata)
  effects <- effects && length(object$effects) > 0
  slopes <- kept_estimates(object)[slope_names(object)]
  out <- drop(columns_of(x, names(slopes)) %*% slopes) + constant_of(object) +
    if (is.null(newdata)) offset_of(object) else replay_offset(object$design$blueprint, newdata)
  if (effects) out <- out + if (is.null(newdata)) effect_by_row(object) else new_effects(object, newdata)
  out <- unname(out)
  names(out) <- if (is.null(newdata)) row_names_of(object) else names_in_words(newdata)
  if (plain) return(out)
  of_mean <- prediction_variance(object, x, newdata, effects)
  variance <- of_mean$variance
  wide <- if (interval == "prediction") variance + noise_variance(object, effects) else variance
  half <- stats::qt((1 + level) / 2, of_mean$df) * sqrt(wide)
  table <- if (interval == "none") out else data.frame(fit = out, low = out - half, high = out + half)
  if (!se.fit) return(table)
  list(fit = table, se.fit = sqrt(variance), df = of_mean$df, residual.scale = sqrt(object$scale))
}

check_response <- function(type, fit) {
  if (identical(type, "response")) return(invisible())
  if (identical(type, "terms")) {
    stop_not_of_fits("predict(type = \"terms\")", fit, "Terms are drawn from coefficients and rows here.",
                     "`plot_within(fit)` shows a slope among its rows, `plot_estimates(fit)` the estimates.")
  }
  stop_argument("type", value_words(type), "It takes \"response\"; `effects = FALSE` leaves the effects out.")
}

# Of a logged outcome on its own scale: exp of the prediction times the mean of exp of the residuals (Duan 1983), whose
# error by clusters is part of the interval of a mean; of a new row the ends are those of the logarithm.
on_outcome_scale <- function(fit, predicted, interval, effects, level, se.fit) {
  left <- rlang::f_lhs(fit$design$formula)
  if (!is_operator(left, "log") || length(left) != 2 || !method_of(fit)$levels) {
    stop_argument("scale", "\"outcome\"",
                  "It is of fits whose outcome is a logarithm, `log(y) ~ x`; others have it already.")
  }
  factor <- smearing_factor(fit, effects)
  tell_wavetax(c(i = sprintf(
    "On the scale of %s: exp of the prediction times %s (std. error %s), the mean of exp of the residuals.",
    deparse_words(left[[2]]), format_number(factor$mean, 4), format_number(factor$std_error, 2)
  )), "wavetax_message_scale")
  if (interval == "none" && !se.fit) return(exp(predicted(FALSE)) * factor$mean)
  told <- predicted(TRUE)
  relative <- sqrt(told$se.fit^2 + (factor$std_error / factor$mean)^2)
  if (interval == "none") {
    fitted <- exp(told$fit) * factor$mean
    return(list(fit = fitted, se.fit = fitted * relative, df = told$df, residual.scale = told$residual.scale))
  }
  table <- told$fit
  if (interval == "confidence") {
    half <- stats::qt((1 + level) / 2, told$df) * relative
    table[] <- exp(data.frame(table$fit, table$fit - half, table$fit + half)) * factor$mean
  } else {
    table[] <- data.frame(exp(table$fit) * factor$mean, exp(table$low), exp(table$high))
  }
  if (se.fit) list(fit = table, se.fit = table$fit * relative, df = told$df, residual.scale = told$residual.scale) else
    table
}

# list(mean, std_error) of exp(e), e the residuals, with the effects where predictions leave these out.
smearing_factor <- function(fit, effects) {
  check_keeps_rows(fit, "residuals to come back from the logarithm by")
  e <- fit$design$y - (if (effects) unname(fitted(fit)) - offset_of(fit) else linear_part(fit))
  w <- if (is.null(fit$design$weights)) rep(1, length(e)) else fit$design$weights
  mean <- sum(w * exp(e)) / sum(w)
  by <- names(fit$errors$clusters)
  groups <- if (length(by) > 0) combined_groups(fit$design, strsplit(by[1], ":", fixed = TRUE)[[1]]) else
    core_groups(seq_along(e))
  sums <- core_group_sums(w * (exp(e) - mean), groups$codes, groups$count)
  list(mean = mean, std_error = sqrt(groups$count / (groups$count - 1) * sum(sums^2)) / sum(w))
}

regressor_matrix <- function(fit) {
  if (length(fit$design$x) == 0) matrix(0, fit$n, 0) else do.call(cbind, fit$design$x)
}

# By name, of a matrix without columns none.
columns_of <- function(x, names) x[, match(names, colnames(x)), drop = FALSE]

# Variance of the predicted mean: of x'b and the constant under the fit's own errors; with effects of one set, x is
# taken from its group's mean (of which random effects keep their share), and the effect's own variance is added:
# list(variance, df, of each row's own contrast). In the orthonormal coordinates of the regression, so that no digits
# are lost and nothing is negative.
prediction_variance <- function(fit, x, newdata, effects) {
  x <- columns_of(x, slope_names(fit))
  n <- nrow(x)
  meat <- errors_meat(fit)
  of <- function(z, besides = 0) {
    list(variance = besides + core_quadratic(z, meat), df = direction_df(fit, z))
  }
  if (!effects) return(of(mean_coordinates(fit, rep(1, n), x)))
  set <- fit$effects[[1]]
  if (length(fit$effects) > 1 || length(set$slopes) > 0 || fit$transform$kind == "across") {
    stop_wavetax(
      "no_interval", "Intervals with several sets of effects, with trends, or across entities are not known.",
      todo = "`effects = FALSE` gives them for an average group."
    )
  }
  at <- set$groups$codes
  if (!is.null(newdata)) at <- match(set_labels(set, newdata), as.character(set$groups$labels))
  weight <- group_weights(fit, set)[at]
  means <- t(layer_rows(fit, fit$transform$layers[[1]]$levels)[, at, drop = FALSE])
  if (method_of(fit)$effects == "fixed") {
    return(of(mean_coordinates(fit, numeric(n), x - means), fit$scale / weight))
  }
  # A group that the fit has not seen is one of the population: nothing is known of its effect.
  unseen <- is.na(at)
  weight[unseen] <- 0
  means[unseen, ] <- 0
  sigma2_u <- fit$variance$sigma2[[1]]
  shrink <- shrinkage(fit, weight)
  of(mean_coordinates(fit, 1 - shrink, x, shrink, means), sigma2_u * (1 - shrink))
}

# Variance of a new row about its mean.
noise_variance <- function(fit, effects) {
  if (is.null(fit$variance)) return(fit$scale)
  if (length(fit$variance$sigma2_e) > 1) {
    stop_wavetax("no_interval", "Each entity has a variance of its own here: intervals of new rows are not given.",
                 todo = "`interval = \"confidence\"` gives those of the mean.")
  }
  fit$variance$sigma2_e + if (effects) 0 else sum(fit$variance$sigma2)
}

# The effects on new rows. Of groups that the fit has not seen: after random effects, and for
# sets beyond the first, 0, their mean; after fixed effects the first set has none to give.
new_effects <- function(fit, newdata) {
  total <- numeric(nrow(newdata))
  for (s in seq_along(fit$effects)) {
    set <- fit$effects[[s]]
    if (length(set$slopes) > 0) {
      stop_wavetax(
        "trend_effects", sprintf("Effects with trends of %s are not carried to new data.", set$name),
        todo = "`predict(fit)` gives them on the rows of the fit; `effects = FALSE` leaves them out."
      )
    }
    lacks <- setdiff(set$columns, names(newdata))
    if (length(lacks) > 0) {
      stop_wavetax("unknown_column", sprintf("`newdata` has no column %s, whose effects the fit has.",
                                             list_words(sprintf("`%s`", lacks))),
                   todo = c("Add it; or `effects = FALSE` predicts for an average one.",
                            sprintf("Columns are %s.", list_some(names(newdata), 8))))
    }
    labels <- set_labels(set, newdata)
    at <- match(labels, as.character(set$groups$labels))
    mean_of <- method_of(fit)$effects != "fixed" || s > 1
    warn_unknown_effects(unique(labels[is.na(at)]), set$name, mean_of)
    effect <- set$level[at]
    if (mean_of) effect[is.na(at)] <- 0
    total <- total + effect
  }
  total
}

# What the groups of a set are called in other rows.
set_labels <- function(set, data) {
  if (length(set$columns) == 1) return(as.character(data[[set$columns]]))
  do.call(paste, c(lapply(set$columns, function(name) label_text(plain_column(data[[name]]))), sep = ":"))
}
