# A table value in a terminal: as many columns at a time as fit the width.

#' @export
print.panel_table <- function(x, ...) {
  check_print_dots(..., of = print.panel_table)
  show_blocks(table_blocks(as_table(x)))
  invisible(x)
}

# A table with its title above and its notes below.
table_blocks <- function(table) {
  list(if (!is.null(table$title)) list(heading_block(table$title), gap_block()), table_block(table, indent = 0),
       if (nrow(table$notes) > 0) list(gap_block(), text_block(table$notes$text)))
}
