# How the report of a join is printed.

#' @export
print.join_report <- function(x, ...) {
  check_print_dots(..., of = print.join_report)
  show_blocks(blocks_of(x))
  invisible(x)
}

#' @export
blocks_of.join_report <- function(x, ...) {
  lines <- join_lines(x, most = 20)
  list(heading_block(lines[1]), findings_block(lines[-1]))
}
