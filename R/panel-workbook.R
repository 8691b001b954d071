# What a workbook holds besides values: its sheets, hidden rows, merged cells, formulas that were
# never computed; and what kinds of broken files look like.

most_unpacked <- 4e9

# The bytes say what a file is, whatever its ending.
check_workbook <- function(file) {
  start <- readBin(file, "raw", 8)
  is_packed <- starts_as(start, "zip")
  is_old <- starts_as(start, "ole")
  if (file_extension(file) == "xls") {
    if (is_packed) stop_not_a_table(file, "It is a workbook of the .xlsx kind under another ending.",
                                    "Let its name end in .xlsx.")
    if (!is_old) stop_not_a_table(file, "It is no workbook.", "If it is text, let its name end in .csv.")
    return(invisible())
  }
  if (is_old) {
    stop_not_a_table(file, "It is protected by a password, or an old workbook under another ending.",
                     "Save it without a password, as .xlsx.")
  }
  if (!is_packed) stop_not_a_table(file, "It is no workbook.", "If it is text, let its name end in .csv.")
  parts <- tryCatch(suppressWarnings(utils::unzip(file, list = TRUE)), error = function(cnd) NULL)
  if (is.null(parts) || !any(parts$Name == "xl/workbook.xml")) {
    stop_damaged(file, "It is not a workbook, or is damaged.")
  }
  unpacked <- sum(as.numeric(parts$Length))
  if (unpacked > most_unpacked || unpacked > 1e8 && unpacked > 1000 * file.size(file)) {
    stop_not_a_table(file, sprintf("Unpacked it has %s MB, out of %s MB.", count_words(round(unpacked / 1e6)),
                                   count_words(ceiling(file.size(file) / 1e6))),
                     "Save the table alone, or as CSV.")
  }
}

stop_damaged <- function(file, where) {
  stop_not_a_table(file, where, "Open it, save it anew, and check that it was copied whole.")
}

workbook_sheets <- function(file) {
  check_package("readxl", "reads spreadsheets")
  check_workbook(file)
  sheets <- tryCatch(readxl::excel_sheets(file), error = function(cnd) {
    stop_damaged(file, "It is not a spreadsheet, or is damaged.")
  })
  if (length(sheets) == 0) stop_not_a_table(file, "It has no sheet.")
  sheets
}

# Of a sheet of an .xlsx file: hidden rows, merged ranges, cells whose formula has no value. Other
# workbooks are not looked into, nor sheets so large that it would take long beside reading them; unless it
# must be known.
most_looked_into <- 2e7
sheet_facts <- function(file, sheet, must = FALSE, ranged = FALSE) {
  none <- list(hidden = integer(), merged = character(), empty_formulas = character())
  part <- known_part(file, sheet)
  if (is.null(part)) return(none)
  check_cell_extent(file, part, ranged)
  parts <- utils::unzip(file, list = TRUE)
  if (!must && isTRUE(parts$Length[parts$Name == part] > most_looked_into)) return(c(none, list(large = TRUE)))
  rest <- ""
  facts <- none
  each_stretch(file, part, function(text) {
    text <- paste0(rest, text)
    size <- nchar(text, "bytes")
    end <- last_row_end(text, size)
    facts <<- add_sheet_facts(facts, if (end == size) text else substr_bytes(text, 1, end))
    rest <<- if (end == size) "" else substr_bytes(text, end + 1, size)
    TRUE
  })
  facts <- add_sheet_facts(facts, rest)
  facts$merged <- merged_ranges(facts$merged, file)
  facts
}

# Ranges of several cells that a sheet can have, without the marks of fixed places.
merged_ranges <- function(ranges, file) {
  ranges <- gsub("$", "", ranges, fixed = TRUE)
  ranges <- ranges[!grepl("^[A-Z]{1,3}[0-9]{1,7}$", ranges)]
  good <- grepl("^[A-Z]{1,3}[0-9]{1,7}:[A-Z]{1,3}[0-9]{1,7}$", ranges)
  good[good] <- vapply(ranges[good], function(range) {
    limits <- merged_limits(range)
    limits$bottom >= limits$top && limits$right >= limits$left && limits$bottom <= sheet_limits$rows &&
      limits$right <= sheet_limits$columns
  }, TRUE)
  if (all(good)) return(ranges)
  odd <- list_some(dQuote(short_text(ranges[!good], 30), FALSE))
  stop_damaged(file, sprintf("Merged cells are no range: %s.", odd))
}

# A part of a packed file as text, stretch by stretch, until `look` says FALSE.
each_stretch <- function(file, part, look) {
  each_bytes(file, part, function(bytes) look(rawToChar(bytes[bytes != 0])))
}

each_bytes <- function(file, part, look) {
  damaged <- function(cnd) stop_damaged(file, "It is damaged.")
  connection <- tryCatch(suppressWarnings(unz(file, part, "rb")), error = damaged)
  on.exit(close(connection))
  repeat {
    bytes <- tryCatch(readBin(connection, "raw", 8e6), error = damaged)
    if (length(bytes) == 0 || !look(bytes)) return(invisible())
  }
}

# How many cells a sheet has, its last row and column, and whether a reference is none.
cell_extent <- function(file, part) {
  seen <- numeric(5)
  rest <- raw()
  each_bytes(file, part, function(bytes) {
    bytes <- c(rest, bytes)
    seen <<- core_cell_extent(bytes, seen)
    rest <<- utils::tail(bytes, length(bytes) - seen[5])
    TRUE
  })
  stats::setNames(seen, c("cells", "rows", "columns", "odd", "done"))
}

# Whether a part is there and ends with a tag.
part_ends <- function(file, part, tag) {
  last <- raw()
  tryCatch(each_bytes(file, part, function(bytes) {
    last <<- utils::tail(c(last, utils::tail(bytes, 64)), 64)
    TRUE
  }), error = function(cnd) NULL)
  length(grepRaw(tag, last, fixed = TRUE)) > 0
}

# Cells may name any place, and the reader makes room for all that lies between the first and the last.
most_room <- 5e8
check_cell_extent <- function(file, part, ranged) {
  seen <- cell_extent(file, part)
  if (seen[["odd"]] > 0 || seen[["rows"]] > sheet_limits$rows || seen[["columns"]] > sheet_limits$columns) {
    stop_damaged(file, "A cell or a row names a place that no sheet has.")
  }
  room <- seen[["rows"]] * seen[["columns"]]
  if (!ranged && room > most_room && room > 100 * seen[["cells"]]) {
    stop_not_a_table(
      file, sprintf("%s stand in a field of %s rows and %s columns.", upper_first(count_of(seen[["cells"]], "cell")),
                    count_words(seen[["rows"]]), count_words(seen[["columns"]])),
      "A cell lies far from the table: delete it, or say where the table is, `range = \"A1:H200\"`."
    )
  }
}

substr_bytes <- function(text, first, last) {
  Encoding(text) <- "bytes"
  substr(text, first, last)
}

# Where the last whole row of a stretch of a sheet ends; its start where none does.
last_row_end <- function(text, size) {
  from <- max(1, size - 1e5)
  at <- gregexpr("</row>", substr_bytes(text, from, size), fixed = TRUE, useBytes = TRUE)[[1]]
  if (at[1] < 0) 0 else from + max(at) + 4
}

# Tags of a text by their pattern, and the value of one of their attributes.
tags_of <- function(text, pattern) regmatches(text, gregexpr(pattern, text, perl = TRUE, useBytes = TRUE))[[1]]
tag_attribute <- function(tags, name) sub(sprintf(".*[ ]%s=\"([^\"]*)\".*", name), "\\1", tags, useBytes = TRUE)

add_sheet_facts <- function(facts, text) {
  if (grepl(" hidden=\"", text, fixed = TRUE, useBytes = TRUE)) {
    rows <- tag_attribute(tags_of(text, "<row [^>]*hidden=\"(?:1|true)\"[^>]*>"), "r")
    facts$hidden <- c(facts$hidden, as.integer(rows))
  }
  if (grepl("<mergeCell ", text, fixed = TRUE, useBytes = TRUE)) {
    facts$merged <- c(facts$merged, tag_attribute(tags_of(text, "<mergeCell [^>]*>"), "ref"))
  }
  if (grepl("</f></c>", text, fixed = TRUE, useBytes = TRUE)) {
    facts$empty_formulas <- c(facts$empty_formulas, tag_attribute(tags_of(text, "<c [^>]*><f[^>]*>[^<]*</f></c>"), "r"))
  }
  facts
}

# The part of the packed file that holds a sheet.
sheet_part <- function(file, sheet) {
  read <- function(part) {
    connection <- unz(file, part, "rb")
    on.exit(close(connection))
    bytes <- readBin(connection, "raw", 5e6)
    rawToChar(bytes[bytes != 0])
  }
  sheets <- tags_of(read("xl/workbook.xml"), "<(?:[a-z]+:)?sheet [^>]*>")
  position <- if (is.character(sheet)) match(sheet, readxl::excel_sheets(file)) else sheet
  id <- tag_attribute(sheets[position], "r:id")
  links <- tags_of(read("xl/_rels/workbook.xml.rels"), "<Relationship [^>]*>")
  target <- tag_attribute(links[tag_attribute(links, "Id") == id], "Target")
  if (startsWith(target, "/")) substring(target, 2) else paste0("xl/", target)
}

# NULL of other workbooks, and where it is not found.
known_part <- function(file, sheet) {
  if (file_extension(file) == "xlsx") tryCatch(suppressWarnings(sheet_part(file, sheet)), error = function(cnd) NULL)
}

# `top` is the first row of the table's body: what is merged in its headings is put together anyway.
say_sheet_facts <- function(facts, filled, top) {
  merged <- if (!filled) facts$merged[vapply(facts$merged, function(range) merged_limits(range)$bottom >= top, TRUE)]
  told <- c(
    if (isTRUE(facts$large)) c(i = "The sheet is large: hidden rows, merged cells and formulas were not looked for."),
    if (length(facts$hidden) > 0) {
      c(i = sprintf("%s hidden in the sheet %s read too.", upper_first(row_words(facts$hidden, 5)),
                    if (length(facts$hidden) == 1) "is" else "are"))
    },
    if (length(merged) > 0) {
      c(i = sprintf("Merged cells (%s) have their value in the first cell only; `merged = \"fill\"` fills them.",
                    list_some(merged, 3)))
    }
  )
  if (length(told) > 0) tell_wavetax(told, class = "wavetax_message_sheet")
}

check_formulas <- function(facts, file) {
  if (length(facts$empty_formulas) == 0) return(invisible())
  stop_not_a_table(
    file, sprintf("Formulas in it have no values: %s.", list_some(facts$empty_formulas, 5)),
    "Open the workbook, let it compute, and save it."
  )
}

# The sheets of a workbook with their size and first row of several cells, when it is not clear which
# is meant.
stop_which_sheet <- function(file, sheets) {
  shown <- utils::head(sheets, 12)
  tops <- lapply(shown, function(sheet) sheet_cells(file, sheet, most = 30))
  tables <- vapply(tops, function(cells) !is.null(cells) && any(rowSums(!is.na(cells)) > 1), TRUE)
  likely <- c(shown[tables], sheets)[1:2]
  described <- vapply(seq_along(shown), function(i) {
    sheet <- shown[i]
    cells <- tops[[i]]
    if (is.null(cells)) return(sprintf("%s: empty", dQuote(sheet, FALSE)))
    first <- cells[which(rowSums(!is.na(cells)) > 1)[1], ]
    extent <- sheet_extent(file, sheet)
    sprintf("%s: %s%s", dQuote(sheet, FALSE), if (is.null(extent)) "" else paste0(extent, "; "),
            if (all(is.na(first))) "text in one column" else list_some(short_text(first[!is.na(first)], 30), 6))
  }, "")
  stop_wavetax(
    "which_sheet", sprintf("The workbook has %s; which one is meant?", count_of(length(sheets), "sheet")),
    where = c(described, if (length(sheets) > 12) sprintf("and %d more", length(sheets) - 12L)),
    todo = c(sprintf("Say which: `sheet = %s`.", code_text(likely[1])),
             sprintf("Several of one layout: `sheet = %s`, or `sheet = \"*\"` for all.", code_texts(likely)))
  )
}

# "1,047 rows, 13 columns" as the sheet itself says.
sheet_extent <- function(file, sheet) {
  if (file_extension(file) != "xlsx") return(NULL)
  text <- tryCatch({
    connection <- unz(file, sheet_part(file, sheet), "rb")
    on.exit(close(connection))
    bytes <- readBin(connection, "raw", 2000)
    rawToChar(bytes[bytes != 0])
  }, error = function(cnd) "")
  extent <- regmatches(text, regexec("<dimension ref=\"([A-Z]+[0-9]+):([A-Z]+)([0-9]+)\"", text))[[1]]
  if (length(extent) == 0) return(NULL)
  columns <- range_limits(paste0("A1:", extent[3], "9999999"))$right
  sprintf("%s, %s", count_of(as.numeric(extent[4]), "row"), count_of(columns, "column"))
}

# All cells of a sheet as text, NA where blank; NULL where there is none.
sheet_cells <- function(file, sheet, most = Inf, range = NULL) {
  part <- if (is.finite(most)) known_part(file, sheet)
  if (!is.null(part)) check_cell_extent(file, part, ranged = TRUE)
  data <- tryCatch(
    suppressMessages(readxl::read_excel(file, sheet = sheet, range = range, col_names = FALSE, col_types = "text",
                                        n_max = most,
                                        trim_ws = TRUE, .name_repair = "minimal", progress = FALSE)),
    error = function(cnd) stop_not_a_table(file, conditionMessage(cnd))
  )
  if (nrow(data) == 0 || ncol(data) == 0) return(NULL)
  without_blanks(as.matrix(data))
}

merged_limits <- function(range) {
  ends <- strsplit(range, ":", fixed = TRUE)[[1]]
  parts <- regmatches(ends, regexec("^([A-Z]+)([0-9]+)$", ends))
  list(top = as.numeric(parts[[1]][3]), left = column_number(parts[[1]][2]), bottom = as.numeric(parts[[2]][3]),
       right = column_number(parts[[2]][2]))
}

# What a sheet holds at most (Office Open XML), the row of headings included.
sheet_limits <- list(rows = 1048576, columns = 16384, signs = 32767)

# A sheet by its name, or by its place where no sheet has that name: list or vector of what was given.
named_sheets <- function(sheet, sheets) {
  vapply(as.list(sheet), function(one) {
    text <- as.character(one)
    if (is.character(one) && one %in% sheets || !is.character(one) && !one %in% seq_along(sheets)) return(text)
    at <- if (grepl("^[0-9]{1,6}$", text)) as.integer(text) else NA
    if (at %in% seq_along(sheets)) sheets[at] else text
  }, "")
}
