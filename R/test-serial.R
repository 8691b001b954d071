#' Tests for serial correlation of the disturbances
#'
#' Question answered: *are the disturbances of one entity related from period to period?* If they are, classical errors
#' are wrong; clustered ones stand. Periods count on the panel's clock: across a gap nothing is paired.
#'
#' The default, `"corrected"`, holds for whatever a fit takes out of its rows: several sets of effects, own trends,
#' dummies in the formula, weights; random and correlated effects are tested as the fixed effects fit of the same sets.
#' Difference fits have `"differences"`, one entity alone `"breusch-godfrey"` (pooled) or `"durbin-watson"`.
#'
#' * `"corrected"`, at `lag` k: e = Mu are the residuals of the live rows, M what makes them of the disturbances u. Of
#'   an entity, with \eqn{B}{B} 1/2 at rows k periods apart, \eqn{z_i = e_i'(B - D_i)e_i}{z_i = e_i'(B - D_i) e_i},
#'   whose diagonal \eqn{D_i}{D_i} makes its mean 0 where disturbances are unrelated: whatever the variance of each row,
#'   \eqn{(M_{ii} \circ M_{ii}) \delta_i = \mathrm{diag}(M_{ii} B M_{ii})}{(M_ii o M_ii) delta_i = diag(M_ii B M_ii)},
#'   or under one variance for each entity. t is the mean of z over its error, over the root of kappa, the larger of 1
#'   and \eqn{\mathrm{tr}((MC)^2) / \sum_i \mathrm{tr}((M_{ii}C_i)^2)}{tr((MC)^2)/sum_i tr((M_ii C_i)^2)}, with C the
#'   blocks of B less D, which allows for effects across entities; G - 1 degrees of freedom, G the entities that tell
#'   something. Several lags, `lag = 1:3`, are tested together: with m the means over the roots of kappa and S the
#'   covariance of z,
#'   \eqn{G m'S^{-1}m (G - p)/((G - 1) p) \sim F(p, G - p)}{G m'S^-1 m (G - p)/((G - 1) p) ~ F(p, G - p)}.
#'   Both p are printed; that of rows is used where it tells half of the entities that the other tells. It takes
#'   entities as independent given what the fit takes out. Beside more than 500 columns, traces are estimated from 64
#'   random signs, and t is off by 1 to 3 percent, which is said.
#' * `"differences"`: r are the residuals of the equation in changes between adjacent periods (effects that follow the
#'   periods swept); over neighbouring changes \eqn{z_i = \sum r_{t-1} (r_t + r_{t-1}/2)}{z_i = sum r_{t-1} (r_t +
#'   r_{t-1}/2)}, whose mean is zero where disturbances are unrelated: \eqn{t^2 \sim F(1, G - 1)}{t^2 ~ F(1, G - 1)}
#'   with t the mean of z over its error and G the entities that have such a pair. The slope of r on its own value
#'   before is shown beside its value under the null, -0.5. `form = "regression"` tests that slope with errors clustered
#'   by entity instead, which rejects a true null somewhat too often.
#' * `"within"`: the same of residuals within entities, \eqn{z_i = \sum e_{t-1} (e_t + e_{t-1}/(T_i - 1))}{z_i = sum
#'   e_{t-1} (e_t + e_{t-1}/(T_i - 1))}, t with G - 1 degrees of freedom; entities with three periods or more.
#' * `"durbin-watson"`: \eqn{d = \sum (e_t - e_{t-1})^2 / \sum e^2}{d = sum (e_t - e_{t-1})^2 / sum e^2} over adjacent
#'   periods, with gaps or uneven lengths \eqn{2 - 2 \sum e_t e_{t-1} / \sum e^2}{2 - 2 sum e_t e_{t-1} / sum e^2}; p
#'   from draws of one variance on the same rows, against positive correlation unless `alternative = "two-sided"`. Its
#'   mean under the null is printed.
#' * `"lm"`: Born and Breitung's statistic at `lag` k, whatever the variance of each entity; one that changes over
#'   periods makes it reject.
#' * `"breusch-godfrey"`: \eqn{n R^2}{n R^2} of the pooled residuals on the regressors and their own values up to `lag`
#'   periods before, 0 where absent, chi-squared; the F form is beside it. An entity component makes it reject.
#' * `"conditional"`: the score test of no autocorrelation up to `lag`, given the entity component that the fit has
#'   estimated; chi-squared. At maximum likelihood components it is Baltagi and Li's.
#' * `"joint"`, of pooled residuals: serial correlation and an entity component together, chi-squared(2), and in its
#'   table each of them allowing for the other.
#'
#' They answer where they hold: `"differences"` after effects of entities and periods, and of combinations of the period
#' with what an entity keeps, fixed, random or as dummies; `"within"`, `"lm"` and `"conditional"` after effects of
#' entities alone; `"breusch-godfrey"` and `"joint"` of pooled fits without dummies of entities. Elsewhere they are
#' refused: after own trends, for example, they would reject a true null in up to two thirds of cases.
#'
#' The first-order autocorrelation that is printed beside each is 1 + 2b, b the slope of `"differences"`, which short
#' panels do not bias; after other effects it is the one under which residuals would have the products that they have.
#'
#' @param fit A fit on a [panel_frame()].
#' @param method One of those above; `NULL`: that of the fit.
#' @param lag How many periods apart (of `"breusch-godfrey"` and `"conditional"`: up to how many); of `"corrected"` also
#'   several, tested together.
#' @param draws How many draws p is to come from; of `"durbin-watson"` always, 999 unless told; `NULL` elsewhere: none.
#' @param form Of `"differences"`: `"mean"` or `"regression"`.
#' @param alternative Of `"durbin-watson"`: `"positive"` or `"two-sided"`.
#' @param variances Of `"corrected"`: `"rows"` or `"entities"`, what may have a variance of its own; `NULL`: rows, where
#'   these tell enough.
#' @inheritParams test_effects
#' @param ... Takes nothing; what is misspelt is told.
#' @return A `panel_test`; `estimate` has what the method estimates, `autocorrelation` the first-order one, `pairs` how
#'   many pairs of rows were used; of `"corrected"` `statistics`, `p_values` and `entities` (G) by variances.
#' @section Size:
#' True nulls rejected at 5 percent (`docs/size.md` of the sources): `"corrected"` 2 to 7 percent after every kind of
#' effects and pattern of variances there; `"differences"` 3 to 7 percent, its regression form 5 to 11 with 20 entities;
#' `"within"` and `"lm"` 2 to 7 under variances that do not change over time; `"breusch-godfrey"` 3 to 8 without an
#' entity component; `"conditional"` 3 to 8; `"joint"` 2 to 7.
#' @section Errors:
#' `wavetax_error_not_a_panel` when the fit is not on a panel frame; `wavetax_error_too_few_periods` when too few
#' entities have periods that far apart; `wavetax_error_method` for another method, one that needs another fit, with the
#' fit it needs, and one that does not hold after what the fit takes out; `wavetax_error_perfect_fit`;
#' `wavetax_error_too_many_rows` of entities with more than 3,000 rows.
#' @references Wooldridge, J. M. *Econometric Analysis of Cross Section and Panel Data*, 10.5.4, 10.6.3; Bhargava, A.,
#'   Franzini, L. and Narendranathan, W. (1982), *Review of Economic Studies* 49; Baltagi, B. H. and Wu, P. X. (1999),
#'   *Econometric Theory* 15; Born, B. and Breitung, J. (2016), *Econometric Reviews* 35; Baltagi, B. H. and Li, Q.
#'   (1995), *Journal of Econometrics* 68; Bera, A. K., Sosa-Escudero, W. and Yoon, M. (2001), *Journal of Econometrics*
#'   101.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' # The truth of the demo world: autocorrelation 0.4.
#' fixed <- fit_fixed(log(nights) ~ levy + storms + fuel, panel)
#' test_serial(fixed)
#' test_serial(fixed, lag = 1:2)
#' test_serial(fit_fixed(log(nights) ~ levy + storms, panel, ~ harbour + harbour:trend(season)))
#' test_serial(fixed, "lm", lag = 2)
#' @export
test_serial <- function(fit, method = NULL, lag = 1, draws = NULL, seed = 1, level = 0.05, form = "mean",
                        alternative = "positive", variances = NULL, ...) {
  check_own_arguments(..., of = test_serial, name = "test_serial()")
  check_is_fit(fit)
  check_plain_residuals(fit, "A test for serial correlation")
  if (!is.null(method)) check_choice(method, serial_method_names, "method", kind = "method")
  asked <- ask(level, draws, seed)
  check_keeps_rows(fit, "rows to test")
  check_test_panel(fit)
  check_one_rho(fit)
  if (is_serial(fit)) {
    check_only_ar1_test(method, lag, form, alternative, variances, draws)
    return(serial_beyond_ar1(fit, asked$level))
  }
  if (is.null(method)) {
    method <- if (!identical(form, "mean")) "differences" else
      if (!identical(alternative, "positive")) "durbin-watson" else
      default_serial_method(fit)
  }
  check_serial_arguments(method, lag, form, alternative, variances)
  live <- live_regression(fit)
  on.exit(live$release())
  held <- serial_holds(fit, live)
  check_serial_method(method, fit, held)
  changes <- if (held$changes) serial_changes(fit)
  ask <- list(lag = as.integer(lag), form = form, level = asked$level, changes = changes, live = live, held = held,
              variances = variances, seed = seed)
  found <- serial_method(method)(fit, ask)
  if (!held$changes && is.null(found$rho)) found$rho <- first_autocorrelation(fit, live, held)
  test <- serial_result(fit, method, found, changes, level)
  if (method == "durbin-watson") {
    if (is.null(asked$draws)) asked$draws <- 999
    values <- drawn_statistics(fit, found$drawn, asked)
    return(durbin_watson_result(test, values, alternative))
  }
  with_draws(test, fit, function(y) {
    again <- refit(fit, y)
    if (method == "differences") ask$changes <- serial_changes(again)
    serial_method(method)(again, ask)$statistic
  }, asked, far = if (method %in% c("corrected", "within", "lm")) abs else identity)
}

# One entity alone tells no spread of the corrected form.
default_serial_method <- function(fit) {
  if (fit$method == "difference") return("differences")
  if (column_groups(fit$design, fit$design$index$entity)$count > 1) return("corrected")
  if (fit$method == "pooled") "breusch-godfrey" else "durbin-watson"
}

check_serial_arguments <- function(method, lag, form, alternative, variances) {
  good <- is.numeric(lag) && length(lag) >= 1 && all(is.finite(lag)) && all(lag >= 1 & lag == trunc(lag) & lag < 1e6) &&
    !anyDuplicated(lag) && length(lag) <= 50
  if (!good) stop_wavetax(c("lag", "method"), sprintf("`lag` is %s.", value_words(lag)),
                          todo = "Give a whole number of periods, 1 or more; of \"corrected\" also several, `1:3`.")
  check_choice(form, c("mean", "regression"), "form", kind = "method")
  check_choice(alternative, c("positive", "two-sided"), "alternative", kind = "method")
  if (length(lag) > 1 && method != "corrected") {
    stop_wavetax(c("one_lag", "method"), sprintf("The method %s takes one number as its `lag`.", dQuote(method, FALSE)),
                 todo = "Several lags together are of `method = \"corrected\"`.")
  }
  if (any(lag > 1) && !method %in% c("corrected", "lm", "breusch-godfrey", "conditional")) {
    stop_wavetax(c("one_lag", "method"),
                 sprintf("The method %s is of neighbouring periods only.", dQuote(method, FALSE)),
                 todo = "Leave `lag` at 1, or use `method = \"corrected\"`.")
  }
  only_of <- function(given, argument, value, of) {
    if (given && method != of) stop_argument(argument, value_words(value), sprintf("It is of `\"%s\"`.", of))
  }
  only_of(form != "mean", "form", form, "differences")
  only_of(alternative != "positive", "alternative", alternative, "durbin-watson")
  only_of(!is.null(variances), "variances", variances, "corrected")
  if (!is.null(variances)) check_choice(variances, c("rows", "entities"), "variances", kind = "method")
}

# What the regression takes out, found from its columns, however they were written:
#   level, trend, period   of entities; of periods
#   entities   whether entities' levels are all that is taken out
#   changes    whether changes between neighbouring periods take out all of it
serial_holds <- function(fit, live) {
  parts <- nested_parts(live)
  entities <- core_groups(live$entity, max(live$entity))
  index <- fit$design$index
  fixed_over_time <- vapply(live$sets, function(set) core_is_nested(entities, set$groups), TRUE)
  # A combination with the period of something that an entity keeps.
  with_period <- vapply(fit$effects, function(set) {
    if (!index$period %in% set$columns || !set$intercept || length(set$trends) > 0) return(FALSE)
    rest <- setdiff(set$columns, index$period)
    length(rest) == 0 || core_is_nested(column_groups(fit$design, index$entity), combined_groups(fit$design, rest))
  }, TRUE)
  no_trends <- !parts$trend && !any(lengths(lapply(live$sets, `[[`, "trends")) > 0)
  period <- holds_periods(live)
  own_levels <- vapply(live$sets, function(set) {
    core_is_nested(set$groups, entities) && core_is_nested(entities, set$groups)
  }, TRUE)
  list(level = parts$level, trend = parts$trend, period = period, parts = parts,
       entities = parts$level && no_trends && !period && all(own_levels | fixed_over_time),
       changes = no_trends && all(fixed_over_time | with_period))
}

# Where a method does not hold it is refused: a true null would be rejected far too often.
check_serial_method <- function(method, fit, held) {
  refuse <- function(why) {
    stop_test(c("does_not_hold", "method"),
              sprintf("The method %s does not hold here: %s.", dQuote(method, FALSE), why),
              todo = "Use `method = \"corrected\"`, which holds whatever the fit takes out.")
  }
  out <- serial_takes_out(fit, held)
  if (method == "corrected" && fit$method == "difference") {
    stop_test(c("does_not_hold", "method"),
              "The rows of this fit are changes, whose disturbances are related by construction.",
              todo = "Use `method = \"differences\"`, which allows for that.")
  }
  if (method == "differences" && !held$changes) refuse(sprintf("changes between neighbours do not take out %s", out))
  if (method %in% c("within", "lm") && !held$entities) {
    if (!held$level) {
      stop_wrong_fit(fit, sprintf("The method %s", dQuote(method, FALSE)), "fixed effects of entities",
                     call_words(fit, "fit_fixed"))
    }
    refuse(sprintf("it is for effects of %s alone, and the fit takes out %s", plural_of(fit$design$index$entity), out))
  }
  if (method %in% c("breusch-godfrey", "joint") && fit$method == "pooled" && held$level) {
    refuse(sprintf("the regressors hold a dummy for each %s", fit$design$index$entity))
  }
}

serial_takes_out <- function(fit, held) {
  sets <- vapply(fit$effects, set_words, "")
  index <- fit$design$index
  list_words(c(if (length(sets) > 0) sprintf("effects of %s", list_words(sets)),
               if (held$level && !index$entity %in% effect_names(fit)) sprintf("dummies of %s",
                                                                               plural_of(index$entity)),
               if (held$trend && length(trend_columns(fit$effects)) == 0) sprintf("trends of %s",
                                                                                  plural_of(index$entity)),
               if (held$period && !any(vapply(fit$effects, function(set) index$period %in% set$columns, TRUE))) {
                 sprintf("dummies of %s", plural_of(index$period))
               }))
}

# The methods; each is a function serial_<method>(fit, ask), in the file of its name, that gives list(statistic, name,
# parameter, p, distribution, null, estimate, table, cautions, notes, pairs).
serial_method_names <- c("corrected", "differences", "within", "durbin-watson", "lm", "breusch-godfrey", "conditional",
                         "joint")

serial_method <- function(name) get(paste0("serial_", gsub("-", "_", name, fixed = TRUE)), mode = "function")

serial_result <- function(fit, method, found, changes, level) {
  entity <- fit$design$index$entity
  period <- fit$design$index$period
  rho <- if (is.null(changes)) found$rho else changes$rho
  gaps <- if (isTRUE(changes$across_gaps > 0)) sprintf("; %s across a gap not used",
                                                       count_of(changes$across_gaps, "change"))
  verdicts <- if (is.null(found$verdicts)) {
    c(serial_advice(fit), sprintf("no sign of serial correlation from one %s to the next.", period))
  } else {
    found$verdicts
  }
  new_panel_test(
    title = if (is.null(found$title)) paste("Serial correlation of the disturbances,", found$what) else found$title,
    question = sprintf("are disturbances of one %s related from %s to %s?", entity, period, period),
    statistic = stats::setNames(found$statistic, found$name), parameter = found$parameter, p_value = found$p,
    null = found$null, alternative = "they are related", verdicts = verdicts, of = fit,
    distribution = found$distribution, level = level, table = found$table, estimate = found$estimate,
    cautions = found$cautions,
    notes = c(if (is.null(changes) && isTRUE(is.finite(rho))) {
      sprintf("Estimated first-order autocorrelation: %s, allowing for what the fit takes out.",
              fixed_decimals(rho, 2))
    } else if (isTRUE(is.finite(rho))) {
      sprintf("Estimated first-order autocorrelation: %s, from %s between adjacent %s%s.",
              fixed_decimals(min(1, max(-1, rho)), 2), count_of(changes$changes, "change"), plural_of(period),
              if (is.null(gaps)) "" else gaps)
    }, if (!is.null(found$pairs)) sprintf("%s of %s.", upper_first(count_of(found$pairs, "pair")),
                                          count_of(found$G, entity)), found$notes),
    extra = c(list(autocorrelation = if (is.null(rho)) NA_real_ else rho, pairs = found$pairs,
                   for_comparison = isTRUE(found$for_comparison)), found$extra)
  )
}

# Small values of d speak for positive correlation.
durbin_watson_result <- function(test, values, alternative) {
  centre <- mean(values)
  far <- if (alternative == "positive") function(d) -d else function(d) abs(d - centre)
  if (alternative == "two-sided") {
    lower <- mean(c(values, test$statistic) <= test$statistic)
    upper <- mean(c(values, test$statistic) >= test$statistic)
    out <- simulated_result(test, values, far)
    out$p.value <- out$simulated$p <- min(1, 2 * min(lower, upper))
    out$reading <- reading_of(out$p.value, out$verdicts, out$level)
  } else {
    out <- simulated_result(test, values, far, own = -unname(test$statistic))
  }
  out$notes <- c(sprintf("Under the null d is %s on these rows.", fixed_decimals(centre, 3)), out$notes)
  out
}

# What to do about serial correlation depends on the errors that the fit has, and on what its rows allow.
serial_advice <- function(fit) {
  entity <- fit$design$index$entity
  found <- "the disturbances are serially correlated, so "
  if (inherits(fit$errors$spec, "se_newey_west")) return(paste0(found, "keep Newey-West errors."))
  if (entity %in% names(fit$errors$clusters)) return(paste0(found, "keep errors clustered by ", entity, "."))
  by <- repair_words(fit)
  if (is.null(fit$errors$clusters)) return(sprintf("%sthe %s errors are wrong: %s.", found, fit$errors$label, by))
  sprintf("%serrors must allow for it: %s, or cluster by what holds each %s whole.", found, by, entity)
}
