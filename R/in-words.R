#' Coefficients in sentences
#'
#' Question answered: *what do these numbers say?* A sentence on each variable: what one more of it goes with, all terms
#' that it enters taken together (its square, its products, its logarithm), at the mean of the rows used, with the
#' interval of that same combination of coefficients.
#'
#' With f the fitted function of x and m the mean of x over the rows used (weighted as the fit is), "one more of x" is
#' the exact finite change f(m + 1) - f(m); of an outcome in logarithms 100(exp(f(m + 1) - f(m)) - 1) percent; of a
#' variable that enters by its logarithm alone 1 percent more. Categories are set against their base, 0/1 variables at 1
#' against 0. Where x has products with a category or a 0/1 variable there is a sentence for each of its levels; with a
#' number it stands at its mean, which is said. An outcome of 0 and 1 changes by percentage points. An interval that
#' covers 0 is said to.
#'
#' @param fit A fit of any of the `fit_` functions.
#' @param terms Coefficients, by name or number: what they are made of is told; `NULL`: all slopes.
#' @param level Coverage of the interval.
#' @param ... Takes nothing; what is misspelt is told.
#' @return A data frame of class `in_words` with a row a sentence: `term`, the coefficient or variable it is on;
#'   `words`; `estimate`, `low` and `high`, the change in the unit of the sentence. It prints the sentences.
#' @section Errors:
#' `wavetax_error_unknown_term`; `wavetax_error_level`; `wavetax_error_slim` of a fit without its rows.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' in_words(fit_fixed(log(nights) ~ levy + log(fuel) + pennant, panel))
#' in_words(fit_fixed(log(nights) ~ levy + I(levy^2) + coast:storms, panel))
#' @export
in_words <- function(fit, terms = NULL, level = 0.95, ...) {
  check_own_arguments(..., of = in_words, name = "in_words()")
  check_is_fit(fit)
  terms <- bare_names(rlang::enquo(terms), kept_terms(fit))
  check_level(level)
  check_keeps_rows(fit, "means of its regressors")
  # What is told of instruments is computed once for all sentences.
  if (!is.null(fit$instrumented)) fit$errors$instruments_told <- told_of_instruments(fit)
  all <- kept_terms(fit)
  chosen <- if (is.null(terms)) slope_names(fit) else chosen_terms(terms, all)
  if (!is.character(chosen)) chosen <- all[chosen]
  units <- formula_units(fit)
  said <- list()
  for (term in unique(chosen)) {
    if (!is.null(terms) && is_level_of(units, term, fit)) {
      said[[term]] <- Filter(function(one) one$term == term,
                             unit_sentences(fit, units, units[[units_of_term(fit, units, term)]],
                                                                            level))
      next
    }
    wanted <- units_of_term(fit, units, term)
    fresh <- setdiff(wanted, names(said))
    if (length(wanted) == 0) said[[term]] <- list(plain_sentence(fit, term, level))
    for (name in fresh) said[[name]] <- unit_sentences(fit, units, units[[name]], level)
  }
  rows <- unlist(unname(said), recursive = FALSE)
  pick <- function(field) vapply(rows, `[[`, 0, field)
  structure(
    data.frame(term = vapply(rows, `[[`, "", "term"), words = vapply(rows, `[[`, "", "words"),
               estimate = pick("estimate"), low = pick("low"), high = pick("high")),
    class = c("in_words", "data.frame"), of = fit$design$outcome, disturbances = disturbance_words(fit),
    instruments = told_of_slope(fit), of_outcome = told_of_outcome(fit)
  )
}

# What AR(1) says of the disturbances; of entities each with its own rho, of the middle one.
disturbance_words <- function(fit) {
  if (!is_serial(fit)) return(NULL)
  rho <- stats::median(fit$serial$rho)
  period <- fit$design$index$period
  sprintf("What the regressors leave of one %s %s: from one %s to the next a correlation of %s, two %s apart %s%s.",
          fit$design$index$entity, if (rho >= 0) "fades" else "swings back", period, fixed_decimals(rho, 2),
          plural_of(period), fixed_decimals(rho^2, 2), if (length(fit$serial$rho) > 1) " (the middle one)" else "")
}

# What instruments tell of the slope that they move, for its sentence.
told_of_slope <- function(fit) {
  facts <- fit$instrumented
  if (is.null(facts)) return(NULL)
  told <- told_of_instruments(fit)
  c(facts[c("endogenous", "instruments")], told, list(places = set_decimals(told$set, fit)))
}

# What a coefficient is of: the units of its term that a sentence can be on.
units_of_term <- function(fit, units, term) {
  at <- match(term, names(fit$design$x))
  place <- fit$design$blueprint$assign[at]
  if (is.na(at) || is.na(place)) return(character())
  mine <- Filter(function(unit) place %in% unit$terms && unit$kind != "other", units)
  sayable <- Filter(function(unit) unit_is_told(fit, units, unit), mine)
  numbers <- Filter(function(unit) unit$kind == "number", sayable)
  names(if (length(numbers) > 0) numbers else utils::head(sayable, 1))
}

# Whether a coefficient is that of one level of a category alone, which can be told by itself.
is_level_of <- function(units, term, fit) {
  own <- units_of_term(fit, units, term)
  length(own) == 1 && units[[own]]$kind == "category" && length(units_beside(units, units[[own]])) == 0
}

# A variable that effects hold has no effect of its own here, only what it changes in others' slopes.
unit_is_told <- function(fit, units, unit) {
  if (unit$alone) return(TRUE)
  if (unit$kind == "category") return(FALSE)
  if (!has_swept_effects(fit)) return(TRUE)
  !any(vapply(fit$effects, function(set) {
    set$intercept && held_by_groups(unit$values, set$groups)
  }, TRUE))
}

# Levels that a product sets side by side, at the most.
most_sentences <- 12

# The sentences on one unit: a list of list(term, words, estimate, low, high).
unit_sentences <- function(fit, units, unit, level) {
  beside <- units_beside(units, unit)
  split <- Filter(function(other) other$kind %in% c("category", "indicator"), beside)
  levels <- lapply(split, function(other) if (other$kind == "category") other$values else c(0, 1))
  cases <- if (length(split) == 0 || prod(lengths(levels)) > most_sentences) {
    list(list())
  } else {
    grid <- expand.grid(levels, stringsAsFactors = FALSE, KEEP.OUT.ATTRS = FALSE)
    lapply(seq_len(nrow(grid)), function(r) as.list(grid[r, , drop = FALSE]))
  }
  steps <- unit_steps(fit, unit)
  unlist(lapply(steps, function(step) {
    lapply(cases, function(case) one_sentence(fit, units, unit, step, case, beside, level))
  }), recursive = FALSE)
}

# From where to where a unit is changed, in words: list(from, to, words, curved).
unit_steps <- function(fit, unit) {
  name <- unit_words(fit, unit)
  if (unit$kind == "category") {
    base <- unit$values[1]
    if (identical(unit$values, c("FALSE", "TRUE"))) {
      return(list(list(from = base, to = "TRUE", words = sprintf("where %s", name), curved = FALSE)))
    }
    return(lapply(unit$values[-1], function(value) {
      list(from = base, to = value, words = sprintf("%s %s rather than %s", name, value, base), curved = FALSE)
    }))
  }
  if (unit$kind == "indicator") {
    return(list(list(from = 0, to = 1, words = sprintf("%s at 1 rather than 0", name), curved = FALSE)))
  }
  calls <- as.list(attr(fit$design$blueprint$terms, "variables"))[-(1:2)][unit$variables]
  logged <- all(vapply(calls, function(call) {
    is_operator(call, "log") && length(call) == 2 && identical(call[[2]], unit$call)
  }, TRUE))
  if (logged) {
    return(list(list(from = unit$mean, to = 1.01 * unit$mean, words = sprintf("1 percent more of %s", name),
                     curved = FALSE)))
  }
  plain <- all(vapply(calls, identical, TRUE, unit$call))
  list(list(from = unit$mean, to = unit$mean + 1, words = sprintf("one more of %s", name), curved = !plain))
}

# A label within a sentence: its unit in brackets, "Wave tax (crowns a metre)".
sentence_label <- function(label) sub("^([^,(]+), ([^,]+)$", "\\1 (\\2)", label)

unit_words <- function(fit, unit) {
  labels <- fit_labels(fit)
  call <- unit$call
  period <- fit$design$index$period
  if (is_operator(call, c("past", "ahead", "change")) && is.symbol(call[[2]])) {
    shown <- sentence_label(labelled(as.character(call[[2]]), labels))
    k <- if (length(call) > 2) call[[3]] else 1
    apart <- if (is.numeric(k)) count_of(k, if (is.null(period)) "period" else period) else deparse_words(k)
    return(switch(as.character(call[[1]]), past = sprintf("%s %s before", shown, apart),
                  ahead = sprintf("%s %s ahead", shown, apart),
                  change = sprintf("the change of %s since %s before", shown, apart)))
  }
  if (is_operator(call, c("factor", "against")) && is.symbol(call[[2]])) {
    return(sentence_label(labelled(as.character(call[[2]]), labels)))
  }
  sentence_label(labelled(unit$name, labels))
}

one_sentence <- function(fit, units, unit, step, case, beside, level) {
  from <- c(stats::setNames(list(step$from), unit$name), case)
  to <- c(stats::setNames(list(step$to), unit$name), case)
  contrast <- change_contrast(fit, units, from, to)
  row <- combination_of(fit, contrast, level)
  outcome <- outcome_words(fit)
  said <- change_words(row, outcome, level, readable = !rests_on_weak(fit, names(contrast)[contrast != 0]))
  numbers <- Filter(function(one) one$kind %in% c("number", "indicator") && !one$name %in% names(case), beside)
  where <- c(
    if (length(case) > 0) sprintf("for %s", list_words(vapply(names(case), function(name) {
      paste(unit_words(fit, units[[name]]), case[[name]])
    }, ""))),
    if (step$curved) sprintf("from its mean of %s", short_number(unit$mean)),
    if (length(numbers) > 0) sprintf("with %s", list_words(vapply(numbers, function(one) {
      sprintf("%s at its mean of %s", unit_words(fit, one), short_number(one$mean))
    }, "")))
  )
  others <- setdiff(slope_names(fit), names(contrast)[contrast != 0])
  words <- paste0(
    upper_first(comparison_words(fit, unit)), ", ", step$words,
    if (length(where) > 0) paste0(", ", paste(where, collapse = ", "), ","), " goes with ", said$words,
    if (length(others) > 0) ", the other regressors held", ".",
    if (step$curved && length(case) == 0 && length(numbers) == 0) turn_words(fit, unit), outcome_caution(fit)
  )
  list(term = unit_term(fit, unit, contrast), words = words, estimate = said$value, low = said$low, high = said$high)
}

# Behind every sentence of a fit that has a regressor made of the outcome.
outcome_caution <- function(fit) {
  kinds <- fit$of_outcome$kind
  if ("past" %in% kinds) return(" Biased, as the outcome's own past is among the regressors.")
  if ("now" %in% kinds) return(" Biased, as a regressor is made of the outcome.")
  if ("later" %in% kinds) " Biased if what comes later answers to the outcome."
}

# The coefficient that a sentence is on, or the variable where it takes several.
unit_term <- function(fit, unit, contrast) {
  used <- names(contrast)[contrast != 0]
  if (length(used) == 1) used else unit$name
}

# A change of the outcome: list(words, value, low, high, in the unit of the sentence).
change_words <- function(row, outcome, level, readable = TRUE) {
  as <- if (outcome$log) function(b) 100 * (exp(b) - 1) else if (outcome$share) function(b) 100 * b else identity
  value <- as(row$estimate)
  ends <- as(c(row$low, row$high))
  one <- function(v) short_number(abs(v))
  if (outcome$share) {
    side <- function(v) if (v < 0) "lower" else "higher"
    amount <- sprintf("a share of %s that is %s percentage points %s", outcome$name, one(value), side(value))
    less <- "lower"
    more <- "higher"
  } else {
    less <- less_word(outcome$name)
    more <- "more"
    amount <- sprintf("%s%s %s %s", one(value), if (outcome$log) " percent" else "", if (value < 0) less else more,
                      outcome$name)
  }
  interval <- if (readable) interval_words(ends, level, less, more) else " (not to be read: the instruments are weak)"
  list(words = paste0(amount, interval), value = value, low = ends[1], high = ends[2])
}

# Whether these coefficients are, one at least, of a regressor whose instruments are weak.
rests_on_weak <- function(fit, terms) {
  if (!any(fit$instrumented$endogenous %in% terms)) return(FALSE)
  strength <- told_of_instruments(fit)$strength
  !is.null(strength) && nrow(strength) == 1 && strength_verdict(strength) == "weak"
}

less_word <- function(noun) if (grepl("[^s]s$", noun)) "fewer" else "less"

# "(95 percent interval 2.9 to 5.9 fewer)", with the words for less and more.
interval_words <- function(ends, level, less, more) {
  if (anyNA(ends)) return(" (no interval: these errors do not exist for it)")
  one <- function(v) short_number(abs(v))
  said <- if (ends[2] <= 0) {
    sprintf("%s to %s %s", one(ends[2]), one(ends[1]), less)
  } else if (ends[1] >= 0) {
    sprintf("%s to %s %s", one(ends[1]), one(ends[2]), more)
  } else {
    sprintf("%s %s to %s %s: it covers 0", one(ends[1]), less, one(ends[2]), more)
  }
  sprintf(" (%s percent interval %s)", label_text(100 * level), said)
}

short_number <- function(x) format_number(x, 2)

# What the outcome is: its name, whether it is in logs, and whether it is of 0 and 1.
outcome_words <- function(fit) {
  left <- rlang::f_lhs(fit$design$formula)
  logged <- is.call(left) && identical(left[[1]], as.name("log")) && length(left) == 2
  y <- level_design(fit)$y
  list(log = logged, share = !logged && length(y) > 0 && all(y == 0 | y == 1),
       name = sentence_label(labelled(deparse_words(if (logged) left[[2]] else left), fit_labels(fit))))
}

fit_labels <- function(fit) fit$design$index$labels

# Where the comparison is: "within a harbour", "between harbours".
comparison_words <- function(fit, unit = NULL) {
  index <- fit$design$index
  entity <- index$entity
  kind <- model_kind(fit)
  if (kind == "between") return(sprintf("between %s", plural_of(fit$design$between)))
  if (kind == "difference") {
    return(sprintf("from one %s to the next%s", index$period, if (has_effects(fit))
      sprintf(", set against others of the same %s", index$period) else ""))
  }
  if (!is.null(entity) && !is.null(unit) && !has_swept_effects(fit) &&
      unit_is_fixed(fit, unit)) return(sprintf("between %s", plural_of(entity)))
  if (kind == "correlated") return(sprintf("within %s", one_of_a(effect_names(fit))))
  if (has_swept_effects(fit)) {
    names <- effect_names(fit)
    trends <- length(unlist(lapply(fit$effects, `[[`, "trends"))) > 0
    own <- if (!is.null(entity) && entity %in% names) entity else names[1]
    if (identical(own, index$period)) return(sprintf("between %s of one %s", plural_of(entity), own))
    others <- setdiff(names, own)
    return(paste0("within ", one_of_a(own), if (trends) " and around its own trend",
                  if (length(others) > 0) sprintf(", set against others of the same %s", list_words(others))))
  }
  if (kind == "random") return(sprintf("within and between %s alike", list_words(plurals_of(effect_names(fit)))))
  "between any two rows"
}

# A coefficient that is of no variable by itself: the constant, and what the means of groups add.
plain_sentence <- function(fit, term, level) {
  row <- coefficient_table(fit, match(term, kept_terms(fit)), level)
  number <- function(words) list(term = term, words = words, estimate = row$estimate, low = row$low, high = row$high)
  ends <- c(row$low, row$high)
  interval <- if (anyNA(ends)) "" else sprintf(" (%s percent interval %s to %s)", label_text(100 * level),
                                              short_number(ends[1]), short_number(ends[2]))
  if (term == constant_term) {
    return(number(sprintf("Where all regressors are 0, %s is %s on average%s.", fit$design$outcome,
                          short_number(row$estimate), interval)))
  }
  role <- fit$coefficients$role[match(term, fit$coefficients$term)]
  if (role == "mean") {
    return(number(sprintf("Between %s the slope of %s is %s %s than within one%s.", plural_of(effect_names(fit)[1]),
                          sub("^mean\\((.*)\\)$", "\\1", term), short_number(abs(row$estimate)),
                          if (row$estimate < 0) "lower" else "higher", interval)))
  }
  number(sprintf("With the other regressors held, one more of %s goes with %s %s of %s%s.", term,
                 short_number(abs(row$estimate)), if (row$estimate < 0) "less" else "more", fit$design$outcome,
                   interval))
}

# Where a curve of x and its square turns.
turn_words <- function(fit, unit) {
  b <- kept_estimates(fit)
  square <- sprintf("I(%s^2)", unit$name)
  of_unit <- names(fit$design$x)[fit$design$blueprint$assign %in% unit$terms]
  if (!all(c(unit$name, square) %in% names(b)) || !setequal(of_unit,
                                                            c(unit$name, square)) || b[[square]] == 0) return("")
  turn <- -b[[unit$name]] / (2 * b[[square]])
  inside <- turn > min(unit$values) && turn < max(unit$values)
  sprintf(" The curve turns at %s, %s.", short_number(turn), if (inside) "within what is seen" else
            "beyond what is seen")
}
