# Structuring, side by side with base R in the same run: `Rscript bench/structure.R 1e6`
# with fewer rows. Medians of three.
suppressPackageStartupMessages(library(wavetax))

rows <- as.numeric(c(commandArgs(trailingOnly = TRUE), "1e7")[1])
seconds <- function(expr) {
  stats::median(replicate(3, {
    gc(FALSE)
    system.time(expr(), gcFirst = FALSE)[["elapsed"]]
  }))
}
line <- function(what, time, base, most) {
  cat(sprintf("| %s | %.2f s | %.2f s | %.2f | %s |\n", what, time, base, time / base, most))
}

set.seed(1)
N <- rows / 10
id <- rep(seq_len(N), each = 10)
t <- rep(1:10, N)
x <- rnorm(rows)
names <- sprintf("firm%07d", sample(N))
shuffle <- sample(rows)
cat("| measured | ours | base R | ratio | at most |\n| :-- | --: | --: | --: | --: |\n")

data <- data.frame(id = id[shuffle], t = t[shuffle], x = x[shuffle])
shuffled_order <- seconds(function() order(data$id, data$t, method = "radix"))
line("panel_frame(), shuffled, number keys, against order()",
     seconds(function() panel_frame(data, id, t)), shuffled_order, "1.5")
panel <- panel_frame(data, id, t)
line("past(), shuffled, against order()", seconds(function() with(panel, past(x))), shuffled_order, "0.5")
data$name <- names[data$id]
line("panel_frame(), shuffled, text keys, against order()", seconds(function() panel_frame(data, name, t)),
     seconds(function() order(data$name, data$t, method = "radix")), "3")
sorted <- data.frame(id = id, t = t, x = x)
line("panel_frame(), sorted, against order() of the shuffled rows",
     seconds(function() panel_frame(sorted, id, t)), shuffled_order, "0.3")
panel <- panel_frame(sorted, id, t)
line("past(), sorted, against order() of the shuffled rows", seconds(function() with(panel, past(x))),
     shuffled_order, "0.5")

wide <- as.data.frame(matrix(rnorm(1e7), 1e5))
names(wide) <- paste0("x_", 1901:2000)
wide$id <- seq_len(1e5)
line("panel_to_long(), 1e5 entities by 100 columns, against unlist() and rep()",
     seconds(function() suppressMessages(panel_to_long(wide, id, period = "year"))),
     seconds(function() {
       unlist(wide[1:100], use.names = FALSE)
       rep(wide$id, 100)
     }), "2")

cat("\n| peak memory, data and result, against the data | ratio | at most |\n| :-- | --: | --: |\n")
for (task in c("panel_frame", "past", "panel_to_long", "panel_problems")) {
  ratio <- system2(file.path(R.home("bin"), "Rscript"),
                   c("bench/memory.R", format(rows, scientific = FALSE), "shuffled", task),
                   env = "MALLOC_MMAP_THRESHOLD_=131072", stdout = TRUE)
  cat(sprintf("| %s() | %s | 2.5 |\n", task, ratio))
}
