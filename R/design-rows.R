# Weights, chosen rows, and which rows are used.

# Weights are a column or an expression of columns, as a one-sided formula.
evaluate_weights <- function(weights, data) {
  if (is.null(weights)) return(NULL)
  call <- rlang::f_rhs(weights)
  check_formula_names(list(call), data, rlang::f_env(weights))
  name <- deparse_words(call)
  w <- evaluate_one(call, name, data, rlang::f_env(weights))
  check_weights(w, name, nrow(data))
  as.double(w)
}

check_weights <- function(w, name, n) {
  if (!is.numeric(w) || is.factor(w) || length(w) != n) {
    stop_wavetax("weights", sprintf("The weights `%s` are not one number a row.", name),
                 todo = "Weights are a column of positive numbers.")
  }
  bad <- which(is.na(w) | w < 0 | is.infinite(w))
  if (length(bad) > 0) {
    stop_wavetax(
      "weights", sprintf("The weights `%s` are negative, missing or infinite in %s.", name,
                         count_of(length(bad), "row")),
      where = sprintf("See %s: %s.", row_words(bad), list_some(label_text(w[utils::head(bad, 3)]))),
      todo = "Weights are positive numbers; a weight of 0 leaves its row out."
    )
  }
  if (all(w == 0)) {
    stop_wavetax("weights", sprintf("The weights `%s` are 0 in every row.", name), todo = "No row is left to use.")
  }
}

# Weights have no scale: where theirs is extreme it is taken out, by a power of two, which changes
# nothing but the unit of the error variance.
scale_weights <- function(w) {
  if (is.null(w)) return(NULL)
  largest <- max(w)
  if (largest < 1e50 && largest > 1e-50) w else w / 2^floor(log2(largest))
}

weights_words <- function(weights) if (!is.null(weights)) deparse_words(rlang::f_rhs(weights))

# Rows with every variable present and a positive weight, and why the others are out.
rows_used <- function(variables, w, chosen = NULL) {
  absent <- lapply(variables, missing_rows)
  within <- function(gone) if (is.null(chosen)) gone else gone & chosen$keep
  counts <- vapply(absent, function(gone) if (is.null(gone)) 0L else sum(within(gone)), integer(1))
  either <- function(a, b) if (is.null(a)) b else if (is.null(b)) a else a | b
  out <- Reduce(either, absent)
  zero <- if (!is.null(w) && any(w == 0)) w == 0
  gone <- if (is.null(out)) integer() else which(within(out))
  if (!is.null(chosen)) out <- either(out, !chosen$keep)
  out <- either(out, zero)
  rows <- if (!is.null(out)) which(!out)
  if (!is.null(rows) && length(rows) == 0) {
    worst <- sort(counts[counts > 0], decreasing = TRUE)
    stop_wavetax(
      "no_rows", "No row has all the variables of the formula.",
      where = if (length(worst) > 0) {
        sprintf("Missing: %s.", list_some(paste(names(worst), "in", vapply(worst, count_of, "", "row")), 5))
      },
      todo = "Leave the emptiest variable out, or check how the file was read."
    )
  }
  list(rows = rows, missing = list(
    total = length(gone), by_variable = counts[counts > 0], zero_weight = sum(zero), rows = gone
  ))
}

# The rows that `rows =` chooses, a one-sided formula: list(keep, words), or NULL for all.
chosen_rows <- function(rows, data, index) {
  if (is.null(rows)) return(NULL)
  call <- rlang::f_rhs(rows)
  words <- deparse_words(call)
  check_formula_names(list(call), data, rlang::f_env(rows))
  keep <- evaluate_one(call, words, data, rlang::f_env(rows), index)
  if (!is.logical(keep) || length(keep) != nrow(data)) {
    stop_wavetax("rows", sprintf("`%s` is not true or false for each row.", short_text(words)),
                 todo = sprintf("A condition on columns: `rows = ~ %s > 0`.", code_name(names(data)[1])))
  }
  keep <- keep & !is.na(keep)
  if (!any(keep)) {
    stop_wavetax("no_rows", sprintf("`%s` is true in no row.", short_text(words)), todo = "Check the condition.")
  }
  list(keep = keep, words = words)
}
