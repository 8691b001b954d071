# Random calls of every exported function, more than the tests make (tests/testthat/helper-fuzz.R):
# `make fuzz`; `Rscript tools/fuzz.R 20000 7` for so many and another seed. Lists those that ended in
# an error that is none of the package's, and closes with their count.
suppressPackageStartupMessages(library(wavetax))
source("tests/testthat/helper-fuzz.R")
given <- commandArgs(trailingOnly = TRUE)
calls <- as.integer(c(given, "20000")[1])
untyped <- fuzz(calls, as.integer(c(given[-1], "1")[1]))
writeLines(as.character(untyped))

# Broken files, more than the tests read.
files <- as.integer(c(given[-(1:2)], "5000")[1])
source("tests/testthat/helper-broken.R")
broken <- read_broken(files, as.integer(c(given[-1], "1")[1]))
writeLines(unique(broken))
cat(sprintf("%d calls and %d broken files, %d ended in an error that is none of the package's\n", calls, files,
            length(untyped) + length(broken)))
quit(save = "no", status = as.integer(length(untyped) + length(broken) > 0))
