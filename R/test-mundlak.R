#' Are the effects related to the regressors? Robustly
#'
#' Question answered: *may I use random effects, if I do not trust disturbances to be unrelated and of one variance?*
#'
#' Mundlak's regression is random effects with the entity means of every regressor that varies within added
#' ([fit_correlated()]); the test is that their q coefficients are zero, by Wald's statistic W with a covariance
#' clustered by entity: \eqn{W/q \sim F(q, G - 1)}{W/q ~ F(q, G - 1)} with CR3, which leaves each entity out in turn, or
#' Hotelling's form with CR2. It asks what Hausman's test asks; with the variance components held both statistics are
#' one.
#'
#' Of an instrumented random fit the means are of the exogenous regressors and of the instruments, with the fit's
#' variance components held; with them the slopes are those of the swept instrumented fit. The errors are CR3.
#'
#' Means of period dummies in an unbalanced panel say only when an entity is seen; they stay in the regression,
#' untested.
#'
#' Null: the effects are unrelated to the regressors, and random effects are consistent. A small p speaks for fixed
#' effects.
#'
#' @param fit A random, correlated or fixed effects fit with effects of the entity; the correlated fit of its equation
#'   is estimated where it is another. Or an instrumented random fit.
#' @param type `"CR3"` or `"CR2"`.
#' @inheritParams test_effects
#' @param ... Takes nothing; what is misspelt is told.
#' @return A `panel_test` whose `table` has the coefficient of each mean: `term`, `estimate`, `std_error`, `p_value`.
#' @section Size:
#' True nulls rejected at 5 percent, over 36 kinds of panels (`docs/size.md` of the sources): 4 to 8 percent. CR1 would
#' reject in 12 to 20 percent of cases with 20 entities.
#' @section Errors:
#' `wavetax_error_method` of a fit without entity effects; `wavetax_error_too_few_clusters` when there are no more
#' entities than restrictions; `wavetax_error_nothing_to_compare` when no mean can be told from the rest.
#' @references Mundlak, Y. (1978), *Econometrica* 46; Wooldridge, J. M. *Econometric Analysis of Cross Section and Panel
#'   Data*, 10.7.3. Joshi, R. and Wooldridge, J. M. (2019), *Advances in Econometrics* 40.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' test_mundlak(fit_random(log(nights) ~ levy + storms + fuel, panel))
#' @export
test_mundlak <- function(fit, type = "CR3", level = 0.05, draws = NULL, seed = 1, ...) {
  check_own_arguments(..., of = test_mundlak, name = "test_mundlak()")
  check_is_fit(fit)
  check_choice(type, c("CR3", "CR2"), "type")
  if (!is.null(fit$instrumented)) check_random_instruments(fit, type, draws)
  asked <- ask(level, draws, seed)
  instrumented <- !is.null(fit$instrumented)
  correlated <- if (!instrumented) as_correlated(fit) else
    with_instrument_means(fit, mundlak_errors(fit$effects[[1]]$columns, type))
  means <- with(correlated$coefficients, term[role == "mean" & status == "kept"])
  when_seen <- intersect(means, means_of_periods(correlated))
  means <- setdiff(means, when_seen)
  entity <- effect_names(correlated)
  if (length(means) == 0) {
    stop_test("nothing_to_compare", sprintf("No mean over %s can be told from the other regressors.",
                                            plural_of(entity)),
              todo = "The test needs regressors that vary both within and between.")
  }
  under <- if (instrumented) correlated else under_errors(correlated, mundlak_errors(entity, type))
  joint <- mundlak_wald(under, means, type)
  test <- new_panel_test(
    title = sprintf("Mundlak's test: are the %s effects related to the regressors?", entity),
    question = sprintf("may %s be taken as random, or does what is fixed about them go with the regressors?",
                       plural_of(entity)),
    statistic = joint$statistic, parameter = joint$parameter, p_value = joint$p,
    null = sprintf("the %s effects are unrelated to the regressors: the means of these have no coefficients", entity),
    alternative = "they are related; only fixed effects are consistent",
    verdicts = c(sprintf("the %s effects are related to the regressors, so keep fixed effects.", entity),
                 "nothing here speaks against random effects, which are the more precise.",
                 leaning_words("random effects")),
    of = fit, distribution = joint$distribution, level = asked$level,
    table = mundlak_table(under, means),
    notes = c(sprintf("Errors clustered by %s (%s), which serial correlation and unequal variances do not upset.",
                      entity,
                      type),
              if (is_serial(fit)) "The fit's AR(1) is not used in this test.",
              if (instrumented) "Means are of exogenous regressors and instruments; the fit's variances are held.",
              if (length(when_seen) > 0) {
      sprintf("Means of dummies of the %s say when each %s is seen, and are not tested.", fit$design$index$period,
              entity)
    })
  )
  with_draws(test, if (!is.null(draws)) null_of_mundlak(correlated), function(y) {
    mundlak_wald(under_errors(refit(correlated, y), mundlak_errors(entity, type)), means, type)$statistic
  }, asked)
}

as_correlated <- function(fit) {
  check_keeps_rows(fit, "rows to estimate again")
  if (fit$method == "correlated") return(fit)
  sets <- fit$effects
  one <- fit$method != "gls" && method_of(fit)$effects != "none" && length(sets) > 0 && any(vapply(sets, function(set) {
    length(set$columns) == 1 && set$intercept
  }, TRUE))
  if (!one) {
    stop_wrong_fit(fit, "Mundlak's test", "random or fixed effects of entities", call_words(fit, "fit_random"))
  }
  entity <- fit$design$index$entity
  names <- vapply(sets, `[[`, "", "name")
  name <- if (!is.null(entity) && entity %in% names) entity else names[lengths(lapply(sets, `[[`, "columns")) == 1][1]
  others <- setdiff(names, name)
  if (length(others) > 0 || length(unlist(lapply(sets, `[[`, "trends"))) > 0) {
    stop_test(c("more_effects", "method"),
              sprintf("Mundlak's regression has the effects of %s alone, and the fit has more.", name),
              todo = sprintf("Write the others into the formula, `+ factor(%s)`, and use `fit_random()`.",
                             if (length(others) > 0) code_name(others[1]) else "group"))
  }
  request <- request_again(fit)
  request$method <- "correlated"
  request$effects <- name
  request["errors"] <- list(se_classical())
  request$keep <- "rows"
  request$formula <- fit$design$formula
  weighted <- !is.null(request$weights)
  variance <- if (method_of(fit)$effects == "random") fit$variance$method
  request$options <- list(variance = if (weighted) "maximum-likelihood" else if (is.null(variance)) "swamy-arora" else
    variance)
  suppressWarnings(run_fit(request), classes = "wavetax_warning_negative_variance")
}

# Means of categories that are a function of the period.
means_of_periods <- function(fit) {
  index <- fit$design$index
  categories <- names(fit$design$blueprint$xlevels)
  if (is.null(index) || length(categories) == 0) return(character())
  clock <- used_index(fit$design)$clock
  groups <- rank_codes(clock - min(clock) + 1L)
  columns <- names(fit$design$x)
  of_category <- columns[vapply(columns, function(name) any(startsWith(name, categories)), TRUE)]
  of_period <- Filter(function(name) held_by_groups(fit$design$x[[name]], groups), of_category)
  sprintf("mean(%s)", of_period)
}

mundlak_errors <- function(entity, type) {
  se_clustered(column_formula(entity), type = type,
               df = if (type == "CR2") "satterthwaite" else "clusters")
}

mundlak_wald <- function(fit, means, type) {
  terms <- kept_terms(fit)
  at <- match(means, terms)
  q <- length(at)
  G <- fit$errors$clusters[[1]]
  if (q >= G) {
    stop_test("too_few_clusters", sprintf("%s cannot tell %s.", count_of(G, names(fit$errors$clusters)),
                                          count_of(q, "restriction")),
              todo = "Use fewer regressors, or `test_hausman()`.")
  }
  contrasts <- diag(length(terms))[at, , drop = FALSE]
  check_has_errors(fit, means)
  if (type == "CR2") return(joint_test_of(fit, contrasts, kept_estimates(fit)[at]))
  value <- wald_of(fit, restriction_directions(fit, contrasts, kept_estimates(fit)[at])) / q
  list(statistic = c(F = value), parameter = c("numerator df" = q, "denominator df" = G - 1),
       p = stats::pf(value, q, G - 1, lower.tail = FALSE), distribution = list(name = "F", df = c(q, G - 1)))
}

mundlak_table <- function(fit, means) {
  table <- coefficient_table(fit, match(means, kept_terms(fit)))
  like <- c("estimate", "std_error")
  typed_table(table[c("term", "estimate", "std_error", "p_value")], list(
    typed_column("term", "", "term"), typed_column("estimate", "between less within", "estimate", like),
    typed_column("std_error", "std. error", "estimate", like), typed_column("p_value", "p", "p")
  ))
}

# The random effects model, in which the means have no coefficients.
null_of_mundlak <- function(correlated) {
  request <- request_again(correlated)
  request$method <- "random"
  suppressWarnings(run_fit(request))
}
