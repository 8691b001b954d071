# How the report of a join is printed.

#' @export
print.join_report <- function(x, ...) {
  check_print_dots(..., of = print.join_report)
  lines <- join_lines(x, most = 20)
  say_heading(lines[1])
  for (line in lines[-1]) writeLines(strwrap(visible_text(line), line_width() + 1, indent = 2, exdent = 4))
  invisible(x)
}
