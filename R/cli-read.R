# How every command reads its files: the options of read_panel(), standard input as -.

cli_key_options <- function() {
  list(
    cli_option("--entity", "COLUMN", "column that names the entity"),
    cli_option("--period", "COLUMN", "column that names the period")
  )
}

# One option for each argument of the reader; those that are lists are separated by commas.
cli_reader_options <- function() {
  list(
    cli_option("--sheet", "NAME", "sheet of a workbook, by name or number; several by commas, '*' for all"),
    cli_option("--range", "CELLS", "cells such as B4:N60, of text files too"),
    cli_option("--header", "ROWS", "rows of headings [default: 1]"),
    cli_option("--layout", "HOW", "find: leave out titles and notes, make wide tables long"),
    cli_option("--merged", "HOW", "fill: write the value of merged cells into all of them"),
    cli_option("--numbers", "LIST", "columns to read as numbers; a name with a comma stands in double quotes"),
    cli_option("--text", "LIST", "columns that stay text"),
    cli_option("--missing", "LIST", "spellings of a missing value, besides none and NA"),
    cli_option("--decimal", "MARK", "decimal mark: . or ,"),
    cli_option("--thousands", "MARK", "mark between thousands"),
    cli_option("--percent", "HOW", "12.5% as the share 0.125 or the number 12.5: share or number"),
    cli_option("--date-format", "FORMAT", "of dates as the period, such as %d/%m/%Y"),
    cli_option("--periods", "LIST", "labels of the periods, in order"),
    cli_option("--period-from", "PATTERN", "the period in the names of several files or sheets"),
    cli_option("--delimiter", "MARK", "of text files [default: found]"),
    cli_option("--encoding", "NAME", "of text files [default: found]"),
    cli_option("--labels", "FILE", "labels of variables: a table of names and labels")
  )
}

# The reader's arguments as they were given; what is wrong with them is wrong usage.
cli_reader <- function(options) {
  sheet <- option_list(options$sheet)
  if (length(sheet) == 1 && grepl("^[0-9]{1,6}$", sheet)) sheet <- as.integer(sheet)
  header <- if (!is.null(options$header)) suppressWarnings(as.numeric(options$header))
  missing <- if (!is.null(options$missing)) unique(c("", "NA", option_list(options$missing)))
  given <- list(
    sheet = sheet, range = options$range, header = header, layout = options$layout, merged = options$merged,
    numbers = option_list(options$numbers), text = option_list(options$text), missing = missing,
    decimal = options$decimal,
    thousands = options$thousands, percent = options$percent, date_format = options$date_format,
    period_from = options$period_from, delimiter = options$delimiter, encoding = options$encoding
  )
  given <- Filter(Negate(is.null), given)
  if (identical(given$delimiter, "\\t")) given$delimiter <- "\t"
  tryCatch(do.call(read_options, given), wavetax_error = function(cnd) {
    stop_usage(gsub("`([a-z]+)_?([a-z]*)`", "--\\1\\2", sub("\n.*", "", conditionMessage(cnd))))
  })
  given
}

# Paths that were given, `-` as a file of what comes in.
cli_files <- function(args, options, most = Inf) {
  if (length(args) == 0) stop_usage("No file is given.")
  if (length(args) > most) stop_usage(sprintf("%s given, %d needed.", count_of(length(args), "argument"), most))
  workbook <- grepl("[.]xlsx?$", lower_case(args))
  if (!is.null(options$sheet) && !any(workbook | args == "-")) {
    stop_usage("--sheet has no effect: ", sQuote(args[1], FALSE), " is no spreadsheet.")
  }
  vapply(args, function(one) if (one == "-") cli_standard_input() else one, "", USE.NAMES = FALSE)
}

# All files that a command reads: those that patterns find, the labels', and what stands behind standard input.
cli_inputs <- function(args, options) {
  files <- args[args != "-"]
  piped <- "/dev/stdin"
  c(unlist(lapply(files, matching_files)), options$labels,
    if ("-" %in% args && is_plain_file(piped)) normalizePath(piped))
}

cli_standard_input <- function() {
  connection <- base::file("stdin", "rb", raw = TRUE)
  on.exit(close(connection))
  pieces <- list()
  repeat {
    piece <- readBin(connection, "raw", 1e7)
    if (length(piece) == 0) break
    pieces <- c(pieces, list(piece))
  }
  start <- if (length(pieces) > 0) pieces[[1]]
  end <- if (length(pieces) > 0) utils::tail(pieces[[length(pieces)]], 4)
  ending <- if (starts_as(start, "zip")) ".xlsx" else
    if (starts_as(start, "parquet") && identical(end, file_endings$parquet)) ".parquet" else ".csv"
  file <- file.path(tempdir(), paste0("standard-input", ending))
  write_bytes(pieces, file)
  file
}

# The table as it stands, for the commands that look at it; or as a panel.
cli_table <- function(files, options) do.call(table_of, c(list(files), cli_reader(options)))

cli_panel <- function(files, options) {
  entity <- options$entity
  period <- options$period
  arguments <- c(cli_reader(options), list(periods = option_list(options$periods), labels = options$labels))
  rlang::inject(read_panel(files, !!entity, !!period, !!!arguments))
}

# Data to a file, or as CSV to standard output.
cli_write_data <- function(data, out) {
  if (out == "-") return(cli_csv(data))
  write_panel(data, out)
  cli_wrote(out)
}

check_data_output <- function(out, inputs) {
  if (out == "-") return(invisible())
  tryCatch(check_ending(out, c("csv", "tsv", "xlsx", "parquet"), "The data"), wavetax_error = function(cnd) {
    stop_usage("--out: ", conditionMessage(cnd))
  })
  check_not_over(out, inputs)
}
