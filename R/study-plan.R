# What a run would do, and why.
study_plan <- function(steps, data, before, store, folder) {
  keys <- character()
  rows <- list()
  for (step in steps) {
    of_data <- step$section == "data"
    key <- if (of_data) data$key else step_key(step, data, keys)
    keys[[step$name]] <- key
    known <- if (of_data) !data$ran else !is.null(kept_step(store, step$name, key))
    why <- if (known) lost_outputs(step, store, folder) else if (of_data) data_reason(step, before, data$files) else
      step_reason(step, store$state$steps[[step$name]], data,
                  vapply(rows, `[[`, "", "name")[vapply(rows, function(row) {
        row$state == "runs"
      }, TRUE)])
    rows[[step$name]] <- data.frame(name = step$name, state = if (nzchar(why)) "runs" else "kept", why = why)
  }
  structure(do.call(rbind, unname(rows)), class = c("study_plan", "data.frame"))
}

lost_outputs <- function(step, store, folder) {
  if (!step$section %in% writing_sections) return("")
  held <- hashes_of_files(step$files, folder)
  odd <- names(held)[held != store$state$steps[[step$name]]$files[names(held)]]
  if (length(odd) == 0) return("")
  sprintf("%s %s", list_words(odd), if (any(held[odd] == "")) "is missing" else "was altered")
}

data_reason <- function(step, before, files) {
  if (is.null(before)) return("it has not run yet")
  changed <- names(files)[!files %in% before$files | !names(files) %in% names(before$files)]
  if (length(changed) > 0) return(sprintf("%s changed", have_words(changed)))
  "its keys have changed"
}

have_words <- function(names) sprintf("%s %s", list_some(names, 3), if (length(names) == 1) "has" else "have")

step_reason <- function(step, before, data, running) {
  if (is.null(before)) return("it has not run yet")
  if (!identical(before$call, step_call_hash(step))) return("its keys have changed")
  now <- step_reads(step, data)
  changed <- names(now)[is.na(match(names(now), names(before$reads))) | now != before$reads[names(now)]]
  if (length(changed) > 0) return(sprintf("%s changed", have_words(changed)))
  through <- intersect(step$needs, running)
  if (length(through) > 0) return(sprintf("%s run%s", list_some(through, 3), if (length(through) == 1) "s" else ""))
  "its keys have changed"
}
