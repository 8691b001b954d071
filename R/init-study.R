#' Start a study
#'
#' Question answered: *what do I write into a study file?* Writes one to begin with: the complete study of the demo
#' world with its raw data, or the shortest study of a file of your own.
#'
#' @param folder A folder, made where it is not there.
#' @param data Path of your own file, copied into the folder; `NULL`: the demo world.
#' @param entity,period Columns of `data`, in quotes.
#' @param formula The equation as text, `"y ~ x1 + x2"`.
#' @param ... Takes nothing; what is misspelt is told.
#' @return The paths that were written, invisibly; a message tells them.
#' @section Errors:
#' `wavetax_error_cannot_write` when a file is there already (nothing is written over) or the folder cannot be made;
#' `wavetax_error_no_file`; `wavetax_error_argument` when your file comes without its keys or formula;
#' `wavetax_error_formula`.
#' @seealso [study_file] for what stands in it, [run_study()].
#' @examples
#' folder <- file.path(tempdir(), "tax")
#' init_study(folder)
#' head(readLines(file.path(folder, "study.yaml")))
#' @export
init_study <- function(folder, data = NULL, entity = NULL, period = NULL, formula = NULL, ...) {
  check_own_arguments(..., of = init_study, name = "init_study()")
  if (missing(folder)) stop_argument("folder", "missing", "Give the path of a folder.")
  check_text(folder, "folder", "Give the path of a folder.")
  content <- if (is.null(data)) demo_study() else own_study(data, entity, period, formula)
  if (is.null(data)) for (one in c("entity", "period", "formula")) {
    if (!is.null(get(one))) stop_argument(one, "given", "It is of a file of your own: give `data` too.")
  }
  files <- file.path(folder, names(content))
  there <- files[file.exists(files)]
  if (length(there) > 0) {
    stop_wavetax("cannot_write", sprintf("There is %s already; nothing is written over.",
                                         list_words(sQuote(there, FALSE))),
                 todo = "Choose another folder.")
  }
  for (one in unique(dirname(files))) make_results_folder(one)
  for (i in seq_along(files)) write_bytes(list(content[[i]]), files[i])
  tell_wavetax(c(paste0("Written: ", paste(files, collapse = ", ")),
                 i = sprintf("Run it: `run_study(%s)`.", code_text(files[1]))), "wavetax_message_study")
  invisible(files)
}

shipped_file <- function(...) system.file(..., package = "wavetax", mustWork = TRUE)
bytes_of_file <- function(file) readBin(file, "raw", file.size(file))

# Contents by name, the study first.
demo_study <- function() {
  list("study.yaml" = bytes_of_file(shipped_file("examples", "study", "study.yaml")),
       "data/harbours-raw.csv" = bytes_of_file(shipped_file("extdata", "harbours-raw.csv")),
       "data/wages.csv" = bytes_of_file(shipped_file("extdata", "wages.csv")))
}

own_study <- function(data, entity, period, formula) {
  check_text(data, "data", "Give the path of a file.")
  if (!file.exists(data) || dir.exists(data)) stop_no_file(data)
  given <- list(entity = entity, period = period, formula = formula)
  for (one in names(given)) {
    if (is.null(given[[one]])) stop_argument(one, "missing", sprintf("Give it in quotes: `%s = \"...\"`.", one))
    check_text(given[[one]], one)
  }
  parsed <- allowed_expression(formula, "formula")
  if (!is_operator(parsed, "~") || length(parsed) != 3) stop_text(formula, "It has no outcome, tilde and regressors.")
  name <- file.path("data", basename(data))
  lines <- c(
    "study: 1", "data:", paste("  file:", yaml_text(name)), paste("  entity:", yaml_text(entity)),
    paste("  period:", yaml_text(period)), "common:", paste("  formula:", yaml_text(formula)),
    "fits: [pooled, fixed, random]", "tests: [hausman, serial]"
  )
  content <- list(charToRaw(enc2utf8(paste0(paste(lines, collapse = "\n"), "\n"))), bytes_of_file(data))
  stats::setNames(content, c("study.yaml", name))
}

# A text as it is written in YAML, in quotes where it would be read otherwise.
yaml_text <- function(text) {
  plain <- grepl("^[[:alnum:]_.(/][^\n\t]*$", text) && !grepl(": |:$| #|[\"'`{}\\[\\]]|^\\s|\\s$", text, perl = TRUE) &&
    nzchar(text)
  if (plain) return(text)
  if (!grepl("[\n\t]", text)) return(paste0("'", gsub("'", "''", text, fixed = TRUE), "'"))
  code_text(text)
}
