# manifest.json: what went in, what was done, what came out. It has no times and no machine, so that it is the same on a
# second run.
write_manifest <- function(result, study, data, folder) {
  steps <- .subset2(result, "steps")
  needs <- .subset2(result, "needs")
  calls <- .subset2(result, "calls")
  outputs <- .subset2(result, "outputs")
  files <- unique(unlist(lapply(study$data, `[[`, "files")))
  path <- function(file) file.path(study$folder, file)
  content <- list(
    study = 1L, file = list(name = basename(study$file), hash = rlang::hash_file(study$file)),
    wavetax = study_version(), r = as.character(getRversion()), seed = study$seed,
    inputs = lapply(files, function(file) {
      list(file = file, bytes = file.size(path(file)), hash = rlang::hash_file(path(file)))
    }),
    steps = lapply(seq_len(nrow(steps)), function(i) {
      failed <- steps$state[i] %in% c("failed", "without")
      list(name = steps$name[i], key = steps$key[i], needs = as.list(needs[[i]]),
           state = if (failed) steps$state[i] else "done",
           seed = if (is.call(calls[[i]])) calls[[i]]$seed)
    }),
    outputs = lapply(seq_len(nrow(outputs)), function(i) as.list(outputs[i, c("file", "step", "hash")]))
  )
  json <- jsonlite::toJSON(content, auto_unbox = TRUE, null = "null", pretty = TRUE, digits = NA)
  write_text_file(as.character(json), file.path(folder, "manifest.json"))
}
