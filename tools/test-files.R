# Says what failed, and nothing else.
report <- function() testthat::SummaryReporter$new(show_praise = FALSE, max_reports = 40L)

# list(passed, failed) of what testthat gives.
count_results <- function(results) {
  results <- as.data.frame(results)
  list(passed = sum(results$nb) - sum(results$failed) - sum(results$skipped),
       failed = sum(results$failed + results$error))
}

# Short files that take long.
long_files <- c("test-examples.R", "test-vignettes.R", "test-fuzz.R", "test-report.R", "test-study.R", "test-cli.R")

# Runs files of the package's tests in processes of their own, as many at a time as there are processors (at most
# 4), the longest first, as far as that is known. A list, by file: passed, failed, and lines to print: what failed,
# nothing else. `until_failure`: once a file has failed, the others are left.
# A process that died gives NULL, and has failed.
run_test_files <- function(files, until_failure = FALSE) {
  files <- files[order(!basename(files) %in% long_files, -file.size(files))]
  stop_mark <- tempfile("failed-")
  one <- function(file) {
    if (until_failure && file.exists(stop_mark)) return(list(passed = 0, failed = 0))
    lines <- utils::capture.output(counts <- count_results(testthat::test_file(
      file, package = "wavetax", load_package = "installed", reporter = report(), stop_on_failure = FALSE
    )))
    if (counts$failed > 0) file.create(stop_mark)
    c(counts, list(lines = if (counts$failed > 0) lines))
  }
  cores <- if (.Platform$OS.type == "windows") 1L else min(4L, max(1L, parallel::detectCores(), na.rm = TRUE))
  told <- suppressWarnings(parallel::mclapply(files, one, mc.cores = cores, mc.preschedule = FALSE))
  names(told) <- basename(files)
  ended <- vapply(told, is.list, TRUE)
  told[!ended] <- lapply(names(told)[!ended], function(file) {
    list(passed = 0, failed = 1, lines = paste(file, "stopped before its end."))
  })
  told
}
