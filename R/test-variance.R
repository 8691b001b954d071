#' Tests for unequal variances of the disturbances
#'
#' Question answered: *do disturbances spread more for some entities, or for some values of the regressors?* If they do,
#' classical errors are wrong; robust and clustered ones stand.
#'
#' * `"entity"` (default): Levene's, the one-way F of the size of residuals on entities, \eqn{F(N - 1, n - N)}{F(N - 1,
#'   n - N)}. Within entities residuals are related to each other, so of fixed effects it is the F of
#'   \eqn{|e_2 - e_1|, |e_4 - e_3|, \ldots}{|e_2 - e_1|, |e_4 - e_3|, ...} of entities with two such pairs or more,
#'   whatever the law of the disturbances.
#' * `"bartlett"`: of the variances within entities with \eqn{\nu_i = T_i - 1}{nu_i = T_i - 1}, chi-squared(N - 1). For
#'   normal disturbances only: heavy tails alone make it reject.
#' * `"wald"`: the modified Wald test, for comparison with what others report. It rejects a true null nearly always in
#'   panels of up to 10 periods.
#' * `"koenker"`: \eqn{n R^2}{n R^2} of squared residuals on the regressors, chi-squared; `"white"`: on these, their
#'   squares and products. With effects swept out squares are over 1 - h, h the leverage of the row. After a pooled fit
#'   with an entity component and regressors that are fixed in time they reject a true null too often, and a form
#'   clustered by entity (CR3) is used, which is said.
#'
#' Null: one variance.
#'
#' @param fit A pooled, fixed, random or correlated fit (of `"koenker"` and `"white"` also the others).
#' @param method One of those above.
#' @inheritParams test_effects
#' @param ... Takes nothing; what is misspelt is told.
#' @return A `panel_test`.
#' @section Size:
#' True nulls rejected at 5 percent, over 36 kinds of panels (`docs/size.md` of the sources): `"entity"` 3 to 9 percent;
#' `"bartlett"` 2 to 6 with normal disturbances, 30 to 100 with skewed ones; `"wald"` 39 to 100; `"koenker"` 3 to 8;
#' `"white"` 4 to 9, with skewed disturbances and 20 entities up to 12.
#' @section Errors:
#' `wavetax_error_method`; `wavetax_error_too_few_periods` when too few entities have enough rows;
#' `wavetax_error_too_many_columns` when White's test would take half the rows; `wavetax_error_perfect_fit`.
#' @references Levene, H. (1960), in *Contributions to Probability and Statistics*; Greene, W. H. *Econometric
#'   Analysis*, 9.7; Koenker, R. (1981), *Journal of Econometrics* 17; White, H. (1980), *Econometrica* 48.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fixed <- fit_fixed(log(nights) ~ levy + storms, panel)
#' test_variance(fixed)
#' test_variance(fixed, "koenker")
#' @export
test_variance <- function(fit, method = "entity", level = 0.05, draws = NULL, seed = 1, ...) {
  check_own_arguments(..., of = test_variance, name = "test_variance()")
  check_is_fit(fit)
  check_plain_residuals(fit, "A test of variances")
  check_choice(method, names(variance_tests), "method", kind = "method")
  asked <- ask(level, draws, seed)
  found <- variance_tests[[method]](fit)
  of_entities <- method %in% c("entity", "bartlett", "wald")
  entity <- if (of_entities) fit$design$index$entity
  advice <- if (is.null(fit$errors$clusters) && !startsWith(fit$errors$label, "robust")) {
    sprintf("classical errors are wrong: use `se_clustered()` or `se_robust()`.")
  } else {
    "keep errors that allow for it, as these do."
  }
  test <- new_panel_test(
    title = found$title,
    question = if (of_entities) sprintf("do disturbances spread alike for all %s?", plural_of(entity)) else
      "do disturbances spread alike whatever the regressors?",
    statistic = found$statistic, parameter = found$parameter, p_value = found$p, null = "one variance",
    alternative = if (of_entities) sprintf("the variance differs between %s", plural_of(entity)) else
      "the variance moves with the regressors",
    verdicts = c(paste("variances differ, so", advice), "no sign that variances differ."),
    of = fit, distribution = found$distribution, level = asked$level, cautions = found$cautions,
    notes = found$notes, extra = list(for_comparison = method == "wald")
  )
  with_draws(test, fit, function(y) variance_tests[[method]](refit(fit, y))$statistic, asked)
}

f_found <- function(title, done, ...) {
  list(title = title, statistic = c(F = done$statistic),
       parameter = c("numerator df" = done$df[1], "denominator df" = done$df[2]),
       p = stats::pf(done$statistic, done$df[1], done$df[2], lower.tail = FALSE),
       distribution = list(name = "F", df = done$df), ...)
}
chi_found <- function(title, done, ...) {
  list(title = title, statistic = c("chi-squared" = done$statistic), parameter = c(df = done$df),
       p = stats::pchisq(done$statistic, done$df, lower.tail = FALSE),
       distribution = list(name = "chi-squared", df = done$df), ...)
}

variance_tests <- list(
  entity = function(fit) {
    sample <- residual_sample(fit)
    check_row_residuals(fit)
    swept <- has_entity_effects(fit)
    rows <- if (swept) core_disjoint_changes(sample$e, sample$entity, sample$clock) else
      list(v = abs(sample$e), codes = sample$entity)
    groups <- rank_codes(rows$codes)
    if (groups$count < 2 || length(rows$v) <= groups$count) stop_few_spreads(sample, if (swept) "four" else "two")
    f_found(sprintf("Unequal variances across %s, by the size of %s", sample$nouns,
                    if (swept) "changes" else "residuals"), core_one_way_f(rows$v, groups$codes, groups$count),
            notes = c(left_out_note(sample), if (swept) {
              sprintf("From %s between two %s each.", count_of(length(rows$v), "change"), plural_of(sample$moment))
            }))
  },
  bartlett = function(fit) {
    sample <- residual_sample(fit)
    check_row_residuals(fit)
    size <- tabulate(sample$entity)
    means <- core_group_sums(sample$e, sample$entity, length(size)) / size
    squares <- core_group_sums((sample$e - means[sample$entity])^2, sample$entity, length(size))
    use <- size >= 2 & squares > 1e-20 * sum(squares)
    if (sum(use) < 2) stop_few_spreads(sample, "two")
    chi_found(sprintf("Unequal variances across %s, Bartlett's test", sample$nouns),
              core_bartlett(squares[use] / (size[use] - 1), size[use] - 1),
              cautions = "It is for normal disturbances: heavy tails alone make it reject.",
              notes = c(left_out_note(sample), if (!all(use)) {
                sprintf("%s with one row, or without variation, left out.", count_of(sum(!use), sample$noun))
              }))
  },
  wald = function(fit) {
    sample <- residual_sample(fit)
    check_row_residuals(fit)
    size <- tabulate(sample$entity)
    if (any(size <= 2)) {
      stop_test("too_few_periods", sprintf("The modified Wald test needs three periods or more of each %s; %s fewer.",
                                           sample$noun, if (sum(size <= 2) == 1) "one has" else
                                             paste(count_words(sum(size <= 2)), "have")),
                todo = "Use `method = \"entity\"`.")
    }
    N <- length(size)
    variance <- core_group_sums(sample$e^2, sample$entity, N) / size
    spread <- core_group_sums((sample$e^2 - variance[sample$entity])^2, sample$entity, N) / size / (size - 1)
    chi_found(sprintf("Unequal variances across %s, the modified Wald test", sample$nouns),
              list(statistic = sum((variance - mean(sample$e^2))^2 / spread), df = N),
              cautions = sprintf(paste("With about %s of each %s it rejects a true null far too often (nearly always",
                                       "up to 10, 46 percent at 30, 13 percent at 120). By `method = \"entity\"`: %s."),
                                 count_of(round(mean(size)), sample$moment), sample$noun, entity_p_words(fit)),
              notes = left_out_note(sample))
  },
  koenker = function(fit) square_test(fit, FALSE),
  white = function(fit) square_test(fit, TRUE)
)

entity_p_words <- function(fit) {
  tryCatch(p_words(variance_tests$entity(fit)$p), wavetax_error = function(cnd) "cannot be told")
}

check_row_residuals <- function(fit) {
  if (!fit$method %in% c("between", "difference")) return(invisible())
  stop_wrong_fit(fit, "The test across entities", "the rows in levels", call_words(fit, "fit_fixed"))
}

stop_few_spreads <- function(sample, needed) {
  stop_test("too_few_periods", sprintf("Too few %s have %s rows to tell their spread.", sample$nouns, needed),
            todo = "Use `method = \"koenker\"`, or a panel with more periods.")
}

# n R^2 of squared residuals on the regressors, or on these, their squares and products.
square_test <- function(fit, products) {
  check_keeps_rows(fit, "residuals to test")
  sample <- residual_sample(fit, panel = FALSE)
  squares <- sample$e^2
  if (has_swept_effects(fit)) squares <- squares / (1 - kept_rows(row_leverages(fit, sample$walk), sample$keep))
  columns <- square_columns(fit, sample$keep, products)
  title <- if (products) "Unequal variances with the regressors, White's test" else
    "Unequal variances with the regressors, Koenker's test"
  fixed_in_time <- clusters_of_squares(fit, sample$keep)
  if (is.null(fixed_in_time)) return(square_found(title, squares, columns, length(sample$e), left_out_note(sample)))
  clustered_squares(title, fit, squares, columns, sample, fixed_in_time)
}

square_found <- function(title, squares, columns, n, notes) {
  done <- core_square_regression(squares, columns)
  if (done$df + 1 >= n / 2) {
    stop_test("too_many_columns", sprintf("The test would take %s for %s.", count_of(done$df, "column"),
                                          count_of(n, "row")),
              todo = "Use `method = \"koenker\"`, or fewer regressors.")
  }
  if (!is.finite(done$statistic)) {
    stop_test("nothing_to_compare", "The squared residuals are all alike: nothing can move with the regressors.",
              todo = "Use `method = \"entity\"`, or more rows.")
  }
  if (done$df == 0) stop_test("nothing_to_compare", "No regressor varies.", todo = "Use `method = \"entity\"`.")
  chi_found(title, done, notes = notes)
}

# The regressors as given, or with squares and products of them centred and scaled.
square_columns <- function(fit, keep, products) {
  x <- lapply(fit$design$x, kept_rows, keep)
  scaled <- lapply(x, function(v) {
    v <- v - mean(v)
    size <- sqrt(mean(v^2))
    if (size > 0) v / size else v
  })
  if (!products) return(scaled)
  k <- length(scaled)
  most <- length(scaled[[1]]) / 2
  if (k * (k + 3) / 2 > 4 * most) {
    stop_test("too_many_columns", sprintf("White's test would take some %s columns for %s.",
                                          count_words(k * (k + 3) / 2), count_of(2 * most, "row")),
              todo = "Use `method = \"koenker\"`, or fewer regressors.")
  }
  c(scaled, unlist(lapply(seq_len(k), function(a) lapply(seq_len(a), function(b) scaled[[a]] * scaled[[b]])), FALSE))
}

# After a pooled fit with an entity component and regressors that are fixed in time: the entities; else NULL.
clusters_of_squares <- function(fit, keep) {
  if (fit$method != "pooled" || is.null(fit$design$index)) return(NULL)
  groups <- column_groups(fit$design, fit$design$index$entity)
  if (groups$count < 2 || groups$count == length(groups$codes)) return(NULL)
  size <- as.double(groups$sizes)
  fixed <- vapply(fit$design$x, function(v) {
    v <- v - mean(v)
    means <- core_group_sums(v, groups$codes, groups$count) / size
    sum((v - means[groups$codes])^2) <= 1e-18 * sum(v^2)
  }, TRUE)
  p <- component_p(fit)
  if (any(fixed) && !is.na(p) && p < 0.05) groups
}

clustered_squares <- function(title, fit, squares, columns, sample, groups) {
  rows <- core_rows(squares, columns)
  solution <- core_solve_pooled(core_pooled_state(rows))
  q <- sum(solution$status == 0L)
  live <- rank_codes(kept_rows(groups$codes, sample$keep))
  if (q >= live$count) {
    stop_test("too_many_columns",
              sprintf("%s cannot tell %s.", count_of(live$count, sample_noun(fit)), count_of(q, "column")),
              todo = "Use `method = \"koenker\"`, or fewer regressors.")
  }
  walk <- core_walk(rows, NULL, solution)
  basis <- c(core_coordinate_rows(walk), list(pick = diag(q + 1L)))
  done <- core_adjusted_scores(basis, core_groups(live$codes, live$count), "inverse")
  M <- done$products[-1, -1, drop = FALSE]
  u <- drop(crossprod(basis$z, squares))[-1]
  value <- sum(u * solve(M, u)) / q
  f_found(title, list(statistic = value, df = c(q, live$count - 1)),
          cautions = sprintf("%s differ in level and some regressors are fixed: the form is clustered by %s (CR3).",
                             upper_first(plural_of(sample_noun(fit))), sample_noun(fit)),
          notes = left_out_note(sample))
}

sample_noun <- function(fit) fit$design$index$entity
