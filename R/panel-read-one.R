# One table of one file.

read_one_table <- function(file, options) {
  check_file(file)
  check_options_fit(file, options)
  data <- switch(file_extension(file),
    xlsx = , xls = read_spreadsheet(file, options),
    parquet = read_parquet_file(file),
    read_delimited(file, options)
  )
  check_columns_read(data, file)
  out <- plain_data_frame(data)
  attr(out, "commas") <- attr(data, "commas")
  out
}

# What is asked of a file that its kind has not is refused, not passed over.
check_options_fit <- function(file, options) {
  book <- c("sheet", "merged")
  text <- c("delimiter", "encoding")
  kind <- switch(file_extension(file), xlsx = , xls = "book", parquet = "parquet", "text")
  without <- switch(kind, book = text, text = book, parquet = c(book, text, "range"))
  given <- without[!vapply(options[without], is.null, TRUE)]
  if (length(given) == 0) return(invisible())
  has <- switch(given[1], sheet = "no sheets", merged = "no merged cells", delimiter = "no delimiter",
                encoding = "an encoding of its own", range = "no cells")
  stop_argument(given[1], "given", sprintf("%s has %s.", sQuote(file, FALSE), has))
}

check_columns_read <- function(data, file) {
  if (ncol(data) < 2) stop_not_a_table(file, "It has one column only; is the delimiter right?")
  if (nrow(data) == 0) stop_not_a_table(file, "It has a header, but no rows.")
  fault <- names_fault(names(data))
  if (!is.null(fault)) stop_not_a_table(file, fault)
}
