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
#' @param file Path, or several. Or a data frame whose cells are still text, such as [panel_repair()] gives of a file:
#'   they are read as those of a file are.
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
  data <- settle_columns(if (is.data.frame(file)) table_in_hand(file, options) else read_tables(file, options), options)
  if (rlang::quo_is_missing(entity) || rlang::quo_is_missing(period)) stop_keys_not_named(data)
  panel <- panel_of_table(data, entity, period, periods, options, file)
  if (is.null(labels)) panel else with_labels(panel, labels)
}

# A data frame in place of a file, and nothing that is said of files.
table_in_hand <- function(data, options) {
  given <- c("delimiter", "encoding", "sheet", "range", "merged", "period_from")
  given <- given[!vapply(options[given], is.null, TRUE)]
  if (length(given) > 0) stop_argument(given[1], "given", "It is for the path of a file, not for a data frame.")
  own_data_frame(data)
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
