# A table value in a terminal: as many columns at a time as fit the width.

#' @export
print.panel_table <- function(x, ...) {
  check_print_dots(..., of = print.panel_table)
  show_blocks(table_blocks(as_table(x)))
  invisible(x)
}

# A table with its title above and its notes below; in a document also what is said under the title. `width`: of its
# lines.
table_blocks <- function(table, width = table_width(), says = FALSE) {
  list(if (!is.null(table$title)) list(heading_block(table$title), gap_block()),
       if (says && length(table$says) > 0) list(text_block(paste(as_sentences(table$says), collapse = " ")),
                                                gap_block()),
       table_block(table, 0, width),
       if (nrow(table$notes) > 0) list(gap_block(), text_block(table$notes$text)))
}
