# Every door to files on randomly broken ones: errors that are none of the package's.
break_file <- function(path) {
  bytes <- readBin(path, "raw", file.size(path))
  bits <- c(",", "\"", "\n", ";", "NaN", "1e400", "\t", "-", "%", "2014", "(", ",,,,")
  for (change in seq_len(sample(4, 1))) {
    at <- sample(length(bytes), 1)
    bytes <- switch(sample(4, 1),
      replace(bytes, at, as.raw(sample(0:255, 1))),
      bytes[-(at:min(length(bytes), at + sample(200, 1)))],
      append(bytes, charToRaw(sample(bits, 1)), at),
      append(bytes, bytes[at:min(length(bytes), at + 80)], sample(length(bytes), 1))
    )
    if (length(bytes) == 0) bytes <- charToRaw("a")
  }
  file <- tempfile(fileext = paste0(".", sub(".*[.]", "", path)))
  writeBin(bytes, file)
  file
}

read_broken <- function(files, seed) {
  sources <- list.files(system.file("extdata", "untidy", package = "wavetax"), "csv$", full.names = TRUE)
  if (requireNamespace("readxl", quietly = TRUE)) {
    sources <- c(sources, system.file("extdata", "untidy", c("titled.xlsx", "merged.xlsx"), package = "wavetax"))
  }
  doors <- list(
    function(file) panel_shape(read_panel(file, line, year)),
    function(file) read_panel(file, line, year, layout = "find"),
    function(file) panel_to_long(file, line, year), function(file) read_panel(file),
    function(file) {
      found <- panel_problems(file, line, year)
      repair_log(panel_repair(file, found, names = "tidy", repeated = "first"))
    }
  )
  set.seed(seed)
  vapply(seq_len(files), function(trial) {
    file <- break_file(sample(sources, 1))
    on.exit(unlink(file))
    tryCatch({
      suppressWarnings(suppressMessages(doors[[trial %% length(doors) + 1]](file)))
      ""
    }, wavetax_error = function(cnd) "", error = function(cnd) conditionMessage(cnd))
  }, "") |> setdiff("")
}
