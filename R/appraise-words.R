# The guided choice in words: its path, what is recommended, what stands beside, and what must be said.

# The same in few words, for a table.
short_candidate <- function(name, x) {
  switch(name,
    pooled = "pooled least squares", fixed = sprintf("effects of %s", plural_of(x$entity)),
    "two-way" = sprintf("effects of %s and %s", plural_of(x$entity), plural_of(x$period)), random = "random effects",
    beside = if (x$kind == "common") "random effects" else sprintf("random effects, %s dummies", x$period),
    correlated = sprintf("correlated effects, %s dummies", x$period)
  )
}

candidate_words <- function(name, x) {
  entities <- plural_of(x$entity)
  periods <- plural_of(x$period)
  switch(name,
    pooled = "pooled least squares", fixed = sprintf("fixed effects of %s", entities),
    "two-way" = sprintf("fixed effects of %s and %s", entities, periods),
    random = sprintf("random effects of %s", entities),
    beside = if (x$kind == "common") sprintf("random effects of %s", entities) else
      sprintf("random effects of %s with dummies of %s", entities, periods),
    correlated = sprintf("random effects with the means of %s and dummies of %s", entities, periods)
  )
}

# The focus under each candidate: `role` says what the row is for.
focus_choices <- function(x) {
  by_tests <- model_by_tests(x)
  names <- unique(c(x$model, if (x$model != "beside") "beside", by_tests, "pooled", "fixed", "two-way"))
  rows <- lapply(intersect(names, names(x$fits)), function(name) {
    fit <- x$fits[[name]]
    contrast <- focus_contrast(fit, x$about)
    role <- if (name == x$model) "recommended" else if (name == "beside") "if unrelated" else if (name == by_tests)
      "by tests" else ""
    spec <- if (name %in% c(x$model, "beside")) x$errors$spec else se_clustered(column_formula(x$entity))
    under <- if (name == x$model) x$fit else if (is.null(spec)) fit else
      tryCatch(under_errors(fit, spec), wavetax_error = function(cnd) fit)
    row <- if (!is.null(contrast)) combination_of(under, contrast, 1 - x$level)
    shown <- !is.null(row) && !(name == x$model && x$standing == "none") &&
      !isTRUE(x$errors$reason %in% c("perfect fit", "of outcome"))
    data.frame(
      candidate = name, model = short_candidate(name, x), estimate = if (is.null(row)) NA_real_ else row$estimate,
      std_error = if (shown) row$std_error else NA_real_, low = if (shown) row$low else NA_real_,
      high = if (shown) row$high else NA_real_, role = role
    )
  })
  do.call(rbind, rows)
}

# A row a step: the kind, the model and the errors before the tests, which choose nothing.
appraisal_path <- function(x) {
  entities <- plural_of(x$entity)
  periods <- plural_of(x$period)
  kind <- if (x$errors$entities == 1) c(
    sprintf("over time, in one %s", x$entity), "nothing is to be taken out but its level"
  ) else switch(x$kind,
    varying = c(sprintf("within %s and within %s", entities, periods),
                sprintf("effects of %s and %s are taken out whatever the tests say", entities, periods)),
    common = c(sprintf("over %s, alike for all %s", periods, entities),
               sprintf("effects of %s are taken out; those of %s would take it out too", entities, periods)),
    fixed = c(sprintf("not within %s", entities),
              sprintf("no effects of %s can be taken out: a comparison between them is all there is", entities))
  )
  start <- data.frame(
    step = c("kind", "model", "errors"),
    question = c(sprintf("How does %s vary?", x$focus), "So which model?", "And which errors?"), test = "",
    p_value = NA_real_, answer = c(kind[1], candidate_words(x$model, x), error_choice_words(x)),
    follows = c(kind[2], if (x$unrelated) {
      sprintf("you claim that what is fixed about %s is unrelated to %s", entities, x$focus)
    } else {
      "its own variation decides, no test"
    }, error_reason_words(x))
  )
  rbind(start, do.call(rbind, lapply(names(appraisal_steps(x)), test_row, x)))
}

error_choice_words <- function(x) {
  if (is.null(x$errors$spec)) return("none")
  if (x$errors$entities == 1) return("Newey-West")
  form <- if (x$errors$spec$type == "CR2") ", CR2 with Satterthwaite's df" else ""
  widened <- if (inherits(x$errors$spec, "se_widened")) ", widened" else ""
  paste0("clustered by ", if (x$errors$by == "entity") x$entity else x$period, form, widened)
}

error_reason_words <- function(x) {
  if (is.null(x$errors$spec)) return("these rows tell no clustered errors")
  if (x$errors$entities == 1) return(sprintf("one %s is no clusters", x$entity))
  if (x$errors$shared) {
    return(sprintf("%s may share shocks that go with %s: the wider of two errors is taken", plural_of(x$entity),
                   x$focus))
  }
  if (x$kind == "common") return(sprintf("the wider of those by %s and by %s", x$entity, x$period))
  if (x$kind == "fixed") return(sprintf("rows of one %s are related", x$entity))
  sprintf("rows of one %s are related; %s show no shared shocks that go with %s", x$entity, plural_of(x$entity),
          x$focus)
}

# Questions of the tests, and what both answers say.
appraisal_steps <- function(x) {
  entities <- plural_of(x$entity)
  list(
    entities = c(sprintf("Do %s differ in level?", entities),
                 sprintf("rows of one %s are not unrelated", x$entity), "no sign does not show that they are alike"),
    periods = c(sprintf("Do %s differ in level?", plural_of(x$period)),
                sprintf("all %s share what happens in %s", entities, one_of_a(x$period)),
                "no sign does not show that they are alike"),
    mundlak = c(sprintf("Is what is fixed about %s related to the regressors?", entities),
                "random effects and pooled least squares are biased",
                "that no relation is seen does not show that there is none"),
    serial = c(sprintf("Are disturbances of one %s related over time?", x$entity),
               sprintf("errors clustered by %s allow for it", x$entity),
                 sprintf("errors clustered by %s cost little", x$entity)),
    variance = c(sprintf("Do disturbances spread more for some %s?", entities),
                 sprintf("errors clustered by %s or by %s allow for it", x$entity, x$period), "nothing follows"),
    cross_section = c(sprintf("Do %s share shocks?", entities),
                      sprintf("only those that go with %s matter, which the errors look at", x$focus),
                        "nothing follows")
  )
}

test_row <- function(name, x) {
  words <- appraisal_steps(x)[[name]]
  test <- x$tests[[name]]
  if (is.null(test)) {
    reason <- if (name %in% names(x$skipped)) x$skipped[[name]] else "the fit that it needs cannot be estimated"
    return(data.frame(step = name, question = words[1], test = "not tested", p_value = NA_real_, answer = "not known",
                      follows = reason))
  }
  yes <- is_rejected(x, name)
  doubt <- yes && name == "cross_section" && length(test$cautions) > 0
  data.frame(step = name, question = words[1], test = test$method, p_value = unname(test$p.value),
             answer = if (doubt) "perhaps" else if (yes) "yes" else "no sign of it",
             follows = if (doubt) "serial correlation alone makes this test reject" else if (yes) words[2] else
               words[3])
}

interval_text <- function(estimate, low, high, std_error, level) {
  places <- estimate_decimals(estimate, std_error)
  number <- function(v) format_number(v, decimals = places)
  if (!is.finite(low)) return(sprintf("%s, without an interval", number(estimate)))
  sprintf("%s (%s percent interval %s to %s)", number(estimate), percent_words(1 - level), number(low), number(high))
}

recommendation_words <- function(x) {
  entities <- plural_of(x$entity)
  row <- x$errors$row
  told <- interval_text(row$estimate, x$interval[["low"]], x$interval[["high"]],
                        if (is.null(row$std_error)) NA_real_ else row$std_error, x$level)
  sentences <- focus_sentences(x)
  what <- if (is.null(x$about$term)) focus_step_words(x) else x$focus
  if (identical(x$errors$reason, "dropped")) return(sprintf("This model says nothing on %s.", x$focus))
  if (x$standing == "comparison") {
    return(c(sprintf(paste("No model here tells the effect of %s: it does not change within %s, and whether it is",
                           "related to what else is fixed about them cannot be tested. As a comparison between",
                           "%s: %s."),
                     x$focus, entities, entities, told), sentences))
  }
  if (x$standing == "none") {
    return(c(sprintf("%s, by %s: %s.", what, candidate_words(x$model, x), told), no_interval_words(x)))
  }
  c(sprintf("Use %s, errors %s. %s: %s.", candidate_words(x$model, x), error_choice_words(x), what, told), sentences,
    if (x$unrelated) sprintf("This rests on your claim that what is fixed about %s is unrelated to %s.", entities,
                             x$focus))
}

# What is changed of a focus that enters several terms.
focus_step_words <- function(x) {
  unit <- formula_units(x$fit)[[x$about$unit]]
  sprintf("%s at the means", upper_first(unit_steps(x$fit, unit)[[1]]$words))
}

# Sentences on the focus, of the recommended fit.
focus_sentences <- function(x) {
  if (is.null(x$about$unit)) return(NULL)
  units <- formula_units(x$fit)
  unit <- units[[x$about$unit]]
  said <- tryCatch(unit_sentences(x$fit, units, unit, 1 - x$level), wavetax_error = function(cnd) NULL)
  words <- vapply(said, `[[`, "", "words")
  if (!is.null(x$about$term) && length(words) > 1) {
    words <- words[vapply(said, `[[`, "", "term") == x$about$term]
  }
  words
}

no_interval_words <- function(x) {
  switch(x$errors$reason,
    "of outcome" = c("No interval is promised.", as_sentences(told_of_outcome(x$fit))),
    "perfect fit" = "The model fits every row: no noise is left to tell an interval.",
    lost = sprintf("Only one %s tells about %s: no interval.", x$errors$lost_in, x$focus),
    "few entities" = sprintf("%s %s no interval: at least %s are needed.%s",
                             upper_first(count_of(x$errors$entities, x$entity)), verb(x$errors$entities, "tell"),
                             count_words(fewest_told_entities),
                             if (x$errors$entities == 1) " Of one time series `se_newey_west()` has errors." else ""),
    "few periods" = sprintf("%s %s no interval of what all %s share: at least 3 are needed.",
                            upper_first(count_of(x$errors$periods, x$period)), verb(x$errors$periods, "tell"),
                              plural_of(x$entity)),
    "These rows tell no clustered errors: no interval."
  )
}

caveat_words <- function(x) {
  entities <- plural_of(x$entity)
  periods <- plural_of(x$period)
  c(
    if (!x$unrelated && x$kind != "fixed") {
      sprintf("Effects of %s are taken out whatever the tests say.",
              if (x$kind == "common") entities else sprintf("%s and %s", entities, periods))
    },
    beside_words(x), by_tests_words(x),
    if (x$kind == "common" && x$standing == "interval") common_words(x),
    if (x$errors$shared) {
      sprintf("%s may share shocks that go with %s: the wider of two errors is taken, that by %s.",
              upper_first(entities), x$focus, x$period)
    },
    thin_words(x), untold_words(x), unused_serial_words(x),
    if (x$kind != "fixed" && !x$unrelated) {
      sprintf(paste("Effects take out what does not change. What changes together with %s and moves %s itself is not",
                    "taken out."),
              x$focus, outcome_words(x$fit)$name)
    }
  )
}

# What is related over time is in the errors, and not in the estimator.
unused_serial_words <- function(x) {
  p <- x$tests$serial$p.value
  if (x$standing != "interval" || !isTRUE(p < x$level)) return(NULL)
  sprintf(paste("The errors allow for what is related over time; `serial = \"ar1\"` would use it for a more precise",
                "slope, at the price of one rho for all %s: `?remedies`."), plural_of(x$entity))
}

beside_words <- function(x) {
  row <- x$choices[x$choices$role == "if unrelated", ]
  p <- if (is.null(x$tests$mundlak)) NA_real_ else x$tests$mundlak$p.value
  entities <- plural_of(x$entity)
  if (x$unrelated) {
    if (isTRUE(p < 0.2)) {
      return(sprintf("A test of the claim speaks against it: what is fixed about %s goes with the regressors (%s).",
                     entities,
                     p_words(p)))
    }
    return(sprintf("The test of that claim (%s) cannot establish it.", p_words(p)))
  }
  if (nrow(row) == 0 || !is.finite(row$low)) return(NULL)
  own <- diff(x$interval)
  ratio <- (row$high - row$low) / own
  paste0(sprintf(paste("If what is fixed about %s were unrelated to %s, which no test establishes, random effects",
                       "would give %s"),
                 entities, x$focus, interval_text(row$estimate, row$low, row$high, row$std_error, x$level)),
         if (is.finite(ratio)) sprintf(", an interval %s times as long", format_number(ratio, 2)),
         if (!is.na(p)) sprintf("; the robust test of a relation has %s", p_words(p)), ".")
}

by_tests_words <- function(x) {
  row <- x$choices[x$choices$role == "by tests", ]
  if (identical(x$errors$reason, "of outcome")) return(NULL)
  if (nrow(row) == 0) return("A choice by tests on the same data would have given the same model.")
  sprintf("A choice by tests on the same data would have given %s: %s. Intervals after such a choice are too short.",
          candidate_words(row$candidate, x), interval_text(row$estimate, row$low, row$high, row$std_error, x$level))
}

common_words <- function(x) {
  c(sprintf(paste("%s stand behind this interval, not %s, and what else happened in them cannot be told apart. Shocks",
                  "that outlast %s make it too short (it then covers about 84 to 96 percent)."),
            upper_first(count_of(x$errors$periods, x$period)), count_of(x$fit$n, "row"), one_of_a(x$period)),
    if (x$errors$periods < 5) {
      sprintf("%s are too few for more than a direction.", upper_first(count_of(x$errors$periods, x$period)))
    })
}

# Few that carry it, little variation, few paths.
thin_words <- function(x) {
  df <- x$errors$row$df
  entities <- plural_of(x$entity)
  by <- if (identical(x$errors$by, "period")) plural_of(x$period) else entities
  share <- within_share(x)
  paths <- count_paths(x)
  c(
    if (x$standing != "none" && isTRUE(df < 4)) {
      sprintf("Few %s carry it (%s degrees of freedom): the interval is wide, and holds.", by, format_number(df, 2))
    },
    if (x$kind == "varying" && isTRUE(share < 0.05)) {
      sprintf("Only %s percent of the variation of %s is within %s and %s.", format_number(100 * share, 2), x$focus,
              entities,
              plural_of(x$period))
    },
    if (x$kind == "varying" && x$standing != "none" && isTRUE(paths < x$errors$entities)) {
      sprintf("%s have %s of %s between them: if %s was set for groups, cluster by them.", upper_first(entities),
              count_of(paths, "path"), x$focus, x$focus)
    }
  )
}

# The share of the focus' variation that the effects leave.
within_share <- function(x) {
  values <- focus_values(x$fits$pooled, x$about)
  fit <- x$fits$`two-way`
  if (is.null(values) || is.null(fit)) return(NA_real_)
  system <- fit_effect_system(fit)
  on.exit(core_release(system))
  root <- if (is.null(system$weights)) 1 else sqrt(system$weights)
  rest <- core_swept_columns(list(values * root), system)
  total <- sum(root^2 * (values - sum(root^2 * values) / sum(rep_len(root^2, length(values))))^2)
  sum(rest^2) / total
}

focus_values <- function(fit, focus) {
  if (!is.null(focus$term)) return(fit$design$x[[focus$term]])
  unit <- formula_units(fit)[[focus$unit]]
  if (unit$kind == "category") NULL else unit$values
}

# How many different series the focus has over entities: one that agrees with another wherever both are seen is no new
# one.
count_paths <- function(x) {
  fit <- x$fits$pooled
  values <- focus_values(fit, x$about)
  used <- used_index(fit$design)
  if (is.null(values) || length(values) > 1e5) return(NA_real_)
  period <- rank_codes(used$clock - min(used$clock) + 1L)
  paths <- matrix(NA_real_, 0, period$count)
  rows <- split(seq_along(values), used$entity)
  for (at in rows[order(-lengths(rows))]) {
    own <- rep(NA_real_, period$count)
    own[period$codes[at]] <- signif(values[at], 12)
    apart <- rowSums(paths != rep(own, each = nrow(paths)), na.rm = TRUE)
    same <- which(apart == 0 & rowSums(!is.na(paths) & rep(!is.na(own), each = nrow(paths))) > 0)
    if (length(same) == 0) paths <- rbind(paths, own)
    if (nrow(paths) > 200) return(NA_real_)
  }
  nrow(paths)
}

untold_words <- function(x) {
  dropped <- dropped_terms(x$fit)
  dropped <- dropped[!grepl(sprintf("factor(%s)", x$period), dropped$term, fixed = TRUE), ]
  if (nrow(dropped) == 0) return(NULL)
  sprintf("It says nothing on %s (%s).", list_some(dropped$term, 4), dropped$reason[1])
}
