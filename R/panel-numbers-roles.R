# What the marks of a column's numbers are taken for.

# What the cells say where nothing was said (`commas`: other columns of the file have decimal commas): a mark that
# must be decimal somewhere is so everywhere,
# and the other is then between thousands unless it too must be decimal. Commas before exactly three
# digits throughout are between thousands where numbers without one stay under 1000.
decide_roles <- function(counts, role, numbers, commas = FALSE) {
  if (any(role > 0L)) return(role)
  has <- function(mark) counts[[mark]] > 0
  grouped <- has("space_thousands") || has("apostrophe_thousands")
  other <- has("point_thousands") || grouped
  comma <- if (has("comma_decimal")) 1L else if (has("comma_thousands")) 2L else if (!has("comma_either")) 0L else
    if (other) 1L else if (under_thousand(counts, numbers)) 2L else NA_integer_
  point <- if (has("point_decimal")) 1L else if (has("point_thousands")) 2L else if (!has("point_either")) 0L else
    if (identical(comma, 1L) && !grouped) 2L else
    if (is.na(comma) || (has("currency") || commas) && !grouped && comma == 0L) NA_integer_ else 1L
  c(comma = comma, point = point)
}

# Numbers without a comma are there, are under 1000, and have no decimals.
under_thousand <- function(counts, numbers) {
  counts[["plain_thousand"]] == 0 && counts[["point_decimal"]] + counts[["point_either"]] == 0 &&
    numbers > counts[["comma_either"]]
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
