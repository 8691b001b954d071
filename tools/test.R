# Runs the three sets of tests and ends with a line "N passed, N failed".
# Run from the repository's root with the built package on the library path.

passed <- 0L
failed <- 0L

# Says what failed, and nothing else.
report <- function() testthat::SummaryReporter$new(show_praise = FALSE, max_reports = 40L)

count <- function(results) {
  results <- as.data.frame(results)
  bad <- results$failed + results$error
  failed <<- failed + sum(bad)
  passed <<- passed + sum(results$nb) - sum(results$failed) - sum(results$skipped)
}

cat("C++ core\n")
program <- file.path(".build", "core-test")
eigen <- system.file("include", package = "RcppEigen")
compiled <- system2("g++", c(
  "-std=c++17", "-O1", "-fopenmp", "-w", "-Iinst/include", paste0("-I", shQuote(eigen)),
  "tests/cpp/core.cpp", "-o", program
))
lines <- if (compiled == 0) suppressWarnings(system2(program, stdout = TRUE)) else character()
writeLines(lines)
closing <- regmatches(lines, regexec("^([0-9]+) passed, ([0-9]+) failed$", lines))
closing <- Filter(length, closing)
if (length(closing) == 1) {
  passed <- passed + as.integer(closing[[1]][2])
  failed <- failed + as.integer(closing[[1]][3])
} else {
  cat("The C++ core did not compile or stopped.\n")
  failed <- failed + 1L
}

cat("\nR core\n")
library(testthat)
source("tests/core/load.R")
core <- load_core(".")
count(test_dir("tests/core", env = core, reporter = report(), stop_on_failure = FALSE))

cat("\nPackage\n")
count(test_dir(
  "tests/testthat", package = "wavetax", load_package = "installed", reporter = report(),
  stop_on_failure = FALSE
))

cat(sprintf("\n%d passed, %d failed\n", passed, failed))
quit(save = "no", status = as.integer(failed > 0))
