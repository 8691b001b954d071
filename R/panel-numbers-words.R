# What is asked of a column of numbers that can be read in two ways, and what is said of one that was
# read.

# NULL, or list(found, where, todo): which readings the cells allow, and what to say.
number_question <- function(seen, role, options, x) {
  counts <- seen$counts
  has <- function(mark) counts[[mark]] > 0
  cell <- function(mark) trimws(x[seen$first[[mark]]])
  against <- function(one, other, what) {
    list(found = sprintf("%s has %s.", "%s", what),
         where = sprintf("%s (row %s) and %s (row %s).", dQuote(cell(one), FALSE), count_words(seen$first[[one]]),
                         dQuote(cell(other), FALSE), count_words(seen$first[[other]])),
         todo = "Say which is decimal: `decimal = \",\"` or `decimal = \".\"`; cells that do not fit are then named.")
  }
  if (all(role == 0L)) {
    if (has("comma_decimal") && has("comma_thousands")) {
      return(against("comma_decimal", "comma_thousands",
                     "commas as decimal marks in some cells and between thousands in others"))
    }
    if (has("point_decimal") && has("point_thousands")) {
      return(against("point_decimal", "point_thousands",
                     "points as decimal marks in some cells and between thousands in others"))
    }
    if (has("comma_thousands") && has("point_thousands")) {
      return(against("comma_thousands", "point_thousands", "commas and points between thousands"))
    }
    decided <- decide_roles(counts, role, seen$numbers, isTRUE(options$commas))
    if (anyNA(decided)) {
      mark <- if (is.na(decided[["comma"]])) "," else "."
      shown <- cell(if (mark == ",") "comma_either" else "point_either")
      return(list(
        found = sprintf("The %s of %s may be decimal marks, or stand between thousands.",
                        if (mark == ",") "commas" else "points", "%s"),
        where = sprintf("%s is %s or %s.", dQuote(shown, FALSE), gsub(mark, "", shown, fixed = TRUE),
                        sub(",", ".", shown, fixed = TRUE)),
        todo = sprintf("Say which: `decimal = \"%s\"`, or `thousands = \"%s\"`.", mark, mark)
      ))
    }
  }
  if (has("percent") && is.null(options$percent)) {
    shown <- cell("percent")
    return(list(
      found = "%s has percent signs.",
      where = sprintf("%s is the share %s, or the number %s.", dQuote(shown, FALSE),
                      label_text(seen$value[seen$first[["percent"]]] / 100),
                      label_text(seen$value[seen$first[["percent"]]])),
      todo = "Say which: `percent = \"share\"`, or `percent = \"number\"`."
    ))
  }
  if (identical(options$percent, "share") && has("percent") && counts[["percent"]] < seen$numbers) {
    return(list(
      found = "%s has a percent sign in some cells only.",
      where = sprintf("%s of %s, such as %s (row %s).", count_words(counts[["percent"]]),
                      count_of(seen$numbers, "number"), dQuote(cell("percent"), FALSE),
                      count_words(seen$first[["percent"]])),
      todo = "Write all of them alike, or take the signs off with `percent = \"number\"`."
    ))
  }
  if (length(unique(lower_case(sub("[.]$", "", names(seen$currencies))))) > 1) {
    return(list(
      found = "%s has amounts in several currencies.",
      where = sprintf("%s.", list_some(sprintf("%s in %s", names(seen$currencies),
                                               vapply(seen$currencies, count_of, "", "cell")), 5)),
      todo = "Make a column for each, or convert them first."
    ))
  }
  NULL
}

# What was done besides plain reading, named by the mark, each with the first cell as it was and is. A
# comma that may be either was read as one between thousands, a point as a decimal one, or the marks
# would say so.
number_words <- function(x, seen) {
  first <- vapply(read_marks, function(mark) {
    rows <- seen$first[mark$marks]
    if (any(rows > 0)) min(rows[rows > 0]) else NA_real_
  }, 0)
  words <- vapply(read_marks, `[[`, "", "words")
  if (length(seen$currencies) > 0) words["currency"] <- paste("the currency", names(seen$currencies)[1])
  has <- which(!is.na(first))
  again <- duplicated(first[has])
  said <- ifelse(again, words[has], sprintf("%s (%s is %s)", words[has], dQuote(trimws(x[first[has]]), FALSE),
                                            label_text(seen$value[first[has]])))
  names(said) <- names(read_marks)[has]
  if (length(seen$missing) == 0) return(said)
  spelt <- unique(trimws(x[seen$missing]))
  c(said, missing = sprintf("%s for missing (%s)", list_some(dQuote(spelt, FALSE), 4),
                            count_of(length(seen$missing), "cell")))
}

# What is said of marks, in this order.
read_marks <- list(
  comma_decimal = list(words = "decimal commas", marks = "comma_decimal"),
  comma_thousands = list(words = "commas between thousands", marks = c("comma_thousands", "comma_either")),
  point_thousands = list(words = "points between thousands", marks = "point_thousands"),
  space_thousands = list(words = "spaces between thousands", marks = "space_thousands"),
  apostrophe_thousands = list(words = "apostrophes between thousands", marks = "apostrophe_thousands"),
  percent = list(words = "percent signs", marks = "percent"),
  currency = list(words = "", marks = "currency"),
  brackets = list(words = "brackets for negatives", marks = "brackets"),
  minus_behind = list(words = "minus signs behind", marks = "minus_behind"),
  minus_sign = list(words = "minus signs that are no hyphen", marks = "minus_sign")
)

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
