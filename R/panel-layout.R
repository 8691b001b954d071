# Where in a sheet of cells the table stands: titles above it, notes below, blank rows, headings in
# one row or two.

# The table among `cells` (text, NA where blank): list(top, bottom, left, right, header, above, below),
# rows and columns counted from 1, `header` rows of headings from `top`; NULL where there is none.
find_table <- function(cells) {
  filled <- rowSums(!is.na(cells))
  if (!any(filled > 1)) return(NULL)
  width <- stats::quantile(filled[filled > 1], 0.8, type = 1, names = FALSE)
  rows <- which(filled > 1)
  top <- first_heading(cells, filled, width)
  after_blank <- function(row) any(filled[seq_len(row - 1)] == 0 & seq_len(row - 1) > top)
  bottom <- max(rows)
  nameless <- function(row) filled[row] <= width / 2 && all(is.na(cells[row, seq_len(which(!is.na(cells[top, ]))[1])]))
  while (bottom > top && (filled[bottom] <= 1 || filled[bottom] <= width / 3 && after_blank(bottom) ||
                          nameless(bottom))) bottom <- bottom - 1
  if (bottom <= top) return(NULL)
  used <- colSums(!is.na(cells[top:bottom, , drop = FALSE])) > 0
  left <- min(which(used))
  right <- max(which(used))
  header <- heading_rows(cells[top:bottom, left:right, drop = FALSE])
  list(top = top, bottom = bottom, left = left, right = right, header = header,
       above = which(filled > 0 & seq_along(filled) < top), below = which(filled > 0 & seq_along(filled) > bottom))
}

# The first row that is wide enough, or that with the row below makes headings as wide as the table.
first_heading <- function(cells, filled, width) {
  wide <- which(filled >= max(2, width / 2))[1]
  above <- wide - 1
  two <- above >= 1 && filled[above] > 1 && all(is_heading(cells[above, ])) && all(is_heading(cells[wide, ]))
  below_notes(if (two) above else wide, cells, filled, width)
}

# Below notes that are spread over several columns stands a full row of other headings, then numbers.
below_notes <- function(row, cells, filled, width) {
  if (filled[row] >= width) return(row)
  words <- function(at) all(is_heading(cells[at, ]))
  for (at in row + seq_len(min(10, nrow(cells) - row - 1))) {
    if (!words(at - 1)) break
    full <- at > row + 1 && filled[at] >= width && anyDuplicated(stats::na.omit(cells[at, ])) == 0
    if (full && words(at) && !words(at + 1)) return(at)
  }
  row
}

# Text, or a period: what stands in a heading.
is_heading <- function(x) {
  x <- x[!is.na(x)]
  is.na(suppressWarnings(as.numeric(x))) | vapply(x, function(one) !is.null(read_periods(one)), TRUE)
}

# Two rows of headings: the first has blanks where the second is filled, and neither holds numbers.
heading_rows <- function(cells) {
  if (nrow(cells) < 3) return(1L)
  split <- any(is.na(cells[1, ]) & !is.na(cells[2, ])) || anyDuplicated(stats::na.omit(cells[1, ])) > 0
  if (split && all(is_heading(cells[2, ])) && !all(is_heading(cells[3, ]))) 2L else 1L
}

# One name a column out of rows of headings: what stands over several columns goes with each of them,
# the period last.
combine_headings <- function(heads) {
  if (nrow(heads) == 1) return(heads[1, ])
  names <- heads[nrow(heads), ]
  for (row in rev(seq_len(nrow(heads) - 1))) {
    over <- spread_right(heads[row, ], names)
    names <- mapply(function(upper, lower) {
      if (is.na(upper) || is.na(lower)) return(if (is.na(lower)) upper else lower)
      if (!is.null(read_periods(upper))) paste(lower, upper, sep = "_") else paste(upper, lower, sep = "_")
    }, over, names, USE.NAMES = FALSE)
  }
  names
}

# A heading stands over the columns to its right whose own heading comes back elsewhere.
spread_right <- function(over, names) {
  again <- names %in% names[duplicated(names)]
  periods <- vapply(names, function(one) !is.na(one) && !is.null(read_periods(one)), TRUE)
  for (column in seq_along(over)[-1]) {
    if (is.na(over[column]) && !is.na(names[column]) &&
        (again[column] || periods[column])) over[column] <- over[column - 1]
  }
  over
}

# "B4:N60", and back: c(top, left, bottom, right).
cell_range <- function(found) {
  sprintf("%s%d:%s%d", column_letters(found$left), as.integer(found$top), column_letters(found$right),
          as.integer(found$bottom))
}

column_letters <- function(column) {
  out <- ""
  while (column > 0) {
    out <- paste0(LETTERS[(column - 1) %% 26 + 1], out)
    column <- (column - 1) %/% 26
  }
  out
}

column_number <- function(letters) {
  Reduce(function(sum, one) 26 * sum + match(one, LETTERS), strsplit(letters, "")[[1]], 0)
}

range_limits <- function(range) {
  parts <- regmatches(range, regexec("^\\$?([A-Za-z]{1,3})\\$?([0-9]{1,7}):\\$?([A-Za-z]{1,3})\\$?([0-9]{1,7})$",
                                     range))[[1]]
  if (length(parts) == 0) {
    stop_argument("range", dQuote(short_text(range), FALSE), "Give cells such as `range = \"B3:H200\"`.")
  }
  number <- function(letters) column_number(upper_case(letters))
  limits <- list(top = as.numeric(parts[3]), left = number(parts[2]), bottom = as.numeric(parts[5]),
                 right = number(parts[4]))
  if (limits$bottom <= limits$top || limits$right <= limits$left) {
    stop_argument("range", dQuote(range, FALSE), "It goes from the upper left cell to the lower right one.")
  }
  limits
}

# Nothing above or below, and one row of headings.
is_whole_table <- function(found) {
  found$top == 1 && found$left == 1 && found$header == 1 && length(found$above) + length(found$below) == 0
}

# What was found, in words, and the call that takes it.
layout_words <- function(found, rows) {
  c(
    if (length(found$above) > 0) sprintf("Above the table: %s.",
                                         list_some(dQuote(short_text(rows[found$above], 50), FALSE))),
    sprintf("The table: %s%s.", cell_range(found), if (found$header > 1) sprintf(", %d rows of headings",
                                                                                 found$header) else ""),
    if (length(found$below) > 0) sprintf("Below it: %s.", list_some(dQuote(short_text(rows[found$below], 50), FALSE)))
  )
}

stop_layout <- function(file, found, rows, options) {
  arguments <- c(
    if (!is.null(options$sheet)) sprintf("sheet = %s",
      if (is.character(options$sheet)) code_text(options$sheet) else options$sheet),
    sprintf("range = \"%s\"", cell_range(found)), if (found$header > 1) sprintf("header = %d", found$header)
  )
  stop_wavetax(
    "layout", sprintf("The table in %s does not begin in its first row, or does not end in its last.",
                      sQuote(file, FALSE)),
    where = layout_words(found, rows),
    todo = c(sprintf("Take it: `%s`.", paste(arguments, collapse = ", ")), "Or let it be found: `layout = \"find\"`.")
  )
}

row_texts <- function(cells) apply(cells, 1, function(row) paste(row[!is.na(row)], collapse = " "))

say_found <- function(found, rows) tell_wavetax(bullets(layout_words(found, rows), "i"), "wavetax_message_layout")

# Cells without a sign are missing.
without_blanks <- function(cells) {
  cells[!is.na(cells) & !nzchar(trimws(cells))] <- NA
  dimnames(cells) <- NULL
  cells
}
