# What the cells of a column may mean, and the words to ask which.

# NULL, or list(found, where, todo): which readings the cells allow, and what to say.
number_question <- function(seen, role, options, x) {
  counts <- seen$counts
  has <- function(mark) counts[[mark]] > 0
  cell <- function(mark) trimws(x[seen$first[[mark]]])
  clash <- function(one, other, what) {
    list(found = sprintf("%s has %s.", "%s", what),
         where = sprintf("%s (row %s) and %s (row %s).", dQuote(cell(one), FALSE), count_words(seen$first[[one]]),
                         dQuote(cell(other), FALSE), count_words(seen$first[[other]])),
         todo = "Say which is decimal: `decimal = \",\"` or `decimal = \".\"`; cells that do not fit are then named.")
  }
  if (all(role == 0L)) {
    if (has("comma_decimal") && has("comma_thousands")) {
      return(clash("comma_decimal", "comma_thousands",
                     "commas as decimal marks in some cells and between thousands in others"))
    }
    if (has("point_decimal") && has("point_thousands")) {
      return(clash("point_decimal", "point_thousands",
                     "points as decimal marks in some cells and between thousands in others"))
    }
    if (has("comma_thousands") && has("point_thousands")) {
      return(clash("comma_thousands", "point_thousands", "commas and points between thousands"))
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
