# Columns as they come: what is text without a sign, or a number of another package's kind.

# Missing, or text without a sign in it.
is_blank <- function(x) {
  if (!is.character(x)) return(is.na(x))
  values <- unique(x)
  blank <- values[is.na(values) | grepl("^\\s*$", values, perl = TRUE)]
  if (length(blank) == 0) rep(FALSE, length(x)) else x %in% blank
}

# Whole numbers of 64 bits become R's own numbers, or text where they have more digits than those
# hold. Without the package that made them R would read their bits as other numbers.
plain_column <- function(x) {
  if (!inherits(x, "integer64")) return(x)
  whole <- cpp_integer64(as.double(unclass(x)))
  if (max(abs(whole), 0, na.rm = TRUE) < 2^53) whole else cpp_integer64_text(as.double(unclass(x)))
}

check_finite_key <- function(x, name) {
  if (!is.double(x) || !any(is.infinite(x))) return(invisible())
  rows <- which(is.infinite(x))
  stop_wavetax(
    "key_kind", sprintf("`%s` is infinite in %s.", name, count_of(length(rows), "row")),
    where = sprintf("See %s.", row_words(rows, 5)), todo = "Correct those cells, or leave the rows out."
  )
}

stop_no_column <- function(unknown, columns) {
  near <- unlist(lapply(unknown, function(name) near_names(name, columns)))
  stop_wavetax(
    "unknown_column", sprintf("There is no column %s.", list_words(sQuote(unknown, FALSE))),
    todo = c(
      if (length(near) > 0) sprintf("Did you mean %s?", list_words(sQuote(unique(near), FALSE))),
      sprintf("Columns are %s.", list_some(columns, 12))
    )
  )
}
