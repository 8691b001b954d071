#' Write tables to a file
#'
#' Question answered: *how do I get the table into my paper?* The format follows from the file's ending, and the numbers
#' are the same in all of them.
#'
#' | ending | what it is |
#' | :-- | :-- |
#' | `.docx` | Word tables with captions that Word numbers (packages `officer` and `flextable`) |
#' | `.tex` | LaTeX to be read in with `\input{}`, or a document; it needs `booktabs` alone |
#' | `.html` | a page, or a fragment to paste |
#' | `.xlsx` | a sheet a table, numbers as numbers (package `openxlsx`) |
#' | `.md`, `.txt` | Markdown; text as it is printed, all columns side by side |
#' | `.csv` | the printed cells, for a spreadsheet |
#' | `.json` | the table itself (package `jsonlite`): [read_table_file()] reads it back |
#'
#' The file is written beside its place and then renamed: there is never half a file. What is written twice is the same
#' byte for byte.
#'
#' @param table A [spec_table()], or anything else that [as_table()] takes; for `.docx`, `.tex`, `.html`, `.xlsx`, `.md`
#'   and `.txt` also a list of them, whose names are the titles of those that have none and the names of sheets.
#' @param file Path with one of these endings. An existing file is replaced.
#' @param fragment Of `.html` and `.tex`: `TRUE` for a piece of a document, `FALSE` for one that stands by itself.
#'   `NULL` is a page of HTML and a piece of LaTeX.
#' @param append `TRUE` adds to a `.docx`, `.xlsx`, `.md` or `.tex` that is there, and makes one that is not.
#' @param ... Takes nothing; what is misspelt is told.
#' @return `file`, invisibly.
#' @section Errors:
#' `wavetax_error_format` for another ending, for something that is no table, and for several tables in a format that
#' holds one; `wavetax_error_argument` for what has no effect on the format; `wavetax_error_package_needed`;
#' `wavetax_error_cannot_write` when the folder is not there or is closed, and for a file to add to that is none of its
#' ending.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fixed <- fit_fixed(log(nights) ~ levy + storms, panel)
#' file <- file.path(tempdir(), "table.md")
#' write_table(spec_table(fixed), file)
#' writeLines(readLines(file))
#' @export
write_table <- function(table, file, fragment = NULL, append = FALSE, ...) {
  check_own_arguments(..., of = write_table, name = "write_table()")
  tables <- tables_of(table)
  ending <- check_table_file(file)
  writer <- table_writer(ending)
  check_flag(append, "append")
  if (!is.null(fragment)) check_flag(fragment, "fragment")
  only_for <- function(argument, has) {
    if (has(writer)) return(invisible())
    endings <- Filter(function(one) has(table_writer(one)), table_endings)
    stop_argument(argument, "given", sprintf("It is for %s, not for .%s.", list_words(paste0(".", endings)), ending))
  }
  if (append) only_for("append", function(one) one$appends)
  if (!is.null(fragment)) only_for("fragment", function(one) !is.na(one$fragments))
  if (length(tables) > 1 && !writer$several) {
    several <- Filter(function(one) table_writer(one)$several, table_endings)
    stop_wavetax("format", sprintf("A .%s file holds one table, not %s.", ending, count_words(length(tables))),
                 todo = sprintf("Write each to a file, or all to %s.", list_or(paste0(".", several))))
  }
  if (is.null(fragment)) fragment <- isTRUE(writer$fragments)
  writer$write(tables, file, list(fragment = fragment, onto = if (append && file.exists(file)) file))
}

# A format is a function writer_<ending>() that gives this list.
#   write      function(tables, file, how): writes a list of table values, through write_whole_file(); `how` is
#              list(fragment, onto, the file that is added to or NULL)
#   several    whether a file holds several tables
#   appends    whether tables are added to a file
#   fragments  whether a file is a fragment by default; NA where there are none
new_table_writer <- function(write, several = FALSE, appends = FALSE, fragments = NA) {
  list(write = write, several = several, appends = appends, fragments = fragments)
}

table_endings <- c("docx", "tex", "html", "xlsx", "md", "txt", "csv", "json")

# A writer of text: `lines(tables, fragment)`; `join(before, lines)` puts lines into those of a file that is there.
text_table_writer <- function(lines, several = FALSE, join = NULL, fragments = NA) {
  write <- function(tables, file, how) {
    made <- lines(tables, how$fragment)
    if (!is.null(how$onto)) made <- join(readLines(how$onto, encoding = "UTF-8", warn = FALSE), made)
    write_text_file(made, file)
  }
  new_table_writer(write, several, !is.null(join), fragments)
}

table_writer <- function(ending) get(paste0("writer_", ending), mode = "function")()

check_table_file <- function(file) {
  if (is_one_text(file) && grepl("\\.[^./]+$", file) && exists(paste0("writer_", file_extension(file)),
                                                               mode = "function")) {
    return(file_extension(file))
  }
  check_ending(file, table_endings, "The table")
}

# Table values of one thing or of a list of things. Names of a list are titles where there are none.
tables_of <- function(x) {
  if (is_tabled(x)) return(list(as_table(x)))
  if (is.list(x) && !is.data.frame(x) && !is.object(x) && length(x) > 0 && all(vapply(x, is_tabled, TRUE))) {
    titles <- if (is.null(names(x))) rep("", length(x)) else names(x)
    return(stats::setNames(Map(function(one, title) {
      table <- as_table(one)
      if (is.null(table$title) && nzchar(title)) table$title <- title
      table
    }, x, titles), titles))
  }
  stop_wavetax("format", sprintf("`table` is %s, which is no table.", value_words(x)),
               todo = "Give what prints as one: `write_table(spec_table(fit), file)`.")
}

# Whether as_table() has a way with it: lists of tests are one table.
is_tabled <- function(x) {
  if (is.list(x) && !is.object(x)) return(is_list_of_tests(x))
  any(vapply(class(x), function(class) !is.null(utils::getS3method("as_table", class, optional = TRUE)), TRUE))
}

writer_md <- function() {
  text_table_writer(function(tables, fragment) blocks_markdown(lapply(unname(tables), table_blocks, says = TRUE)),
                    several = TRUE, join = function(before, lines) c(before, "", lines))
}

# As it is printed, but all columns side by side.
writer_txt <- function() {
  text_table_writer(function(tables, fragment) {
    blocks <- lapply(seq_along(tables), function(t) {
      list(if (t > 1) list(gap_block(), gap_block()), table_blocks(tables[[t]], Inf))
    })
    cli::ansi_strip(render_blocks(blocks, "terminal"))
  }, several = TRUE)
}
