# Typed conditions: every error and warning of the package has a class
# `wavetax_error_<kind>` or `wavetax_warning_<kind>`, and its message says what was
# found, where, and what to do next.

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

condition_lines <- function(found, where, todo) {
  c(found, bullets(where, "x"), bullets(todo, "i"))
}

bullets <- function(lines, sign) {
  if (length(lines) > 0) stats::setNames(lines, rep(sign, length(lines)))
}

# seq_along(x) with a progress bar for long work, where somebody is watching.
along_with_progress <- function(x, doing, envir = parent.frame()) {
  if (!interactive() && !isatty(stderr())) return(seq_along(x))
  cli::cli_progress_along(x, doing, .envir = envir)
}
