# Steps of a study: what is run, kept and printed as code, one and the same call.
#   name      "fits / two-way"
#   section   "fits"
#   target    where its value goes: "panel", or c("fits", "two-way")
#   calls     assignments before it; `call` gives the value
#   needs     names of steps
#   refs      columns of a table or figure that are left out where their fit failed; `make` gives the call of the others
#   columns   of the panel that it reads, NULL for all; `shown` whether labels are among what it reads
#   files     that it reads, or writes
#   line      in the study

study_steps <- function(study) {
  member <- function(section, one, needs, ...) {
    c(list(name = paste(section, "/", one$name), section = section, target = c(section, one$name), line = one$line,
           call = plain_code(one$call), needs = needs), list(...))
  }
  data <- lapply(study$data, function(one) {
    list(name = one$name, section = "data", target = "panel", calls = lapply(one$calls, plain_code),
         needs = character(),
         files = one$files, line = one$node$line)
  })
  fits <- lapply(unlist(unname(study$fits), recursive = FALSE), function(one) {
    member("fits", one, "data", columns = names_in_call(one$call))
  })
  appraised <- lapply(study$appraise, function(one) {
    step <- member("appraised", one, "data", columns = names_in_call(one$call))
    replace(step, c("name", "section"), list(one$step, "appraise"))
  })
  tests <- lapply(unlist(unname(study$tests), recursive = FALSE), function(one) member("tests", one, unique(one$refs)))
  outputs <- function(section, entries) lapply(unname(entries), written_step, section = section, member = member)
  steps <- c(data, fits, appraised, tests, outputs("tables", study$tables), outputs("figures", study$figures))
  steps <- stats::setNames(steps, vapply(steps, `[[`, "", "name"))
  if (is.null(study$report)) return(steps)
  c(steps, list(report = report_step(study$report, study, steps)))
}

# A table or figure.
written_step <- function(one, section, member) {
  needs <- if (is.null(one$refs)) one$needs else unique(vapply(one$refs, `[[`, "", "name"))
  step <- member(section, one, needs, columns = one$columns, shown = TRUE, files = as.character(one$files))
  step$figure <- attr(one$files, "figure")
  if (is.null(one$refs)) return(step)
  step$refs <- one$refs
  step$make <- function(refs) plain_code(one$make(refs))
  step$call <- step$make(one$refs)
  step
}

# Vectors as the calls that make them, so that a call prints as it would be typed.
plain_code <- function(call) {
  if (is.call(call)) {
    for (i in seq_along(call)) {
      if (!rlang::is_missing(call[[i]]) && !is.null(call[[i]])) call[[i]] <- plain_code(call[[i]])
    }
    return(call)
  }
  if (is.atomic(call) && (length(call) > 1 || !is.null(names(call)))) return(as_code_names(call))
  call
}

#' The R code of a study
#'
#' Question answered: *which calls does the study file make?* The same calls that [run_study()] runs, in its order, to
#' be pasted into a script that starts in the study's folder.
#'
#' @param file Path of a study, as for [run_study()].
#' @param allow_outside As for [run_study()].
#' @param ... Takes nothing; what is misspelt is told.
#' @return The lines, of class `study_code`; they print as code.
#' @section Errors:
#' `wavetax_error_no_file`; `wavetax_error_study`, as for [run_study()].
#' @examplesIf requireNamespace("yaml", quietly = TRUE)
#' folder <- tempfile("study")
#' init_study(folder)
#' study_code(file.path(folder, "study.yaml"))
#' @export
study_code <- function(file, allow_outside = FALSE, ...) {
  check_own_arguments(..., of = study_code, name = "study_code()")
  if (missing(file)) stop_argument("file", "missing", "Give the path of a study.")
  check_flag(allow_outside, "allow_outside")
  study <- checked_round(study_names(read_study(file), allow_outside), file)
  steps <- study_steps(study)
  sections <- split(steps, factor(vapply(steps, `[[`, "", "section"), unique(vapply(steps, `[[`, "", "section"))))
  lines <- c("library(wavetax)", unlist(lapply(names(sections), section_code, sections, study)))
  structure(lines, class = "study_code")
}

section_code <- function(section, sections, study) {
  steps <- sections[[section]]
  if (section == "data") {
    holds_joined <- any(grepl("^join", vapply(steps, `[[`, "", "name")))
    return(c("", if (holds_joined) "joined <- list()",
             unlist(lapply(steps, function(step) unlist(lapply(step$calls, call_lines))))))
  }
  if (section == "report") {
    return(c("", sprintf("# The report, %s, is written by `run_study()`.", list_words(steps[[1]]$files))))
  }
  target <- steps[[1]]$target[1]
  entries <- vapply(steps, function(step) code_argument(step$target[2]), "")
  calls <- lapply(steps, function(step) call_lines(step$call))
  list_lines <- unlist(Map(function(name, lines, last) {
    lines[1] <- sprintf("%s = %s", name, lines[1])
    if (!last) lines[length(lines)] <- paste0(lines[length(lines)], ",")
    paste0("  ", lines)
  }, entries, calls, seq_along(calls) == length(calls)), use.names = FALSE)
  c("", sprintf("%s <- list(", target), list_lines, ")", unlist(lapply(steps, writing_lines, study), use.names = FALSE))
}

writing_lines <- function(step, study) {
  if (!step$section %in% c("tables", "figures")) return(NULL)
  unlist(lapply(step$files, function(file) {
    call_lines(writing_call(step, file.path(study$output$folder, file)))
  }))
}

# What writes a table or figure.
writing_call <- function(step, file) {
  value <- call("[[", as.name(step$target[1]), step$target[2])
  if (step$section == "tables") return(call("write_table", value, file))
  as.call(c(list(quote(save_figure), value, file), step$figure))
}
