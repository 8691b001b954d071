# How every command reads its files: the options of read_panel(), standard input as -.

# One option for each argument of the reader.
reader_options <- function() {
  list(
    new_option("sheet", "sheets", "sheet of a workbook, by name or number; several by commas, '*' for all", "NAME"),
    new_option("range", "text", "cells such as B4:N60, of text files too", "CELLS"),
    new_option("header", "number", "rows of headings [default: 1]", "ROWS"),
    new_option("layout", "text", "find: leave out titles and notes, make wide tables long", "HOW", choices = "find"),
    new_option("merged", "text", "fill: write the value of merged cells into all of them", "HOW", choices = "fill"),
    new_option("numbers", "texts", "columns to read as numbers; a name with a comma stands in double quotes", "LIST"),
    new_option("text", "texts", "columns that stay text", "LIST"),
    new_option("missing", "texts", "spellings of a missing value, besides none and NA", "LIST"),
    new_option("decimal", "text", "decimal mark: . or ,", "MARK"),
    new_option("thousands", "text", "mark between thousands", "MARK"),
    new_option("percent", "text", "12.5% as the share 0.125 or the number 12.5: share or number", "HOW",
               choices = c("share", "number")),
    new_option("date-format", "text", "of dates as the period, such as %d/%m/%Y", "FORMAT"),
    new_option("periods", "texts", "labels of the periods, in order", "LIST"),
    new_option("period-from", "text", "the period in the names of several files or sheets", "PATTERN"),
    new_option("delimiter", "delimiter", "of text files [default: found]", "MARK"),
    new_option("encoding", "text", "of text files [default: found]", "NAME"),
    new_option("labels", "text", "labels of variables: a table of names and labels", "FILE")
  )
}

# Those that say what a table is, whatever its keys are.
table_arguments <- function() setdiff(names(formals(read_options)), "keys")

# The reader's arguments as they were given; what is wrong with them is wrong usage.
reader_values <- function(values) {
  given <- unclass(values)[intersect(table_arguments(), names(values))]
  if (!is.null(given$missing)) given$missing <- unique(c("", "NA", given$missing))
  tryCatch(do.call(read_options, given), wavetax_error = function(cnd) {
    stop_usage(as_options(sub("\n.*", "", conditionMessage(cnd))))
  })
  given
}

# Paths that were given; what comes in through a pipe as a file of it.
cli_files <- function(args, values, most = Inf) {
  if (length(args) == 0 && most > 0) stop_usage("No file is given.")
  workbook <- grepl("[.]xlsx?$", lower_case(args))
  if (!is.null(values$sheet) && !any(workbook | is_piped(args))) {
    stop_usage("--sheet has no effect: ", sQuote(args[1], FALSE), " is no spreadsheet.")
  }
  vapply(args, file_from_pipe, "", USE.NAMES = FALSE)
}

# Further files that options name.
values_from_pipes <- function(values) {
  if (sum(c(values$named, values$labels, values$new) == "-") > 1) stop_usage("Standard input can be read once.")
  for (one in intersect(c("labels", "new"), names(values))) values[[one]] <- file_from_pipe(values[[one]])
  values
}

# All files that a command reads: those that patterns find, the options', and what stands behind standard input.
cli_inputs <- function(args, values) {
  given <- c(args, values$labels, values$new)
  piped <- "/dev/stdin"
  c(unlist(lapply(given[given != "-"], matching_files)),
    if ("-" %in% given && is_plain_file(piped)) normalizePath(piped))
}

# Standard input, a pipe with a name, or one that the shell made.
is_piped <- function(files) {
  vapply(files, function(file) {
    file == "-" || file.exists(file) && !dir.exists(file) && !is_plain_file(file)
  }, TRUE, USE.NAMES = FALSE)
}

# A pipe gives what it has once: all of it is kept in a file, whose ending is that of what it holds.
file_from_pipe <- function(file) {
  if (!is_piped(file)) return(file)
  connection <- base::file(if (file == "-") "stdin" else file, "rb", raw = TRUE)
  on.exit(close(connection))
  pieces <- list()
  repeat {
    piece <- readBin(connection, "raw", 1e7)
    if (length(piece) == 0) break
    pieces <- c(pieces, list(piece))
  }
  start <- if (length(pieces) > 0) pieces[[1]]
  end <- if (length(pieces) > 0) utils::tail(pieces[[length(pieces)]], 4)
  ending <- if (starts_as(start, "zip")) "xlsx" else
    if (starts_as(start, "parquet") && identical(end, file_endings$parquet)) "parquet" else
      if (identical(utils::head(start, 1), charToRaw("{"))) "json" else "csv"
  name <- if (file == "-") "standard-input" else paste0("pipe-", basename(file))
  kept <- file.path(tempdir(), paste0(name, ".", ending))
  write_bytes(pieces, kept)
  piped_files[[kept]] <- if (file == "-") "standard input" else sQuote(file, FALSE)
  kept
}

# What was given, by the file that holds it.
piped_files <- new.env(parent = emptyenv())

# The table as it stands, for the commands that look at it; or as a panel.
cli_table <- function(files, values) {
  keys <- if (!is.null(values$entity) && !is.null(values$period)) c(entity = values$entity, period = values$period)
  do.call(table_of, c(list(files), reader_values(values), list(keys = keys)))
}

cli_panel <- function(files, values) {
  panel <- rlang::inject(read_panel(files, !!values$entity, !!values$period, !!!reader_values(values),
                                    !!!unclass(values)[intersect(c("periods", "labels"), names(values))]))
  if (is.null(values$let)) panel else values$let(panel)
}
