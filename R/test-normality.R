#' Are the disturbances normal?
#'
#' Question answered: *may p values of small samples, and intervals of predictions, be read as normal ones?* Estimates
#' and clustered errors of large samples do not need it.
#'
#' \deqn{\frac{n}{6} \left(S^2 + \frac{(K - 3)^2}{4}\right) \sim \chi^2(2)}{n/6 (S^2 + (K - 3)^2/4) ~ chi-squared(2)}
#' with S the skewness and K the kurtosis. Of `"residuals"`, where effects are swept out each is over
#' \eqn{\sqrt{1 - h}}{sqrt(1 - h)}, h its leverage; of `"effects"`, the means of an entity's residuals around a random
#' effects fit, each over \eqn{\sqrt{\sigma^2_u + \sigma^2_e / T_i}}{sqrt(s2_u + s2_e/T_i)} and centred. Under 100
#' values p comes from 999 draws.
#'
#' @param fit A fit of any of the `fit_` functions; of effects, one of random effects.
#' @param of `"residuals"` or `"effects"`.
#' @inheritParams test_effects
#' @param ... Takes nothing; what is misspelt is told.
#' @return A `panel_test`; `estimate` has skewness and kurtosis.
#' @section Size:
#' True nulls rejected at 5 percent, over 18 kinds of panels (`docs/size.md` of the sources): 3 to 7 percent. Residuals
#' mix the disturbances of an entity and look more normal than these where there are few rows to each.
#' @section Errors:
#' `wavetax_error_method` when effects are asked for and not random; `wavetax_error_too_few_entities` under 8 of them;
#' `wavetax_error_perfect_fit`.
#' @references Jarque, C. M. and Bera, A. K. (1987), *International Statistical Review* 55.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' test_normality(fit_fixed(log(nights) ~ levy + storms, panel))
#' test_normality(fit_random(log(nights) ~ levy + storms, panel), of = "effects")
#' @export
test_normality <- function(fit, of = "residuals", level = 0.05, draws = NULL, seed = 1, ...) {
  check_own_arguments(..., of = test_normality, name = "test_normality()")
  check_is_fit(fit)
  check_plain_residuals(fit, "A test of normality")
  check_choice(of, c("residuals", "effects"), "of")
  asked <- ask(level, draws, seed)
  check_keeps_rows(fit, "residuals to test")
  values <- if (of == "residuals") normal_residuals(fit) else normal_effects(fit)
  n <- length(values$v)
  if (n < 8) {
    stop_test("too_few_rows", sprintf("%s are too few to tell a law.", count_of(n, "value")),
              todo = "The test needs 8 or more.")
  }
  done <- core_jarque_bera(values$v)
  what <- if (of == "residuals") "disturbances" else sprintf("%s effects", values$noun)
  test <- new_panel_test(
    title = sprintf("Normality of the %s", what), question = sprintf("are the %s normal?", what),
    statistic = c("chi-squared" = done[["statistic"]]), parameter = c(df = 2),
    p_value = stats::pchisq(done[["statistic"]], 2, lower.tail = FALSE), null = sprintf("the %s are normal", what),
    alternative = "they are skewed, or have other tails",
    verdicts = c("they are not normal: rely on large samples, not on exact p values.",
                 "no sign that they are not normal."),
    of = fit, distribution = list(name = "chi-squared", df = 2), level = asked$level,
    estimate = done[c("skewness", "kurtosis")], cautions = values$cautions, notes = values$notes
  )
  if (is.null(asked$draws) && n < 100) asked$draws <- 999
  if (is.null(asked$draws)) return(test)
  drawn <- if (of == "residuals") {
    drawn_statistics(fit, function(e) core_jarque_bera(kept_rows(e, values$keep) / values$root)[["statistic"]], asked,
                     values$walk)
  } else {
    with_own_seed(asked$seed, vapply(seq_len(asked$draws), function(d) {
      core_jarque_bera(stats::rnorm(n))[["statistic"]]
    }, 0))
  }
  simulated_result(test, drawn)
}

# Residuals of one variance: list(v, keep, root, walk, notes, cautions).
normal_residuals <- function(fit) {
  sample <- residual_sample(fit, panel = FALSE)
  root <- 1
  cautions <- NULL
  if (has_swept_effects(fit)) {
    h <- tryCatch(kept_rows(row_leverages(fit, sample$walk), sample$keep), wavetax_error_errors = function(cnd) NULL)
    if (is.null(h)) {
      cautions <- "The effects are too many for exact leverages: residuals are taken as they are, not over sqrt(1 - h)."
    } else {
      root <- sqrt(1 - h)
    }
  }
  list(v = sample$e / root, keep = sample$keep, root = root, walk = sample$walk, notes = left_out_note(sample),
       cautions = cautions)
}

normal_effects <- function(fit) {
  if (method_of(fit)$effects != "random" || length(fit$effects) != 1) {
    stop_wrong_fit(fit, "The test of effects", "random effects of one set", call_words(fit, "fit_random"))
  }
  set <- fit$effects[[1]]
  size <- as.double(set$groups$sizes)
  used <- size > 0
  left <- fit$design$y - linear_part(fit)
  weights <- fit$design$weights
  w <- if (is.null(weights)) rep(1, fit$n) else weights
  total <- core_group_sums(w, set$groups$codes, set$groups$count)[used]
  means <- core_group_sums(w * left, set$groups$codes, set$groups$count)[used] / total
  v <- means / sqrt(fit$variance$sigma2[[1]] + fit$variance$sigma2_e / total)
  if (sum(used) < 8) {
    stop_test("too_few_entities", sprintf("%s are too few to tell a law.", count_of(sum(used), set$name)),
              todo = "The test needs 8 or more.")
  }
  list(v = v - mean(v), noun = set$name,
       cautions = "An effect is seen with its disturbances' mean: with few rows to each, the sum looks more normal.")
}
