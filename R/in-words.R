#' Coefficients in sentences
#'
#' Question answered: *what does this number say?* Each coefficient as a sentence, in the words of the data and suited
#' to the model and to how outcome and regressor are written: levels, logs (exactly, 100(exp(b) - 1) percent), squares
#' (where the turning point is, and the slope at the mean), products, categories, and 0/1 indicators. With its interval.
#'
#' @param fit A fit of any of the `fit_` functions.
#' @param terms Coefficients, by name or number; `NULL`: all slopes.
#' @param level Coverage of the interval.
#' @return A data frame of class `in_words` with a row a coefficient: `term`, `words`; it prints the sentences.
#' @section Errors:
#' `wavetax_error_unknown_term`; `wavetax_error_level`.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' in_words(fit_fixed(log(nights) ~ levy + log(fuel) + pennant, panel))
#' @export
in_words <- function(fit, terms = NULL, level = 0.95) {
  check_is_fit(fit)
  check_level(level)
  all <- kept_terms(fit)
  chosen <- if (is.null(terms)) slope_names(fit) else chosen_terms(terms, all)
  if (!is.character(chosen)) chosen <- all[chosen]
  chosen <- unique(chosen)
  table <- coefficient_table(fit, match(chosen, all), level)
  words <- vapply(seq_along(chosen), function(j) sentence_of(fit, table[j, ], level), "")
  structure(data.frame(term = chosen, words = words), class = c("in_words", "data.frame"), of = fit$design$outcome)
}

# Where the comparison is: "within a harbour", "between harbours".
comparison_words <- function(fit, role) {
  entity <- fit$design$index$entity
  if (fit$method == "between") return(sprintf("between %s", plural_of(fit$design$between)))
  if (fit$method == "difference") return(sprintf("from one %s to the next", fit$design$index$period))
  if (fit$method == "correlated" && role == "slope") return(sprintf("within a %s", effect_names(fit)))
  if (has_swept_effects(fit)) {
    names <- effect_names(fit)
    trends <- length(unlist(lapply(fit$effects, `[[`, "trends"))) > 0
    own <- if (!is.null(entity) && entity %in% names) entity else names[1]
    others <- setdiff(names, own)
    return(paste0("within a ", own, if (trends) " and around its own trend",
                  if (length(others) > 0) sprintf(", set against others of the same %s", list_words(others))))
  }
  if (fit$method == "random") return(sprintf("within and between %s alike", list_words(plurals_of(effect_names(fit)))))
  "between any two rows"
}

sentence_of <- function(fit, row, level) {
  term <- row$term
  if (term == constant_term) {
    return(sprintf("Where all regressors are 0, %s is %s on average.", outcome_words(fit)$name,
                   short_number(row$estimate)))
  }
  role <- fit$coefficients$role[match(term, fit$coefficients$term)]
  outcome <- outcome_words(fit)
  parts <- regressor_words(fit, term)
  where <- comparison_words(fit, role)
  first <- paste0(upper_first(where), ", ")
  if (role == "mean") {
    return(paste0(sprintf("Between %s the slope of %s is ", plural_of(effect_names(fit)[1]),
                          sub("^mean\\((.*)\\)$", "\\1", term)),
                  short_number(abs(row$estimate)), if (row$estimate < 0) " lower" else " higher", " than within one",
                  interval_words(row, level, identity), "."))
  }
  if (is_fixed_within(fit, term)) {
    first <- sprintf("Between %s, ", plural_of(fit$design$index$entity))
    parts <- regressor_words(fit, term, paste("a", fit$design$index$entity))
  }
  if (parts$kind == "square") return(square_sentence(fit, term, parts, first))
  if (parts$kind == "product") {
    return(paste0(sprintf("The slope of %s changes by %s with one more of %s", parts$of[1], short_number(row$estimate),
                          list_words(parts$of[-1])), interval_words(row, level, identity), ": it is not one number."))
  }
  effect <- effect_of(row, outcome, parts)
  paste0(first, parts$subject(fit), " has ", effect$said,
         interval_words(row, level, effect$as, less_word(outcome$name), "more"), all_else(fit), ".")
}

all_else <- function(fit) if (length(slope_names(fit)) > 1) ", the others held" else ""

# The estimate as a change of the outcome: list(said, as: how a coefficient is read).
effect_of <- function(row, outcome, parts) {
  b <- row$estimate
  unit <- parts$unit
  if (outcome$log) {
    as <- if (parts$log) function(b) 100 * ((1.01)^b - 1) else function(b) 100 * (exp(b * unit) - 1)
    value <- as(b)
    return(list(as = as, said = sprintf("%s percent %s", short_number(abs(value)), amount_words(value, outcome$name))))
  }
  as <- if (parts$log) function(b) b * log(1.01) else function(b) b * unit
  value <- as(b)
  list(as = as, said = sprintf("%s %s", short_number(abs(value)), amount_words(value, outcome$name)))
}

# "fewer nights", "less output", "more nights"
amount_words <- function(value, noun) paste(if (value >= 0) "more" else less_word(noun), noun)
less_word <- function(noun) if (grepl("[^s]s$", noun)) "fewer" else "less"

# "(95 percent interval 2.9 to 5.9 fewer)", with the words for less and more.
interval_words <- function(row, level, as, less = NULL, more = NULL) {
  if (!is.finite(row$low) || !is.finite(row$high)) return("")
  ends <- sort(c(as(row$low), as(row$high)))
  said <- if (is.null(less)) {
    sprintf("%s to %s", short_number(ends[1]), short_number(ends[2]))
  } else if (ends[2] <= 0) {
    sprintf("%s to %s %s", short_number(-ends[2]), short_number(-ends[1]), less)
  } else if (ends[1] >= 0) {
    sprintf("%s to %s %s", short_number(ends[1]), short_number(ends[2]), more)
  } else {
    sprintf("%s %s to %s %s", short_number(-ends[1]), less, short_number(ends[2]), more)
  }
  sprintf(" (%s percent interval %s)", label_text(100 * level), said)
}

short_number <- function(x) format_number(x, 2)

# What the outcome is: its name, and whether it is in logs.
outcome_words <- function(fit) {
  left <- rlang::f_lhs(fit$design$formula)
  logged <- is.call(left) && identical(left[[1]], as.name("log")) && length(left) == 2
  list(log = logged, name = labelled(deparse_words(if (logged) left[[2]] else left), fit_labels(fit)))
}

fit_labels <- function(fit) fit$design$index$labels

# How a regressor is written: list(kind, of, log, unit, subject: the row that has more of it).
regressor_words <- function(fit, term, one = row_noun(fit)) {
  period <- fit$design$index$period
  labels <- fit_labels(fit)
  levels <- fit$design$blueprint$xlevels
  for (variable in names(levels)) {
    at <- match(term, paste0(variable, levels[[variable]]))
    if (!is.na(at)) {
      base <- levels[[variable]][1]
      return(list(kind = "category", of = variable, log = FALSE, unit = 1, subject = function(fit) {
        sprintf("%s with %s %s, not %s,", one, labelled(variable, labels), levels[[variable]][at], base)
      }))
    }
  }
  expr <- tryCatch(str2lang(term), error = function(cnd) as.name(term))
  if (is_operator(expr, ":") || grepl(":", term, fixed = TRUE)) {
    return(list(kind = "product", of = strsplit(term, ":", fixed = TRUE)[[1]], log = FALSE, unit = 1))
  }
  if (is_operator(expr, "I")) {
    inner <- expr[[2]]
    if (is_operator(inner, "^") && is.symbol(inner[[2]]) && identical(as.numeric(inner[[3]]), 2)) {
      return(list(kind = "square", of = as.character(inner[[2]]), log = FALSE, unit = 1))
    }
  }
  logged <- is_operator(expr, "log") && length(expr) == 2
  name <- if (logged) deparse_words(expr[[2]]) else term
  shown <- labelled(name, labels)
  if (is_operator(expr, c("past", "ahead", "change")) && is.symbol(expr[[2]])) {
    shown <- labelled(as.character(expr[[2]]), labels)
    k <- if (length(expr) > 2) deparse_words(expr[[3]]) else "1"
    when <- switch(as.character(expr[[1]]),
                   past = sprintf(" %s before", count_of(as.numeric(k), if (is.null(period)) "period" else period)),
                   ahead = sprintf(" %s ahead", count_of(as.numeric(k), if (is.null(period)) "period" else period)),
                   change = sprintf(" than %s before", count_of(as.numeric(k),
                                                                if (is.null(period)) "period" else period)))
    return(list(kind = "level", of = shown, log = FALSE, unit = 1, subject = function(fit) {
      sprintf("%s with one more of %s%s", one, shown, when)
    }))
  }
  values <- fit$design$x[[term]]
  indicator <- length(values) > 0 && all(values == 0 | values == 1)
  if (!logged && grepl("TRUE$", term)) {
    return(list(kind = "indicator", of = term, log = FALSE, unit = 1, subject = function(fit) {
      sprintf("%s where %s", one, sub("TRUE$", "", term))
    }))
  }
  if (indicator && !logged) {
    return(list(kind = "indicator", of = shown, log = FALSE, unit = 1,
                subject = function(fit) sprintf("%s with %s", one, shown)))
  }
  if (logged) {
    return(list(kind = "log", of = shown, log = TRUE, unit = 1, subject = function(fit) {
      sprintf("%s with 1 percent more %s", one, shown)
    }))
  }
  list(kind = "level", of = shown, log = FALSE, unit = 1, subject = function(fit) {
    sprintf("%s with one more of %s", one, shown)
  })
}

# What a row is of, in a sentence.
row_noun <- function(fit) {
  if (fit$method == "between") return(paste("a", fit$design$between))
  period <- fit$design$index$period
  if (is.null(period) || !is_word(period)) "a row" else paste("a", period)
}

# Whether a regressor of a fit that compares entities is the same in all rows of each.
is_fixed_within <- function(fit, term) {
  x <- fit$design$x[[term]]
  if (is.null(fit$design$index) || length(x) == 0 || has_swept_effects(fit) || !is.null(fit$design$between) ||
      fit$method == "difference") {
    return(FALSE)
  }
  groups <- column_groups(fit$design, fit$design$index$entity)
  first <- x[match(seq_len(groups$count), groups$codes)]
  all(x == first[groups$codes])
}

# A square beside its variable: the slope at the mean, and where it turns.
square_sentence <- function(fit, term, parts, first) {
  b <- kept_estimates(fit)
  x <- fit$design$x[[parts$of]]
  if (!parts$of %in% names(b) || length(x) == 0 || b[[term]] == 0) {
    return(sprintf("%sthe slope of %s grows by %s with one more of it.", first, parts$of, short_number(2 * b[[term]])))
  }
  turn <- -b[[parts$of]] / (2 * b[[term]])
  at <- mean(x)
  outcome <- outcome_words(fit)
  slope <- b[[parts$of]] + 2 * b[[term]] * at
  value <- if (outcome$log) 100 * (exp(slope) - 1) else slope
  inside <- turn > min(x) && turn < max(x)
  sprintf("%sthe slope of %s is not one number: at its mean (%s) one more goes with %s%s %s %s; it turns at %s, %s.",
          first,
          parts$of, short_number(at), short_number(abs(value)), if (outcome$log) " percent" else "",
          if (value < 0) less_word(outcome$name) else "more", outcome$name, short_number(turn),
          if (inside) "within what is seen" else "beyond what is seen")
}
