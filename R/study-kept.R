# What a study's runs keep: a value a step under its key, and the state of the last run. Everything is written whole, so
# that an interrupted run goes on where it was.
#   store    an environment: folder, state (by step: list(key, call, reads, files, facts)), fresh

open_store <- function(folder, fresh = FALSE, lock = TRUE) {
  store <- new.env(parent = emptyenv())
  store$folder <- file.path(folder, ".kept")
  # Without the lock nothing is written.
  store$writes <- lock
  if (lock) {
    make_results_folder(store$folder)
    take_lock(store)
  }
  held <- file.path(store$folder, "state.rds")
  store$state <- if (!fresh) read_kept(held)
  if (!identical(store$state$version, study_version())) store$state <- list(version = study_version(), steps = list())
  store
}

make_results_folder <- function(folder) make_folder(folder, "Name another under `output`, or with `out`.")

# A file that is there and whole, NULL otherwise.
read_kept <- function(file) {
  if (!file.exists(file)) return(NULL)
  tryCatch(readRDS(file), error = function(cnd) NULL, warning = function(cnd) NULL)
}

kept_file <- function(store, key) file.path(store$folder, paste0(key, ".rds"))

# What is known of a step with this key; NULL where it must run.
kept_step <- function(store, name, key) {
  known <- store$state$steps[[name]]
  if (is.null(known) || !identical(known$key, key) || !file.exists(kept_file(store, key))) return(NULL)
  known
}

keep_step <- function(store, name, key, value, ...) {
  if (!store$writes) return(invisible())
  write_kept(value, kept_file(store, key))
  store$state$steps[[name]] <- list(key = key, ...)
  write_kept(store$state, file.path(store$folder, "state.rds"))
}

# A step that failed is not kept, and what was kept of it before is forgotten.
forget_step <- function(store, name) {
  if (is.null(store$state$steps[[name]])) return(invisible())
  store$state$steps[[name]] <- NULL
  write_kept(store$state, file.path(store$folder, "state.rds"))
}

write_kept <- function(value, file) {
  write_whole_file(file, function(path) saveRDS(value, path, compress = FALSE))
}

# Values of steps that the study has no more.
clean_store <- function(store, names) {
  store$state$steps <- store$state$steps[intersect(names(store$state$steps), names)]
  write_kept(store$state, file.path(store$folder, "state.rds"))
  keys <- vapply(store$state$steps, `[[`, "", "key")
  files <- list.files(store$folder, "[.]rds$")
  unlink(file.path(store$folder, setdiff(files, c("state.rds", paste0(keys, ".rds")))))
}

# ---- one run at a time ----

take_lock <- function(store) {
  file <- file.path(store$folder, "lock")
  if (file.exists(file)) {
    held <- tryCatch(readLines(file, warn = FALSE), error = function(cnd) character())
    if (is_locked_by_other(held)) {
      stop_wavetax("study_locked", "The study is being run by another process.",
                   where = sprintf("Process %s on %s writes to %s.", held[1], held[2],
                                   sQuote(dirname(store$folder), FALSE)),
                   todo = sprintf("Wait for it, or write elsewhere with `out`. If it is gone, delete %s.",
                                  sQuote(file, FALSE)))
    }
  }
  write_text_file(c(as.character(Sys.getpid()), host_name()), file)
}

host_name <- function() unname(Sys.info()[["nodename"]])

# A lock of a process of this machine that is gone is no lock.
is_locked_by_other <- function(held) {
  if (length(held) < 2) return(FALSE)
  process <- suppressWarnings(as.integer(held[1]))
  if (is.na(process)) return(FALSE)
  if (held[2] != host_name()) return(TRUE)
  process != Sys.getpid() && isTRUE(tools::pskill(process, 0L))
}

release_lock <- function(store) unlink(file.path(store$folder, "lock"))

# ---- without the panel ----

# A value with a mark where it holds the panel, and back.
without_panel <- function(x) {
  if (is_panel_frame(x)) return(structure(list(), class = "study_panel_mark"))
  if (!is.list(x) || is.data.frame(x)) return(x)
  for (i in seq_along(x)) if (is.list(x[[i]])) x[[i]] <- without_panel(x[[i]])
  x
}

with_panel <- function(x, panel) {
  if (inherits(x, "study_panel_mark")) return(panel)
  if (!is.list(x) || is.data.frame(x)) return(x)
  for (i in seq_along(x)) if (is.list(x[[i]])) x[[i]] <- with_panel(x[[i]], panel)
  # Labels are no part of what a fit is of.
  if (inherits(x, "panel_fit")) x$design$index$labels <- held_index(panel)$labels
  x
}
