#' Tests for dependence between entities
#'
#' Question answered: *are disturbances of different entities related in the same period?* If they are, errors clustered
#' by entity are too small.
#'
#' \eqn{\rho_{ij}}{rho_ij} is the correlation of the residuals of two entities over the \eqn{T_{ij}}{T_ij} periods that
#' both are seen in; pairs with fewer than three, and entities whose residuals do not vary, are left out and counted. P
#' pairs are left.
#'
#' * `"cd"` (default): \eqn{\sum \sqrt{T_{ij} - 1}\, \rho_{ij} / \sqrt{P} \sim N(0, 1)}{sum sqrt(T_ij - 1) rho_ij /
#'   sqrt(P) ~ N(0, 1)}, two-sided. It sees dependence of one sign. Refused where the fit holds effects of the
#'   periods, which take the mean out: it would reject every true null.
#' * `"moments"` (default after effects of the periods): \eqn{\sum ((T_{ij} - 1) \rho^2 - 1) / \sqrt{\sum 2 (T_{ij} - 2)
#'   / (T_{ij} + 1)} \sim N(0, 1)}{sum ((T_ij - 1) rho^2 - 1) / sqrt(sum 2 (T_ij - 2)/(T_ij + 1)) ~ N(0, 1)}, large
#'   values reject: it sees dependence of either sign, and uses the exact moments of normal series.
#' * `"lm"`: \eqn{\sum T_{ij} \rho^2}{sum T_ij rho^2}, chi-squared(P), and `"scaled"`, the same centred and scaled: only
#'   where each \eqn{T_{ij}}{T_ij} is at least 3N; otherwise they reject true nulls up to always, and are refused.
#' * `"bias-corrected"`: scaled less \eqn{N / (2 (T - 1))}{N/(2 (T - 1))}, of balanced panels.
#'
#' A fit holds effects of the periods, however they were written, when nothing is left (to 1e-9) of a random function of
#' the period once its regressors and effects are taken out: effects, random effects, dummies in the formula.
#'
#' The work is N squared times T. Above 20,000 entities name a `sample` of them, which is drawn with `seed`: the test is
#' then of those.
#'
#' @param fit A fit on a [panel_frame()].
#' @param method One of those above; `NULL`: that of the fit.
#' @param sample `NULL`, or how many entities to draw.
#' @inheritParams test_effects
#' @param ... Takes nothing; what is misspelt is told.
#' @return A `panel_test`; `pairs` has how many pairs were used and left out, `estimate` the mean size of a correlation,
#'   its sign left out; `period_effects` whether the fit holds effects of the periods.
#' @section Size:
#' True nulls rejected at 5 percent, over 36 kinds of panels (`docs/size.md` of the sources): `"cd"` 3 to 7 percent. The
#' limiting p of `"moments"` after effects of both rejects in 6 to 29 percent of cases with 20 entities, the more the
#' longer the panel, which is why p comes from draws there (4 to 10 percent); with 100 entities and more in 2 to 10
#' percent with normal disturbances, in 6 to 15 with skewed ones, whose squared correlations are larger.
#' Serial correlation, and variances that change over periods, alone make tests of squared correlations reject, up to
#' always: a caution says where they are seen.
#' @section Errors:
#' `wavetax_error_method` where a method does not hold on this panel, with those that do;
#' `wavetax_error_too_few_periods` when no pair has three periods; `wavetax_error_too_many_entities`;
#' `wavetax_error_not_a_panel`.
#' @references Pesaran, M. H. (2004), *Cambridge Working Papers in Economics* 0435; Breusch, T. S. and Pagan, A. R.
#'   (1980), *Review of Economic Studies* 47; Baltagi, B. H., Feng, Q. and Kao, C. (2012), *Journal of Econometrics*
#'   170.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' test_cross_section(fit_fixed(log(nights) ~ levy + storms, panel))
#' @export
test_cross_section <- function(fit, method = NULL, sample = NULL, level = 0.05, draws = NULL, seed = 1, ...) {
  check_own_arguments(..., of = test_cross_section, name = "test_cross_section()")
  check_is_fit(fit)
  check_plain_residuals(fit, "A test for relations between entities")
  if (!is.null(method)) check_choice(method, cross_section_methods, "method", kind = "method")
  asked <- ask(level, draws, seed)
  if (!is.null(sample)) check_number(sample, "sample", low = 2, high = 1e9, whole = TRUE)
  check_keeps_rows(fit, "rows to test")
  check_test_panel(fit)
  live <- live_regression(fit)
  on.exit(live$release())
  centred <- holds_periods(live)
  if (is.null(method)) method <- if (centred) "moments" else "cd"
  if (method == "cd" && centred) {
    stop_test(c("rejects_always", "method"),
              "After effects of the periods, however written, CD rejects every true null.",
              where = sprintf("The fit takes out what all %s share in one %s, so residuals average zero in each.",
                              live$nouns, live$moment),
              todo = "Use `method = \"moments\"`.")
  }
  rows <- residual_sample(fit)
  chosen <- cross_section_entities(rows, sample, seed)
  sums <- cross_section_sums(rows$e, rows, chosen)
  check_pairs_told(sums, rows)
  check_cross_section_method(method, sums, rows, chosen)
  found <- cross_section_statistic(sums, method)
  test <- new_panel_test(
    title = sprintf("Dependence between %s, %s", rows$nouns, c(
      cd = "by the sum of correlations (CD)", moments = "by squared correlations and their exact moments",
      lm = "by squared correlations (LM)", scaled = "by squared correlations, scaled",
      "bias-corrected" = "by squared correlations, corrected for short panels"
    )[[method]]),
    question = sprintf("are disturbances of different %s related in one %s?", rows$nouns, rows$moment),
    statistic = stats::setNames(found$value, found$name), parameter = found$parameter, p_value = found$p,
    null = sprintf("disturbances of different %s are unrelated", rows$nouns), alternative = "they are related",
    verdicts = c(sprintf(paste("%s share shocks, so errors clustered by %s are too small: cluster by %s too, or",
                               "%s."), rows$nouns, rows$noun, rows$moment,
                         if (centred) "`se_driscoll_kraay()` where periods are many" else
                           sprintf("take out effects of the %s", rows$moment)),
                 sprintf("no sign that %s share shocks.", rows$nouns)),
    of = fit, distribution = found$distribution, level = asked$level,
    cautions = cross_section_cautions(fit, method, live),
    notes = c(sprintf("%s of %s%s.", upper_first(count_of(sums[["pairs"]], "pair")),
                      count_of(length(chosen$entities), rows$noun),
                      if (sums[["left_out"]] > 0) {
                        sprintf("; %s with fewer than three %s in common left out",
                                count_of(sums[["left_out"]], "pair"),
                                plural_of(rows$moment))
                      } else {
                        ""
                      }), if (!is.null(sample)) sprintf("The %s were drawn from %s.", rows$nouns,
                                                        count_words(max(rows$entity))), left_out_note(rows)),
    estimate = c("mean size of a correlation" = sums[["sizes"]] / sums[["pairs"]]),
    extra = list(period_effects = centred, pairs = c(used = sums[["pairs"]], left_out = sums[["left_out"]]))
  )
  # Effects of the periods leave entities slightly against each other, which few of them feel; what else than levels of
  # entities and periods is taken out makes correlations larger than the moments say.
  few <- centred && length(chosen$entities) < few_entities
  if (is.null(asked$draws) && method == "moments" && (few || !takes_plain_levels(fit, live))) asked$draws <- 499
  if (is.null(asked$draws)) return(test)
  values <- drawn_statistics(fit, function(e) {
    cross_section_statistic(cross_section_sums(kept_rows(e, rows$keep), rows, chosen), method)$value
  }, asked, rows$walk)
  simulated_result(test, values, far = if (method == "cd") abs else identity)
}

# Whether levels of entities and periods are all the effects that a fit takes out.
takes_plain_levels <- function(fit, live) {
  keys <- unlist(fit$design$index[c("entity", "period")])
  plain <- vapply(fit$effects, function(set) length(set$columns) == 1 && set$columns %in% keys, TRUE)
  all(plain) && !nested_parts(live)$trend
}

# Squared correlations grow with serial correlation, and with laws that are not normal.
cross_section_cautions <- function(fit, method, live) {
  if (method == "cd") return(NULL)
  rho <- first_autocorrelation(fit, live)
  c(if (isTRUE(rho > 0.15)) {
    sprintf("Disturbances are correlated over time (%s), which alone makes tests of squared correlations reject.",
            fixed_decimals(min(1, rho), 2))
  }, if (spreads_by_period(fit, live)) {
    sprintf("Disturbances spread more in some %s, which alone makes tests of squared correlations reject.",
            plural_of(live$moment))
  })
}

# Whether squares of one period are larger than five times their error above the others'.
spreads_by_period <- function(fit, live) {
  squares <- live_residuals(live, fit)^2
  period <- rank_codes(live$clock - min(live$clock) + 1L)
  size <- tabulate(period$codes, period$count)
  means <- core_group_sums(squares, period$codes, period$count) / size
  any(means / mean(squares) > 1 + 5 * sqrt(2 / size))
}

cross_section_methods <- c("cd", "moments", "lm", "scaled", "bias-corrected")
most_entities <- 20000

# Which entities are compared, and their rows: those whose residuals vary.
cross_section_entities <- function(rows, sample, seed) {
  N <- max(rows$entity)
  size <- tabulate(rows$entity, N)
  means <- core_group_sums(rows$e, rows$entity, N) / size
  squares <- core_group_sums((rows$e - means[rows$entity])^2, rows$entity, N)
  told <- which(size >= 3 & squares > 1e-20 * sum(squares))
  if (!is.null(sample) && sample < length(told)) told <- sort(with_own_seed(seed, sample.int(length(told), sample)))
  if (length(told) > most_entities) {
    stop_test("too_many_entities", sprintf("%s make %s of pairs.", count_of(length(told), rows$noun),
                                           sprintf("%s million", count_words(round(length(told)^2 / 2e6)))),
              todo = "Draw some of them: `test_cross_section(fit, sample = 2000)`.")
  }
  place <- integer(N)
  place[told] <- seq_along(told)
  used <- which(place[rows$entity] > 0)
  list(entities = told, used = used, entity = place[rows$entity[used]], period = rank_codes(rows$clock[used] -
                                                                                 min(rows$clock) + 1L))
}

cross_section_sums <- function(e, rows, chosen) {
  if (length(chosen$entities) < 2) return(c(pairs = 0, left_out = 0))
  # Less their means, so that sums over shared periods lose no digits.
  e <- e[chosen$used]
  means <- core_group_sums(e, chosen$entity, length(chosen$entities)) / tabulate(chosen$entity)
  core_pair_sums(core_period_table(e - means[chosen$entity], chosen$entity, chosen$period$codes,
                                   length(chosen$entities), chosen$period$count))
}

check_pairs_told <- function(sums, rows) {
  if (sums[["pairs"]] >= 1) return(invisible())
  stop_test("too_few_periods", sprintf("No two %s are seen together in three %s.", rows$nouns, plural_of(rows$moment)),
            todo = "The test needs longer series.")
}

check_cross_section_method <- function(method, sums, rows, chosen) {
  N <- length(chosen$entities)
  if (method %in% c("lm", "scaled") && sums[["least"]] < 3 * N) {
    stop_test(c("rejects_too_often", "method"),
              sprintf("With %s and pairs of %s the method %s rejects true nulls far too often.",
                                count_of(N, rows$noun), count_of(sums[["least"]], rows$moment), dQuote(method, FALSE)),
              todo = "Use `method = \"moments\"` or `\"cd\"`; it needs three times as many periods as entities.")
  }
  if (method == "bias-corrected") {
    balanced <- sums[["left_out"]] == 0 && length(chosen$used) == N * chosen$period$count
    if (!balanced) stop_test(c("not_balanced", "method"),
                             "The correction is for balanced panels.", todo = "Use `method = \"moments\"`.")
  }
}

cross_section_statistic <- function(sums, method) {
  P <- sums[["pairs"]]
  normal <- function(value, two_sided = FALSE) {
    list(value = value, name = "z", parameter = NULL, distribution = list(name = "normal", df = numeric()),
         p = if (two_sided) 2 * stats::pnorm(-abs(value)) else stats::pnorm(value, lower.tail = FALSE))
  }
  switch(method,
    cd = normal(sums[["signs"]] / sqrt(P), TRUE),
    moments = normal(sums[["excess"]] / sqrt(sums[["spread"]])),
    lm = list(value = sums[["squares"]], name = "chi-squared", parameter = c(df = P),
              distribution = list(name = "chi-squared", df = P),
              p = stats::pchisq(sums[["squares"]], P, lower.tail = FALSE)),
    scaled = normal(sums[["shifted"]] / sqrt(2 * P)),
    "bias-corrected" = normal(sums[["shifted"]] / sqrt(2 * P) - entities_of_pairs(P) / (2 * (sums[["least"]] - 1)))
  )
}

# N of P = N (N - 1) / 2 pairs.
entities_of_pairs <- function(P) (1 + sqrt(1 + 8 * P)) / 2
