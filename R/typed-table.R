# Tables whose columns know what they hold, so that one function formats them all: a data frame with
# the attribute `columns`, a list of typed_column().

typed_table <- function(data, columns) {
  attr(data, "columns") <- columns
  data
}

# A column by name under a heading. Kinds: "text", "term" (of which means of regressors are said), "count", "number",
# "ratio" (two decimals), "share" (three), "df" (one, none where all are whole), "p", and "estimate", whose decimals
# follow the errors of the estimates: `like` names the two columns.
typed_column <- function(name, heading, kind, like = NULL) {
  list(name = name, heading = heading, kind = kind, like = like)
}
