# Peak memory of one task in a process of its own, its data included, against its data:
# Rscript bench/memory.R ROWS sorted|shuffled TASK. Run with a fixed
# MALLOC_MMAP_THRESHOLD_, so that memory set free before the task has gone back.
suppressPackageStartupMessages(library(wavetax))
args <- commandArgs(trailingOnly = TRUE)
n <- as.numeric(args[1])
shuffled <- args[2] == "shuffled"
task <- args[3]

keyed <- function(columns) {
  set.seed(1)
  data <- data.frame(id = rep(seq_len(n / 10), each = 10), t = rep(1:10, n / 10))
  for (column in columns) data[[column]] <- rnorm(n)
  if (shuffled) {
    order <- sample(n)
    for (column in names(data)) data[[column]] <- data[[column]][order]
  }
  data
}
wide <- function() {
  data <- as.data.frame(matrix(rnorm(n), n / 100))
  names(data) <- paste0("x_", 1901:2000)
  data$id <- seq_len(n / 100)
  data
}
equation <- y ~ x1 + x2 + x3
regressors <- c("x1", "x2", "x3", "y")

# What a task starts from, and the task.
tasks <- list(
  panel_frame = list(function() keyed(regressors), function(data) panel_frame(data, id, t)),
  past = list(function() panel_frame(keyed(regressors), id, t),
              function(data) transform(data, before = past(y))),
  panel_to_long = list(wide, function(data) suppressMessages(panel_to_long(data, id, period = "t"))),
  panel_problems = list(function() keyed(letters[1:8]), function(data) panel_problems(data, id, t)),
  pooled = list(function() panel_frame(keyed(regressors), id, t), function(data) fit_pooled(equation, data)),
  fixed = list(function() panel_frame(keyed(regressors), id, t), function(data) fit_fixed(equation, data)),
  random = list(function() panel_frame(keyed(regressors), id, t), function(data) fit_random(equation, data)),
  both = list(function() panel_frame(keyed(regressors), id, t), function(data) fit_fixed(equation, data, "both")),
  random_both = list(function() panel_frame(keyed(regressors), id, t),
                     function(data) suppressWarnings(fit_random(equation, data, "both")))
)

status <- function(field) {
  line <- grep(paste0("^", field), readLines("/proc/self/status"), value = TRUE)
  1024 * as.numeric(gsub("[^0-9]", "", line))
}
data <- tasks[[task]][[1]]()
invisible(gc())
writeLines("5", "/proc/self/clear_refs")
before <- status("VmRSS")
result <- tasks[[task]][[2]](data)
peak <- status("VmHWM") - before
own <- as.numeric(utils::object.size(data))
# What gives a larger table is measured against that.
made <- if (task == "panel_to_long") as.numeric(utils::object.size(as.data.frame(result))) else 0
cat(sprintf("%.2f\n", (own + peak) / max(own, made)))
