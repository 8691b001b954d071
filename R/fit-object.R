# The one fitted object, class `panel_fit`, a plain list. A new estimator fills these
# fields, and standard errors, tests, tables, figures and predictions work with it.
#
#   method      "pooled", "fixed", "random"
#   call, design              the call; the design of build_design()
#   estimates   kept coefficients, named, the constant first where there is one
#   shows       which of them coef() gives (a fixed-effects constant is apart)
#   bread       (X'X)^-1 of the transformed regression, in the order of `estimates`
#   ssr, df_residual, df_effects, n, sst
#   solution    the core's result; `transform` what was taken from each row first
#   residuals   of the transformed regression, one a used row
#   effects     NULL, or list(name, labels, groups, size, values): the values are
#               levels (fixed) or predicted deviations (random) by group
#   variance    NULL, or list(method, sigma2_e, sigma2_u, theta)
#   dropped     data frame of term and reason
#   r_squared   named numbers; `log_lik`, `parameters` (count)
#   errors      list of compute_errors(): covariance, df, label, clusters, notes

new_panel_fit <- function(method, call, design, solution, transform = NULL, effects = NULL,
                          variance = NULL, errors = NULL) {
  names_x <- names(design$x)
  lead <- solution$lead
  all_names <- c(if (lead == 1L) "(Intercept)", names_x)
  status <- solution$status
  if (length(status) < length(all_names)) status <- c(0L, status)
  check_some_regressor(status, all_names, design, effects)
  check_enough_rows(solution, design, effects)
  estimates <- stats::setNames(solution$coefficients, all_names[status == 0L])
  fit <- list(
    method = method, call = call, design = design, estimates = estimates,
    shows = if (method == "fixed") names(estimates) != "(Intercept)" else rep(TRUE, length(estimates)),
    bread = name_both(solution$bread, names(estimates)),
    ssr = solution$ssr, df_residual = solution$df_residual, df_effects = solution$df_effects,
    n = solution$n, sst = solution$sst, solution = solution, transform = transform,
    effects = effects, variance = variance,
    dropped = dropped_terms(solution, status, all_names, effects),
    r_squared = solution$r_squared
  )
  fit$residuals <- core_residuals(design_rows(design), transform, solution)
  fit$parameters <- length(estimates) - sum(!fit$shows) + fit$df_effects + 1L + !is.null(variance)
  fit$log_lik <- normal_log_lik(fit)
  fit <- structure(fit, class = c(paste0("panel_fit_", method), "panel_fit"))
  with_errors(fit, default_errors(fit, errors))
}

name_both <- function(m, names) {
  dimnames(m) <- list(names, names)
  m
}

sigma2_of <- function(fit) fit$ssr / fit$df_residual

# Normal log-likelihood at the variance SSR / n; weights w mean a variance
# sigma^2 / w, and quasi-demeaning has the Jacobian sum log(1 - theta_i).
normal_log_lik <- function(fit) {
  n <- fit$n
  weights <- fit$design$weights
  jacobian <- if (is.null(fit$solution$log_jacobian)) 0 else fit$solution$log_jacobian
  -n / 2 * (log(2 * pi * fit$ssr / n) + 1) + jacobian +
    if (is.null(weights)) 0 else sum(log(weights)) / 2
}

check_enough_rows <- function(solution, design, effects) {
  if (solution$df_residual > 0) return(invisible())
  taken <- c(
    count_of(length(solution$coefficients) - (!is.null(effects) && solution$df_effects > 0),
             "coefficient"),
    if (solution$df_effects > 0) sprintf("%s of %s", count_of(solution$df_effects, "effect"), effects$name)
  )
  stop_wavetax(
    "too_few_rows",
    sprintf("%s cannot carry %s: no row is left to tell the error variance.",
            count_of(solution$n, "row"), list_words(taken)),
    where = missing_words(design$missing),
    todo = "Use fewer regressors or effects, or more rows."
  )
}

check_some_regressor <- function(status, names, design, effects) {
  if (length(design$x) == 0 || any(status[names != "(Intercept)"] == 0L)) return(invisible())
  within <- if (!is.null(effects)) sprintf(" varies within %s", plural_of(effects$name)) else " varies"
  stop_wavetax(
    "no_variation", sprintf("No regressor%s.", within),
    where = sprintf("%s.", list_some(setdiff(names, "(Intercept)"), 6)),
    todo = if (!is.null(effects)) {
      "A model with these effects says nothing on them; `fit_pooled()` and `fit_random()` do."
    }
  )
}

missing_words <- function(missing) {
  parts <- c(
    if (missing$total > 0) {
      sprintf("%s left out as incomplete (%s)", count_of(missing$total, "row"),
              paste(names(missing$by_variable), "in", count_words(missing$by_variable), collapse = ", "))
    },
    if (missing$zero_weight > 0) sprintf("%s of weight 0 left out", count_of(missing$zero_weight, "row"))
  )
  if (length(parts) > 0) paste0(list_words(parts))
}

# Which regressors went, and why: they do not vary within groups, or what the kept
# ones before them leave of them is nothing.
dropped_terms <- function(solution, status, names, effects) {
  gone <- which(status != 0L)
  offset <- length(names) - length(solution$status)
  kept <- names[(offset + 1):length(names)][solution$status == 0L]
  reasons <- vapply(gone, function(j) {
    if (status[j] == 1L) {
      if (is.null(effects) || solution$df_effects == 0L) return("zero in every row")
      return(sprintf("does not vary within %s", plural_of(effects$name)))
    }
    weights <- solution$combination[, j - offset]
    combination_words(kept[weighty(weights, solution, j - offset)])
  }, character(1))
  data.frame(term = names[gone], reason = reasons)
}

# Which kept regressors matter in a combination, by size and not by rounding.
weighty <- function(weights, solution, j) {
  norms <- solution$norms[solution$status == 0L]
  abs(weights) * norms > 1e-6 * solution$norms[j]
}

combination_words <- function(names) {
  others <- setdiff(names, "(Intercept)")
  if (length(others) == 0) return("the same in every row")
  if (length(others) == 1 && length(names) == 1) return(paste("a multiple of", others))
  paste("a combination of", list_some(others, 4))
}

# Panel fits are clustered by entity unless told otherwise; a table without an entity
# by its effects; a single cluster carries no clustered error, and then it is said.
default_errors <- function(fit, errors) {
  if (!is.null(errors)) return(errors)
  by <- c(fit$design$index$entity, fit$effects$name)[1]
  if (is.na(by) || is.null(by)) return(se_classical())
  if (cluster_groups(fit, by)$count < 2) {
    spec <- se_classical()
    spec$note <- sprintf("One %s alone cannot be clustered by %s, so the errors are classical.", by, by)
    return(spec)
  }
  se_clustered(stats::reformulate(sprintf("`%s`", by)))
}

check_is_fit <- function(fit, argument = "fit") {
  if (inherits(fit, "panel_fit")) return(invisible())
  stop_wavetax(
    "not_a_fit", sprintf("`%s` is of class %s, not a fitted panel model.", argument, class(fit)[1]),
    todo = "Give it what `fit_pooled()`, `fit_fixed()` or `fit_random()` returned."
  )
}
