# Peak memory of one fit in a process of its own, data included, against the data:
# Rscript bench/memory.R ROWS sorted|shuffled fixed|random. Run with a fixed
# MALLOC_MMAP_THRESHOLD_, so that memory set free before the fit has gone back.
suppressPackageStartupMessages(library(wavetax))
args <- commandArgs(trailingOnly = TRUE)
n <- as.numeric(args[1])
set.seed(1)
data <- data.frame(id = rep(seq_len(n / 10), each = 10), t = rep(1:10, n / 10))
for (column in c("x1", "x2", "x3", "y")) data[[column]] <- rnorm(n)
if (args[2] == "shuffled") {
  order <- sample(n)
  for (column in names(data)) data[[column]] <- data[[column]][order]
  rm(order)
}
panel <- panel_frame(data, id, t)
fit <- if (args[3] == "fixed") fit_fixed else fit_random
invisible(gc())
status <- function(field) {
  line <- grep(paste0("^", field), readLines("/proc/self/status"), value = TRUE)
  1024 * as.numeric(gsub("[^0-9]", "", line))
}
writeLines("5", "/proc/self/clear_refs")
before <- status("VmRSS")
result <- fit(y ~ x1 + x2 + x3, panel)
own <- as.numeric(utils::object.size(data))
cat(sprintf("%.2f\n", (own + status("VmHWM") - before) / own))
