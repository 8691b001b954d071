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

# Tables written to file systems of every small size, where one can be made: what was there stays until all of the new
# one is.
small <- tempfile("small-")
dir.create(small)
lost <- 0L
if (suppressWarnings(system2("mount", c("-t tmpfs -o size=200k tmpfs", small), stderr = FALSE)) == 0) {
  for (ending in c("csv", "tsv", "xlsx", "parquet")) for (rows in c(100, 1000, 3000, 10000, 30000)) {
    unlink(list.files(small, full.names = TRUE, all.files = TRUE, no.. = TRUE))
    file <- file.path(small, paste0("t.", ending))
    write_panel(harbours[1:50, ], file)
    before <- tools::md5sum(file)
    table <- data.frame(id = seq_len(rows), x = stats::rnorm(rows), t = "text")
    full <- tryCatch({
      write_panel(table, file)
      FALSE
    }, wavetax_error_cannot_write = function(cnd) TRUE)
    lost <- lost + if (full) tools::md5sum(file) != before else nrow(wavetax:::table_of(file)) != rows
  }
  invisible(system2("umount", small))
  cat(sprintf("20 writings to a small file system, %d lost something\n", lost))
}

cat(sprintf("%d calls and %d broken files, %d ended in an error that is none of the package's\n", calls, files,
            length(untyped) + length(broken)))
quit(save = "no", status = as.integer(length(untyped) + length(broken) + lost > 0))
