#' Is there an entity component?
#'
#' Question answered: *are the disturbances of one entity (or of one period) alike, so that pooled least squares
#' misjudges its errors?*
#'
#' From the residuals e of the equation without effects, over groups g of \eqn{n_g} rows,
#' \deqn{HO = \frac{n A}{\sqrt{2 (M - n)}}, \quad A = \frac{\sum_g (\sum e)^2}{\sum e^2} - 1, \quad M = \sum n_g^2,}{HO
#' = n A / sqrt(2 (M - n)), A = sum_g (sum e)^2 / sum e^2 - 1, M = sum n_g^2,}
#' and LM = HO squared. A variance is not negative: p is one-sided, P(N(0, 1) > HO), by default; two-sided refers LM to
#' chi-squared(1). Of both, `"one-sided"` is King and Wu's \eqn{n (A_1 + A_2) / \sqrt{2 (M_1 + M_2 - 2n)}}{n (A_1 +
#' A_2)/sqrt(2 (M_1 + M_2 - 2n))}, `"two-sided"` the sum of both LM with chi-squared(2), `"mixture"` the sum of the
#' squared positive parts with the mixture of chi-squared distributions of Gourieroux, Holly and Monfort. Unbalanced
#' panels and gaps are the general case. Under 30 groups on a side p comes from 999 draws of normal disturbances through
#' the same regression, with the limiting p beside it.
#'
#' Null: no such component; a small p speaks against pooled least squares with classical errors.
#'
#' @param fit A pooled, fixed or random effects fit; of the last two the equation without the effects is taken.
#' @param effects `"entity"`, `"period"` or `"both"`.
#' @param alternative `"one-sided"`, `"two-sided"`, or of both `"mixture"`.
#' @inheritParams test_effects
#' @param ... Takes nothing; what is misspelt is told.
#' @return A `panel_test`.
#' @section Size:
#' True nulls rejected at 5 percent, over 36 kinds of panels (`docs/size.md` of the sources): 1 to 8 percent for one
#' component, 2 to 8 for both.
#' @section Errors:
#' `wavetax_error_too_few_periods` when every group has one row; `wavetax_error_method` of a between or difference fit;
#' `wavetax_error_not_a_panel`; `wavetax_error_perfect_fit`.
#' @references Breusch, T. S. and Pagan, A. R. (1980), *Review of Economic Studies* 47; Honda, Y. (1985), *Review of
#'   Economic Studies* 52; Baltagi, B. H. and Li, Q. (1990), *Econometric Theory* 6; King, M. L. and Wu, P. X. (1997),
#'   *Econometric Reviews* 16; Gourieroux, C., Holly, A. and Monfort, A. (1982), *Econometrica* 50.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' test_random_effects(fit_pooled(log(nights) ~ levy + storms, panel))
#' @export
test_random_effects <- function(fit, effects = "entity", alternative = "one-sided", level = 0.05, draws = NULL,
                                seed = 1, ...) {
  check_own_arguments(..., of = test_random_effects, name = "test_random_effects()")
  check_is_fit(fit)
  check_plain_residuals(fit, "The test for random effects")
  check_choice(effects, c("entity", "period", "both"), "effects")
  check_choice(alternative, c("one-sided", "two-sided", if (identical(effects, "both")) "mixture"), "alternative")
  asked <- ask(level, draws, seed)
  base <- without_components(fit, effects)
  sample <- residual_sample(base)
  columns <- unlist(base$design$index[c("entity", "period")])[if (effects == "both") 1:2 else
    match(effects, c("entity", "period"))]
  groups <- lapply(columns, function(name) rank_codes(kept_rows(column_groups(base$design, name)$codes, sample$keep)))
  for (g in seq_along(groups)) check_component_groups(groups[[g]], columns[g])
  # Rows under the root of AR(1) hold their weights.
  weights <- fit_rows(base)$weights
  w <- if (!is.null(weights)) kept_rows(weights, sample$keep)
  root <- if (is.null(w)) 1 else sqrt(w)
  statistic <- function(e) component_statistic(e / root, groups, w, effects, alternative)
  own <- statistic(sample$e)
  nouns <- list_words(plurals_of(columns))
  few <- min(vapply(groups, `[[`, 0L, "count")) < 30
  test <- new_panel_test(
    title = sprintf("Test for a component of %s, from pooled residuals", list_words(columns)),
    question = sprintf("are disturbances of one %s alike?", list_or(columns)),
    statistic = own$shown, parameter = own$parameter, p_value = own$p,
    null = sprintf("no component of %s: disturbances of one %s are unrelated", list_words(columns), list_or(columns)),
    alternative = sprintf("%s differ in level", nouns),
    verdicts = c(sprintf("%s differ, so pooled least squares is not efficient and its classical errors are wrong.",
                         nouns),
                 sprintf("no sign that %s differ beyond the regressors.", nouns)),
    of = fit, distribution = own$distribution, level = asked$level,
    notes = c(left_out_note(sample), if (alternative != "two-sided") {
      "One-sided, as a variance is not negative."
    }),
    extra = list(signed = own$far)
  )
  if (is.null(asked$draws) && few) asked$draws <- 999
  if (is.null(asked$draws)) return(test)
  keep <- sample$keep
  values <- drawn_statistics(base, function(e) statistic(kept_rows(e, keep))$far, asked, sample$walk)
  simulated_result(test, values, own = own$far)
}

# The equation without the effects that are tested; others that are swept out stay.
without_components <- function(fit, effects) {
  method <- method_of(fit)
  if (!method$levels || fit$method %in% c("between", "difference", "gls")) {
    stop_wrong_fit(fit, "The test for components", "the rows as they are", call_words(fit, "fit_pooled"))
  }
  check_test_panel(fit)
  if (fit$method == "pooled") return(fit)
  index <- fit$design$index
  tested <- unlist(index[c("entity", "period")])[if (effects == "both") 1:2 else match(effects, c("entity", "period"))]
  others <- Filter(function(set) {
    length(set$columns) > 1 || !set$columns %in% tested
  }, if (method$effects == "fixed") fit$effects else list())
  if (length(others) == 0) return(refit(fit, level_design(fit)$y, "pooled", NULL))
  refit(fit, fit$design$y, "fixed", effects_formula(others))
}

# Sets of effects as they are written, built of symbols.
effects_formula <- function(sets) {
  terms <- unlist(lapply(sets, function(set) {
    own <- combination_call(set$columns)
    trends <- lapply(set$trends, function(name) call(":", own, call("trend", as.name(name))))
    c(if (set$intercept) list(own), trends)
  }), recursive = FALSE)
  rlang::new_formula(NULL, Reduce(function(a, b) call("+", a, b), terms), env = baseenv())
}

check_component_groups <- function(groups, name) {
  if (groups$count >= 2 && any(tabulate(groups$codes) > 1)) return(invisible())
  stop_test("too_few_periods", if (groups$count < 2) sprintf("There is one %s only.", name) else
    sprintf("Every %s has one row: nothing tells its component from the rest.", name),
    todo = "The test needs several groups, and some of them with two rows or more.")
}

# list(shown, parameter, p, distribution, far: what is large against the null).
component_statistic <- function(e, groups, w, effects, alternative) {
  one <- lapply(groups, function(g) core_component(e, g$codes, g$count, w))
  HO <- unname(vapply(one, `[[`, 0, "HO"))
  normal <- function(z, name) {
    list(shown = name, parameter = NULL, p = stats::pnorm(z, lower.tail = FALSE),
         distribution = list(name = "normal", df = numeric()), far = z)
  }
  if (alternative == "mixture") {
    s <- sum(pmax(HO, 0)^2)
    p <- if (s > 0) stats::pchisq(s, 1, lower.tail = FALSE) / 2 + stats::pchisq(s, 2, lower.tail = FALSE) / 4 else 1
    return(list(shown = c(LM = s), parameter = c(df = 2), p = p,
                distribution = list(name = "mixture of chi-squared", df = 2), far = s))
  }
  if (alternative == "two-sided") {
    value <- sum(HO^2)
    return(list(shown = c(LM = value), parameter = c(df = length(HO)),
                p = stats::pchisq(value, length(HO), lower.tail = FALSE),
                distribution = list(name = "chi-squared", df = length(HO)), far = value))
  }
  if (length(HO) == 1) return(normal(HO, c(LM = HO^2)))
  n <- length(e)
  A <- sum(vapply(one, `[[`, 0, "A"))
  M <- sum(vapply(one, `[[`, 0, "M"))
  z <- n * A / sqrt(2 * (M - 2 * n))
  normal(z, c(z = z))
}
