# Typed conditions: every error and warning of the package has a class
# `wavetax_error_<kind>` or `wavetax_warning_<kind>`, and its message says what was
# found, where, and what to do next. `kind` is the fault, and after it the wider kinds that it is one of.

stop_wavetax <- function(kind, found, where = NULL, todo = NULL) {
  rlang::abort(
    condition_lines(found, where, todo),
    class = c(paste0("wavetax_error_", kind), "wavetax_error"), call = NULL
  )
}

warn_wavetax <- function(kind, found, where = NULL, todo = NULL) {
  rlang::warn(
    condition_lines(found, where, todo),
    class = c(paste0("wavetax_warning_", kind), "wavetax_warning"), call = NULL
  )
}

# What is told beside a result.
tell_wavetax <- function(lines, class = NULL) rlang::inform(visible_text(lines), class = c(class, "wavetax_message"))

condition_lines <- function(found, where, todo) {
  visible_text(c(found, bullets(where, "x"), bullets(todo, "i")))
}

# What a condition found, without where and what to do.
first_line <- function(cnd) strsplit(cli::ansi_strip(conditionMessage(cnd)), "\n")[[1]][1]

bullets <- function(lines, sign) {
  if (length(lines) > 0) stats::setNames(lines, rep(sign, length(lines)))
}

# seq_along(x) with a progress bar for long work, where somebody is watching.
along_with_progress <- function(x, doing, envir = parent.frame()) {
  if (!interactive() && !isatty(stderr())) return(seq_along(x))
  cli::cli_progress_along(x, doing, .envir = envir)
}

# Memory that could not be had is told as what it is, with how much was asked for.
with_memory_told <- function(expr) {
  tryCatch(expr, error = function(cnd) {
    if (!is_memory_error(cnd)) rlang::cnd_signal(cnd)
    stop_wavetax(
      "memory", "There is not enough memory for this.", where = memory_words(conditionMessage(cnd)),
      todo = c("Use fewer regressors or smaller sets of effects,",
               "or read the file in pieces: `fit_fixed(formula, \"file.csv\", ...)`.")
    )
  })
}

is_memory_error <- function(cnd) {
  !inherits(cnd, "wavetax_error") &&
    grepl("bad_alloc|bytes of memory could not be had|cannot allocate|memory exhausted|allocation",
          conditionMessage(cnd))
}

memory_words <- function(message) {
  bytes <- suppressWarnings(as.numeric(sub("^([0-9]+) bytes of memory.*", "\\1", message)))
  if (is.na(bytes)) return(if (!grepl("bad_alloc", message)) message)
  sprintf("%s MB in one piece could not be had.", formatC(ceiling(bytes / 1e6), format = "d", big.mark = ","))
}

# The work, without the messages and warnings of these classes.
muffled <- function(work, classes) {
  unless <- function(restart) function(cnd) if (inherits(cnd, classes)) invokeRestart(restart)
  withCallingHandlers(work, message = unless("muffleMessage"), warning = unless("muffleWarning"))
}

# What results hold of the package: read back in a session without it, they load it, and so are printed as they were.
home <- function() topenv(environment(home))
