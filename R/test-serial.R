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
                        alternative = "positive", variances = NULL) {
  check_is_fit(fit)
  if (!is.null(method)) check_choice(method, names(serial_methods), "method", kind = "method")
  check_test_level(level)
  check_draws(draws, seed)
  check_keeps_rows(fit, "rows to test")
  check_test_panel(fit)
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
  ask <- list(lag = as.integer(lag), form = form, level = level, changes = changes, live = live, held = held,
              variances = variances, seed = seed)
  found <- serial_methods[[method]](fit, ask)
  if (!held$changes && is.null(found$rho)) found$rho <- first_autocorrelation(fit, live, held)
  test <- serial_result(fit, method, found, changes, level)
  if (method == "durbin-watson") {
    values <- drawn_statistics(fit, found$drawn, if (is.null(draws)) 999 else draws, seed)
    return(durbin_watson_result(test, values, alternative))
  }
  with_draws(test, fit, function(y) {
    again <- refit(fit, y)
    if (method == "differences") ask$changes <- serial_changes(again)
    serial_methods[[method]](again, ask)$statistic
  }, draws, seed, far = if (method %in% c("corrected", "within", "lm")) abs else identity)
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
  if (!good) stop_wavetax("method", sprintf("`lag` is %s.", value_words(lag)),
                          todo = "Give a whole number of periods, 1 or more; of \"corrected\" also several, `1:3`.")
  check_choice(form, c("mean", "regression"), "form", kind = "method")
  check_choice(alternative, c("positive", "two-sided"), "alternative", kind = "method")
  if (length(lag) > 1 && method != "corrected") {
    stop_wavetax("method", sprintf("The method %s takes one number as its `lag`.", dQuote(method, FALSE)),
                 todo = "Several lags together are of `method = \"corrected\"`.")
  }
  if (any(lag > 1) && !method %in% c("corrected", "lm", "breusch-godfrey", "conditional")) {
    stop_wavetax("method", sprintf("The method %s is of neighbouring periods only.", dQuote(method, FALSE)),
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
    stop_test("method", sprintf("The method %s does not hold here: %s.", dQuote(method, FALSE), why),
              todo = "Use `method = \"corrected\"`, which holds whatever the fit takes out.")
  }
  out <- serial_takes_out(fit, held)
  if (method == "corrected" && fit$method == "difference") {
    stop_test("method", "The rows of this fit are changes, whose disturbances are related by construction.",
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

# Residuals of the equation in changes, and their pairs. Effects that follow the periods are swept from the changes.
serial_changes <- function(fit) {
  design <- level_design(fit)
  used <- used_index(design)
  drift <- method_of(fit)$constant == "drift" && fit$design$constant
  sweep <- lapply(Filter(function(set) fit$design$index$period %in% set$columns, fit$effects), `[[`, "groups")
  rows <- design_rows(design)
  rows$weights <- NULL
  changes <- core_change_residuals(rows, used$entity, used$clock, drift, sweep)
  pairs <- core_change_pairs(changes, used$entity, used$clock)
  told <- length(pairs$now) > 0
  c(pairs, list(changes = changes$changes, across_gaps = changes$pairs$across_gaps, r = changes$r,
                rho = if (told) 1 + 2 * sum(pairs$before * pairs$now) / sum(pairs$before^2) else NA_real_))
}

# The statistics that hold for whatever the fit takes out: see core-serial-corrected.R.
corrected_forms <- function(fit, live, parts, lags, seed, with_rho = TRUE) {
  check_some_residual(fit)
  longest <- max(tabulate(live$entity))
  if (longest > most_series) {
    stop_test("too_many_rows", sprintf("A %s with %s is more than the corrected test takes.", live$noun,
                                       count_of(longest, "row")),
              todo = "Use `method = \"durbin-watson\"`, or `rows =` for a part of the periods.")
  }
  width <- sum(core_unknowns(parts$beside)) + ncol(live$columns)
  exact <- width <= most_exact_columns && width * live$n <= most_basis_cells
  if (!exact && live$n > most_probed_rows) {
    stop_test("too_many_rows", sprintf("%s beside those of %s, in %s: too many for the corrected test.",
                                       upper_first(count_of(width, "column")), live$nouns, count_of(live$n, "row")),
              todo = "Test a part of the entities: `rows =` of the fit; or `method = \"durbin-watson\"`.")
  }
  beside <- if (exact) cbind(set_columns(parts$beside, live$root, live$n), live$columns)
  done <- with_own_seed(seed, core_serial_corrected(
    live_residuals(live, fit), live$entity, live$clock, parts$own, beside, lags, live$root, if (!exact) live$annihilate,
    with_rho
  ))
  c(done, list(exact = exact, width = width))
}

# The autocorrelation from one period to the next that the residuals tell; NA where they tell none.
first_autocorrelation <- function(fit, live, held = serial_holds(fit, live)) {
  if (held$changes) {
    changes <- serial_changes(fit)
    return(if (length(changes$now) < 3) NA_real_ else changes$rho)
  }
  tryCatch(corrected_forms(fit, live, held$parts, 1L, 1)$rho, wavetax_error = function(cnd) NA_real_)
}

serial_corrected <- function(fit, ask) {
  live <- ask$live
  done <- corrected_forms(fit, live, ask$held$parts, ask$lag, ask$seed, with_rho = !ask$held$changes)
  both <- lapply(c(rows = "rows", entities = "entities"), function(kind) {
    forms <- lapply(done$forms, `[[`, kind)
    if (length(forms) > 1) {
      joint <- core_serial_joint_lags(forms)
      p <- stats::pf(joint$statistic, joint$p, joint$G - joint$p, lower.tail = FALSE)
      return(list(statistic = joint$statistic, G = joint$G, p = p, df = c(joint$p, joint$G - joint$p)))
    }
    one <- forms[[1]]
    list(statistic = one$statistic, G = one$G, p = 2 * stats::pt(-abs(one$statistic), one$G - 1), df = one$G - 1,
         kappa = one$kappa)
  })
  fewest <- max(2, length(ask$lag) + 1)
  by_rows <- both$rows$G >= max(2, both$entities$G / 2) && is.finite(both$rows$statistic)
  kind <- if (!is.null(ask$variances)) ask$variances else if (by_rows) "rows" else "entities"
  used <- both[[kind]]
  if (used$G < fewest || !is.finite(used$statistic)) stop_too_short(fit, max(ask$lag), used$G, fewest)
  other <- setdiff(names(both), kind)
  words <- c(rows = "whatever the variance of each row",
             entities = sprintf("under one variance for each %s", live$noun))
  joint <- length(ask$lag) > 1
  lags <- if (joint) sprintf("at lags %s", list_words(ask$lag)) else sprintf("at lag %s", count_words(ask$lag))
  component <- if (fit$method == "pooled" && !ask$held$level) component_p(fit) else NA
  list(
    statistic = used$statistic, name = if (joint) "F" else "t",
    parameter = if (joint) stats::setNames(used$df, c("numerator df", "denominator df")) else c(df = used$df),
    p = used$p, distribution = list(name = if (joint) "F" else "t", df = used$df),
    null = if (joint || ask$lag > 1) sprintf("disturbances of one %s that are %s %s apart are unrelated", live$noun,
                                             list_or(ask$lag), plural_of(live$moment)) else neighbours_null(fit),
    title = sprintf("Serial correlation, corrected, %s, %s", lags, words[[kind]]), G = used$G, rho = done$rho,
    pairs = sum(vapply(ask$lag, function(lag) length(core_lag_pairs(live$entity, live$clock, lag)$now), 0)),
    table = NULL,
    cautions = c(
      if (kind == "entities" && is.null(ask$variances)) {
        sprintf(paste("The series are too short to allow for a variance of each row: variances that change over %s",
                      "make it reject."),
                plural_of(live$moment))
      },
      if (isTRUE(component < ask$level)) {
        sprintf(paste("It rejects where %s differ in level, as they do here (%s): take their effects out first, or",
                      "`test_serial(fit, \"joint\")` tells the two apart."), live$nouns, p_words(component))
      },
      if (has_lagged_outcome(fit)) "The lagged outcome is a regressor: its part in the residuals is not allowed for."
    ),
    notes = c(
      if (other == "entities" || is.finite(both[[other]]$statistic)) {
        sprintf("%s: %s, %s.", upper_first(words[[other]]),
                if (is.finite(both[[other]]$statistic)) sprintf("%s = %s", if (joint) "F" else "t",
                                                                format_number(both[[other]]$statistic)) else "not told",
                if (is.finite(both[[other]]$p)) p_words(both[[other]]$p) else "no p")
      },
      sprintf("%s are taken as independent given what the fit takes out.", upper_first(live$nouns)),
      left_out_note(live),
      if (!done$exact) sprintf(paste("%s beside those of %s are too many for exact sums: estimated from random",
                                     "signs, t within 1 to 3 percent."),
                          upper_first(count_of(done$width, "column")), live$nouns)
    ),
    extra = list(variances = kind, p_values = vapply(both, `[[`, 0, "p"),
                 statistics = vapply(both, `[[`, 0, "statistic"), entities = vapply(both, `[[`, 0, "G"))
  )
}

most_series <- 3000
# Signs are drawn for every row 64 times.
most_probed_rows <- 3e6

# Whether a lag of the outcome is among the regressors.
has_lagged_outcome <- function(fit) {
  left <- rlang::f_lhs(fit$design$formula)
  calls <- lapply(slope_names(fit), function(term) tryCatch(str2lang(term), error = function(cnd) NULL))
  any(vapply(calls, function(call) {
    is_operator(call, "past") && (identical(call[[2]], left) || identical(all.vars(call[[2]]), all.vars(left)))
  }, TRUE))
}

# Each method: list(statistic, name, parameter, p, distribution, null, estimate, table, cautions, notes, pairs).
serial_methods <- list(
  corrected = function(fit, ask) serial_corrected(fit, ask),
  differences = function(fit, ask) {
    pairs <- ask$changes
    done <- core_serial_differences(pairs, ask$form == "regression")
    check_serial_told(done, pairs, fit)
    list(
      statistic = done$statistic^2, name = "F", parameter = c("numerator df" = 1, "denominator df" = done$G - 1),
      p = stats::pf(done$statistic^2, 1, done$G - 1, lower.tail = FALSE),
      distribution = list(name = "F", df = c(1, done$G - 1)),
      null = paste(neighbours_null(fit), "(slope -0.5)"), what = "from differences",
      estimate = c("slope of a differenced residual on the one before (-0.5 under the null)" = done$slope,
                   if (!is.null(done$std_error)) c("its std. error" = done$std_error)),
      cautions = c(if (done$G < few_entities) few_entities_words(fit, done$G),
                   if (ask$form == "regression") {
                     better <- core_serial_differences(pairs)
                     sprintf("This form rejects a true null in 6 to 8 percent of cases; by `form = \"mean\"`: %s.",
                             p_words(stats::pf(better$statistic^2, 1, better$G - 1, lower.tail = FALSE)))
                   }),
      pairs = done$pairs, G = done$G, for_comparison = ask$form == "regression",
      notes = if (!is.null(fit$design$weights)) "The fit's weights are not used in this test."
    )
  },
  within = function(fit, ask) {
    sample <- residual_sample(fit)
    done <- core_serial_within(sample$e, sample$entity, sample$clock)
    if (!is.finite(done$statistic)) stop_too_short(fit, 1)
    t_result(done, neighbours_null(fit), sprintf("from residuals within %s", sample$nouns), fit, sample)
  },
  "durbin-watson" = function(fit, ask) {
    sample <- residual_sample(fit)
    pairs <- core_lag_pairs(sample$entity, sample$clock)
    if (length(pairs$now) == 0) stop_too_short(fit, 1)
    size <- tabulate(sample$entity)
    even <- length(unique(size)) == 1 && length(pairs$now) == length(sample$e) - length(size)
    keep <- sample$keep
    list(
      statistic = core_durbin_watson(sample$e, pairs, even), name = "d", parameter = NULL, p = NA_real_,
      distribution = list(name = "drawn", df = numeric()), what = "by Durbin and Watson's d",
      null = neighbours_null(fit),
      drawn = function(e) core_durbin_watson(kept_rows(e, keep), pairs, even),
      pairs = length(pairs$now), G = length(size),
      notes = c(left_out_note(sample),
                if (!even) "The panel has gaps or uneven lengths: d is 2 - 2 sum ee(-1) / sum e^2.")
    )
  },
  lm = function(fit, ask) {
    sample <- residual_sample(fit)
    done <- core_serial_lm(sample$e, sample$entity, sample$clock, ask$lag)
    if (!is.finite(done$statistic)) stop_too_short(fit, ask$lag)
    t_result(done, sprintf("disturbances %s apart are unrelated", count_of(ask$lag, sample$moment)),
             sprintf("at lag %s, whatever the variance of each %s", count_words(ask$lag), sample$noun), fit, sample)
  },
  "breusch-godfrey" = function(fit, ask) {
    if (fit$method != "pooled") {
      stop_wrong_fit(fit, "The test of Breusch and Godfrey", "a pooled fit", call_words(fit, "fit_pooled"))
    }
    sample <- residual_sample(fit)
    check_lag_seen(sample, ask$lag, fit)
    rows <- fit_rows(fit)
    if (!identical(sample$keep, TRUE)) {
      rows <- core_rows(rows$y[sample$keep], lapply(rows$x, `[`, sample$keep), rows$constant, rows$weights[sample$keep])
    }
    done <- core_breusch_godfrey(rows, sample$e, sample$entity, sample$clock, ask$lag)
    if (done$df == 0) stop_too_short(fit, ask$lag)
    component <- component_p(fit, sample)
    list(
      statistic = done$statistic, name = "chi-squared", parameter = c(df = done$df),
      p = stats::pchisq(done$statistic, done$df, lower.tail = FALSE),
      distribution = list(name = "chi-squared", df = done$df), what = sprintf("from pooled residuals at %s",
                                                                              lags_words(ask$lag)),
      null = neighbours_null(fit), G = max(sample$entity), pairs = NULL,
      cautions = if (!is.na(component) && component < ask$level) {
        sprintf(paste("It rejects where %s differ in level, as they do here (%s):",
                      "`test_serial(fit, \"joint\")` tells the two apart."),
                plural_of(sample$noun), p_words(component))
      },
      notes = c(left_out_note(sample), sprintf("F form: %s on %s and %s df, %s.", format_number(done$f),
                                               count_words(done$df),
                                               count_words(done$f_df),
                                               p_words(stats::pf(done$f, done$df, done$f_df, lower.tail = FALSE))))
    )
  },
  conditional = function(fit, ask) {
    one_way <- method_of(fit)$effects == "random" && length(fit$effects) == 1
    if (!one_way) {
      if (method_of(fit)$effects == "random") {
        stop_test("method", "The conditional test is of one set of random effects, and the fit has two.",
                  todo = "Use `method = \"corrected\"`.")
      }
      stop_wrong_fit(fit, "The conditional test", "a random effects fit", call_words(fit, "fit_random"))
    }
    if (!is.null(fit$design$weights)) {
      stop_test("method", "The conditional test takes no weights.", todo = "Use `method = \"corrected\"`.")
    }
    sample <- panel_sample(fit)
    if (!identical(fit$effects[[1]]$columns, sample$noun)) {
      stop_test("method", sprintf("The fit's random effects are of %s, not of %s.", fit$effects[[1]]$name, sample$noun),
                todo = "Use `method = \"corrected\"`.")
    }
    check_some_residual(fit)
    check_lag_seen(sample, ask$lag, fit)
    done <- core_serial_conditional(fit$design$y - linear_part(fit), sample$entity, sample$clock, fit$variance$sigma2_e,
                                    fit$variance$sigma2[[1]], ask$lag)
    if (!is.finite(done$statistic)) stop_too_short(fit, ask$lag)
    list(
      statistic = done$statistic, name = "chi-squared", parameter = c(df = ask$lag),
      p = stats::pchisq(done$statistic, ask$lag, lower.tail = FALSE),
      distribution = list(name = "chi-squared", df = ask$lag), null = neighbours_null(fit),
      what = sprintf("given the component of %s, at %s", sample$nouns, lags_words(ask$lag)), pairs = done$pairs[1],
      G = max(sample$entity)
    )
  },
  joint = function(fit, ask) {
    if (fit$method != "pooled") {
      stop_wrong_fit(fit, "The joint test", "a pooled fit", call_words(fit, "fit_pooled"))
    }
    sample <- residual_sample(fit)
    done <- core_serial_joint(sample$e, sample$entity, sample$clock)
    if (done$m == 0 || done$a <= done$m) stop_too_short(fit, if (done$m == 0) 1 else 2)
    each <- data.frame(
      of = c("serial correlation and component together", "serial correlation, allowing for a component",
             "component, allowing for serial correlation"),
      statistic = c(done$joint, done$serial, done$component), df = c(2, 1, NA),
      p_value = c(stats::pchisq(c(done$joint, done$serial), 2:1, lower.tail = FALSE),
                  stats::pnorm(done$component, lower.tail = FALSE))
    )
    list(
      statistic = done$joint, name = "chi-squared", parameter = c(df = 2), p = each$p_value[1],
      distribution = list(name = "chi-squared", df = 2), what = "and a component, from pooled residuals",
      null = sprintf("disturbances of one %s are unrelated, whatever the %s", sample$noun, sample$moment),
      table = typed_table(each, list(typed_column("of", "", "text"), typed_column("statistic", "statistic", "number"),
                                     typed_column("df", "df", "count"), typed_column("p_value", "p", "p"))),
      verdicts = c(sprintf("disturbances of one %s are related; the table tells in which way.", sample$noun),
                   sprintf("no sign that disturbances of one %s are related.", sample$noun)),
      pairs = done$m, G = max(sample$entity), notes = left_out_note(sample),
      cautions = "It is made for small components: with a large one use `fit_random()` and `method = \"conditional\"`."
    )
  }
)

neighbours_null <- function(fit) {
  sprintf("disturbances of neighbouring %s are unrelated", plural_of(fit$design$index$period))
}

lags_words <- function(lag) if (lag == 1) "1 lag" else sprintf("lags 1 to %s", count_words(lag))

t_result <- function(done, null, what, fit, sample) {
  list(statistic = done$statistic, name = "t", parameter = c(df = done$G - 1),
       p = 2 * stats::pt(-abs(done$statistic), done$G - 1), distribution = list(name = "t",
                                                                                df = done$G - 1), null = null,
       what = what, pairs = done$pairs, G = done$G, notes = left_out_note(sample),
       cautions = if (done$G < 20) few_entities_words(fit, done$G))
}

few_entities_words <- function(fit, G) {
  sprintf("With %s that tell, p is rough: `draws = 999` takes it from draws.", count_of(G, fit$design$index$entity))
}

check_serial_told <- function(done, pairs, fit) {
  if (is.finite(done$statistic)) return(invisible())
  stop_wavetax(
    "too_few_periods", "Serial correlation cannot be told from these rows.",
    where = sprintf("%s, %s of their residuals one period apart.", count_of(pairs$changes, "change"),
                    count_of(length(pairs$now), "pair")),
    todo = "At least two entities need three adjacent periods each, and the changes must outnumber the regressors."
  )
}

stop_too_short <- function(fit, lag, told = NULL, fewest = 2) {
  index <- fit$design$index
  stop_wavetax("too_few_periods", sprintf("Too few %s are seen %s apart.", plural_of(index$entity),
                                          count_of(lag, index$period)),
               where = if (!is.null(told)) sprintf("%s tell something of it, and %s are needed.",
                                                   upper_first(count_of(told, index$entity)), count_words(fewest)),
               todo = "Use a smaller lag, or a panel with more periods.")
}

check_lag_seen <- function(sample, lag, fit) {
  longest <- max(tabulate(sample$entity))
  if (lag <= longest - 1) {
    pairs <- core_lag_pairs(sample$entity, sample$clock, lag)
    if (length(pairs$now) > 0) return(invisible())
  }
  stop_too_short(fit, lag)
}

# Whether an entity component is there: its one-sided p by the normal, NA where it cannot be told.
component_p <- function(fit, sample = residual_sample(fit)) {
  tryCatch({
    one <- core_component(sample$e, sample$entity, max(sample$entity))
    stats::pnorm(one$HO, lower.tail = FALSE)
  }, wavetax_error = function(cnd) NA_real_)
}

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
    null = found$null, alternative = "they are related", verdicts = verdicts, data_name = test_equation(fit),
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
    out$reading <- reading_of(out$p.value, out$verdicts[1], out$verdicts[2], out$level)
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
