# Regressors that are made of the outcome, or come after it: least squares with effects takes none of them as given.
#
# Each is one of
#   "past"    the outcome's own past, under whatever function
#   "now"     a function of the outcome itself, or of its future
#   "later"   a regressor's future
# A column is known by its values too, whatever it is called: it moves one to one with the outcome, or with the outcome
# some periods before.

# What a column of drawn outcomes is called, where a test estimates again.
drawn_outcome <- ".drawn"

# A data frame of `variable`, as it is written, and `kind`; without rows where there is none.
outcome_among <- function(design) {
  if (!is.null(design$levels)) design <- design$levels
  terms <- design$blueprint$terms
  calls <- as.list(attr(terms, "variables"))[-1]
  out <- data.frame(variable = character(), kind = character())
  # Offsets are no regressors.
  at <- setdiff(seq_along(calls)[-1], attr(terms, "offset"))
  if (length(at) == 0 || identical(design$outcome, drawn_outcome)) return(out)
  kinds <- vapply(calls[at], written_kind, "", calls[[1]])
  plain <- which(kinds == "" & vapply(calls[at], function(call) length(all.vars(call)) == 1, TRUE))
  kinds[plain] <- kinds_by_values(design, calls[at][plain], calls[[1]])
  out <- data.frame(variable = vapply(calls[at], deparse_words, ""), kind = kinds)
  out[nzchar(out$kind), ]
}

# By how a variable is written.
written_kind <- function(call, left) {
  own <- all.vars(left)
  found <- ""
  walk <- function(part, shift) {
    if (identical(part, left) || is.symbol(part) && length(own) == 1 && identical(as.character(part), own)) {
      if (found != "now") found <<- if (shift > 0) "past" else "now"
      return(invisible())
    }
    if (!is.call(part)) return(invisible())
    name <- call_name(part)
    if (name %in% c("past", "ahead") && length(part) > 1) {
      k <- if (length(part) > 2 && is.numeric(part[[3]])) max(part[[3]]) else 1
      shift <- shift + if (name == "past") k else -k
      if (shift < 0 && !any(own %in% all.vars(part)) && found == "") found <<- "later"
      return(walk(part[[2]], shift))
    }
    for (inner in as.list(part)[-1]) if (!rlang::is_missing(inner)) walk(inner, shift)
  }
  walk(call, 0)
  found
}

# Of how many entities a first look is taken, and how many periods before are looked at.
looked_at_entities <- 20L
looked_at_periods <- 12L

# By the values of the one column that each variable is made of.
kinds_by_values <- function(design, calls, left) {
  out <- rep("", length(calls))
  index <- design$index
  if (is.null(index) || length(calls) == 0 || is.null(design$data)) return(out)
  columns <- unclass(plain_data_frame(design$data))
  own <- intersect(all.vars(left), names(columns))
  if (length(own) != 1) return(out)
  source <- columns[[own]]
  if (!is_plain_numbers(source)) return(out)
  first <- if (index$ordered) seq_len(min(length(index$codes), 400L)) else
    utils::head(which(index$codes <= looked_at_entities), 2000L)
  cells <- index$codes[first] * (index$span + 1) + index$clock[first]
  periods <- 0:min(looked_at_periods, index$span - 1L)
  seen <- lapply(periods, function(k) source[first][match(cells - k, cells)])
  for (j in seq_along(calls)) {
    name <- all.vars(calls[[j]])
    x <- columns[[name]]
    if (name == own || !is_plain_numbers(x)) next
    for (k in periods) {
      if (!goes_with(x[first], seen[[k + 1]], index$clock[first])) next
      if (!goes_with(x, shift_values(as.double(source), index, k), index$clock, few = 8)) next
      out[j] <- if (k == 0) "now" else "past"
      break
    }
  }
  out
}

is_plain_numbers <- function(x) is.numeric(x) && !is.object(x) && is.null(dim(x))

# Whether two columns move one to one: a straight line, or with many values any curve that only rises or falls. What
# follows time alone does so by itself.
goes_with <- function(x, y, clock, few = 0) {
  both <- which(is.finite(x) & is.finite(y))
  if (length(both) < max(few, 1)) return(few == 0)
  x <- as.double(x[both])
  y <- as.double(y[both])
  ends <- c(which.min(y), which.max(y))
  if (y[ends[1]] == y[ends[2]]) return(few == 0)
  slope <- diff(x[ends]) / diff(y[ends])
  if (slope == 0) return(FALSE)
  line <- max(abs(x - x[ends[1]] - slope * (y - y[ends[1]]))) <= 1e-9 * max(abs(x))
  if (few > 0 && is_function_of(x, clock[both])) return(FALSE)
  if (line) return(few == 0 || length(unique(y)) > 2 || length(y) >= 20)
  order <- order(y)
  steps <- diff(x[order]) * sign(slope)
  tied <- diff(y[order]) == 0
  all(steps[tied] == 0) && all(steps[!tied] > 0) && (few == 0 || sum(!tied) >= 20)
}

# Whether x has one value in each period.
is_function_of <- function(x, clock) {
  first <- match(clock, clock)
  all(x == x[first])
}

# What is told of them beside a fit's numbers, a sentence each; the kinds are computed with the fit.
told_of_outcome <- function(fit) {
  among <- fit$of_outcome
  if (NROW(among) == 0) return(NULL)
  # An instrumented regressor is not taken as given.
  among <- among[!among$variable %in% fit$instrumented$endogenous, ]
  of <- function(kind) {
    found <- among$variable[among$kind == kind]
    if (length(found) > 0) list_some(found, 4)
  }
  past <- of("past")
  now <- of("now")
  later <- of("later")
  c(
    if (!is.null(past)) sprintf("%s: the outcome's own past. %s; `fit_dynamic()`, of a later version, allows for it",
                                past, past_words(fit)),
    if (!is.null(now)) sprintf("%s: made of the outcome itself, so what goes with it is no effect", now),
    if (!is.null(later)) {
      sprintf("%s: after the outcome. Where it answers to the outcome, no slope here is an effect", later)
    }
  )
}

# What the past of the outcome does to this model's slopes.
past_words <- function(fit) {
  index <- fit$design$index
  kind <- model_kind(fit)
  if (kind == "difference") {
    return(paste("Its change shares a disturbance with the outcome's change: its slope is too low however many",
                 "periods there are, and takes others with it"))
  }
  entity <- index$entity
  swept <- has_swept_effects(fit) || kind %in% c("correlated", "random")
  by_entity <- swept && (is.null(entity) || entity %in% unlist(lapply(fit$effects, `[[`, "columns")))
  if (!by_entity) {
    return(sprintf("What is fixed about %s is in it, so its slope is too high, and takes others with it",
                   if (is.null(entity)) "a unit" else plural_of(entity)))
  }
  if (kind == "random") {
    return("Random effects are in it, which they must not be: its slope is off, and takes others with it")
  }
  rows <- if (!is.null(entity)) sample_facts(fit)
  per <- if (isTRUE(rows$entities > 0)) sprintf(" (here about 1/%s)", format_number(max(1, fit$n / rows$entities), 2))
  sprintf("Beside effects its slope is too low by order 1/T%s and takes others with it [Nickell 1981]",
          if (is.null(per)) "" else per)
}
