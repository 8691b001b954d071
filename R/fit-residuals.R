# Residuals, effects by row, and fitted values.

#' @rdname panel_fit
#' @export
residuals.panel_fit <- function(object, type = c("disturbance", "effect", "both", "transformed", "response",
                                                 "working", "pearson", "deviance"), pad = FALSE, ...) {
  check_no_dots(..., of = method_call("residuals"))
  type <- check_one_of(type, c("disturbance", "effect", "both", "transformed", "response", "working", "pearson",
                               "deviance"), "type")
  check_flag(pad, "pad")
  check_keeps_rows(object, "residuals")
  if (length(calls_of(stats::lm.influence)) > 0) {
    stop_not_of_fits("lm.influence()", object, "It takes apart what `lm()` keeps.",
                     "`influence(fit)`, `hatvalues(fit)`, `dfbeta(fit)`; `influence_by(fit)` without whole entities.")
  }
  pad_rows(residuals_of(object, type), object, pad)
}

residuals_of <- function(fit, type) {
  if (type %in% c("response", "working")) type <- "disturbance"
  if (type %in% c("pearson", "deviance")) {
    weights <- fit$design$weights
    return(residuals_of(fit, "disturbance") * if (is.null(weights)) 1 else sqrt(weights))
  }
  apart <- method_of(fit)$effects == "random" || is_serial(fit)
  if (type == "transformed" || (type == "disturbance" && !apart)) return(transformed_residuals(fit))
  effect <- effect_by_row(fit)
  if (type == "effect") return(effect)
  composite <- fit$design$y - linear_part(fit)
  if (type == "both") composite else composite - effect
}

# A value for each row of the data, NA where the row was not used.
pad_rows <- function(values, fit, pad) {
  if (!pad) return(with_row_names(values, fit))
  if (!is.null(fit$design$between)) stop_between_rows(fit)
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
  total <- rep(sum(fit$transform$offset), fit$n)
  for (set in fit$effects) total <- total + set_effect(set, set$groups$codes, function(name) {
    trend_values(fit$design, name)
  }, fit_rows(fit)$weights)
  total
}

# The effect of a set on rows of the groups `codes`; `values(name)` gives a trend's values.
# A trend's slope is of its deviation from the group's mean (and from trends before it), so it
# is read through the loadings that the fit swept with.
set_effect <- function(set, codes, values, weights) {
  out <- if (is.null(set$level)) numeric(length(codes)) else set$level[codes]
  if (length(set$slopes) == 0) return(out)
  loadings <- core_loadings(
    core_effect_set(set$groups, lapply(set$trends, values), set$intercept),
    weights
  )
  loadings <- Filter(Negate(is.null), loadings)
  for (s in seq_along(set$slopes)) out <- out + set$slopes[[s]][codes] * loadings[[s]]
  out
}

# x'b with the constant, on the rows of the fit or another design of them, perhaps of other coefficients.
linear_part <- function(fit, design = fit$design, estimates = kept_estimates(fit)) {
  total <- rep(if (has_constant(fit)) estimates[[constant_term]] else 0, length(design$y))
  for (name in slope_names(fit)) total <- total + design$x[[name]] * estimates[[name]]
  total
}

# What an offset added: the outcome of the regression is without it.
offset_of <- function(fit) if (is.null(fit$design$offset)) 0 else fit$design$offset

#' @rdname panel_fit
#' @export
fitted.panel_fit <- function(object, pad = FALSE, ...) {
  check_no_dots(..., of = method_call("fitted"))
  check_flag(pad, "pad")
  check_keeps_rows(object, "fitted values")
  pad_rows(object$design$y - residuals_of(object, "disturbance") + offset_of(object), object, pad)
}
