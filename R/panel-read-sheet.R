# Sheets of workbooks: which sheet, where its table is, dates as dates.

read_spreadsheet <- function(file, options) {
  sheets <- workbook_sheets(file)
  sheet <- chosen_sheet(file, sheets, options)
  options$sheet <- sheet
  fill <- identical(options$merged, "fill")
  facts <- sheet_facts(file, sheet, must = fill, ranged = !is.null(options$range))
  check_formulas(facts, file)
  read <- if (!is.null(options$range) || options$header != 1 || options$layout == "find" || fill) {
    read_sheet_block(file, sheet, options, facts)
  } else {
    list(data = read_whole_sheet(file, sheet, options), top = 2)
  }
  say_sheet_facts(facts, fill, read$top)
  whole_days(read$data)
}

# The sheet that is named; the only one; or of several the only one in which both keys are columns.
chosen_sheet <- function(file, sheets, options) {
  sheet <- options$sheet
  if (!is.null(sheet)) {
    known <- if (length(sheet) == 1) named_sheets(sheet, sheets)
    if (isTRUE(known %in% sheets)) return(known)
    stop_wavetax("no_sheet", sprintf("The file has no sheet %s.", value_words(sheet)),
                 todo = sprintf("Sheets are %s.", list_some(dQuote(sheets, FALSE), 8)))
  }
  if (length(sheets) == 1) return(sheets)
  if (length(options$keys) < 2) stop_which_sheet(file, sheets)
  with_keys <- vapply(sheets, function(one) {
    cells <- sheet_cells(file, one, most = 30)
    !is.null(cells) && any(apply(cells, 1, function(row) all(options$keys %in% row)))
  }, TRUE)
  if (sum(with_keys) != 1) stop_which_sheet(file, sheets)
  tell_wavetax(c(i = sprintf("Of %s, %s has both keys.", count_of(length(sheets), "sheet"),
                             dQuote(sheets[with_keys], FALSE))), class = "wavetax_message_sheet")
  sheets[with_keys]
}

# A table that begins in the first row that is filled and ends in the last.
read_whole_sheet <- function(file, sheet, options) {
  data <- read_cells_as(file, sheet, options, range = NULL, names = TRUE)
  if (ncol(data) == 0) stop_not_a_table(file, "The sheet is empty.")
  if (!is_odd_sheet(data)) return(dates_among_text(data, file, sheet, NULL))
  cells <- sheet_cells(file, sheet)
  place <- first_cell(file, sheet, cells)
  found <- find_table(cells)
  if (is.null(found) || found$header == 1 && length(found$above) + length(found$below) == 0) return(data)
  stop_layout(file, moved_to(found, place), row_texts(cells), options)
}

# Columns without a name, or a last row with one cell or none: no plain table.
is_odd_sheet <- function(data) {
  anyNA(names(data)) || any(!nzchar(names(data))) || anyDuplicated(names(data)) || is_odd_end(data)
}

is_odd_end <- function(data) {
  if (nrow(data) < 2) return(FALSE)
  last <- vapply(utils::tail(data, 1), is.na, TRUE)
  ncol(data) > 2 && sum(!last) <= 1
}

read_cells_as <- function(file, sheet, options, range, names) {
  read <- function(types, trim, show) {
    suppressMessages(readxl::read_excel(file, sheet = sheet, range = range, na = options$missing, guess_max = 1e6,
                                        col_names = names, col_types = types, trim_ws = trim,
                                        .name_repair = "minimal", progress = show))
  }
  data <- tryCatch(read(NULL, TRUE, isatty(stderr())),
                   error = function(cnd) stop_not_a_table(file, conditionMessage(cnd)))
  text <- vapply(data, is.character, TRUE)
  if (!any(text) || !keeps_blanks(file)) return(data)
  again <- tryCatch(read(ifelse(text, "text", "skip"), FALSE, FALSE), error = function(cnd) NULL)
  if (is.null(again) || nrow(again) != nrow(data)) return(data)
  data[text] <- Map(function(trimmed, whole) {
    at <- which(trimmed != whole & trimws(whole) == trimmed)
    trimmed[at] <- whole[at]
    trimmed
  }, data[text], again)
  data
}

# Whether a workbook says of any text that the blanks at its ends are part of it.
keeps_blanks <- function(file) {
  if (file_extension(file) != "xlsx") return(FALSE)
  kept <- FALSE
  tryCatch(each_stretch(file, "xl/sharedStrings.xml", function(text) {
    kept <<- grepl("xml:space=\"preserve\"", text, fixed = TRUE, useBytes = TRUE)
    !kept
  }), error = function(cnd) NULL)
  kept
}

# A block of cells, as said or as found.
read_sheet_block <- function(file, sheet, options, facts) {
  cells <- sheet_cells(file, sheet, range = options$range)
  if (is.null(cells)) stop_not_a_table(file, "The sheet, or the range, is empty.")
  if (is.null(options$range)) {
    place <- first_cell(file, sheet, cells)
    found <- find_table(cells)
    if (is.null(found)) stop_not_a_table(file, "No table was found among its cells.")
  } else {
    found <- range_limits(options$range)
    place <- c(row = found$top - 1, column = found$left - 1)
    found <- list(top = 1, bottom = found$bottom - place[["row"]], left = 1, right = found$right - place[["column"]],
                  header = 1)
  }
  if (options$header != 1) found$header <- options$header
  on_sheet <- moved_to(found, place)
  if (is.null(options$range) && !is_whole_table(found)) say_found(on_sheet, row_texts(cells))
  if (identical(options$merged, "fill")) {
    data <- block_of_cells(fill_merged(cells, facts$merged, place), found, file)
    return(list(data = dates_among_text(data, file, sheet, on_sheet, found$header), top = on_sheet$top + found$header))
  }
  heads <- cells[found$top - 1 + seq_len(found$header), found$left:min(found$right, ncol(cells)), drop = FALSE]
  names <- combine_headings(heads)
  names[is.na(names)] <- ""
  body <- on_sheet
  body$top <- on_sheet$top + found$header
  body$right <- on_sheet$left + length(names) - 1
  if (body$top > body$bottom) stop_not_a_table(file, "The range has headings only.")
  data <- read_cells_as(file, sheet, options, cell_range(body), names)
  data <- dates_among_text(data, file, sheet, on_sheet, found$header)
  list(data = data[rowSums(!is.na(data)) > 0, , drop = FALSE], top = body$top)
}

moved_to <- function(found, place) {
  found[c("top", "bottom")] <- lapply(found[c("top", "bottom")], `+`, place[["row"]])
  found[c("left", "right")] <- lapply(found[c("left", "right")], `+`, place[["column"]])
  found
}

# Blank rows and columns before the first cell are left out by the reader: how many there are.
first_cell <- function(file, sheet, cells) {
  from_top <- sheet_cells(file, sheet, range = readxl::cell_limits(c(1, 1), c(NA, NA)))
  if (is.null(from_top)) return(c(row = 0, column = 0))
  c(row = nrow(from_top) - nrow(cells), column = ncol(from_top) - ncol(cells))
}

# The value of the first cell of each merged range in all of its cells.
fill_merged <- function(cells, merged, place) {
  for (range in merged) {
    limits <- moved_to(merged_limits(range), -place)
    rows <- intersect(limits$top:limits$bottom, seq_len(nrow(cells)))
    columns <- intersect(limits$left:limits$right, seq_len(ncol(cells)))
    if (length(rows) > 0 && length(columns) > 0) cells[rows, columns] <- cells[rows[1], columns[1]]
  }
  cells
}

# In a column that holds both text and date cells the reader gives dates as counts of days: those are
# read again, and written as dates.
dates_among_text <- function(data, file, sheet, place, header = 1) {
  suspect <- vapply(data, function(x) is.character(x) && any(grepl("^[1-9][0-9]{4}(\\.0)?$", x)), TRUE)
  if (!any(suspect)) return(data)
  types <- ifelse(suspect, "list", "skip")
  range <- if (!is.null(place)) {
    place$top <- place$top + header
    place$right <- place$left + ncol(data) - 1
    cell_range(place)
  }
  again <- tryCatch(
    suppressMessages(readxl::read_excel(file, sheet = sheet, range = range, col_names = FALSE,
                                        skip = if (is.null(range)) 1 else 0,
                                        col_types = types, .name_repair = "minimal", progress = FALSE)),
    error = function(cnd) NULL
  )
  if (is.null(again) || nrow(again) != nrow(data)) return(data)
  for (i in seq_len(sum(suspect))) {
    cells <- again[[i]]
    days <- vapply(cells, inherits, TRUE, "POSIXct")
    if (!any(days)) next
    column <- which(suspect)[i]
    data[[column]][days] <- vapply(cells[days], format, "", "%Y-%m-%d")
  }
  data
}

# Date cells come as times at midnight.
whole_days <- function(data) {
  map_columns(data, function(x) if (is_midnight(x)) day_of_midnight(x) else x)
}
