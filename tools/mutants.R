# One-line mutations of our own code, and whether a test notices: `make mutants` makes 60, drawn at random from all
# of R/ and the headers, or
#   Rscript tools/mutants.R 40 7 'R/fit-random|core-'
# for 40 of them, seed 7, in files that match. Each is made in a copy, which is built and tested: a change of a header
# first by the tests of the C++ core, then what is near, then all, up to the first failure. Lists the survivors at
# the end; at least nine of ten are to be noticed.
source("tools/compile.R")
given <- commandArgs(TRUE)
wanted <- as.integer(c(given, "60")[1])
set.seed(as.integer(c(given[-1], "1")[1]))
files_like <- c(given[-(1:2)], ".")[1]

mutations <- list(
  c(" + ", " - "), c(" - ", " + "), c(" * ", " / "), c(" / ", " * "), c(" < ", " <= "), c(" <= ", " < "),
  c(" > ", " >= "), c(" >= ", " > "), c(" == ", " != "), c(" != ", " == "), c(" && ", " || "), c(" || ", " && "),
  c("TRUE", "FALSE"), c("FALSE", "TRUE"), c("true", "false"), c("false", "true"), c("if (!", "if ("), c("1L", "2L"),
  c("- 1", "- 2"), c("+ 1", "+ 2"), c("sqrt(", "("), c("sum(", "mean("), c("[-1]", ""), c("[1]", "[2]"), c("^2", ""),
  c("max(", "min("), c("min(", "max("), c("rbind(", "cbind("), c("setdiff(", "intersect("), c("any(", "all("),
  c("1.0 - ", ""), c("+= ", "-= "), c("$now", "$before"), c("[c]", "[0]")
)

sources <- grep(files_like, c(list.files("R", "[.]R$", full.names = TRUE),
                              list.files("inst/include/wavetax", "[.]hpp$", full.names = TRUE)), value = TRUE)
sources <- setdiff(sources, "R/RcppExports.R")
places <- do.call(rbind, lapply(sources, function(file) {
  lines <- readLines(file)
  code <- which(!grepl("^ *(#|//)|^ *$|#include|stop_|todo|sprintf\\(", lines))
  do.call(rbind, lapply(seq_along(mutations), function(m) {
    at <- code[grepl(mutations[[m]][1], lines[code], fixed = TRUE)]
    if (length(at) > 0) data.frame(file = file, line = at, mutation = m)
  }))
}))
chosen <- places[sample(nrow(places), min(wanted, nrow(places))), ]

copy <- file.path(getwd(), ".build", "mutant")
library <- file.path(getwd(), ".build", "mutant-library")
unlink(c(copy, library), recursive = TRUE)
dir.create(library, recursive = TRUE)
dir.create(copy)
invisible(file.copy(c("R", "inst", "src", "data", "exec", "DESCRIPTION", "NAMESPACE", "LICENSE", "tests", "man"), copy,
                    recursive = TRUE, copy.date = TRUE))
file.copy(".build/library/wavetax", library, recursive = TRUE)

# Whether the tests that an expression runs in the copy end well. What takes far longer than all tests do is a
# mutant that never ends, and is said to be.
run <- function(expression) {
  status <- suppressWarnings(system2(
    "Rscript", c("-e", shQuote(paste("library(testthat);", expression))), stdout = FALSE, stderr = FALSE,
    timeout = 1200, env = c(sprintf("R_LIBS=%s", shQuote(library)), "NOT_CRAN=true")
  ))
  if (status == 124) cat("no end in 20 minutes: ")
  status == 0
}
core_tests <- paste(
  "setwd('.build/mutant'); source('tests/core/load.R'); core <- load_core('.');",
  "test_dir('tests/core', env = core, reporter = 'stop', stop_on_failure = TRUE)"
)
package_tests <- function(files) {
  sprintf(paste(
    "source('tools/test-files.R'); setwd('.build/mutant');",
    "told <- run_test_files(file.path('tests/testthat', strsplit('%s', ' ')[[1]]), until_failure = TRUE);",
    "quit(status = sum(unlist(lapply(told, `[[`, 'failed'))) > 0)"
  ), paste(files, collapse = " "))
}
# Whether every program of the C++ core compiles and finds nothing wrong.
core_passes <- function() {
  told <- run_core_tests("tests/cpp", file.path(copy, "inst", "include"), dirname(copy))
  all(vapply(told, function(lines) any(grepl("^[0-9]+ passed, 0 failed$", lines)), TRUE))
}

compiling <- c("MAKEFLAGS=-j2", sprintf("R_MAKEVARS_USER=%s", shQuote(file.path(getwd(), "tools", "Makevars"))))

is_killed <- function(file) {
  if (grepl("hpp$", file) && !core_passes()) return(TRUE)
  how <- c("--no-docs", "--no-byte-compile", "--no-test-load", sprintf("--library=%s", shQuote(library)))
  call <- c("CMD", "INSTALL", how, shQuote(copy))
  if (system2("R", call, env = compiling, stdout = FALSE, stderr = FALSE) != 0) return(TRUE)
  if (!run(core_tests)) return(TRUE)
  tests <- list.files("tests/testthat", "^test-.*[.]R$")
  tests <- tests[!grepl("layers|fuzz", tests)]
  near <- nzchar(file) & startsWith(tests, sub("[.]R$", "", paste0("test-", basename(file))))
  near <- near | grepl("one-line|prints|fit-|nasty|noticed", tests)
  !run(package_tests(tests[near])) || !run(package_tests(tests[!near]))
}

if (is_killed("")) stop("the tests fail as the code stands: nothing can be said of changes")
survivors <- character()
for (i in seq_len(nrow(chosen))) {
  file <- chosen$file[i]
  lines <- readLines(file)
  pair <- mutations[[chosen$mutation[i]]]
  before <- lines[chosen$line[i]]
  lines[chosen$line[i]] <- sub(pair[1], pair[2], before, fixed = TRUE)
  writeLines(lines, file.path(copy, file))
  if (grepl("hpp$", file)) unlink(list.files(file.path(copy, "src"), "bind.*[.]o$", full.names = TRUE))
  killed <- is_killed(file)
  words <- sprintf("%s:%d  %s  ->  %s", file, chosen$line[i], trimws(before), trimws(lines[chosen$line[i]]))
  cat(if (killed) "noticed   " else "SURVIVED  ", words, "\n", sep = "")
  if (!killed) survivors <- c(survivors, words)
  file.copy(file, file.path(copy, file), overwrite = TRUE)
}
cat(sprintf("\n%d mutations, %d survived\n", nrow(chosen), length(survivors)))
writeLines(survivors)
