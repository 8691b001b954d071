# A CSV file larger than memory allows, fitted in pieces: Rscript bench/pieces.R ROWS FOLDER.
# Writes the file, then fits it in a process of its own, whose peak memory is told.
suppressPackageStartupMessages(library(wavetax))
args <- commandArgs(trailingOnly = TRUE)
rows <- as.numeric(args[1])
file <- file.path(args[2], "rows.csv")
entities <- 1e5
per_piece <- 1e6

if (length(args) == 2) {
  set.seed(1)
  u <- rnorm(entities)
  for (piece in seq_len(rows / per_piece)) {
    id <- sample.int(entities, per_piece, TRUE)
    data <- data.frame(id = id, year = sample(2001:2010, per_piece, TRUE), x1 = round(rnorm(per_piece) + u[id], 4),
                       x2 = round(runif(per_piece), 4))
    data$y <- round(1 + 0.5 * data$x1 - data$x2 + u[id] + data$year / 10 + rnorm(per_piece), 4)
    data.table::fwrite(data, file, append = piece > 1)
  }
  script <- sub("^--file=", "", grep("^--file=", commandArgs(), value = TRUE))
  for (effects in c("id", "id+year")) {
    cat(system2(file.path(R.home("bin"), "Rscript"), c(script, args, effects), stdout = TRUE), sep = "\n")
  }
} else {
  effects <- stats::reformulate(strsplit(args[3], "+", fixed = TRUE)[[1]])
  seconds <- system.time(fit <- fit_fixed(y ~ x1 + x2, file, effects = effects))[["elapsed"]]
  peak <- as.numeric(gsub("[^0-9]", "", grep("^VmHWM", readLines("/proc/self/status"), value = TRUE))) / 1024^2
  print(fit)
  cat(sprintf("\n%s rows (%.1f GB), effects %s: %.0f s, peak memory %.2f GB\n\n", format(rows, big.mark = ","),
              file.size(file) / 1e9, args[3], seconds, peak))
}
