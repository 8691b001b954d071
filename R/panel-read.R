#' Read a panel from a file
#'
#' Question answered: *how do I get my file in, and what did it hold?* Reads delimited
#' text (`.csv`, `.tsv`, `.txt`: the delimiter is found), spreadsheets (`.xlsx`, `.xls`,
#' with the package `readxl`) and Parquet (with `nanoparquet`); several files or sheets too.
#'
#' What can be read in one way only is read, and told: thousands marks, decimal commas, currency signs,
#' words for missing among numbers, dates. What can be read in two ways stays text and is asked for, with
#' both readings. A column of numbers with a few cells that are none stays text until it is named in
#' `numbers`; the cells that still cannot be read then become missing, with a warning that lists
#' them. Codes such as `00157`, or of 15 digits and more, stay text.
#'
#' @section Numbers:
#' What comma and point mean is decided for a whole column from all of its cells. `1,234,567` has
#' thousands, `3,5` a decimal; `1,021` alone may be either and is asked for, but not beside `932` and
#' `845`, numbers under 1000 without a comma. Signs of percent are asked for (`percent`). Currency signs and
#' codes before or after, brackets or a minus behind for negatives, spaces and apostrophes between thousands
#' are understood.
#'
#' @section Periods:
#' Years (`2014`, `FY2014`, `2014/15`, `2014 [YR2014]`), half-years (`2014H1`), quarters (`2014Q3`,
#' `Q3 2014`), months (`2014-03`, `2014m3`, `Mar 2014`, `201403`), ISO weeks (`2014-W07`), dates
#' (`2014-03-31`, `31/03/2014`, `31 Mar 2014`, date cells). Dates become `Date`s; other periods keep their
#' label. Whether the day or the month comes first is decided over the column, and asked for where
#' both fit.
#'
#' @section Several files:
#' `file` may be several paths, or a pattern such as `"data/*.csv"`; `sheet` several sheets, or `"*"` for
#' all. Tables of the same columns are put below each other; where they lack the period it is taken from
#' the names of the files or sheets (`period_from`). Tables that share nothing but the keys (one an
#' indicator) are joined. Columns that some of the tables lack are listed.
#'
#' @param file Path, or several.
#' @param entity,period Columns, bare or quoted. Without one of them, likely columns are
#'   proposed with the reason, in an error: they are not taken silently.
#' @param ... Not used.
#' @param periods For periods that are labels: all of them, in order.
#' @param numbers Names of columns to read as numbers: what cannot be read becomes missing.
#' @param text Names of columns that stay text, digit for digit.
#' @param missing Spellings of a missing value, in all columns. Among numbers, words such as `n/a`, `..` and
#'   `-` are missing anyway.
#' @param decimal,thousands `"."` or `","`; `","`, `"."`, `" "` or `"'"`: where the columns leave it open.
#' @param percent `"share"` reads `12.5%` as 0.125, `"number"` as 12.5.
#' @param date_format For dates as the period: R's notation, such as `"%d/%m/%Y"`.
#' @param delimiter,encoding For text: `NULL` finds the delimiter, and tells UTF-8 (with or without mark)
#'   from Latin-1.
#' @param sheet For spreadsheets: a name or number; several, or `"*"`, as above. `NULL` is the only sheet, or
#'   the only one that has both keys.
#' @param range Cells such as `"B3:H200"`, of text files too.
#' @param header How many rows of headings there are: those of several are put together
#'   (`levy` over `2009` is `levy_2009`).
#' @param layout `"find"` leaves titles above the table and notes below it out, puts rows of headings together,
#'   and makes a row for each period of a wide table or of a column of indicators, each of which is told.
#'   `"plain"` refuses such files with the call that takes them.
#' @param merged `"fill"` writes the value of merged cells into all of them.
#' @param period_from For several files: a regular expression whose group, or whole, is the period in
#'   their names.
#' @param labels Labels of the columns, a codebook, as [panel_labels()] takes them.
#' @return A [panel_frame()].
#' @section Errors:
#' `wavetax_error_no_file`, `wavetax_error_not_a_table`, `wavetax_error_layout`,
#' `wavetax_error_package_needed`, `wavetax_error_no_sheet`, `wavetax_error_which_sheet`,
#' `wavetax_error_which_period`, `wavetax_error_keys_not_named`, `wavetax_error_ambiguous_numbers`,
#' `wavetax_error_ambiguous_periods`, `wavetax_error_codes`, `wavetax_error_not_numbers`, and those of
#' [panel_frame()]. Warning `wavetax_warning_not_numbers`.
#' @seealso [panel_problems()] for a file that is refused; it takes the path too.
#' @examples
#' file <- system.file("extdata", "harbours.csv", package = "wavetax")
#' read_panel(file, harbour, season)
#' @export
read_panel <- function(file, entity, period, ..., periods = NULL, numbers = NULL, text = NULL,
                       missing = c("", "NA"), decimal = NULL, thousands = NULL, percent = NULL,
                       date_format = NULL, delimiter = NULL, encoding = NULL, sheet = NULL, range = NULL,
                       header = 1, layout = c("plain", "find"), merged = NULL, period_from = NULL,
                       labels = NULL) {
  check_no_dots(..., of = list(call = read_panel, name = "read_panel()", todo = NULL, hidden = NULL))
  entity <- rlang::enquo(entity)
  period <- rlang::enquo(period)
  options <- read_options(
    missing = missing, numbers = numbers, text = text, decimal = decimal, thousands = thousands, percent = percent,
    date_format = date_format, delimiter = delimiter, encoding = encoding, sheet = sheet, range = range,
    header = header, layout = layout, merged = merged, period_from = period_from,
    keys = c(entity = written_name(entity), period = written_name(period))
  )
  labels <- if (!is.null(labels)) as_labels(labels)
  data <- settle_columns(read_tables(file, options), options)
  if (rlang::quo_is_missing(entity) || rlang::quo_is_missing(period)) stop_keys_not_named(data)
  panel <- panel_of_table(data, entity, period, periods, options, file)
  if (is.null(labels)) panel else with_labels(panel, labels)
}

# A table that was read as a panel: laid out anew where it is wide and that was asked for, its period
# settled.
panel_of_table <- function(data, entity, period, periods, options, file) {
  names <- options$keys
  again <- function(cnd = NULL) {
    shape <- if (length(names) == 2) find_shape(data, names[["entity"]], names[["period"]])
    if (is.null(shape)) return(if (is.null(cnd)) NULL else rlang::cnd_signal(cnd))
    if (options$layout != "find") stop_not_long(shape, file)
    lay_out(data, shape, names[["entity"]], names[["period"]], periods, empty = FALSE)
  }
  if (!all(names %in% names(data))) {
    panel <- again()
    if (!is.null(panel)) return(panel)
  }
  entity <- column_name(entity, data, "entity")
  period <- column_name(period, data, "period")
  settled <- data
  if (is.null(periods)) settled[[period]] <- settle_period(data[[period]], period, options$date_format)
  tryCatch(new_panel_frame(settled, entity, period, periods), wavetax_error_duplicate_keys = again)
}

# The name in a quosure as it is written, before there are columns to look it up in; NULL for none.
written_name <- function(quo) {
  if (rlang::quo_is_missing(quo)) return(NULL)
  expr <- named_expression(quo)
  if (is_one_text(expr)) expr
}

# What a quosure holds, a bare name or a formula of one as text.
named_expression <- function(quo) {
  expr <- rlang::quo_get_expr(quo)
  if (rlang::is_formula(expr, lhs = FALSE) || is_operator(expr, "~")) expr <- strip_brackets(expr[[length(expr)]])
  if (is.symbol(expr)) as.character(expr) else expr
}

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

# Functions that take a data frame take a path too: `...` then has what the reader needs.
table_of <- function(data, ..., settle = FALSE) {
  if (is.data.frame(data)) {
    if (...length() > 0) check_no_dots(..., of = list(call = function(data) NULL, name = "The call", todo = paste(
      "What `read_panel()` takes is for a path, not for a data frame."), hidden = NULL))
    return(own_data_frame(data))
  }
  if (!is.character(data)) check_is_table(data)
  check_reader_names(...)
  options <- read_options(...)
  data <- read_tables(data, options)
  if (settle) settle_columns(data, options) else data
}

check_reader_names <- function(...) {
  unknown <- setdiff(...names(), names(formals(read_options)))
  if (...length() > 0 && (is.null(...names()) || length(unknown) > 0)) {
    check_no_dots(..., of = list(call = read_options, name = "The reader", todo = NULL, hidden = "keys"))
  }
}

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

check_file <- function(file) {
  if (!is.character(file) || length(file) != 1 || is.na(file)) {
    stop_wavetax("no_file", "`file` is not one path.", todo = "Give the path of a file in quotes.")
  }
  if (dir.exists(file)) stop_not_a_table(file, "It is a folder.")
  if (!file.exists(file)) {
    near <- near_names(basename(file), list.files(dirname(file)))
    stop_wavetax(
      "no_file", sprintf("There is no file %s.", sQuote(file, FALSE)),
      todo = if (length(near) > 0) sprintf("Did you mean %s?", list_words(sQuote(near, FALSE)))
    )
  }
  if (!is_plain_file(file)) {
    stop_not_a_table(file, "It is a pipe or a device, which gives what it has only once.", "Save it to a file first.")
  }
  if (file.size(file) == 0) stop_not_a_table(file, "It is empty.")
}

stop_not_a_table <- function(file, where,
                             todo = "It should be a table with the names of the columns in its first row.") {
  stop_wavetax(
    "not_a_table", sprintf("The file %s could not be read as a table.", sQuote(file, FALSE)),
    where = gsub("\\s*\n\\s*", " ", where),
    todo = todo
  )
}
