# Values of a run: made now, or fetched from what was kept.

# The panel, where it was kept and is needed now.
panel_of_run <- function(run) {
  if (is.null(run$values$panel)) {
    held <- read_kept(kept_file(run$store, run$data$key))
    for (name in names(held)) run$values[[name]] <- held[[name]]
  }
  run$values$panel
}

# The value of a step's call, with what it needs fetched.
value_of <- function(step, run) {
  panel_of_run(run)
  for (need in step$needs) fetch_value(need, run)
  work <- within_folder(run$study$folder, muffled(eval(step$call, run$values),
                                                  c("message", "warning")))
  put_value(step$target, work, run)
  work
}

put_value <- function(target, value, run) {
  held <- run$values[[target[1]]]
  held[target[2]] <- list(value)
  run$values[[target[1]]] <- held
}

# A kept value, once.
fetch_value <- function(name, run) {
  if (name == "data") return(invisible())
  section <- sub(" / .*", "", name)
  target <- c(if (section == "appraise") "appraised" else section,
              if (name == "appraise") name else sub("^[^/]* / ", "", name))
  if (target[2] %in% names(run$values[[target[1]]])) return(invisible())
  value <- read_kept(kept_file(run$store, run$done[[name]]$key))
  put_value(target, with_panel(value, panel_of_run(run)), run)
}
