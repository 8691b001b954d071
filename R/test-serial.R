#' Tests for serial correlation of the disturbances
#'
#' Question answered: *are the disturbances of one entity related from period to period?* If they are, classical errors
#' are wrong; clustered ones stand. Periods count on the panel's clock: across a gap nothing is paired.
#'
#' The default `method` is `"differences"` for fixed effects and difference fits, `"breusch-godfrey"` for pooled ones
#' and `"conditional"` for random and correlated effects (`"differences"` of two sets, or with weights).
#'
#' * `"differences"`: r are the residuals of the equation in changes between adjacent periods (the fit's period effects
#'   swept); over neighbouring changes \eqn{z_i = \sum r_{t-1} (r_t + r_{t-1}/2)}{z_i = sum r_{t-1} (r_t + r_{t-1}/2)},
#'   whose mean is zero where disturbances are unrelated: \eqn{t^2 \sim F(1, G - 1)}{t^2 ~ F(1, G - 1)} with t the mean
#'   of z over its error and G the entities that have such a pair. The slope of r on its own value before is shown
#'   beside its value under the null, -0.5. `form = "regression"` tests that slope with errors clustered by entity
#'   instead, which rejects a true null somewhat too often.
#' * `"within"`: the same of residuals within entities, \eqn{z_i = \sum e_{t-1} (e_t + e_{t-1}/(T_i - 1))}{z_i = sum
#'   e_{t-1} (e_t + e_{t-1}/(T_i - 1))}, t with G - 1 degrees of freedom; entities with three periods or more.
#' * `"durbin-watson"`: \eqn{d = \sum (e_t - e_{t-1})^2 / \sum e^2}{d = sum (e_t - e_{t-1})^2 / sum e^2} over adjacent
#'   periods, with gaps or uneven lengths \eqn{2 - 2 \sum e_t e_{t-1} / \sum e^2}{2 - 2 sum e_t e_{t-1} / sum e^2}; p
#'   from draws on the same rows, against positive correlation unless `alternative = "two-sided"`. Its mean under the
#'   null is printed.
#' * `"lm"`: Born and Breitung's statistic at `lag` k, robust to unequal variances, t with G - 1 degrees of freedom.
#' * `"breusch-godfrey"`: \eqn{n R^2}{n R^2} of the pooled residuals on the regressors and their own values up to `lag`
#'   periods before, 0 where absent, chi-squared; the F form is beside it. An entity component makes it reject.
#' * `"conditional"`: the score test of no autocorrelation up to `lag`, given the entity component that the fit has
#'   estimated; chi-squared. At maximum likelihood components it is Baltagi and Li's.
#' * `"joint"`, of pooled residuals: serial correlation and an entity component together, chi-squared(2), and in its
#'   table each of them allowing for the other.
#'
#' The first-order autocorrelation that is printed beside each is 1 + 2b, b the slope of `"differences"`: short panels
#' do not bias it.
#'
#' @param fit A fit on a [panel_frame()].
#' @param method One of those above; `NULL`: that of the fit.
#' @param lag How many periods apart, or up to how many.
#' @param draws How many draws p is to come from; of `"durbin-watson"` always, 999 unless told; `NULL` elsewhere: none.
#' @param form Of `"differences"`: `"mean"` or `"regression"`.
#' @param alternative Of `"durbin-watson"`: `"positive"` or `"two-sided"`.
#' @inheritParams test_effects
#' @return A `panel_test`; `estimate` has what the method estimates, `autocorrelation` the first-order one, `pairs` how
#' many
#'   pairs of rows were used.
#' @section Size:
#' True nulls rejected at 5 percent, over 36 kinds of panels (`docs/size.md` of the sources): `"differences"` 3 to 7
#' percent; its regression form 5 to 11 with 20 entities, 2 to 8 with more; `"within"` and `"lm"` 2 to 7;
#' `"breusch-godfrey"` 3 to 8 without an entity component; `"conditional"` 3 to 8; `"joint"` 2 to 7. With 0.3 of
#' autocorrelation, 100 entities and some 7 of 10 periods each `"differences"` finds it in 9 of 10 panels, the others in
#' nearly all.
#' @section Errors:
#' `wavetax_error_not_a_panel` when the fit is not on a panel frame; `wavetax_error_too_few_periods` when too few
#' entities have periods that far apart; `wavetax_error_method` for another method, or one that needs another fit, with
#' the fit it needs; `wavetax_error_perfect_fit`.
#' @references Wooldridge, J. M. *Econometric Analysis of Cross Section and Panel Data*, 10.5.4, 10.6.3; Bhargava, A.,
#' Franzini,
#'   L. and Narendranathan, W. (1982), *Review of Economic Studies* 49; Baltagi, B. H. and Wu, P. X. (1999),
#'   *Econometric Theory* 15; Born, B. and Breitung, J. (2016), *Econometric Reviews* 35; Baltagi, B. H. and Li, Q.
#'   (1995), *Journal of Econometrics* 68; Bera, A. K., Sosa-Escudero, W. and Yoon, M. (2001), *Journal of Econometrics*
#'   101.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' # The truth of the demo world: autocorrelation 0.4.
#' fixed <- fit_fixed(log(nights) ~ levy + storms + fuel, panel)
#' test_serial(fixed)
#' test_serial(fixed, "lm", lag = 2)
#' @export
test_serial <- function(fit, method = NULL, lag = 1, draws = NULL, seed = 1, level = 0.05, form = "mean",
                        alternative = "positive") {
  check_is_fit(fit)
  if (!is.null(method)) check_choice(method, names(serial_methods), "method", kind = "method")
  check_test_level(level)
  check_draws(draws, seed)
  check_keeps_rows(fit, "rows to test")
  check_test_panel(fit)
  if (is.null(method)) method <- default_serial_method(fit)
  check_serial_arguments(method, lag, form, alternative)
  changes <- serial_changes(fit)
  ask <- list(lag = as.integer(lag), form = form, level = level, changes = changes)
  found <- serial_methods[[method]](fit, ask)
  test <- serial_result(fit, method, found, changes, level)
  if (method == "durbin-watson") {
    values <- drawn_statistics(fit, found$drawn, if (is.null(draws)) 999 else draws, seed)
    return(durbin_watson_result(test, values, alternative))
  }
  with_draws(test, fit, function(y) {
    again <- refit(fit, y)
    if (method == "differences") ask$changes <- serial_changes(again)
    serial_methods[[method]](again, ask)$statistic
  }, draws, seed, far = if (method %in% c("within", "lm")) abs else identity)
}

default_serial_method <- function(fit) {
  method <- method_of(fit)
  if (method$effects == "random") {
    return(if (length(fit$effects) == 1 && is.null(fit$design[["weights"]])) "conditional" else "differences")
  }
  if (fit$method == "pooled") "breusch-godfrey" else "differences"
}

check_serial_arguments <- function(method, lag, form, alternative) {
  good <- is.numeric(lag) && length(lag) == 1 && is.finite(lag) && lag >= 1 && lag == trunc(lag) && lag < 1e6
  if (!good) stop_wavetax("method", sprintf("`lag` is %s.", value_words(lag)),
                          todo = "Give a whole number of periods, 1 or more.")
  check_choice(form, c("mean", "regression"), "form", kind = "method")
  check_choice(alternative, c("positive", "two-sided"), "alternative", kind = "method")
  if (lag > 1 && !method %in% c("lm", "breusch-godfrey", "conditional")) {
    stop_wavetax("method", sprintf("The method %s is of neighbouring periods only.", dQuote(method, FALSE)),
                 todo = "Leave `lag` at 1, or use `method = \"lm\"`.")
  }
  if (form != "mean" && method != "differences") stop_argument("form", value_words(form), "It is of `\"differences\"`.")
  if (alternative != "positive" && method != "durbin-watson") {
    stop_argument("alternative", value_words(alternative), "It is of `\"durbin-watson\"`.")
  }
}

# Residuals of the equation in changes, and their pairs.
serial_changes <- function(fit) {
  design <- level_design(fit)
  used <- used_index(design)
  drift <- method_of(fit)$constant == "drift" && fit$design$constant
  sweep <- period_sets(fit)
  rows <- design_rows(design)
  rows$weights <- NULL
  changes <- core_change_residuals(rows, used$entity, used$clock, drift, if (length(sweep) > 0) sweep[[1]]$groups)
  pairs <- core_change_pairs(changes, used$entity, used$clock)
  told <- length(pairs$now) > 0
  c(pairs, list(changes = changes$changes, across_gaps = changes$pairs$across_gaps, r = changes$r,
                two_sweeps = length(sweep) > 1,
                rho = if (told) 1 + 2 * sum(pairs$before * pairs$now) / sum(pairs$before^2) else NA_real_))
}

# Each method: list(statistic, name, parameter, p, distribution, null, estimate, table, cautions, notes, pairs).
serial_methods <- list(
  differences = function(fit, ask) {
    pairs <- ask$changes
    done <- core_serial_differences(pairs, ask$form == "regression")
    check_serial_told(done, pairs, fit)
    if (isTRUE(pairs$two_sweeps)) {
      stop_test("method",
                "The fit has several sets of effects that follow the periods, which changes cannot all sweep.",
                todo = "Use `method = \"within\"`.")
    }
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
      notes = if (!is.null(fit$design[["weights"]])) "The fit's weights are not used in this test."
    )
  },
  within = function(fit, ask) {
    check_within_fit(fit, "within")
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
    check_within_fit(fit, "lm")
    sample <- residual_sample(fit)
    done <- core_serial_lm(sample$e, sample$entity, sample$clock, ask$lag)
    if (!is.finite(done$statistic)) stop_too_short(fit, ask$lag)
    t_result(done, sprintf("disturbances %s apart are unrelated", count_of(ask$lag, sample$moment)),
             sprintf("at %s, whatever the variances", count_of(ask$lag, "lag")), fit, sample)
  },
  "breusch-godfrey" = function(fit, ask) {
    if (fit$method != "pooled") {
      stop_wrong_fit(fit, "The test of Breusch and Godfrey", "a pooled fit", call_words(fit, "fit_pooled"))
    }
    sample <- residual_sample(fit)
    check_lag_seen(sample, ask$lag, fit)
    rows <- design_rows(fit$design)
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
        sprintf("It rejects where %s differ in level, as they do here (%s): `method = \"joint\"` tells the two apart.",
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
                  todo = "Use `method = \"differences\"`.")
      }
      stop_wrong_fit(fit, "The conditional test", "a random effects fit", call_words(fit, "fit_random"))
    }
    if (!is.null(fit$design[["weights"]])) {
      stop_test("method", "The conditional test takes no weights.", todo = "Use `method = \"differences\"`.")
    }
    sample <- panel_sample(fit)
    if (!identical(fit$effects[[1]]$columns, sample$noun)) {
      stop_test("method", sprintf("The fit's random effects are of %s, not of %s.", fit$effects[[1]]$name, sample$noun),
                todo = "Use `method = \"differences\"`.")
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

check_within_fit <- function(fit, method) {
  if (has_entity_effects(fit)) return(invisible())
  stop_wrong_fit(fit, sprintf("The method %s", dQuote(method, FALSE)), "fixed effects of entities",
                 call_words(fit, "fit_fixed"))
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

stop_too_short <- function(fit, lag) {
  index <- fit$design$index
  stop_wavetax("too_few_periods", sprintf("Too few %s are seen in %s %s apart.", plural_of(index$entity),
                                          plural_of(index$period), count_of(lag, index$period)),
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
  rho <- changes$rho
  gaps <- if (changes$across_gaps > 0) sprintf("; %s across a gap not used", count_of(changes$across_gaps, "change"))
  verdicts <- if (is.null(found$verdicts)) {
    c(serial_advice(fit), sprintf("no sign of serial correlation from one %s to the next.", period))
  } else {
    found$verdicts
  }
  new_panel_test(
    title = paste("Serial correlation of the disturbances,", found$what),
    question = sprintf("are disturbances of one %s related from %s to %s?", entity, period, period),
    statistic = stats::setNames(found$statistic, found$name), parameter = found$parameter, p_value = found$p,
    null = found$null, alternative = "they are related", verdicts = verdicts, data_name = test_equation(fit),
    distribution = found$distribution, level = level, table = found$table, estimate = found$estimate,
    cautions = found$cautions,
    notes = c(if (is.finite(rho)) {
      sprintf("Estimated first-order autocorrelation: %s, from %s between adjacent %s%s.",
              fixed_decimals(min(1, max(-1, rho)), 2), count_of(changes$changes, "change"), plural_of(period),
              if (is.null(gaps)) "" else gaps)
    }, if (!is.null(found$pairs)) sprintf("%s of %s.", upper_first(count_of(found$pairs, "pair")),
                                          count_of(found$G, entity)), found$notes),
    extra = list(autocorrelation = rho, pairs = found$pairs, for_comparison = isTRUE(found$for_comparison))
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

# What to do about serial correlation depends on the errors that the fit has.
serial_advice <- function(fit) {
  entity <- fit$design$index$entity
  found <- "the disturbances are serially correlated, so "
  if (entity %in% names(fit$errors$clusters)) return(paste0(found, "keep errors clustered by ", entity, "."))
  if (is.null(fit$errors$clusters)) {
    return(sprintf("%sthe %s errors are wrong: cluster by %s, `se_clustered(~ %s)`.", found, fit$errors$label, entity,
                   entity))
  }
  sprintf("%serrors must be clustered by %s or by what holds each %s whole.", found, entity, entity)
}
