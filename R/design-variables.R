# The variables of a formula, evaluated among the columns of a table.

# The outcome first, each of as many rows as the data. What a transformation learns from these
# data (a centre, a basis) is kept in the terms' `predvars`, to be used again on new data.
evaluate_variables <- function(terms, data, index = NULL) {
  env <- baseenv_or(environment(terms))
  calls <- as.list(attr(terms, "variables"))[-1]
  names <- vapply(calls, deparse_words, character(1))
  check_formula_names(calls, data, env)
  scope <- columns_environment(data, env, index)
  n <- nrow(data)
  values <- lapply(seq_along(calls), function(v) {
    value <- evaluate_in(calls[[v]], names[v], scope)
    check_length(value, names[v], n)
    if (is.logical(value) && v == 1) value + 0 else value
  })
  names(values) <- names
  values
}

# The calls of the formula with what they learnt from these data written in.
prediction_calls <- function(terms, variables) {
  calls <- attr(terms, "variables")
  for (v in seq_along(variables)) {
    calls[[v + 1]] <- stats::makepredictcall(variables[[v]], calls[[v + 1]])
  }
  calls
}

check_outcome <- function(y, name, data = NULL) {
  if (is.matrix(y) && ncol(y) == 1) y <- drop(y)
  if ((is.numeric(y) || is.logical(y)) && !is.matrix(y) && !is.factor(y)) return(y)
  kind <- if (is.matrix(y)) {
    sprintf("has %d columns", ncol(y))
  } else {
    paste("is", kind_words(y))
  }
  text <- if (is.character(y)) {
    bad <- which(!is.na(y) & is.na(suppressWarnings(as.numeric(y))))
    if (length(bad) > 0) {
      sprintf("Not a number: %s.", list_some(sprintf("\"%s\" (row %d)", y[bad], bad)))
    }
  }
  stop_wavetax(
    "outcome", sprintf("The outcome `%s` %s; a regression explains one column of numbers.", name, kind),
    where = text,
    todo = if (is.character(y)) {
      "Mend those cells first; `panel_problems()` and `panel_repair()` help."
    } else if (is.factor(y)) {
      "Make it numbers: 0 and 1 for two categories, `as.numeric(as.character(x))` for numbers kept as one."
    }
  )
}

# The size of a variable of plain numbers without a hole or an infinity, the common case; NA for
# any other.
plain_size <- function(x) {
  if (is.factor(x) || is.matrix(x)) return(NA_real_)
  if (is.double(x)) return(core_column_size(x, core_threads(length(x))))
  if (is.integer(x) && !anyNA(x)) 1 else NA_real_
}

missing_rows <- function(x) {
  if (!anyNA(x)) return(NULL)
  gone <- if (is.double(x)) is.na(x) & !is.nan(x) else is.na(x)
  if (is.matrix(x)) gone <- rowSums(gone) > 0
  if (any(gone)) gone
}

check_finite <- function(variables, rows) {
  for (name in names(variables)) {
    x <- variables[[name]]
    bad <- if (is.double(x)) which(!is.finite(x))
    if (length(bad) == 0) next
    at <- unique((bad - 1L) %% NROW(x) + 1L)
    if (!is.null(rows)) at <- rows[at]
    stop_wavetax(
      "not_finite",
      sprintf("`%s` is infinite or not a number in %s.", name, count_of(length(at), "row")),
      where = sprintf("%s: %s.", sub("^r", "R", row_words(at)),
                      list_some(unique(label_text(x[utils::head(bad, 20)])))),
      todo = if (grepl("log\\(", name)) {
        "The logarithm of 0 or less has no value: leave those rows out, or model the level."
      } else {
        "Correct those cells, or set them to NA to leave their rows out."
      }
    )
  }
}

# Squares of squares must stay within what numbers can hold.
largest_size <- 1e70

# `sizes` are those of whole columns where they are known; the used rows are asked only where
# they might be out of bounds.
check_magnitude <- function(variables, sizes) {
  within <- function(size) size == 0 || (size < largest_size && size > 1 / largest_size)
  for (name in names(variables)) {
    x <- variables[[name]]
    if (!is.double(x) || (!is.na(sizes[[name]]) && within(sizes[[name]]))) next
    size <- max(abs(x), 0)
    if (within(size)) next
    stop_wavetax(
      "magnitude", sprintf("`%s` is too %s to compute with: %s at the most.", name,
                           if (size > 1) "large" else "small", format(size, digits = 3, decimal.mark = ".")),
      todo = sprintf("Measure it in another unit: `I(%s / %s)`.", name,
                     formatC(10^round(log10(size)), format = "e", digits = 0))
    )
  }
}

# What the formula adds with a coefficient of 1, from evaluated variables; NULL where there is none.
sum_offsets <- function(terms, variables) {
  at <- attr(terms, "offset")
  if (is.null(at)) return(NULL)
  for (v in at) {
    value <- variables[[v]]
    if (is.factor(value) || !(is.numeric(value) || is.logical(value)) || NCOL(value) > 1) {
      stop_wavetax("offset", sprintf("`%s` is %s, not one column of numbers.", names(variables)[v], kind_words(value)),
                   todo = "An offset is added to the prediction as it is: `offset(log(days))`.")
    }
  }
  Reduce(`+`, lapply(variables[at], as.double))
}
