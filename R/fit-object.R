# The one fitted object, class `panel_fit`, a plain list. A new estimator fills these
# fields, and standard errors, tests, tables, figures and predictions work with it.
#
#   method      "pooled", "between", "fixed", "random", "difference", "correlated"
#   call, request, design     the call; what was asked, see fit_request(); build_design()'s design
#   estimates   kept coefficients, named, the constant first where there is one
#   shows       which of them coef() gives (a fixed-effects constant is apart)
#   root        from orthonormal coordinates of the transformed regression's rows to coefficients, in
#               the order of `estimates`: its product with its own transpose is (X'X)^-1
#   ssr, df_residual, df_effects, df_exact, n, sst
#   solution    the core's result; `transform` what was taken from each row first
#   residuals   of the transformed regression, one a used row
#   effects     a list of sets, see describe_effects(): levels (fixed) or predictions
#               (random) by group, as deviations from the constant
#   variance    NULL, or list(method, sigma2_e, sigma2, theta)
#   dropped     data frame of term and reason
#   r_squared   numbers by kind, see r_squared_words(); `log_lik`, `parameters` (count)
#   notes       what else is to be said of the sample
#   errors      list of compute_errors(): covariance, df, label, clusters, notes

new_panel_fit <- function(request, design, solution, transform = NULL, effects = list(), variance = NULL,
                          notes = NULL, errors = request$errors) {
  method <- request$method
  terms <- names(design$x)
  within <- function() if (method == "fixed") within_words(effects)
  check_some_regressor(solution$status, terms, within())
  check_enough_rows(solution, design, effects)
  estimates <- stats::setNames(solution$coefficients, c(if (solution$constant) "(Intercept)",
                                                        terms[solution$status == 0L]))
  fit <- list(
    method = method, call = written_call(request$call,
                                         design$formula), request = request, design = design, estimates = estimates,
    shows = if (method == "fixed") names(estimates) != "(Intercept)" else rep(TRUE, length(estimates)),
    root = solution$root,
    ssr = solution$ssr, df_residual = solution$df_residual, df_effects = solution$df_effects,
    df_exact = !isFALSE(solution$exact), n = solution$n, sst = solution$sst, solution = solution,
    transform = transform, effects = effects, variance = variance,
    dropped = dropped_terms(solution, terms, method, within, design$dropped),
    r_squared = solution$r_squared, notes = notes
  )
  if (is.null(design$pieces)) fit$residuals <- core_residuals(design_rows(design), transform, solution)
  fit$parameters <- length(estimates) - sum(!fit$shows) + fit$df_effects + 1L + length(variance$sigma2)
  fit$log_lik <- normal_log_lik(fit)
  fit <- structure(fit, class = c(paste0("panel_fit_", method), "panel_fit"))
  with_errors(fit, default_errors(fit, errors))
}

# The call with the formula as estimated, which stands for itself wherever it is run again.
written_call <- function(call, formula) {
  call$formula <- formula
  call
}

# What each R-squared is of, by what was taken out of y.
r_squared_words <- function(fit) {
  of <- r_squared_group(fit)
  within <- if (!is.null(of)) paste("within", plural_of(of))
  c(within = within, swept = paste("within", within_words(fit$effects)),
    between = if (!is.null(of)) paste("between", plural_of(of)), overall = "overall", effects = "with effects",
    of_changes = "of changes")[names(fit$r_squared)]
}

# The set whose means within and between are about: the entity, or the first set of effects.
r_squared_group <- function(fit) {
  if (fit$method == "between") return(fit$design$between)
  entity <- fit$design$index$entity
  sets <- effect_names(fit)
  if (length(sets) == 0 || (!is.null(entity) && entity %in% sets)) return(entity)
  sets[1]
}

slope_names <- function(fit) setdiff(names(fit$estimates), "(Intercept)")

effect_names <- function(fit) vapply(fit$effects, `[[`, "", "name")

# "harbours", or of several sets "harbours and seasons"
within_words <- function(effects) list_words(plurals_of(vapply(effects, `[[`, "", "name")))

plurals_of <- function(nouns) vapply(nouns, plural_of, "", USE.NAMES = FALSE)

name_both <- function(m, names) {
  dimnames(m) <- list(names, names)
  m
}

sigma2_of <- function(fit) fit$ssr / fit$df_residual

# Normal log-likelihood at the variance SSR / n; weights w mean a variance
# sigma^2 / w, and quasi-demeaning has the Jacobian sum log(1 - theta_i).
normal_log_lik <- function(fit) {
  n <- fit$n
  weights <- fit$design[["weights"]]
  jacobian <- if (is.null(fit$solution$log_jacobian)) 0 else fit$solution$log_jacobian
  -n / 2 * (log(2 * pi * fit$ssr / n) + 1) + jacobian +
    if (is.null(weights)) 0 else sum(c(log(weights), fit$design$log_weights)) / 2
}

check_enough_rows <- function(solution, design, effects) {
  if (solution$df_residual > 0) return(invisible())
  absorbed <- solution$df_effects
  coefficients <- length(solution$coefficients) - (absorbed > 0)
  taken <- c(
    if (coefficients > 0 || absorbed == 0) count_of(coefficients, "coefficient"),
    if (absorbed > 0) sprintf("%s of %s", count_of(absorbed, "effect"),
                              list_words(vapply(effects, `[[`, "", "name")))
  )
  stop_wavetax(
    "too_few_rows",
    sprintf("%s cannot carry %s: no row is left to tell the error variance.",
            count_of(solution$n, "row"), list_words(taken)),
    where = missing_words(design$missing),
    todo = "Use fewer regressors or effects, or more rows."
  )
}

check_some_regressor <- function(status, names, within) {
  if (length(names) == 0 || any(status == 0L)) return(invisible())
  stop_wavetax(
    "no_variation",
    if (is.null(within)) "No regressor varies." else sprintf("No regressor varies within %s.", within),
    where = sprintf("%s.", list_some(names, 6)),
    todo = if (!is.null(within)) {
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
dropped_terms <- function(solution, names, method, within, before) {
  status <- solution$status
  gone <- which(status != 0L)
  if (length(gone) == 0) return(if (is.null(before)) nothing_dropped else before)
  within <- within()
  nothing <- if (!is.null(within)) {
    sprintf("does not vary within %s", within)
  } else if (method == "difference") {
    "does not change from one period to the next"
  } else {
    "zero in every row"
  }
  reasons <- vapply(gone, function(j) {
    if (status[j] == 1L || (method == "difference" && solution$norms[j] == 0)) return(nothing)
    combination_words(names[status == 0L][weighty(solution, j)], constant_weighs(solution, j))
  }, character(1))
  rbind(before, data.frame(term = names[gone], reason = reasons))
}

nothing_dropped <- data.frame(term = character(), reason = character())

# Which kept regressors matter in the combination of a dropped one, by size and not by rounding.
weighty <- function(solution, j) {
  abs(slopes_of_combination(solution, j)) * solution$norms[solution$status == 0L] > 1e-6 * solution$norms[j]
}

slopes_of_combination <- function(solution, j) {
  weights <- solution$combination[, j]
  if (solution$constant) weights[-1] else weights
}

constant_weighs <- function(solution, j) {
  solution$constant && abs(solution$combination[1, j] * solution$frame$upper[1, 1]) > 1e-6 * solution$norms[j]
}

combination_words <- function(names, constant = FALSE) {
  if (length(names) == 0) return("the same in every row")
  paste(if (length(names) == 1 && !constant) "a multiple of" else "a combination of", list_some(names, 4))
}

# Panel fits are clustered by entity unless told otherwise; a table without an entity
# by its effects; a single cluster carries no clustered error, and then it is said.
default_errors <- function(fit, errors) {
  if (!is.null(errors)) return(errors)
  by <- c(fit$design$index$entity, unlist(lapply(fit$effects, `[[`, "columns")))[1]
  if (is.na(by) || is.null(by)) return(se_classical())
  if (cluster_groups(fit, by)$count < 2) {
    spec <- se_classical()
    spec$note <- sprintf("One %s alone cannot be clustered by %s, so the errors are classical.", by, by)
    return(spec)
  }
  se_clustered(stats::reformulate(sprintf("`%s`", by)))
}

check_is_fit <- function(fit, argument = "fit") {
  if (inherits(fit, "panel_fit") && is.list(fit) && is_one_text(fit$method)) return(invisible())
  stop_wavetax(
    "not_a_fit", sprintf("`%s` is of class %s, not a fitted panel model.", argument, class(fit)[1]),
    todo = if (is.list(fit) && !is.data.frame(fit) && any(vapply(fit, inherits, TRUE, "panel_fit"))) {
      "It is a list of fits: take one of them, `fits[[1]]`."
    } else {
      "Give it what `fit_pooled()`, `fit_fixed()` or `fit_random()` returned."
    }
  )
}

fit_methods <- c(pooled = "pooled", between = "between", fixed = "fixed effects", random = "random effects",
                 difference = "first difference", correlated = "correlated random effects")

method_words <- function(fit) fit_methods[[fit$method]]

# Two fits of one outcome on the same rows with the same weights.
check_same_data <- function(a, b) {
  for (fit in list(a, b)) check_keeps_rows(fit, "rows to compare")
  if (a$n != b$n) {
    stop_different_rows(a, b, sprintf("The fits use different rows: %s and %s.", count_words(a$n), count_words(b$n)))
  }
  if (!identical(a$design$outcome, b$design$outcome)) {
    stop_different_rows(a, b, sprintf("The fits have different outcomes: `%s` and `%s`.", a$design$outcome,
                                      b$design$outcome))
  }
  same <- isTRUE(all.equal(a$design$y, b$design$y, tolerance = 0)) &&
    identical(a$design[["weights"]], b$design[["weights"]])
  if (!same) stop_different_rows(a, b, "The fits use different rows or weights.")
}

stop_different_rows <- function(a, b, found) {
  more <- if (a$design$missing$total > b$design$missing$total) a else b
  stop_wavetax(
    "different_rows", found, where = missing_words(more$design$missing),
    todo = "Estimate both on the same data, formula outcome, weights and effects."
  )
}
