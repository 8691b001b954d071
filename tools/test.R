# Runs the three sets of tests and ends with a line "N passed, N failed".
# Run from the repository's root with the built package on the library path.

passed <- 0L
failed <- 0L

cat("C++ core\n")
source("tools/compile.R")
for (lines in run_core_tests()) {
  writeLines(as.character(lines))
  closing <- regmatches(lines, regexec("^([0-9]+) passed, ([0-9]+) failed$", lines))
  closing <- Filter(length, closing)
  if (length(closing) == 1) {
    passed <- passed + as.integer(closing[[1]][2])
    failed <- failed + as.integer(closing[[1]][3])
  } else {
    cat("A test of the C++ core did not compile or stopped.\n")
    failed <- failed + 1L
  }
}

example <- file.path(".build", "core-example")
told <- if (compile("inst/examples/core.cpp", example) == 0) system2(example, stdout = TRUE)
writeLines(as.character(told))
version <- sprintf("wavetax %s:", read.dcf("DESCRIPTION")[1, "Version"])
levy <- if (length(told) == 3) as.numeric(strsplit(told[2], " +")[[1]][2]) else NA
good <- isTRUE(startsWith(told[1], version) && abs(levy + 0.05) < 0.01)
passed <- passed + good
failed <- failed + !good
if (!good) cat("The stand-alone example of the core did not give what it should.\n")

cat("\nR core\n")
library(testthat)
source("tests/core/load.R")
core <- load_core(".")
source("tools/test-files.R")
counts <- count_results(test_dir("tests/core", env = core, reporter = report(), stop_on_failure = FALSE))
passed <- passed + counts$passed
failed <- failed + counts$failed

cat("\nPackage\n")
Sys.setenv(NOT_CRAN = "true") # snapshots and random calls are for us, not for a check elsewhere
for (result in run_test_files(list.files("tests/testthat", "^test-.*[.]R$", full.names = TRUE))) {
  writeLines(as.character(result$lines))
  passed <- passed + result$passed
  failed <- failed + result$failed
}

cat(sprintf("\n%d passed, %d failed\n", passed, failed))
quit(save = "no", status = as.integer(failed > 0))
