#' Which model, and which errors: the guided choice
#'
#' Question answered: *I have this equation and this panel; which estimate may I believe, and how sure am I?*
#'
#' Its interval is meant to be believed, so no test on the same data chooses the model: the regressor of interest does,
#' by what is left of it once effects are out (to 1e-9 of its norm).
#'
#' * *Varying*: something is left after effects of entities and periods. Both are taken out, always.
#' * *Common*: something is left after effects of entities, nothing after both, such as one value a period. Effects of
#'   entities are taken out.
#' * *Fixed*: nothing is left after effects of entities. Random effects with the entity means of what varies and dummies
#'   of periods; the interval is that of a comparison between entities, no effect.
#'
#' Errors are clustered by entity (CR2 with Satterthwaite's df). What is shared within periods is allowed for by errors
#' clustered by period (the same; with over 200 entities CR1 with t(T - 1)), from 20 periods on times
#' \eqn{\sqrt{(1 + r)/(1 - r)}}{sqrt((1 + r)/(1 - r))} where r > 0, r = min(0.9, r1 + (1 + 3 r1)/T), r1 the first
#' autocorrelation of the period sums of scores. A common regressor takes the wider of the two intervals; a varying one
#' where the period sums of its scores vary more than unrelated rows would (CR0 by period above HC0).
#'
#' There is no interval, and the estimate is shown without one, where one entity alone tells the coefficient, with fewer
#' than 4 entities, for a common regressor with fewer than 3 periods, and where a regressor is made of the outcome, as
#' its own past is, or comes after it.
#'
#' Tests of the usual questions are shown and read, and choose nothing; what a choice by them would have given stands
#' beside. So do random effects, which would be more precise if what is fixed about entities were unrelated to the
#' regressor. No test establishes that; where you know it (the regressor was drawn by lot), `unrelated = TRUE` says so,
#' and they are recommended as resting on your claim.
#'
#' @param formula,data As for the `fit_` functions; `data` is a [panel_frame()].
#' @param focus The regressor of interest, by its coefficient or column: bare, quoted, or as a one-sided formula;
#'   `NULL`: the first one. Of a column that enters several terms (its square, products) the effect is the finite change
#'   of [in_words()], and a model whose effects take a part of that change out has no figure; a product (`"x:z"`) is its
#'   coefficient.
#' @param weights,rows As for [fit_fixed()].
#' @param level The level that tests are read at; intervals cover the rest.
#' @param seed Where draws of simulated p values start.
#' @param unrelated Whether you claim that what is fixed about entities is unrelated to the regressor of interest.
#' @param ... Takes nothing; what is misspelt is told.
#' @return An object of class `appraisal`: a list with `fit`, the recommended fit under the recommended errors;
#'   `estimate` and `interval`, c(low, high), of the regressor of interest, NA where none is promised; `standing`,
#'   `"interval"`, `"comparison"` (between entities, no effect) or `"none"`; `kind`, `"varying"`, `"common"` or
#'   `"fixed"`; `path`, a data frame with a row a step (`step`, `question`, `test`, `p_value`, `answer`, `follows`), the
#'   kind, the model and the errors before the tests; `recommendation` and `caveats` in words; `choices`, a data frame
#'   of the estimate and interval under each candidate; `fits` and `tests`, lists of all that was estimated and tested.
#'   It prints as a path, and `plot()` draws that.
#' @section How often the interval covers:
#' 92 to 98 of 100 in every made world where an interval is promised, but for shocks that outlast a period (84 to 96 for
#' a common regressor): `docs/guided.md` of the sources, measured with this function.
#' @section Errors:
#' `wavetax_error_not_a_panel`; `wavetax_error_unknown_term` when `focus` is no regressor; those of [fit_pooled()] when
#' the equation cannot be estimated at all.
#' @references Leeb, H. and Poetscher, B. M. (2005), *Econometric Theory* 21; Guggenberger, P. (2010), *Econometric
#'   Theory* 26; Armstrong, T. B. and Kolesar, M. (2018), *Econometrica* 86.
#' @seealso [diagnose()] for one fit.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' appraise(log(nights) ~ levy + storms + fuel, panel, focus = "levy")
#' appraise(log(nights) ~ levy + pier, panel, focus = "pier")$standing
#' @export
appraise <- function(formula, data, focus = NULL, weights = NULL, rows = NULL, level = 0.05, seed = 1,
                     unrelated = FALSE, ...) {
  check_own_arguments(..., of = appraise, name = "appraise()")
  check_test_level(level)
  check_seed(seed)
  check_flag(unrelated, "unrelated")
  if (missing(formula) || missing(data)) check_both_given(missing(formula), missing(data))
  check_is_panel(data)
  base <- fit_request("pooled", match.call(), formula, data, rlang::enquo(weights), rlang::enquo(rows), se_classical(),
                      "rows")
  fits <- candidate_fits(base)
  focus <- focus_of(focus_argument(rlang::enquo(focus), data), fits$pooled)
  kind <- focus_kind(fits$pooled, focus)
  index <- fits$pooled$design$index
  fits <- c(fits, beside_fits(base, kind, index))
  recommended <- guided_model(fits, kind, unrelated)
  state <- list(
    focus = focus$name, about = focus, kind = kind, fits = fits, level = level, seed = seed, unrelated = unrelated,
    entity = index$entity, period = index$period, model = recommended, formula = fits$pooled$design$formula
  )
  state$errors <- guided_errors(state)
  state$fit <- if (is.null(state$errors$fit)) fits[[recommended]] else state$errors$fit
  state$errors$fit <- NULL
  state[c("tests", "skipped")] <- appraisal_tests(state)
  new_appraisal(state)
}

# What is decided, as `state` has it, in words and tables: an appraisal. The state is one list that every step takes:
#   focus, about     the regressor of interest, by name and as focus_of() has it; kind, what is left of it
#   fits, model      the candidates and which is recommended; fit, that under the errors that are
#   errors           guided_errors()
#   tests, skipped   their results, and why others have none
#   level, seed, unrelated, entity, period, formula
new_appraisal <- function(state) {
  decided <- list(estimate = state$errors$row$estimate, interval = state$errors$interval,
                  standing = guided_standing(state))
  out <- c(state[c("fit", "focus", "kind")], decided, state[c("errors", "fits", "tests", "skipped", "level",
                                                              "unrelated", "entity", "period", "model", "formula")])
  out$about <- state$about
  out$choices <- focus_choices(out)
  out$path <- appraisal_path(out)
  out$recommendation <- recommendation_words(out)
  out$caveats <- caveat_words(out)
  out$about <- NULL
  structure(out, class = "appraisal")
}

# Those candidates under classical errors that can be estimated.
candidate_fits <- function(base) {
  fits <- list(
    pooled = run_fit(base), fixed = candidate(base, "fixed", "entity"), "two-way" = candidate(base, "fixed", "both"),
    random = candidate(base, "random", "entity")
  )
  Filter(Negate(is.null), fits)
}

# Random effects that stand beside, and for what is fixed the correlated ones, with dummies of the periods.
beside_fits <- function(base, kind, index) {
  formula <- base$formula
  if (kind != "common") {
    rlang::f_rhs(formula) <- call("+", rlang::f_rhs(formula), call("factor", as.name(index$period)))
  }
  Filter(Negate(is.null), list(
    beside = candidate(base, "random", "entity", formula),
    correlated = if (kind == "fixed") candidate(base, "correlated", "entity", formula)
  ))
}

# Bare, quoted or as a formula: a column, or a term such as log(fuel).
focus_argument <- function(quo, data) {
  value <- argument_value(quo, names(data))
  if (rlang::is_formula(value, lhs = FALSE)) deparse_words(rlang::f_rhs(value)) else value
}

# The regressor of interest: list(name, as it was called; unit; term, the coefficient that is it, or NULL where it takes
# several).
focus_of <- function(focus, fit) {
  slopes <- slope_names(fit)
  units <- formula_units(fit)
  if (length(slopes) == 0) {
    stop_wavetax("unknown_term", "The equation has no regressor to be appraised.", todo = "Write it: `y ~ x`.")
  }
  if (is.null(focus)) focus <- slopes[1]
  check_text(focus, "focus", "Name the regressor of interest in quotes.", kind = "unknown_term")
  if (!focus %in% slopes && sprintf("`%s`", focus) %in% slopes) focus <- sprintf("`%s`", focus)
  if (!focus %in% slopes) focus <- in_own_order(focus, slopes)
  if (focus %in% slopes) {
    unit <- whole_unit(fit, units, focus)
    if (is.null(unit)) return(list(name = focus, unit = NULL, term = focus))
    alone <- unit$kind == "category" || owns_one_column(fit, unit, focus)
    return(list(name = focus, unit = unit$name, term = if (alone) focus))
  }
  made <- Filter(function(unit) {
    focus == unit$name || (unit$kind == "category" && focus %in% all.vars(unit$call))
  }, units)
  if (length(made) > 0) {
    unit <- made[[1]]
    own <- columns_of_unit(fit, unit)
    term <- if (length(own) == 1 || unit$kind == "category") intersect(own, slopes)[1]
    if (!is.null(term) && is.na(term)) check_not_dropped(own[1], fit)
    return(list(name = focus, unit = unit$name, term = term))
  }
  check_not_dropped(focus, fit)
  stop_wavetax("unknown_term", sprintf("`focus` is %s, which is no regressor of the equation.", dQuote(focus, FALSE)),
               todo = sprintf("Regressors are %s.", list_some(unique(c(slopes, names(units))), 8)))
}

# The variable whose whole change a coefficient names, NULL where it names itself: a product, a power.
whole_unit <- function(fit, units, term) {
  terms <- fit$design$blueprint$terms
  place <- fit$design$blueprint$assign[match(term, names(fit$design$x))]
  if (is.na(place) || attr(terms, "order")[place] > 1) return(NULL)
  call <- as.list(attr(terms, "variables"))[[1 + which(attr(terms, "factors")[, place] > 0)]]
  if (is_operator(call, "log") && length(call) == 2 && is.symbol(call[[2]])) call <- call[[2]]
  units[[deparse_words(call)]]
}

# A product in the order of the equation.
in_own_order <- function(focus, slopes) {
  parts <- function(name) sort_text(strsplit(name, ":", fixed = TRUE)[[1]])
  same <- vapply(slopes, function(name) identical(parts(name), parts(focus)), TRUE)
  if (grepl(":", focus, fixed = TRUE) && any(same)) slopes[same][1] else focus
}

# What is left of the focus after effects of entities, and of both.
focus_kind <- function(fit, focus) {
  columns <- if (!is.null(focus$term)) {
    fit$design$x[focus$term]
  } else {
    unit <- formula_units(fit)[[focus$unit]]
    if (unit$kind == "category") fit$design$x[columns_of_unit(fit, unit)] else list(unit$values)
  }
  index <- fit$design$index
  weights <- fit$design$weights
  root <- if (is.null(weights)) 1 else sqrt(weights)
  left <- function(names) {
    system <- core_effect_system(lapply(names, function(name) core_effect_set(column_groups(fit$design, name))), fit$n,
                                 weights)
    on.exit(core_release(system))
    rest <- core_swept_columns(lapply(columns, `*`, root), system)
    any(colSums(rest^2) > 1e-18 * vapply(columns, function(v) sum((root * v)^2), 0))
  }
  if (!left(index$entity)) "fixed" else if (left(c(index$entity, index$period))) "varying" else "common"
}

# Which of the fits is recommended.
guided_model <- function(fits, kind, unrelated) {
  first <- switch(kind, varying = "two-way", common = "fixed", fixed = "correlated")
  order <- c(if (unrelated) "beside", first, if (kind == "varying") "fixed", "beside", "pooled")
  order[order %in% names(fits)][1]
}

most_corrected_entities <- 200
many_periods <- 20

# Both errors of the focus and the one that is taken: list(spec, fit, under them, row, interval, reason why there is
# none, by "entity" or
# "period", shared, whether shocks that go with the focus widened it; entities, periods).
guided_errors <- function(state) {
  fit <- state$fits[[state$model]]
  kind <- state$kind
  index <- fit$design$index
  contrast <- focus_contrast(fit, state$about)
  groups <- column_groups(fit$design, index$entity)
  out <- list(entities = sum(groups$sizes > 0), periods = length(used_periods(fit$design)), shared = FALSE,
              interval = c(low = NA_real_, high = NA_real_), row = list(estimate = NA_real_))
  if (is.null(contrast)) return(c(out, list(reason = "dropped")))
  out$row <- combination_of(fit, contrast)
  if (out$entities == 1) {
    out$reason <- "few entities"
    out$by <- "entity"
    under <- tryCatch(under_errors(fit, se_newey_west()), wavetax_error = function(cnd) NULL)
    if (!is.null(under)) out[c("spec", "fit")] <- list(se_newey_west(), under)
    return(out)
  }
  by_entity <- errors_of_focus(fit, contrast, se_clustered(column_formula(index$entity), "CR2", df = "satterthwaite"),
                               state$level)
  by_period <- if (kind != "fixed") period_errors(fit, contrast, out, state$level)
  chosen <- by_entity
  out$by <- "entity"
  wide <- function(one) one$row$high - one$row$low
  if (!is.null(by_period) && (kind == "common" || by_period$excess)) {
    wider <- by_period$lost || is.null(by_entity) || by_entity$lost || wide(by_period) > wide(by_entity)
    out$shared <- kind == "varying" && wider
    if (wider && !isTRUE(by_entity$lost)) {
      chosen <- by_period
      out$by <- "period"
    }
  }
  if (!is.null(chosen)) {
    out[c("spec", "fit", "row")] <- chosen[c("spec", "fit", "row")]
  }
  out$reason <- if (NROW(fit$of_outcome) > 0) "of outcome" else
    if (fit$ssr <= 1e-20 * max(fit$sst, sum(fit$design$y^2))) "perfect fit" else
    if (out$entities < fewest_told_entities) "few entities" else
    if (kind == "common" && out$periods < 3) "few periods" else
      if (is.null(chosen)) "no errors" else if (chosen$lost) "lost"
  if (is.null(out$reason)) out$interval <- c(low = out$row$low, high = out$row$high)
  # What rounding leaves of noise is no error.
  if (identical(out$reason, "perfect fit")) out$row$std_error <- NA_real_
  out$lost_in <- if (identical(out$reason, "lost")) index[[out$by]]
  out
}

# By period; `excess`, whether the period sums of scores vary more than unrelated rows would.
period_errors <- function(fit, contrast, counts, level) {
  index <- fit$design$index
  if (counts$periods < 2) return(NULL)
  plain <- se_clustered(column_formula(index$period))
  corrected <- se_clustered(column_formula(index$period), "CR2", df = "satterthwaite")
  specs <- c(if (counts$entities <= most_corrected_entities) list(corrected), list(plain))
  shocks <- period_scores(fit, contrast)
  for (spec in specs) {
    if (counts$periods >= many_periods && shocks$r > 0) {
      spec <- se_widened(spec, sqrt((1 + shocks$r) / (1 - shocks$r)),
                         sprintf("shocks seem to outlast %s", one_of_a(index$period)))
    }
    found <- errors_of_focus(fit, contrast, spec, level)
    if (!is.null(found)) return(c(found, list(excess = shocks$excess)))
  }
  NULL
}

# Of the scores of the focus: whether their period sums have more variance than the rows have alone, and how they are
# related from one period to the next.
period_scores <- function(fit, contrast) {
  walk <- rows_walk(fit)
  direction <- drop(crossprod(fit$regression$root, contrast))
  clock <- clock_of_errors(fit, "errors by period")
  groups <- period_groups(clock)
  s <- drop(crossprod(direction, core_cluster_scores(walk, groups)$scores))
  by_row <- drop(direction %*% core_robust_products(walk, NULL, 0)$products %*% direction)
  seen <- groups$sizes > 0
  ticks <- groups$labels[seen]
  s <- s[seen]
  before <- match(ticks - 1, ticks)
  first <- if (sum(s^2) > 0) sum(s[!is.na(before)] * s[before[!is.na(before)]]) / sum(s^2) else 0
  periods <- length(ticks)
  list(excess = sum(s^2) > by_row, r = min(0.9, first + (1 + 3 * first) / periods))
}

guided_standing <- function(state) {
  if (!is.null(state$errors$reason)) return("none")
  if (state$kind == "fixed" && !state$unrelated) "comparison" else "interval"
}

# Each test, or the reason why there is none.
appraisal_tests <- function(state) {
  fits <- state$fits
  fit <- state$fit
  level <- state$level
  skipped <- character()
  tests <- list()
  try_test <- function(name, expr) {
    result <- tryCatch(expr, wavetax_error = identity)
    if (inherits(result, "condition")) {
      skipped[[name]] <<- first_line(result)
    } else {
      tests[[name]] <<- result
    }
  }
  try_test("entities", test_random_effects(fits$pooled, level = level, seed = state$seed))
  if (!is.null(fits$fixed) && !is.null(fits$`two-way`)) {
    try_test("periods", test_effects(fits$`two-way`, fits$fixed, level = level))
  }
  if (!is.null(fits$beside)) try_test("mundlak", test_mundlak(fits$beside, level = level))
  try_test("serial", test_serial(fit, level = level))
  try_test("variance", test_variance(fit, level = level))
  try_test("cross_section", cross_section_of(fit, level, state$seed))
  list(tests = tests, skipped = skipped)
}
