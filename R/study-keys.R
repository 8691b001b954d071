# Keys of steps: what a kept value depends on.

# What a kept value depends on besides its call and what that reads.
study_version <- function() as.character(utils::packageVersion("wavetax"))

calls_hash <- function(steps) rlang::hash(unlist(lapply(steps, function(step) lapply(step$calls, deparse))))

input_hashes <- function(study, data) {
  files <- unique(unlist(lapply(data, `[[`, "files")))
  vapply(stats::setNames(files, files), function(file) rlang::hash_file(file.path(study$folder, file)), "")
}

data_key <- function(study, data) {
  rlang::hash(list(study_version(), calls_hash(data), unname(input_hashes(study, data)),
                   lapply(study$samples, function(one) deparse(one$condition))))
}

step_key <- function(step, data, keys) {
  own <- setdiff(step$needs, "data")
  rlang::hash(list(study_version(), step$section, step_call_hash(step), unname(step_reads(step, data)),
                   unname(keys[own]),
                   step$files, step$figure))
}

step_call_hash <- function(step) rlang::hash(deparse(step$call))

# Hashes of what it reads of the panel, by column; and of labels, where they are shown.
step_reads <- function(step, data) {
  of_data <- "data" %in% step$needs || isTRUE(step$reads_data)
  c(if (of_data) {
    if (is.null(step$columns)) data$columns else data$columns[intersect(step$columns, data$names)]
  }, if (of_data) c("its keys" = data$keys),
  if (isTRUE(step$reads_data)) c("what was read" = rlang::hash(data$told)),
  if (isTRUE(step$shown)) c("the labels" = data$labels))
}

# Sections whose steps write files.
writing_sections <- c("tables", "figures", "report")

# "" where there is none.
hashes_of_files <- function(files, folder) {
  vapply(stats::setNames(files, files), function(file) {
    path <- file.path(folder, file)
    if (file.exists(path)) rlang::hash_file(path) else ""
  }, "")
}

# Everything that a call names, columns and others.
names_in_call <- function(call) unique(c(all.vars(call), texts_in(call)))

texts_in <- function(call) {
  parts <- parts_in(call)
  unlist(lapply(parts, function(part) if (is.character(part)) part))
}
