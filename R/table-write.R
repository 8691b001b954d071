#' Write a table to a file
#'
#' Question answered: *how do I get the table into my paper?* The format follows from
#' the file's extension: `.csv` (the printed cells, for a spreadsheet), `.md` (a
#' Markdown table), `.html` (a page of its own).
#'
#' The file is written beside its place and then renamed: there is never half a file.
#'
#' @param table A [spec_table()], or anything else that [as_table()] takes.
#' @param file Path with the extension `.csv`, `.md` or `.html`. An existing file is
#'   replaced.
#' @return `file`, invisibly.
#' @section Errors:
#' `wavetax_error_format` for another extension or something that is no table;
#' `wavetax_error_cannot_write` when the folder is not there or is closed.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fixed <- fit_fixed(log(nights) ~ levy + storms, panel)
#' file <- file.path(tempdir(), "table.md")
#' write_table(spec_table(fixed), file)
#' writeLines(readLines(file))
#' @export
write_table <- function(table, file) {
  check_tabled(table)
  writer <- table_writer(check_table_file(file))
  writer$write(as_table(table), file)
}

# A format is a function writer_<ending>() that gives this list: `write(table, file)` writes a table value, through
# write_whole_file().
new_table_writer <- function(write) list(write = write)

table_endings <- c("csv", "md", "html")

# A writer of text: `lines(table)`.
text_table_writer <- function(lines) new_table_writer(function(table, file) write_text_file(lines(table), file))

table_writer <- function(ending) get(paste0("writer_", ending), mode = "function")()

check_table_file <- function(file) {
  if (is_one_text(file) && exists(paste0("writer_", file_extension(file)), mode = "function")) {
    return(file_extension(file))
  }
  check_ending(file, table_endings, "The table")
}

check_tabled <- function(table) {
  if (is_tabled(table)) return(invisible())
  stop_wavetax("format", sprintf("`table` is %s, which is no table.", value_words(table)),
               todo = "Give what prints as one: `write_table(spec_table(fit), file)`.")
}

# Whether as_table() has a way with it.
is_tabled <- function(x) {
  any(vapply(class(x), function(class) !is.null(utils::getS3method("as_table", class, optional = TRUE)), TRUE))
}

writer_md <- function() text_table_writer(function(table) blocks_markdown(table_blocks(table)))
