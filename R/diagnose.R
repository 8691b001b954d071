#' What is wrong with a fit
#'
#' Question answered: *which of its assumptions does this fit break, and what do I do about it?*
#'
#' Every test that applies to the fit, in the order in which they matter for what is concluded: what biases the
#' coefficients first, then what makes their errors wrong, then what only small samples need. Each with a plain line;
#' those that do not apply with the reason. Then what to do: which model, which errors.
#'
#' @param fit A fit of any of the `fit_` functions.
#' @param level The level that tests are read at.
#' @param seed Where draws of simulated p values start.
#' @param ... Takes nothing; what is misspelt is told.
#' @return A data frame of class `diagnosis` with a row a question: `question`, `test`, `statistic`, `value`, `p_value`,
#'   `status` (`"found"`, `"clear"`, `"skipped"`), `says`. Attribute `tests` is the list of results, `advice` what to
#'   do.
#' @section Errors:
#' `wavetax_error_not_a_fit`; `wavetax_error_slim` of a fit without its rows.
#' @seealso [appraise()] for the choice of the model itself, [plot_residuals()], [influence_by()].
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' diagnose(fit_fixed(log(nights) ~ levy + storms + fuel, panel))
#' @export
diagnose <- function(fit, level = 0.05, seed = 1, ...) {
  check_own_arguments(..., of = diagnose, name = "diagnose()")
  check_is_fit(fit)
  check_plain_residuals(fit, "A diagnosis")
  check_test_level(level)
  check_seed(seed)
  check_keeps_rows(fit, "rows to diagnose")
  checks <- diagnosis_checks(fit, level, seed)
  rows <- lapply(names(checks), function(name) diagnosis_row(checks[[name]], level))
  table <- do.call(rbind, lapply(rows, `[[`, "row"))
  tests <- stats::setNames(lapply(rows, `[[`, "test"), names(checks))
  structure(table, class = c("diagnosis", "data.frame"), tests = tests, fit = fit, level = level,
            advice = diagnosis_advice(fit, stats::setNames(table$status, names(checks)), tests))
}

# Each question: the words, the test as a function, and what a finding says.
diagnosis_checks <- function(fit, level, seed) {
  panel <- !is.null(fit$design$index)
  entity <- if (panel) fit$design$index$entity else "entity"
  method <- method_of(fit)
  check <- function(question, run, found, clear, doubt = NULL) {
    list(question = question, run = run, found = found, clear = clear, doubt = doubt)
  }
  c(
    if (method$effects == "random" && fit$method != "correlated") list(related = check(
      sprintf("are %s effects related to the regressors?", entity), function() test_mundlak(fit, level = level),
      "they are: the slopes mix what is within with what is between", "no sign of it"
    )),
    if (fit$method == "pooled") list(related = check(
      sprintf("do %s differ in what goes with the regressors?", plural_of(entity)),
      function() test_mundlak(pooled_as_random(fit), level = level),
      "they do: the pooled slopes are biased", "no sign of it"
    ), component = check(
      sprintf("do %s differ in level?", plural_of(entity)),
      function() test_random_effects(fit, level = level, seed = seed),
      "they do: rows of one are not unrelated", "no sign of it"
    )),
    if (method$effects == "fixed" && method$nests) list(effects = check(
      sprintf("do the effects of %s matter?", effects_words(fit$effects)), function() test_effects(fit, level = level),
      "they do, and are taken out", "no sign of it: a model without them is more precise"
    )),
    list(
      form = check("is the form of the equation right?", function() test_form(fit, level = level),
                   "powers of the prediction add something: a curve or an interaction is missing",
                   "no sign that it is wrong"),
      serial = if (is_serial(fit)) {
        check(sprintf("do disturbances of one %s fade otherwise than AR(1) has it?", entity),
              function() test_serial(fit, level = level), "they do: AR(1) is not enough", "no sign of it")
      } else {
        check(sprintf("are disturbances of one %s related over time?", entity),
              function() test_serial(fit, level = level), "they are", "no sign of it")
      },
      cross_section = check(sprintf("do %s share shocks?", plural_of(entity)),
                            function() cross_section_of(fit, level, seed),
                            "they do", "no sign of it",
                            "they may: serial correlation alone makes this test reject"),
      variance = check(sprintf("do disturbances spread more for some %s?", plural_of(entity)),
                       function() test_variance(fit, level = level), "they do", "no sign of it"),
      with_regressors = check("does their spread move with the regressors?",
                              function() test_variance(fit, "koenker", level = level), "it does", "no sign of it"),
      normal = check("are disturbances normal?", function() test_normality(fit, level = level, seed = seed),
                     "they are not: only small samples need it", "no sign that they are not")
    )
  )
}

# A sample of entities where there are very many.
cross_section_of <- function(fit, level, seed) {
  check_test_panel(fit)
  many <- length(fit$design$index$entities) > 2000
  test_cross_section(fit, sample = if (many) 500, level = level, seed = seed)
}

pooled_as_random <- function(fit) {
  check_is_panel(fit$design$data)
  suppressWarnings(refit(fit, fit$design$y, "random", "entity"))
}

diagnosis_row <- function(check, level) {
  test <- tryCatch(check$run(), wavetax_error = identity)
  if (inherits(test, "condition")) {
    return(list(test = NULL, row = data.frame(
      question = check$question, test = NA_character_, statistic = NA_character_, value = NA_real_, p_value = NA_real_,
      status = "skipped", says = first_line(test)
    )))
  }
  found <- !is.na(test$p.value) && test$p.value < level
  list(test = test, row = data.frame(
    question = check$question, test = test$method, statistic = names(test$statistic), value = unname(test$statistic),
    p_value = unname(test$p.value), status = if (found) "found" else "clear",
    says = if (!found) check$clear else if (is.null(check$doubt) || length(test$cautions) == 0) check$found else
      check$doubt
  ))
}

# What to do, the most important first.
diagnosis_advice <- function(fit, status, tests) {
  is <- function(name) identical(unname(status[name]), "found")
  index <- fit$design$index
  entity <- index$entity
  by <- names(fit$errors$clusters)
  fixed <- call_words(fit, "fit_fixed")
  few <- length(fit$errors$clusters) > 0 && min(fit$errors$clusters) < few_clusters
  thick <- collinearity(fit)
  far <- influential(fit)
  c(
    if (is("related")) sprintf("Use fixed effects: `%s`; or `fit_correlated()`, which shows both.", fixed),
    if (is("component") && !is("related")) {
      sprintf("Use random effects, `%s`, or cluster by %s.", call_words(fit, "fit_random"), entity)
    },
    if (is("form")) "Try logs, squares or interactions of the regressors, and see whether the conclusion stays.",
    # Where serial correlation alone explains it, nothing follows.
    if (is("cross_section") && length(tests$cross_section$cautions) == 0) {
      if (isTRUE(tests$cross_section$period_effects) || index$period %in% by) {
        if (!index$period %in% by) sprintf("Cluster by %s too: `se_clustered(%s)`.", index$period,
                                           formula_text(c(entity, index$period)))
      } else {
        sprintf("Take out effects of the %s, %s, or cluster by %s too.", index$period,
                if (fit$method == "fixed" && !is_serial(fit)) "`effects = \"both\"`" else sprintf("`+ factor(%s)`",
                                                                               code_name(index$period)), index$period)
      }
    },
    if ((is("serial") || is("variance")) && !is.null(entity) && !entity %in% by) {
      paste0(upper_first(repair_words(fit)), ".")
    },
    if ((is("serial") || is("variance")) && !is.null(entity) && entity %in% by) {
      sprintf("The errors are clustered by %s, which allows for what was found over time and in spread.", entity)
    },
    if (is("serial") && !is("related") && !is("component")) serial_remedy_words(fit),
    if (!is("serial") && is("with_regressors") && length(by) == 0 && !startsWith(fit$errors$label, "robust")) {
      "Use robust errors: `with_errors(fit, se_robust(\"HC3\"))`."
    },
    if (few) "There are few clusters: `se_clustered(type = \"CR2\", df = \"satterthwaite\")` or `se_bootstrap()`.",
    if (nrow(thick) > 0 && max(thick$of_error) > 3) collinearity_reading(thick),
    far
  )
}

# AR(1) with its price, where the fit could have it.
serial_remedy_words <- function(fit) {
  index <- fit$design$index
  sets <- lapply(fit$effects, `[[`, "columns")
  if (is_serial(fit) || !"serial" %in% method_of(fit)$arguments || is.null(index) ||
      !all(vapply(sets, identical, TRUE, index$entity))) return(NULL)
  sprintf("Or model what is related over time, `serial = \"ar1\"`: more precise where it holds, at the price of %s.",
          sprintf("one rho for all %s: see `?remedies`", plural_of(index$entity)))
}

# The entity that moves a slope most, where it moves it by more than one standard error.
influential <- function(fit) {
  if (is.null(fit$design$index) || !is.null(fit$design$between) || fit$n > 1e5) return(NULL)
  moved <- tryCatch(influence_by(fit), wavetax_error = function(cnd) NULL)
  if (is.null(moved)) return(NULL)
  moved <- moved[moved$term != constant_term, ]
  worst <- which.max(abs(moved$in_errors))
  if (length(worst) == 0 || abs(moved$in_errors[worst]) < 1) return(NULL)
  sprintf("Without %s %s the slope of %s is %s; `influence_by(fit)` shows all.", attr(moved, "by"),
          label_text(moved$group[worst]),
          moved$term[worst], format_number(moved$without[worst]))
}
