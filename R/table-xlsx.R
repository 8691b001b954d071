# A table value as a sheet: numbers are numbers, shown with their decimals.

writer_xlsx <- function() {
  new_table_writer(function(tables, file, how) {
    check_package("openxlsx", "writes spreadsheets")
    book <- if (is.null(how$onto)) openxlsx::createWorkbook() else tryCatch(
      openxlsx::loadWorkbook(how$onto), error = function(cnd) {
        stop_wavetax("cannot_write", sprintf("%s is no workbook to add to.", sQuote(how$onto, FALSE)),
                     todo = "Leave `append` out to replace it.")
      }
    )
    for (t in seq_along(tables)) add_table_sheet(book, tables[[t]], names(tables)[t])
    write_packed(file, "xlsx", function(path) openxlsx::saveWorkbook(book, path, overwrite = TRUE), "xl/workbook.xml",
                 "</workbook>")
  }, several = TRUE, appends = TRUE)
}

# Title, heads, lines, notes, each below the other.
add_table_sheet <- function(book, table, name) {
  look <- table_layout(table)
  sheet <- sheet_name(c(name, look$title), names(book))
  openxlsx::addWorksheet(book, sheet, gridLines = FALSE)
  n <- length(look$heads)
  top <- c(title = nzchar(look$title), says = length(look$says) > 0, over = any(nzchar(look$over$head)), heads = TRUE)
  at <- as.list(stats::setNames(cumsum(top), names(top)))
  rows <- at$heads + seq_len(nrow(look$lines))
  last <- max(at$heads, rows)
  put <- function(x, row, column) {
    openxlsx::writeData(book, sheet, x, startRow = row, startCol = column, colNames = FALSE)
  }
  if (top[["title"]]) put(sheet_words(look$title), at$title, 1)
  if (top[["says"]]) put(sheet_words(paste(look$says, collapse = " ")), at$says, 1)
  if (top[["over"]]) {
    for (g in which(nzchar(look$over$head))) {
      place <- (look$over$from[g]:look$over$to[g]) + 1
      put(sheet_words(look$over$head[g]), at$over, place[1])
      if (length(place) > 1) openxlsx::mergeCells(book, sheet, place, at$over)
    }
  }
  put(as.list(sheet_words(c(look$stub, look$heads))), at$heads, 1)
  if (length(rows) > 0) {
    put(sheet_words(look$lines$label), rows[1], 1)
    for (j in seq_len(n)) put_sheet_column(look$values[[j]], look$cells[[j]], rows, j + 1, put)
  }
  for (i in seq_along(look$notes)) put(sheet_words(look$notes[i]), last + i, 1)
  style_sheet(book, sheet, look, at, rows, last, top)
  labels <- c(look$stub, look$lines$label[look$lines$kind != "part"])
  openxlsx::setColWidths(book, sheet, 1, min(45, max(8, nchar(labels, "width") + 2)))
  if (n > 0) {
    widths <- vapply(seq_len(n), function(j) {
      cell <- look$cells[[j]]
      shown <- nchar(cell$words, "width") + ifelse(cell$place == "point", look$places[j] - cell$places, 0)
      max(8, nchar(two_lines(look$heads[j])$second, "width") + 3, pmin(60, shown + 2))
    }, 0)
    openxlsx::setColWidths(book, sheet, seq_len(n) + 1L, widths)
  }
  openxlsx::pageSetup(book, sheet, orientation = if (n > most_upright[["turned"]]) "landscape" else "portrait",
                      fitToWidth = TRUE, fitToHeight = FALSE)
}

# Runs of numbers are put together; what is no one number stands as text.
put_sheet_column <- function(cells, shown, rows, column, put) {
  number <- is_number_cell(cells) & is.finite(cells$value)
  for (run in split(seq_along(rows), cumsum(c(TRUE, diff(number) != 0)))) {
    if (number[run[1]]) put(cells$value[run], rows[run[1]], column) else if (any(nzchar(shown$words[run]))) {
      put(ifelse(nzchar(shown$words[run]), sheet_words(shown$words[run]), NA), rows[run[1]], column)
    }
  }
}

# How a column's numbers are shown: with their decimals, and blanks as wide as those that others of the column have
# more,
# so that the points stand below each other.
sheet_formats <- function(cells, shown) {
  number <- is_number_cell(cells) & is.finite(cells$value)
  plain <- ifelse(cells$value == 0 & cells$kind != "count", "0",
                  paste0("#,##0", ifelse(shown$places > 0, paste0(".", strrep("0", shown$places)), "")))
  most <- max(c(0, shown$places))
  room <- ifelse(shown$place == "point",
                 paste0(strrep("_0", most - shown$places), ifelse(shown$places == 0 & most > 0, "_.", "")), "")
  formats <- ifelse(cells$kind == "p", sprintf("[<0.001]\"<0.001\"%s;0.000%s", room, room), paste0(plain, room))
  formats[grepl("e", shown$words)] <- "0.0E+00"
  marked <- nzchar(shown$mark)
  formats[marked] <- sprintf("%s\"%s\"", plain, gsub("\"", "'", visible_text(shown$mark)))[marked]
  ifelse(number, formats, "")
}

# Each cell's style is put together first, and each style is added once.
style_sheet <- function(book, sheet, look, at, rows, last, top) {
  n <- length(look$heads)
  cells <- list()
  add <- function(row, column, ...) {
    grid <- expand.grid(row = row, column = column)
    if (nrow(grid) > 0) cells[[length(cells) + 1]] <<- data.frame(grid, ..., stringsAsFactors = FALSE)
  }
  across <- seq_len(n) + 1L
  if (top[["title"]]) add(at$title, 1, style = "size 11 bold")
  if (top[["says"]]) add(at$says, 1, style = "size 9 grey")
  named <- unlist(Map(function(head, from, to) if (nzchar(head)) (from:to) + 1, look$over$head, look$over$from,
                      look$over$to))
  if (top[["over"]]) add(at$over, unname(named), style = "size 10 center hair")
  add(at$heads, 1, style = "size 10 strong wrap")
  left <- vapply(look$cells, function(one) length(one$place) > 0 && all(one$place == "left"), TRUE)
  for (j in seq_len(n)) add(at$heads, j + 1, style = paste("size 10 strong wrap", if (left[j]) "left" else "right"))
  lines <- look$lines
  shared <- ifelse(lines$kind == "below", "size 9 grey", "size 10")
  shared[match("fact", lines$kind, nomatch = 0)] <- paste(shared[match("fact", lines$kind, nomatch = 0)], "over")
  if (length(rows) > 0) shared[length(rows)] <- paste(shared[length(rows)], "strong")
  for (r in seq_along(rows)) {
    add(rows[r], 1, style = paste(shared[r], if (lines$kind[r] == "part") "bold", if (lines$depth[r] > 0) "indent"))
  }
  for (j in seq_len(n)) {
    cell <- look$cells[[j]]
    formats <- sheet_formats(look$values[[j]], cell)
    cells[[length(cells) + 1]] <- data.frame(row = rows, column = rep(j + 1, length(rows)), style = paste(
      shared, ifelse(cell$place == "left", "left wrap", "right"),
        ifelse(nzchar(formats), paste0("format ", formats), "")
    ))
  }
  add(last + seq_along(look$notes), 1, style = "size 9 grey")
  cells <- do.call(rbind, cells)
  for (one in unique(cells$style)) {
    of <- cells[cells$style == one, ]
    openxlsx::addStyle(book, sheet, sheet_style(one), of$row, of$column)
  }
}

# A style from its words.
sheet_style <- function(words) {
  has <- function(word) grepl(paste0("(^| )", word, "( |$)"), sub(" format .*$", "", words))
  format <- if (grepl(" format ", words, fixed = TRUE)) sub("^.* format ", "", words) else "GENERAL"
  border <- c(if (has("strong") || has("hair")) "bottom", if (has("over")) "top")
  openxlsx::createStyle(
    fontName = word_face, fontSize = as.numeric(sub("^size ([0-9]+).*$", "\\1", words)),
    fontColour = if (has("grey")) word_grey else word_ink, numFmt = trimws(format),
    textDecoration = if (has("bold")) "bold", wrapText = has("wrap"), indent = if (has("indent")) 1 else 0,
    halign = if (has("right")) "right" else if (has("center")) "center" else "left",
      valign = if (has("wrap")) "top" else "bottom",
    border = border,
    borderColour = c(if (has("strong") || has("hair")) (if (has("hair")) word_hair else word_ink),
                     if (has("over")) word_hair),
    borderStyle = c(if (has("strong") || has("hair")) (if (has("strong")) "medium" else "thin"),
                    if (has("over")) "thin")
  )
}

# Text of a cell: no formula, no line that the sheet could not hold.
sheet_words <- function(x) sheet_text(substr(visible_text(x), 1, 32000))

# A name that a workbook takes: 31 signs, none of those that it forbids, and none that it has.
sheet_name <- function(wanted, taken) {
  wanted <- c(wanted[nzchar(wanted)], "Table")[1]
  name <- trimws(substr(gsub("[][\\\\/*?:']", " ", visible_text(wanted)), 1, 31))
  if (!nzchar(name)) name <- "Table"
  one <- name
  for (k in seq_len(1000)[-1]) {
    if (!lower_case(one) %in% lower_case(taken)) break
    one <- paste(substr(name, 1, 27), k)
  }
  one
}
