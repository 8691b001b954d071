# What is asked of a column of numbers that can be read in two ways, and what is said of one that was
# read.

# The columns named in `numbers`, read as such: a question about one is an error, cells that are no
# numbers become missing, with a warning that lists them.
convert_numbers <- function(data, numbers, options) {
  check_texts(numbers, "numbers", "Name columns in quotes: `numbers = \"x\"`.")
  check_columns(numbers, data)
  for (name in numbers) {
    x <- data[[name]]
    if (is.numeric(x) && !is.factor(x)) next
    data[[name]] <- asked_numbers(as.character(x), name, options)$value
  }
  data
}

asked_numbers <- function(x, name, options) {
  if (all(is_blank(x))) return(list(value = rep(NA_real_, length(x)), lost = numeric(), said = NULL))
  read <- column_numbers(x, options)
  column <- sprintf("`%s`", name)
  if (read$status == "question") stop_number_question(read$question, column)
  if (read$status == "codes") {
    stop_wavetax("codes", sprintf("%s holds codes, which stay text.", column), where = code_words(x, read$first),
                 todo = "A number would lose digits of them.")
  }
  if (read$status == "text") stop_few_numbers(x, column)
  if (length(read$lost) > 0.1 * (read$filled - length(read$missing))) stop_few_numbers(x, column, read)
  if (length(read$lost) > 0) {
    warn_wavetax(
      "not_numbers", sprintf("%s has %s not read as numbers, now missing.", column,
                             count_of(length(read$lost), "cell")),
      where = sprintf("%s.", lost_words(x, read$lost))
    )
  }
  read
}

lost_words <- function(x, rows) {
  list_first(rows, function(rows) sprintf("\"%s\" (row %s)", x[rows], label_text(rows)), 10)
}

stop_number_question <- function(question, column) {
  stop_wavetax("ambiguous_numbers", sprintf(question$found, column), where = question$where, todo = question$todo)
}

# More than a tenth of a column's cells would become missing.
stop_few_numbers <- function(x, column, read = NULL) {
  lost <- if (is.null(read)) which(!is_blank(x)) else read$lost
  stop_wavetax(
    "not_numbers", sprintf("%s is not a column of numbers.", column),
    where = c(
      if (!is.null(read)) sprintf("%s of %s would become missing.", count_words(length(lost)),
                                  count_of(read$filled, "cell")),
      sprintf("See %s.", lost_words(x, utils::head(lost, 3)))
    ),
    todo = "Name the words that stand for missing, as `missing = c(\"\", \"NA\", \"n/a\")`, or leave the column text."
  )
}

code_words <- function(x, first) {
  row <- first[c("zeros_before", "many_digits")]
  row <- min(row[row > 0])
  sprintf("%s (row %s) has %s.", dQuote(trimws(x[row]), FALSE), count_words(row),
          if (first[["zeros_before"]] == row) "zeros in front" else "15 digits or more")
}
