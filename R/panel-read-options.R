# The arguments that say what a file is, for every door that reads one.

# What the readers need to know, checked. Functions that take a path pass their dots here.
read_options <- function(missing = c("", "NA"), numbers = NULL, text = NULL, decimal = NULL, thousands = NULL,
                         percent = NULL, date_format = NULL, delimiter = NULL, encoding = NULL, sheet = NULL,
                         range = NULL, header = 1, layout = c("plain", "find"), merged = NULL, period_from = NULL,
                         keys = NULL) {
  check_texts(missing, "missing", "Give spellings in quotes: `missing = c(\"\", \"NA\", \"n/a\")`.")
  check_texts(numbers, "numbers", "Name columns in quotes: `numbers = \"x\"`.")
  check_texts(text, "text", "Name columns in quotes: `text = \"x\"`.")
  cells <- number_options(decimal, thousands, percent, missing)
  for (one in c("delimiter", "encoding", "date_format", "range", "period_from")) {
    value <- get(one)
    if (!is.null(value)) check_text(value, one)
  }
  if (!is.null(range)) range_limits(range)
  check_number(header, "header", low = 1, high = 5, whole = TRUE)
  if (!is.null(merged)) check_choice(merged, "fill", "merged")
  check_sheet(sheet)
  c(cells[c("decimal", "thousands", "percent")], list(
    missing = missing, cells = cells, numbers = numbers, text = text, date_format = date_format, delimiter = delimiter,
    encoding = encoding, sheet = sheet, range = range, header = header,
    layout = check_one_of(layout, c("plain", "find"), "layout"), merged = merged, period_from = period_from, keys = keys
  ))
}

check_sheet <- function(sheet) {
  good <- is.null(sheet) || (is.character(sheet) || is.numeric(sheet)) && length(sheet) > 0 && !anyNA(sheet)
  if (!good) stop_argument("sheet", value_words(sheet), "Give the name or the number of a sheet.")
}

check_reader_names <- function(...) {
  unknown <- setdiff(...names(), names(formals(read_options)))
  if (...length() > 0 && (is.null(...names()) || length(unknown) > 0)) {
    check_no_dots(..., of = list(call = read_options, name = "The reader", todo = NULL, hidden = "keys"))
  }
}
