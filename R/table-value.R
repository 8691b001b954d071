# The table value: what everything that prints as a table gives by as_table(), and all that a writer is told.
#   title     one text, or NULL
#   says      sentences under the title of a document: what the table is of, and what stands beneath
#   stub      the head over the labels
#   columns   a data frame with a row a column: key, head, over (the head over it, "" for none), form ("right", on the
#             edge or the point; "left"; "prose", sentences that a narrow page sets beneath their row)
#   rows      a data frame with a row a line: key, label, role, depth, mark, unit (what qualifies the label)
#   cells     by column key, a list of vectors with an element a row, see new_cells()
#   notes     a data frame: text, column (the key of the one that it is about, "" for all)
# Roles: "row"; "estimate" and, beneath it, "beneath"; "fact", what is told of a column below its estimates; "span", a
# line over all columns. Rows that are estimates or facts are left out where no column that is shown has them.
new_panel_table <- function(rows, columns, title = NULL, stub = "", notes = NULL, says = character()) {
  columns <- Filter(Negate(is.null), columns)
  keys <- vapply(columns, `[[`, "", "key")
  heads <- data.frame(
    key = keys, head = vapply(columns, `[[`, "", "head"), over = vapply(columns, `[[`, "", "over"),
    form = vapply(columns, `[[`, "", "form")
  )
  cells <- stats::setNames(lapply(columns, `[[`, "cells"), keys)
  if (is.null(notes)) notes <- table_note(character())
  structure(list(title = title, says = says, stub = stub, columns = heads, rows = rows, cells = cells, notes = notes),
            class = "panel_table", home = home())
}

table_roles <- c("row", "estimate", "beneath", "fact", "span")

table_rows <- function(label, role = "row", depth = 0, mark = "", key = label, unit = "") {
  n <- length(label)
  data.frame(key = as.character(key), label = as.character(label), role = rep_len(role, n),
             depth = rep_len(depth, n), mark = rep_len(mark, n), unit = rep_len(unit, n))
}

column_forms <- c("right", "left", "prose")

table_column <- function(head, cells, key = head, over = "", form = "right") {
  list(key = as.character(key), head = head, over = over, form = form, cells = cells)
}

table_note <- function(text, column = "") {
  data.frame(text = as.character(text), column = rep_len(column, length(text)))
}

# Whether a table is as it is documented; the first thing that is not, NULL where all is.
table_fault <- function(table) {
  n <- NROW(table$rows)
  has <- function(part, names) is.data.frame(part) && all(names %in% names(part))
  if (!inherits(table, "panel_table") || !is.list(table)) return("class")
  if (length(table$title) > 1 || length(table$title) == 1 && !is_one_text(table$title)) return("title")
  if (!is.character(table$says) || anyNA(table$says)) return("says")
  if (!is_one_text(table$stub)) return("stub")
  if (!has(table$columns, c("key", "head", "over", "form")) || anyDuplicated(table$columns$key) ||
      !all(table$columns$form %in% column_forms)) return("columns")
  if (!has(table$rows, c("key", "label", "role", "depth", "mark", "unit")) || !all(table$rows$role %in% table_roles)) {
    return("rows")
  }
  if (!identical(as.character(names(table$cells)), table$columns$key)) return("cells")
  whole <- vapply(table$cells, function(cells) {
    identical(names(cells), cell_fields) && all(lengths(cells) == n) && all(cells$kind %in% cell_kinds)
  }, TRUE)
  if (!all(whole)) return("cells")
  if (!has(table$notes, c("text", "column")) || !all(table$notes$column %in% c("", table$columns$key))) return("notes")
  NULL
}

# A table of rows that a typed_table() has: its first column, where that is text, stands in the stub.
table_of_columns <- function(data, title = NULL, notes = NULL) {
  columns <- attr(data, "columns")
  first <- columns[[1]]
  new_panel_table(
    table_rows(cells_as_text(typed_cells(data, first)), key = seq_len(NROW(data))),
    lapply(columns[-1], function(column) table_column(column$heading, typed_cells(data, column), column$name)),
    title, first$heading, notes
  )
}

# The same table with a line over each run of rows of one group.
with_headings <- function(table, groups) {
  starts <- which(!duplicated(groups))
  insert_rows(table, table_rows(groups[starts], "span", key = paste0("over:", groups[starts])), starts - 1)
}

# With a line of words after row `after`.
with_line <- function(table, after, words) insert_rows(table, table_rows(words, "span", depth = 1), after)

# Rows without cells, each after the row of that number.
insert_rows <- function(table, rows, after) {
  order <- order(c(seq_len(nrow(table$rows)), after + 0.5))
  table$rows <- rbind(table$rows, rows)[order, ]
  rownames(table$rows) <- NULL
  table$cells <- lapply(table$cells, function(cells) cells_at(bind_cells(cells, empty_cells(nrow(rows))), order))
  table
}

# Tables below each other, each under its own line; a column that one lacks is empty there.
stack_tables <- function(tables, titles, title = NULL) {
  columns <- unique(do.call(rbind, lapply(tables, `[[`, "columns")))
  cells <- lapply(columns$key, function(key) {
    do.call(bind_cells, lapply(tables, function(table) {
      if (is.null(table$cells[[key]])) empty_cells(nrow(table$rows)) else table$cells[[key]]
    }))
  })
  stacked <- new_panel_table(
    do.call(rbind, lapply(tables, `[[`, "rows")),
    Map(table_column, columns$head, cells, columns$key, columns$over, columns$form), title, tables[[1]]$stub,
    do.call(rbind, lapply(tables, `[[`, "notes"))
  )
  lengths <- vapply(tables, function(table) nrow(table$rows), 1L)
  starts <- cumsum(c(0, lengths))[seq_along(tables)]
  insert_rows(stacked, table_rows(unlist(titles), "span", key = paste0("over:", seq_along(tables))), starts)
}

typed_cells <- function(data, column) {
  x <- data[[column$name]]
  switch(column$kind,
    text = word_cells(x), term = word_cells(sub("^mean\\((.*)\\)$", "mean of \\1", x)),
    count = count_cells(x), p = p_cells(x),
    number = number_cells(x),
    ratio = number_cells(x, 2), share = number_cells(x, 3), df = number_cells(x, df_decimals(x)),
    estimate = number_cells(x, estimate_decimals(data[[column$like[1]]], data[[column$like[2]]]))
  )
}

# Degrees of freedom: whole, or with one decimal where some are not.
df_decimals <- function(x) {
  known <- x[is.finite(x)]
  if (all(known == trunc(known))) 0 else 1
}

df_words <- function(x) cells_as_text(number_cells(x, df_decimals(x)))

# Heads in one line each, with those over them.
whole_heads <- function(table) {
  columns <- table$columns
  ifelse(nzchar(columns$over), paste0(columns$over, ", ", columns$head), columns$head)
}

# Runs of neighbouring columns under one head.
head_runs <- function(over) {
  runs <- rle(over)
  to <- cumsum(runs$lengths)
  data.frame(head = runs$values, from = to - runs$lengths + 1, to = to)
}
