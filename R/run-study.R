#' Run a study file
#'
#' Question answered: *how do I do all of it again when the data change?* One file says what there is, from raw data to
#' tables and figures: see [study_file] for what stands in it. All of it is checked before anything is estimated, what
#' has not changed since the last run is not run again, and what fails is told with its line while the rest goes on.
#'
#' @param file Path of a study, `study.yaml`. Paths in it are relative to its folder.
#' @param plan `TRUE` tells what would run, and why; the data are read, nothing is estimated or written.
#' @param only What to run, with all that it needs: `"tables/main"`, `"figures"`; several in a vector.
#' @param fresh `TRUE` runs everything again.
#' @param out A folder for the results, in place of the study's own.
#' @param allow_outside Whether the study may read and write outside of its folder.
#' @param ... Takes nothing; what is misspelt is told.
#' @return A `study_run`, which prints what was done: a list with `panel`, `fits`, `tests`, `tables`, `figures` and
#' `appraised`, each by name, the results of this run and of earlier ones; `steps`, a data frame with `name`,
#' `section`, `line`, `state` (`"run"`, `"kept"`, `"failed"`, `"without"`) and `said`; `outputs`, a data
#' frame with `file`, `step` and `state` (`"written"`, `"again"`, `"as it was"`); `folder`. With `plan` a
#' `study_plan`, a data frame with `name`, `state` and `why`.
#' @section What is kept:
#' A step's key is made of the package's version, its call and what that reads: of a fit the content of the columns
#' that it names, of the keys and of its sample; of other steps the keys of those that they need; of data the content
#' of files. Values and keys are in `.kept` in the folder of results, each written whole. `manifest.json` there lists
#' inputs, steps and outputs with their hashes; it has no times, so that it is the same on a second run.
#' @section Errors:
#' `wavetax_error_no_file`; `wavetax_error_study`, whose `faults` is a data frame (`line`, `key`, `kind`, `found`,
#' `near`); `wavetax_error_study_locked` while another process runs it; `wavetax_error_cannot_write`;
#' `wavetax_error_package_needed` (`yaml`, `jsonlite`).
#' @seealso [study_code()] for the same as R code.
#' @examplesIf requireNamespace("yaml", quietly = TRUE) && requireNamespace("jsonlite", quietly = TRUE)
#' folder <- tempfile("study")
#' init_study(folder)
#' run <- run_study(file.path(folder, "study.yaml"), only = "tables/main")
#' run
#' run$tables$main
#' @export
run_study <- function(file, plan = FALSE, only = NULL, fresh = FALSE, out = NULL, allow_outside = FALSE, ...) {
  check_own_arguments(..., of = run_study, name = "run_study()")
  if (missing(file)) stop_argument("file", "missing", "Give the path of a study: `run_study(\"study.yaml\")`.")
  check_flag(plan, "plan")
  check_flag(fresh, "fresh")
  check_flag(allow_outside, "allow_outside")
  check_texts(only, "only", "Name steps: `only = \"tables/main\"`.")
  if (!is.null(out)) check_text(out, "out", "Give the path of a folder.")
  check_package("jsonlite", "writes the manifest of a study")
  study <- checked_round(study_names(read_study(file), allow_outside, out), file)
  steps <- study_steps(study)
  wanted <- wanted_steps(steps, only)
  folder <- results_folder(study)
  store <- open_store(folder, fresh, lock = !plan)
  if (!plan) on.exit(release_lock(store))
  before <- store$state$steps[["data"]]
  data <- study_panel(study, steps, store)
  if (plan) return(study_plan(steps[wanted], data, before, store, folder))
  done <- run_steps(steps[wanted], data, study, store, folder)
  if (length(only) == 0) clean_store(store, c("data", names(steps)))
  write_manifest(done, study, data, folder)
  done
}

results_folder <- function(study) {
  folder <- study$output$folder
  if (study$output$by_caller || study$folder == "." || grepl("^(/|[A-Za-z]:)", folder)) return(folder)
  file.path(study$folder, folder)
}

# The steps that are asked for, with all that they need.
wanted_steps <- function(steps, only) {
  if (length(only) == 0) return(names(steps))
  only <- trimws(unlist(strsplit(only, ",", fixed = TRUE)))
  asked <- unlist(lapply(only, function(one) {
    called <- gsub("\\s*/\\s*", " / ", one)
    section <- vapply(steps, `[[`, "", "section")
    hit <- names(steps)[names(steps) == called | section == called | startsWith(names(steps), paste0(called, " / "))]
    if (length(hit) > 0) return(hit)
    near <- nearest_name(called, c(names(steps), unique(section)))
    stop_argument("only", sprintf("of %s, which the study has not", dQuote(one, FALSE)),
                  if (length(near) > 0) sprintf("Did you mean \"%s\"?", near) else
                    sprintf("There are %s.", list_some(names(steps), 8)))
  }))
  data <- names(steps)[vapply(steps, `[[`, "", "section") == "data"]
  repeat {
    needs <- setdiff(unlist(lapply(steps[asked], `[[`, "needs")), c(asked, "data"))
    if (length(needs) == 0) break
    asked <- c(asked, needs)
  }
  intersect(names(steps), c(data, asked))
}

# ---- running ----

# A run in progress: `state` by step, values as they are made or fetched.
run_steps <- function(steps, data, study, store, folder) {
  run <- new.env(parent = emptyenv())
  run$study <- study
  run$data <- data
  run$store <- store
  run$folder <- folder
  run$values <- values_of_run(data)
  run$steps <- steps
  run$done <- list()
  run$outputs <- list()
  make_results_folder(folder)
  for (step in Filter(function(step) step$section == "data", steps)) {
    run$done[[step$name]] <- list(state = if (data$ran) "run" else "kept", key = data$key, said = "", line = step$line)
  }
  work <- Filter(function(step) step$section != "data", steps)
  for (i in along_with_progress(work, "Running the study")) run_one(work[[i]], run)
  study_result(steps, run)
}

values_of_run <- function(data) {
  values <- new.env(parent = home())
  for (name in c("fits", "tests", "tables", "figures", "appraised", "joined")) values[[name]] <- list()
  for (name in names(data$value)) values[[name]] <- data$value[[name]]
  values
}

# Runs one step, or takes what is kept of it.
run_one <- function(step, run) {
  states <- vapply(run$done, `[[`, "", "state")
  lost <- step$needs[step$needs %in% names(states)[states %in% c("failed", "without")]]
  if (step$section == "report") {
    step$needs <- setdiff(step$needs, lost)
    lost <- character()
  }
  if (length(lost) > 0 && !is.null(step$refs)) {
    refs <- Filter(function(ref) !ref$name %in% lost, step$refs)
    if (length(refs) > 0) {
      step$call <- without_columns(step, refs, lost)
      step$needs <- setdiff(step$needs, lost)
      step$lost <- lost
      lost <- character()
    }
  }
  if (length(lost) > 0) {
    run$done[[step$name]] <- list(state = "without", key = "", line = step$line,
                                  said = sprintf("needs %s", list_words(sub(".* / ", "", lost))))
    return(forget_step(run$store, step$name))
  }
  key <- step_key(step, run$data, vapply(run$done, `[[`, "", "key"))
  known <- kept_step(run$store, step$name, key)
  if (!is.null(known) && outputs_as_they_were(step, known, run)) {
    run$done[[step$name]] <- list(state = "kept", key = key, said = said_of_lost(step), line = step$line)
    return(invisible())
  }
  make <- if (step$section == "report") study_report_value else value_of
  done <- tryCatch(list(value = make(step, run)), error = function(cnd) list(error = error_sentence(cnd)))
  if (is.null(done$error)) done <- tryCatch(written_outputs(step, done$value, run, known), error = function(cnd) {
    list(error = error_sentence(cnd))
  })
  if (!is.null(done$error)) {
    run$done[[step$name]] <- list(state = "failed", key = "", said = done$error, line = step$line)
    return(forget_step(run$store, step$name))
  }
  keep_step(run$store, step$name, key, if (!step$section %in% c("figures", "report")) without_panel(done$value),
            call = step_call_hash(step),
            reads = step_reads(step, run$data), needs = step$needs, files = done$files)
  run$done[[step$name]] <- list(state = "run", key = key, said = said_of_lost(step), line = step$line)
}

said_of_lost <- function(step) {
  if (length(step$lost) == 0) return("")
  sprintf("without %s", list_words(sub("^fits / ", "", step$lost)))
}

# A table says which of its columns is not there.
without_columns <- function(step, refs, lost) {
  call <- step$make(refs)
  if (step$section != "tables") return(call)
  note <- sprintf("%s not shown: %s could not be estimated.", list_words(sub("^fits / ", "", lost)),
                  if (length(lost) == 1) "it" else "they")
  call$notes <- as_code_vector(c(if (!is.null(call$notes)) eval(call$notes, baseenv()), upper_first(note)))
  call
}

# ---- outputs ----

outputs_as_they_were <- function(step, known, run) {
  if (!step$section %in% writing_sections) return(TRUE)
  held <- output_hashes(step, run)
  if (!identical(held, known$files)) return(FALSE)
  note_outputs(step, held, "as it was", run)
  TRUE
}

output_hashes <- function(step, run) hashes_of_files(step$files, run$folder)

note_outputs <- function(step, hashes, state, run) {
  run$outputs[[step$name]] <- data.frame(file = names(hashes), step = step$name, hash = unname(hashes), state = state)
}

# Writes what the step gives, and tells the hashes of its files.
written_outputs <- function(step, value, run, known) {
  if (!step$section %in% writing_sections) return(list(value = value))
  before <- output_hashes(step, run)
  for (file in step$files) {
    path <- file.path(normalizePath(run$folder), file)
    make_results_folder(dirname(path))
    if (step$section == "report") {
      report_writers()[[lower_case(tools::file_ext(path))]](value, path)
    } else {
      muffled(eval(writing_call(step, path), run$values), c("message", "warning"))
    }
  }
  hashes <- output_hashes(step, run)
  was <- if (!is.null(known)) before == known$files else FALSE
  note_outputs(step, hashes, if (is.null(known)) "written" else ifelse(was, "as it was", "again"), run)
  list(value = value, files = hashes)
}

# ---- results ----

study_result <- function(steps, run) {
  done <- run$done
  field <- function(name) vapply(done, function(one) paste(one[[name]]), "")
  table <- data.frame(name = names(done), section = vapply(steps[names(done)], `[[`, "", "section"),
                      state = field("state"),
                      said = field("said"), key = field("key"),
                      line = vapply(done, function(one) as.integer(c(one$line, NA)[1]), 1L), row.names = NULL)
  structure(list(
    file = run$study$file, title = run$study$title, folder = run$folder, steps = table,
    outputs = do.call(rbind, c(unname(run$outputs), list(data.frame(file = character(), step = character(),
                                                                    hash = character(), state = character()))))[1:4],
    data = run$data[c("told", "samples", "rows")], needs = lapply(steps[names(done)], `[[`, "needs"),
    seed = run$study$seed, calls = lapply(steps[names(done)], `[[`, "call"), run = run
  ), class = "study_run")
}

# What was made in this run or kept of earlier ones, by section and name.
#' @export
`$.study_run` <- function(x, name) {
  if (name %in% c("fits", "tests", "tables", "figures", "appraised")) return(study_values(x, name))
  run <- .subset2(x, "run")
  if (name == "panel") return(panel_of_run(run))
  .subset2(x, name)
}

#' @export
`[[.study_run` <- function(x, i, ...) if (is_one_text(i)) eval(call("$", x, i)) else .subset2(x, i)

study_values <- function(x, section) {
  run <- .subset2(x, "run")
  steps <- .subset2(x, "steps")
  of <- if (section == "appraised") "appraise" else section
  good <- steps$name[steps$section == of & steps$state %in% c("run", "kept")]
  if (section != "figures") for (name in good) fetch_value(name, run)
  run$values[[section]]
}

# The report of all that was made, whatever report the study itself asks for.
report_of.study_run <- function(x, title, author, date, parts) {
  run <- .subset2(x, "run")
  panel_of_run(run)
  for (section in c("fits", "tests", "tables", "appraised")) study_values(x, section)
  study <- run$study
  if (is.null(title)) title <- study$title
  if (is.null(author)) author <- study$author
  if (is.null(date)) date <- study$date
  report_of_brief(study_brief(run), title, author, date, parts, function(part, brief) study_part(part, brief, run))
}
