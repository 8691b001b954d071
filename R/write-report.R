#' Write the document that defends a result
#'
#' Question answered: *how do I write down why this model and these errors, for the appendix and for whoever asks?* One
#' call writes a document whose every number is computed: the question, the answer with its interval, the data, the
#' models side by side, what the tests say, what is recommended, what other choices would give, what no test can tell,
#' and the methods and calls.
#'
#' | ending | what it is |
#' | :-- | :-- |
#' | `.html` | one page with all inside, for a desk, a phone, print and a dark screen (package `jsonlite`) |
#' | `.docx` | Word headings, captions, real tables (packages `officer`, `flextable`) |
#' | `.md` | Markdown, and a folder of figures beside it |
#' | `.pdf` | set by `pdflatex`, where it is there |
#'
#' What is written twice is the same byte for byte; a date stands in it only where one is given.
#'
#' @param x An [appraise()]d equation, a fit, a list of fits and tests, a [diagnose()]d fit, or the result of
#' [run_study()]. A single test, or anything else that [as_table()] takes, gives a page with the table, the reading
#' and the cautions.
#' @param file Path with one of these endings; an existing file is replaced.
#' @param title The question, as a title; `NULL` makes one of the labels.
#' @param author,date Texts, or nothing.
#' @param parts Some of `"question"`, `"data"`, `"description"`, `"models"`, `"tests"`, `"recommendation"`,
#'   `"robustness"`, `"limits"`, `"appendix"`, in the order in which they shall stand.
#' @param ... Takes nothing; what is misspelt is told.
#' @return `file`, invisibly.
#' @section Errors:
#' `wavetax_error_format` for another ending; `wavetax_error_report` when there is nothing to report on, as in an
#' appraisal of a failed model; `wavetax_error_package_needed`; `wavetax_error_cannot_write`. Of fits without rows it
#' is told which parts are missing.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' chosen <- appraise(log(nights) ~ levy + storms + fuel, panel, focus = "levy")
#' file <- file.path(tempdir(), "levy.md")
#' write_report(chosen, file, parts = c("question", "recommendation", "limits"))
#' writeLines(readLines(file))
#' @export
write_report <- function(x, file, title = NULL, author = NULL, date = NULL, parts = NULL, ...) {
  check_own_arguments(..., of = write_report, name = "write_report()")
  if (missing(file)) stop_argument("file", "missing", "Give the path of a document: `\"report.html\"`.")
  ending <- check_ending(file, names(report_writers()), "The report")
  if (!is.null(title)) check_text(title, "title")
  if (!is.null(date)) check_text(date, "date")
  check_texts(author, "author")
  if (is.null(parts)) parts <- report_parts
  check_texts(parts, "parts")
  for (part in parts) check_choice(part, report_parts, "parts")
  report <- if (is_single_result(x)) page_of_result(x, title, author, date) else
    report_of(x, title, author, date, parts)
  if (length(report$sections) == 0) {
    stop_wavetax("report", "None of these parts has anything to tell.", todo = "Ask for more of them.")
  }
  report_writers()[[ending]](report, file)
  invisible(file)
}

report_writers <- function() {
  list(html = write_report_html, docx = write_report_docx, md = write_report_md, pdf = write_report_pdf)
}

is_single_result <- function(x) {
  if (inherits(x, c("panel_fit", "fit_record", "appraisal", "diagnosis", "study_run"))) return(FALSE)
  is.object(x)
}

# The result as it prints: what it asks, its table, its reading, its cautions.
page_of_result <- function(x, title, author, date) {
  blocks <- tryCatch(flat_blocks(list(gap_block(), blocks_of(x))), error = function(cnd) {
    if (inherits(cnd, "wavetax_error")) rlang::cnd_signal(cnd)
    brief_of.default(x)
  })
  first <- blocks[[match("heading", vapply(blocks, `[[`, "", "kind"), nomatch = 1L)]]
  heading <- if (identical(first$kind, "heading")) one_line(first$text) else as_table(x)$title
  rest <- Filter(function(block) !identical(block, first), blocks)
  section <- new_report_section("result", if (inherits(x, "panel_test")) "The test" else "The table", rest)
  new_report(if (is.null(title)) heading else title, list(section), author, date)
}
