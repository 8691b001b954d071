#' Which model, and which errors: the guided choice
#'
#' Question answered: *I have this equation and this panel; which estimate may I believe, and how sure am I?*
#'
#' The candidates are estimated and the questions asked in order: do entities differ at all, do periods; are the
#' differences related to the regressors; are disturbances correlated over time, unequal across entities, correlated
#' across entities; so which model, and which errors. Each answer comes from one of the package's tests. Where a robust
#' form and a classical one disagree that is said, and the robust one is relied upon.
#'
#' `focus` is the regressor of interest. One that does not vary within entities gets another answer than one that does:
#' fixed effects say nothing on it, and random effects are recommended for it only where nothing speaks against them.
#' Choosing a model by tests makes later p values too small, which is said too.
#'
#' @param formula,data As for the `fit_` functions; `data` is a [panel_frame()].
#' @param focus The regressor of interest, by its coefficient or column: bare, quoted, or as a one-sided formula;
#' `NULL`: the
#'   first one.
#' @param weights,rows As for [fit_fixed()].
#' @param level The level that tests are read at.
#' @param seed Where draws of simulated p values start.
#' @return An object of class `appraisal`: a list with `fit`, the recommended fit under the recommended errors; `path`,
#' a data
#'   frame with a row a question (`question`, `test`, `p_value`, `answer`, `follows`); `recommendation` and `caveats` in
#'   words; `choices`, a data frame of the coefficient of interest under each candidate; `fits` and `tests`, lists of
#'   all that was estimated and tested. It prints as a path, and `plot()` draws that.
#' @section Errors:
#' `wavetax_error_not_a_panel`; `wavetax_error_unknown_term` when `focus` is no regressor; those of [fit_pooled()] when
#' the equation cannot be estimated at all.
#' @seealso [diagnose()] for one fit.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' appraise(log(nights) ~ levy + storms + fuel, panel, focus = "levy")
#' @export
appraise <- function(formula, data, focus = NULL, weights = NULL, rows = NULL, level = 0.05, seed = 1) {
  check_test_level(level)
  check_number(seed, "seed", low = 0, high = 2^31 - 1, whole = TRUE)
  if (missing(formula) || missing(data)) check_both_given(missing(formula), missing(data))
  check_is_panel(data)
  base <- fit_request("pooled", match.call(), formula, data, rlang::enquo(weights), rlang::enquo(rows), se_classical(),
                      "rows")
  fits <- candidate_fits(base)
  focus <- focus_term(focus_argument(rlang::enquo(focus), data), fits$pooled)
  index <- fits$pooled$design$index
  found <- appraisal_tests(fits, level, seed)
  varies <- !is.null(fits$fixed) && focus %in% kept_terms(fits$fixed)
  chosen <- chosen_model(fits, found, focus, varies, index)
  errors <- chosen_errors(fits[[chosen$name]], found, index)
  fit <- under_errors(fits[[chosen$name]], errors$spec)
  structure(list(
    fit = fit, focus = focus, path = appraisal_path(found, chosen, errors, index, level), tests = found$tests,
    fits = fits, recommendation = recommendation_words(chosen, errors, fit, focus, index),
    caveats = caveat_words(fits, chosen, errors, focus, found, index),
    choices = focus_choices(replace(fits, chosen$name, list(fit)), focus, index), level = level,
    entity = index$entity, period = index$period, formula = fits$pooled$design$formula, skipped = found$skipped
  ), class = "appraisal")
}

# The candidates under classical errors, those that can be estimated.
candidate_fits <- function(base) {
  pooled <- run_fit(base)
  of <- function(method, effects, options = list()) {
    request <- base
    request$method <- method
    request["effects"] <- list(effects)
    request$options <- options
    tryCatch(suppressWarnings(run_fit(request)), wavetax_error = identity)
  }
  variance <- if (is.null(base$weights)) "swamy-arora" else "maximum-likelihood"
  fits <- list(
    pooled = pooled, fixed = of("fixed", "entity"), "two-way" = of("fixed", "both"),
    random = of("random", "entity", list(variance = variance)), correlated = of("correlated", "entity",
                                                                                list(variance = variance))
  )
  Filter(function(fit) !inherits(fit, "condition"), fits)
}

# Bare, quoted or as a formula: a column, or a term such as log(fuel).
focus_argument <- function(quo, data) {
  value <- argument_value(quo, names(data))
  if (rlang::is_formula(value, lhs = FALSE)) deparse_words(rlang::f_rhs(value)) else value
}

focus_term <- function(focus, fit) {
  slopes <- slope_names(fit)
  if (is.null(focus)) return(slopes[1])
  check_text(focus, "focus", "Name the regressor of interest in quotes.", kind = "unknown_term")
  if (focus %in% slopes) return(focus)
  # A column that one coefficient is made of.
  made <- slopes[vapply(slopes, function(term) {
    focus %in% tryCatch(all.vars(str2lang(term)), error = function(cnd) character())
  }, TRUE)]
  if (length(made) > 0) return(made[1])
  check_not_dropped(focus, fit)
  stop_wavetax("unknown_term", sprintf("`focus` is %s, which is no regressor of the equation.", dQuote(focus, FALSE)),
               todo = sprintf("Regressors are %s.", list_some(slopes, 8)))
}

# Each test, or the reason why there is none.
appraisal_tests <- function(fits, level, seed) {
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
  rejected <- function(name) !is.null(tests[[name]]) && !is.na(tests[[name]]$p.value) && tests[[name]]$p.value < level
  try_test("entities", test_random_effects(fits$pooled, level = level, seed = seed))
  if (!is.null(fits$fixed)) {
    if (!is.null(fits$`two-way`)) try_test("periods", test_effects(fits$`two-way`, fits$fixed, level = level))
    if (!is.null(fits$random)) try_test("hausman", test_hausman(fits$fixed, fits$random, level = level))
  }
  if (!is.null(fits$correlated)) try_test("mundlak", test_mundlak(fits$correlated, level = level))
  working <- working_fit(fits, rejected("entities"), rejected("periods"))
  try_test("serial", test_serial(working, level = level))
  try_test("variance", test_variance(working, level = level))
  try_test("cross_section", cross_section_of(working, level, seed))
  list(tests = tests, skipped = skipped, rejected = rejected)
}

# The fit whose disturbances are looked at: with the effects that were found.
working_fit <- function(fits, entities, periods) {
  if (periods && !is.null(fits$`two-way`)) return(fits$`two-way`)
  if (!is.null(fits$fixed)) return(fits$fixed)
  fits$pooled
}

# list(name, why, credible): which candidate, in words why, and whether the coefficient of interest can be believed.
chosen_model <- function(fits, found, focus, varies, index) {
  entities <- found$rejected("entities")
  periods <- found$rejected("periods") && !is.null(fits$`two-way`)
  related <- found$rejected("mundlak")
  untested <- is.null(found$tests$mundlak)
  fixed <- if (periods && focus %in% kept_terms(fits$`two-way`)) "two-way" else "fixed"
  noun <- index$entity
  nouns <- plural_of(noun)
  if (!varies) {
    if (is.null(fits$random) || !entities) {
      return(list(name = "pooled", credible = !related, why = sprintf(
        "%s does not vary within %s, and %s do not differ beyond the regressors", focus, nouns, nouns)))
    }
    if (related || untested) {
      name <- if (is.null(fits$correlated) || !focus %in% kept_terms(fits$correlated)) "pooled" else "correlated"
      return(list(name = name, credible = FALSE, why = sprintf(
        paste("%s does not vary within %s, so fixed effects say nothing on it; and as the %s effects are related to",
              "the regressors, nothing that compares %s tells its effect apart from theirs"),
        focus, nouns, noun, nouns
      )))
    }
    return(list(name = "random", credible = TRUE, why = sprintf(
      "%s does not vary within %s, which rules fixed effects out, and nothing speaks against random ones", focus,
      nouns
    )))
  }
  if (!entities && !related) {
    return(list(name = if (periods && is.null(fits$random)) fixed else "pooled", credible = TRUE, why = sprintf(
      "no sign that %s differ beyond the regressors", nouns)))
  }
  if (related || untested || is.null(fits$random)) {
    return(list(name = fixed, credible = TRUE, why = sprintf(
      "%s differ, and what is fixed about them goes with the regressors", nouns)))
  }
  if (periods) {
    return(list(name = fixed, credible = TRUE, why = sprintf(
      "nothing speaks against random effects of %s, but %s differ too, and effects of both are taken out", nouns,
      plural_of(index$period))))
  }
  list(name = "random", credible = TRUE, why = sprintf(
    "%s differ, and nothing speaks against taking them as random, which is the more precise", nouns))
}

# list(spec, words, why)
chosen_errors <- function(fit, found, index) {
  entity <- index$entity
  period <- index$period
  N <- length(unique(used_index(fit$design)$entity))
  periods <- length(used_periods(fit$design))
  serial <- found$rejected("serial") || found$rejected("variance")
  across <- found$rejected("cross_section")
  if (N < 2) return(list(spec = se_classical(), words = "classical", why = sprintf("there is one %s only", entity)))
  if (across && periods >= 20) {
    return(list(spec = se_clustered(column_formula(c(entity, period))),
                words = sprintf("clustered by %s and %s", entity, period),
                why = sprintf("%s %s shocks", plural_of(entity), if (in_doubt(found)) "may share" else "share")))
  }
  why <- if (serial) {
    sprintf("disturbances of one %s are related or of a spread of their own", entity)
  } else {
    sprintf("no sign of trouble was found, but clustering by %s costs little and tests do not see all", entity)
  }
  share <- if (in_doubt(found)) "may share" else "share"
  if (across) why <- sprintf("%s; %s %s shocks too, but %s are too few to cluster by", why, plural_of(entity), share,
                             count_of(periods, period))
  if (N < few_clusters) {
    return(list(spec = se_clustered(column_formula(entity), type = "CR2", df = "satterthwaite"),
                words = sprintf("clustered by %s, CR2 with Satterthwaite's df", entity),
                why = sprintf("%s, and %s are few", why, count_of(N, entity))))
  }
  list(spec = se_clustered(column_formula(entity)), words = sprintf("clustered by %s", entity), why = why)
}

# A row a question, what was found, what follows.
appraisal_path <- function(found, chosen, errors, index, level) {
  noun <- index$entity
  nouns <- plural_of(noun)
  period <- index$period
  steps <- list(
    entities = c(sprintf("Do %s differ at all?", nouns), "yes", "no sign of it",
                 sprintf("rows of one %s are not unrelated; pooled least squares alone will not do", noun),
                 "pooled least squares may do"),
    periods = c(sprintf("Do %s differ too?", plural_of(period)), "yes", "no sign of it",
                sprintf("effects of the %s belong into the model", period), sprintf("no effects of the %s", period)),
    mundlak = c(sprintf("Is what differs between %s related to the regressors?", nouns), "yes", "no sign of it",
                "random effects and pooled least squares are biased: fixed effects", "random effects may be used"),
    serial = c(sprintf("Are disturbances of one %s related over time?", noun), "yes", "no sign of it",
               sprintf("cluster by %s", noun), "no more than clustering as a precaution"),
    variance = c(sprintf("Do disturbances spread more for some %s?", nouns), "yes", "no sign of it",
                 sprintf("cluster by %s, which allows for it", noun), "nothing"),
    cross_section = c(sprintf("Do %s share shocks?", nouns), "yes", "no sign of it",
                      sprintf("cluster by %s too where there are enough of them", period), "nothing")
  )
  rows <- lapply(names(steps), function(name) {
    words <- steps[[name]]
    test <- found$tests[[name]]
    if (is.null(test)) {
      reason <- if (name %in% names(found$skipped)) found$skipped[[name]] else
        "the fit that it needs cannot be estimated"
      return(data.frame(step = name, question = words[1], test = "not tested", p_value = NA_real_, answer = "not known",
                        follows = reason))
    }
    yes <- found$rejected(name)
    if (yes && name == "cross_section" && in_doubt(found)) {
      return(data.frame(step = name, question = words[1], test = test$method, p_value = unname(test$p.value),
                        answer = "perhaps", follows = paste0(
                          "serial correlation alone makes this test reject; ", words[4])))
    }
    data.frame(step = name, question = words[1], test = test$method, p_value = unname(test$p.value),
               answer = if (yes) words[2] else words[3], follows = if (yes) words[4] else words[5])
  })
  out <- do.call(rbind, rows)
  rbind(out, data.frame(step = c("model", "errors"), question = c("So which model?", "And which errors?"), test = "",
                        p_value = NA_real_, answer = c(candidate_words(chosen$name, index), errors$words),
                        follows = c(chosen$why, errors$why)))
}

# Whether the test of shared shocks may see nothing but serial correlation.
in_doubt <- function(found) length(found$tests$cross_section$cautions) > 0

candidate_words <- function(name, index) {
  switch(name,
    pooled = "pooled least squares", fixed = sprintf("fixed effects of %s", plural_of(index$entity)),
    "two-way" = sprintf("fixed effects of %s and %s", plural_of(index$entity), plural_of(index$period)),
    random = sprintf("random effects of %s", plural_of(index$entity)),
    correlated = sprintf("random effects with the means of %s", plural_of(index$entity))
  )
}

recommendation_words <- function(chosen, errors, fit, focus, index) {
  table <- as.data.frame(fit)
  row <- table[match(focus, table$term), ]
  said <- if (!is.na(row$estimate)) in_words(fit, focus)$words else
    sprintf("This model says nothing on %s.", focus)
  if (!chosen$credible) {
    return(c(sprintf("No model here tells the effect of %s: %s.", focus, chosen$why),
             sprintf("As a description, by %s, errors %s: %s", candidate_words(chosen$name, index), errors$words,
                     paste0(tolower(substr(said, 1, 1)), substring(said, 2)))))
  }
  c(sprintf("Use %s, errors %s: %s.", candidate_words(chosen$name, index), errors$words, chosen$why), said)
}

# The coefficient of interest under each candidate, clustered by entity.
focus_choices <- function(fits, focus, index) {
  names <- setdiff(names(fits), "correlated")
  rows <- lapply(names, function(name) {
    fit <- fits[[name]]
    at <- match(focus, kept_terms(fit))
    if (is.na(at)) {
      return(data.frame(model = candidate_words(name, index), estimate = NA_real_, std_error = NA_real_,
                        p_value = NA_real_))
    }
    spec <- se_clustered(column_formula(index$entity))
    done <- identical(names(fit$errors$clusters), index$entity) && identical(fit$errors$type, "CR1")
    under <- if (done) fit else tryCatch(under_errors(fit, spec), wavetax_error = function(cnd) fit)
    row <- coefficient_table(under, at)
    data.frame(model = candidate_words(name, index), estimate = row$estimate, std_error = row$std_error,
               p_value = row$p_value)
  })
  do.call(rbind, rows)
}

caveat_words <- function(fits, chosen, errors, focus, found, index) {
  tests <- found$tests
  p <- function(name) if (is.null(tests[[name]])) NA else tests[[name]]$p.value
  split <- !is.na(p("hausman")) && !is.na(p("mundlak")) && found$rejected("hausman") != found$rejected("mundlak")
  N <- length(unique(used_index(fits$pooled$design)$entity))
  dropped <- if (chosen$name %in% names(fits)) dropped_terms(fits[[chosen$name]])
  c(
    if (split) {
      sprintf("Hausman's test (%s) and its robust form (%s) disagree; the robust one is relied upon.",
              p_words(p("hausman")),
              p_words(p("mundlak")))
    },
    other_choices_words(fits, chosen$name, focus, index),
    if (!is.null(dropped) && nrow(dropped) > 0) {
      sprintf("It says nothing on %s (%s).", list_some(dropped$term, 4), dropped$reason[1])
    },
    if (N < few_entities) sprintf("%s are few, and tests of them rough.", count_of(N, index$entity)),
    if (chosen$name %in% c("fixed", "two-way")) {
      paste("Fixed effects take out what does not change; what changes together with the regressor and moves the",
            "outcome stays in it.")
    },
    paste("The model was chosen by tests on the same data: p values after such a choice are somewhat too small.",
          "State all that was tried.")
  )
}

# What other choices would change in the coefficient of interest.
other_choices_words <- function(fits, name, focus, index) {
  value <- function(fit) unname(kept_estimates(fit)[focus])
  own <- value(fits[[name]])
  others <- setdiff(intersect(c("pooled", "fixed", "two-way", "random"), names(fits)), name)
  others <- others[!is.na(vapply(fits[others], value, 0))]
  if (length(others) == 0 || is.na(own)) return(NULL)
  se <- standard_errors(fits[[name]])[match(focus, kept_terms(fits[[name]]))]
  places <- estimate_decimals(own, se)
  said <- vapply(others, function(other) {
    sprintf("%s by %s", format_number(value(fits[[other]]), decimals = places), candidate_words(other, index))
  }, "")
  sprintf("Another choice would change %s from %s to %s.", focus, format_number(own, decimals = places),
          list_or(unname(said)))
}
