#' Do the effects matter?
#'
#' Question answered: *do entities (or periods) differ at all, once the regressors are taken out?*
#'
#' \deqn{F = \frac{(SSR_r - SSR_f) / (df_r - df_f)}{SSR_f / df_f}}{F = ((SSR_r - SSR_f)/(df_r - df_f)) / (SSR_f/df_f)}
#' of two nested fits of the same rows, with f the one that has more effects: none in entity or period or both, one of
#' these in both. It is exact where disturbances are normal, unrelated and of one variance. Entity against period is not
#' nested. Where the dimension of the effects is an upper bound only, p is one too, which is said.
#'
#' There is no cluster-robust form of it: there are as many restrictions as clusters. [test_mundlak()] asks the question
#' that matters for the slopes, and is robust.
#'
#' Null: the groups whose effects are tested do not differ. A small p says that they do, not that random effects or
#' pooled least squares are biased.
#'
#' @param full A fixed effects fit.
#' @param restricted A fit with fewer effects; `NULL`: the same equation without any.
#' @param robust `FALSE`; asking for a robust form ends in an error that names [test_mundlak()].
#' @param level The level that the reading in words is at.
#' @param draws `NULL`, or how many draws p is to come from: normal disturbances through the restricted equation.
#' @param seed Where draws start; the session's random numbers are left alone.
#' @param ... Takes nothing; what is misspelt is told.
#' @return A `panel_test`.
#' @section Size:
#' True nulls rejected at 5 percent, over 36 kinds of panels (`docs/size.md` of the sources: 20 to 500 entities, 5 to 30
#' periods, even and uneven, normal and skewed disturbances): 3 to 6 percent.
#' @section Errors:
#' `wavetax_error_method` when `full` has no effects that are swept out; `wavetax_error_not_nested`;
#' `wavetax_error_different_rows`; `wavetax_error_perfect_fit`; `wavetax_error_robust`.
#' @references Baltagi, B. H. *Econometric Analysis of Panel Data*, ch. 2 and 3.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fixed <- fit_fixed(log(nights) ~ levy + storms, panel)
#' test_effects(fixed)
#' test_effects(fit_fixed(log(nights) ~ levy + storms, panel, "both"), fixed)
#' @export
test_effects <- function(full, restricted = NULL, robust = FALSE, level = 0.05, draws = NULL, seed = 1, ...) {
  check_own_arguments(..., of = test_effects, name = "test_effects()")
  if (missing(full)) stop_argument("full", "missing", "Give a fixed effects fit: `test_effects(fit)`.")
  check_is_fit(full, "full")
  if (!is.null(restricted)) check_is_fit(restricted, "restricted")
  check_flag(robust, "robust")
  for (one in list(full, restricted)) {
    check_without_instruments(one, "The F test of effects",
                              "Set fits with and without effects side by side; `test_mundlak()` is of random ones.")
  }
  asked <- ask(level, draws, seed)
  if (!has_swept_effects(full) || !method_of(full)$nests) {
    stop_wrong_fit(full, "The test of effects", "a fixed effects fit", call_words(full, "fit_fixed"))
  }
  if (robust) stop_robust_effects(full)
  check_keeps_rows(full, "rows to compare")
  if (!is.null(restricted)) {
    if (restricted$df$residual < full$df$residual) {
      stop_test("not_nested", "The arguments are swapped: the fit with fewer effects came first.",
                todo = "Give the one with more effects first: `test_effects(full, restricted)`.")
    }
    restricted <- at_variances_of(restricted, full)
    check_nested(restricted, full)
    restricted <- at_rho_of(restricted, full)
  }
  smaller <- without_any_effects(full, restricted)
  result <- effects_f(smaller, full)
  tested <- effects_words(Filter(function(set) !set$name %in% effect_names(restricted), full$effects))
  kept <- if (length(effect_names(restricted)) > 0) paste0(" beside those of ", list_words(effect_names(restricted)))
  p <- stats::pf(result$statistic, result$df[1], result$df[2], lower.tail = FALSE)
  test <- new_panel_test(
    title = sprintf("F test of %s effects%s", tested, if (is.null(kept)) "" else kept),
    question = sprintf("do the levels of %s differ, once the regressors are taken out?",
                       effects_nouns(full, restricted)),
    statistic = c(F = result$statistic), parameter = c("numerator df" = result$df[1], "denominator df" = result$df[2]),
    p_value = p, null = sprintf("no %s effects%s", tested, if (is.null(kept)) "" else kept),
    alternative = sprintf("the levels of %s differ", effects_nouns(full, restricted)),
    verdicts = c(sprintf("the levels of %s differ, so a model without them leaves something out.",
                         effects_nouns(full, restricted)),
                 sprintf("no sign that the levels of %s differ.", effects_nouns(full, restricted))),
    of = full, distribution = list(name = "F", df = result$df), level = asked$level,
    cautions = c(if (!full$df$exact) "The effects' dimension is an upper bound, and so is p.",
                 if (is_serial(full) && full$serial$method != "given") {
                   paste("rho is estimated, and the test leans on it: true nulls were rejected in 18 percent of cases",
                         "(50 entities, 6 periods) and 10 (30, 15).")
                 }),
    notes = c(if (!is.null(restricted)) one_weighting_words(full), if (is_serial(full)) {
      sprintf("Both at rho %s; it takes disturbances as of one variance, which `test_mundlak()` does not.",
              format_number(full$serial$rho))
    } else {
      "It takes disturbances as unrelated and of one variance; `test_mundlak()` does not."
    })
  )
  base <- if (is.null(restricted)) function() refit(full, level_design(full)$y, "pooled", NULL) else
    function() restricted
  with_draws(test, if (!is.null(draws)) base(), function(y) {
    more <- refit(full, y)
    less <- if (!is.null(restricted)) at_rho_of(at_variances_of(refit(restricted, y), more), more)
    effects_f(without_any_effects(more, less), more)$statistic
  }, asked)
}

# The model that the effects are added to: a core's solution of all rows without effects where no other is given.
without_any_effects <- function(full, restricted) {
  if (!is.null(restricted)) return(restricted)
  if (!is_serial(full)) return(core_solve_pooled(core_pooled_state(design_rows(full$design))))
  at_rho_of(refit(full, level_design(full)$y, "pooled", NULL), full)
}

# F of two fits, or of a core's solution and a fit.
effects_f <- function(smaller, full) {
  df <- c((if (is.list(smaller$df)) smaller$df$residual else smaller$df_residual) - full$df$residual, full$df$residual)
  check_some_residual(full)
  if (df[1] <= 0) stop_test("not_nested", "The effects take no degree of freedom: there is nothing to test.",
                            todo = "Is there one entity only, or are the effects among the regressors?")
  list(statistic = (smaller$ssr - full$ssr) / df[1] / full$scale, df = as.numeric(df))
}

effects_nouns <- function(full, restricted) {
  list_words(plurals_of(setdiff(effect_names(full), if (!is.null(restricted)) effect_names(restricted))))
}

stop_robust_effects <- function(fit) {
  stop_test("robust", "The F test of effects has no robust form: it has as many restrictions as clusters.",
            todo = sprintf("Whether the effects matter for the slopes is told robustly by `test_mundlak(%s)`.",
                           call_words(fit, "fit_random")))
}
