# The one fitted object, class `panel_fit`, a list made by new_panel_fit() and checked by
# validate_panel_fit(). The parts that hold rows (design, transform, working, effects) are reached by
# `$`, see hold_rows(). A new estimator fills these fields, and standard errors, tests, tables,
# figures and predictions work with it.
#
#   method        name of its descriptor, see new_fit_method()
#   call, request the call; what was asked, see fit_request()
#   design        build_design()'s: the rows in use, and the blueprint for others
#   coefficients  a data frame, the constant first, then the regressors in order: `term`, `estimate`
#                 (NA where dropped), `role` ("constant", "slope", "mean" of a regressor), `status`
#                 ("kept", "dropped"), `reason`, and `combination`, a list: of a dropped one the
#                 kept ones that it is made of, with their weights
#   regression    the core's view of it, see core_solution(): what later walks over the rows need.
#                 `root` and `frame` stand for (X'X)^-1, whose product with its own transpose `root` is
#   transform     what was taken from each row first, see new_transformation()
#   working       NULL, or list(y, weights) of an estimator whose last regression was of a working outcome under working
#                 weights: see fit_rows()
#   effects       a list of sets, see describe_effects() and with_zeros(): levels (fixed) or predictions (random)
#   variance      NULL, or list(method, sigma2_e, sigma2 by set, theta by group); under AR(1) sigma2_e is of the
#                 disturbances, and innovation, of random effects, that of the transformed rows
#   n, ssr, sst, scale (the error variance), df: list(residual, effects, exact)
#   r_squared     numbers by kind, see r_squared_words(); `log_lik`, `parameters` (their count)
#   iteration     list(steps, achieved): 0 steps where nothing was iterated
#   notes         what else is to be said of the sample
#   of_outcome    regressors that are made of the outcome, or come after it: see outcome_among()
#   spans         columns whose levels its dummies stand for, by term: see spanned_columns()
#   adjustment    NULL, or what makes up for variances that were estimated: list(by_row, from which to which residuals
#                 are taken times in covariances, or whole, what standard errors are; variances and covariances, how
#                 many were estimated, and from how many rows; of, whose they are)
#   covariance    NULL, or that of the entities within a period
#   serial        NULL, or of disturbances that follow AR(1) what serial_rows() tells of them
#   instrumented  NULL, or what of an instrumented fit: see instrumented_facts()
#   errors        new_errors() of compute_errors()

new_panel_fit <- function(request, design, solution, transform = new_transformation(), effects = list(),
                          variance = NULL, notes = NULL, working = NULL, serial = NULL,
                          adjustment = weights_adjustment(request), covariance = NULL, instrumented = NULL,
                          errors = request$errors) {
  check_some_regressor(solution$status, names(design$x),
                       if (method_of(request)$effects == "fixed") within_words(effects))
  check_enough_rows(solution, design, effects)
  if (is.null(transform$inflate)) transform$inflate <- inflation_of(request, design)
  fit <- structure(list(
    method = request$method, call = written_call(request$call, design$formula),
    request = if (is.data.frame(design$data)) replace(request, "data", list(NULL)) else request, design = design,
    coefficients = coefficient_roles(solution, design, effects, method_of(request)),
    regression = stats::setNames(solution[regression_fields], regression_fields),
    transform = transform, working = working, effects = with_zeros(effects), variance = variance,
    n = solution$n, ssr = solution$ssr, sst = solution$sst, scale = solution$ssr / solution$df_residual,
    df = list(residual = solution$df_residual, effects = solution$df_effects, exact = !isFALSE(solution$exact)),
    r_squared = solution$r_squared, iteration = list(
      steps = if (is.null(solution$iterations)) 0 else solution$iterations,
      achieved = if (is.null(solution$achieved)) 0 else solution$achieved
    ), notes = notes, of_outcome = outcome_among(design),
    spans = spanned_columns(design, effects), serial = serial, adjustment = adjustment, covariance = covariance,
    instrumented = instrumented
  ), class = c(paste0("panel_fit_", request$method), "panel_fit"), home = home())
  if (is.null(variance) && !is.null(serial)) {
    fit$variance <- list(sigma2_e = fit$scale / (1 - serial$rho^2), sigma2 = NULL)
  }
  fit$parameters <- sum(shown_terms(fit)) + fit$df$effects + 1L + length(variance$sigma2) + estimated_rhos(serial) +
    if (is.null(adjustment)) 0 else as.integer(adjustment$variances - 1 + adjustment$covariances)
  fit$log_lik <- if (is.null(instrumented)) normal_log_lik(fit, solution$log_jacobian) else NA_real_
  fit <- under_errors(fit, default_errors(fit, errors))
  if (request$keep == "nothing") slim(fit) else hold_rows(fit)
}

estimated_rhos <- function(serial) if (is.null(serial) || serial$method == "given") 0L else length(serial$rho)

# The call with the formula as estimated, which stands for itself wherever it is run again.
written_call <- function(call, formula) {
  call$formula <- formula
  call
}

# One row a coefficient, those that were dropped with the reason.
coefficient_roles <- function(solution, design, effects, method) {
  terms <- names(design$x)
  kept <- solution$status == 0L
  estimate <- rep(NA_real_, length(terms))
  estimate[kept] <- solution$slopes[kept]
  combination <- lapply(seq_along(terms), function(j) if (solution$status[j] == 2L) combined_of(solution, j, terms))
  reason <- vapply(seq_along(terms), function(j) dropped_reason(solution, j, combination[[j]], effects, method), "")
  is_mean <- terms %in% names(design$blueprint$means$values)
  before <- design$dropped
  # Put together without data.frame(), which takes longer than a small regression.
  first <- if (solution$constant) constant_term
  columns <- list(
    term = c(first, before$term, terms),
    estimate = c(if (solution$constant) solution$coefficients[1], before$estimate, estimate),
    role = c(if (solution$constant) "constant", before$role, ifelse(is_mean, "mean", "slope")),
    status = c(if (solution$constant) "kept", before$status, ifelse(kept, "kept", "dropped")),
    reason = c(if (solution$constant) "", before$reason, reason),
    combination = c(if (solution$constant) list(NULL), before$combination, combination)
  )
  structure(columns, class = "data.frame", row.names = seq_along(columns$term))
}

# The kept regressors, and the constant, that matter in the combination of a dropped one, by size and
# not by rounding.
combined_of <- function(solution, j, terms) {
  kept <- solution$status == 0L
  weights <- stats::setNames(solution$combination[, j], c(if (solution$constant) constant_term, terms[kept]))
  size <- abs(weights) * c(if (solution$constant) abs(solution$frame$upper[1, 1]), solution$norms[kept])
  weights[size > 1e-6 * solution$norms[j]]
}

dropped_reason <- function(solution, j, combination, effects, method) {
  if (solution$status[j] == 0L) return("")
  if (solution$status[j] == 1L || solution$norms[j] == 0) {
    if (length(effects) > 0 && method$effects == "fixed") {
      return(sprintf("does not vary within %s", within_words(effects)))
    }
    return(if (method$constant == "drift") "does not change from one period to the next" else
      "zero in every row")
  }
  combination_words(names(combination))
}

combination_words <- function(names) {
  others <- setdiff(names, constant_term)
  if (length(others) == 0) return("the same in every row")
  paste(if (length(names) == 1) "a multiple of" else "a combination of", list_some(others, 4))
}

# Normal log-likelihood at the variance SSR / n; weights w mean a variance
# sigma^2 / w, and quasi-demeaning has the Jacobian sum log(1 - theta_i).
normal_log_lik <- function(fit, log_jacobian = NULL) {
  n <- fit$n
  weights <- fit$design$weights
  -n / 2 * (log(2 * pi * fit$ssr / n) + 1) + (if (is.null(log_jacobian)) 0 else log_jacobian) +
    if (is.null(weights)) 0 else sum(c(log(weights), fit$design$log_weights)) / 2
}

# Panel fits are clustered by entity unless told otherwise; a table without an entity
# by its effects; a single cluster carries no clustered error, and then it is said.
default_errors <- function(fit, errors) {
  if (!is.null(errors)) return(errors)
  if (fit$transform$kind == "across") return(se_classical())
  by <- c(fit$design$index$entity, unlist(lapply(fit$effects, `[[`, "columns")))[1]
  # Means of a period or a coast have rows of several entities: each row is a cluster of its own.
  mean <- fit$design$between
  if (!is.null(mean) && !identical(mean, by)) by <- mean
  if (is.na(by) || is.null(by)) return(se_classical())
  if (cluster_groups(fit, by)$count < 2) {
    spec <- se_classical()
    spec$note <- sprintf("One %s alone cannot be clustered by %s, so the errors are classical%s", by, by,
                         if (is.null(fit$design$index)) "" else "; `se_newey_west()` allows for relations over time")
    return(spec)
  }
  se_clustered(column_formula(by))
}
