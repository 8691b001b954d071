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

# A number, text or flag of a saved fit changed, a field left out or doubled.
break_fits <- function(path) {
  content <- jsonlite::read_json(path)
  at <- c(3, sample(length(content$fits), 1))
  repeat {
    inner <- content[[at]]
    if (!is.list(inner) || length(inner) == 0) break
    at <- c(at, sample(length(inner), 1))
  }
  if (is.null(content[[at]])) return(path)
  content[[at]] <- sample(list(57, -5, 0, 1e300, "odd", TRUE, list(), list(1, 2), content[[at]]), 1)[[1]]
  file <- tempfile(fileext = ".json")
  jsonlite::write_json(content, file, auto_unbox = TRUE, null = "null", digits = NA)
  file
}

# Files that the package itself writes: a Parquet file and saved fits.
written_sources <- function() {
  panel <- panel_frame(harbours, harbour, season)
  files <- tempfile(c("p", "f"), fileext = c(".parquet", ".json"))
  if (requireNamespace("nanoparquet", quietly = TRUE)) write_panel(harbours[1:80, ], files[1])
  fit <- fit_correlated(log(nights) ~ levy + storms, panel)
  drawn <- fit_fixed(log(nights) ~ levy, panel, "both", errors = se_bootstrap(draws = 99))
  write_fits(fit, two = drawn, file = files[2])
  files[file.exists(files)]
}

read_broken <- function(files, seed) {
  sources <- list.files(system.file("extdata", "untidy", package = "wavetax"), "csv$", full.names = TRUE)
  if (requireNamespace("readxl", quietly = TRUE)) {
    sources <- c(sources, system.file("extdata", "untidy", c("titled.xlsx", "merged.xlsx"), package = "wavetax"))
  }
  written <- written_sources()
  on.exit(unlink(written))
  doors <- list(
    function(file) panel_shape(read_panel(file, line, year)),
    function(file) read_panel(file, line, year, layout = "find"),
    function(file) panel_to_long(file, line, year), function(file) read_panel(file),
    function(file) {
      found <- panel_problems(file, line, year)
      repair_log(panel_repair(file, found, names = "tidy", repeated = "first"))
    }
  )
  of_written <- list(
    parquet = list(function(file) read_panel(file, harbour, season),
                   function(file) fit_pooled(log(nights) ~ levy, file)),
    json = list(function(file) utils::capture.output(print(read_fits(file)[[1]])),
                function(file) utils::capture.output(print(spec_table(read_fits(file)))))
  )
  set.seed(seed)
  setdiff(vapply(seq_len(files), function(trial) {
    source <- sample(c(sources, written), 1)
    kind <- sub(".*[.]", "", source)
    file <- if (kind == "json" && trial %% 3 > 0) break_fits(source) else break_file(source)
    on.exit(if (file != source) unlink(file))
    of <- if (source %in% written) of_written[[kind]] else doors
    tryCatch({
      suppressWarnings(suppressMessages(of[[trial %% length(of) + 1]](file)))
      ""
    }, wavetax_error = function(cnd) "", error = function(cnd) paste(kind, conditionMessage(cnd)))
  }, ""), "")
}
