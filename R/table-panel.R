# The shape of a panel, findings, repairs and joins as tables.

#' @export
as_table.panel_shape <- function(x, ...) {
  per <- x$per_entity
  value <- c(
    rows = count_words(x$rows), stats::setNames(count_words(x$entities), plural_of(x$entity)),
    stats::setNames(count_words(x$periods), plural_of(x$period)),
    "first and last" = paste(unique(format_period(c(x$first, x$last))), collapse = " to "),
    "balanced" = if (x$balanced) "yes" else "no",
    if (length(per) > 0) stats::setNames(paste(unique(count_words(range(per))), collapse = " to "),
                                         paste("rows of one", x$entity)),
    "percent of the full grid" = format_number(100 * x$rows / (as.numeric(x$entities) * x$periods), 3),
    "enter late" = count_words(x$late), "leave early" = count_words(x$early), "with gaps" = count_words(x$gap_entities),
    "groups that share no period" = count_words(x$components)
  )
  new_panel_table(table_rows(names(value)), list(table_column("", word_cells(unname(value)), "value")), "The panel",
                  notes = table_note(c(choice_words(x), shape_evenness(x), absent_words(x))))
}

#' @export
as_table.panel_problems <- function(x, ...) {
  table <- new_panel_table(
    table_rows(x$kind, key = seq_len(nrow(x))), stub = "finding", title = "What was found in the data",
    columns = list(table_column("where", word_cells(x$where), form = "prose"),
                   table_column("what to do", word_cells(x$todo), form = "prose"))
  )
  if (nrow(x) == 0) return(table)
  with_headings(table, unname(problem_heads[as.character(x$weight)]))
}

#' @export
as_table.repair_log <- function(x, ...) {
  new_panel_table(
    table_rows(x$action, key = seq_len(nrow(x))), stub = "repair", title = "Repairs",
    columns = list(table_column("row", count_cells(x$row)), table_column("column", word_cells(x$column), form = "left"),
                   table_column("before", word_cells(x$before), form = "left"),
                   table_column("after", word_cells(x$after), form = "left"))
  )
}

#' @export
as_table.join_report <- function(x, ...) {
  lines <- join_lines(x, most = 20)
  new_panel_table(table_rows(lines[-1]), list(), lines[1])
}
