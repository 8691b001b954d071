# Where work could fall off a cliff: two sets of effects by the size of the smaller one, dummies
# written in the formula, and formulas of very many terms, each beside base R on the same columns in
# the same run. `make bench` runs it.
suppressPackageStartupMessages(library(wavetax))
seconds <- function(expr) {
  gc(FALSE)
  system.time(expr, gcFirst = FALSE)[["elapsed"]]
}
set.seed(1)

rows <- 2e5
levels <- c(10, 50, 200, 500, 700, 1000, 1500, 2000, 2049, 4000, 10000, 20000)
times <- vapply(levels, function(m) {
  data <- data.frame(a = sample(20001, rows, TRUE), b = sample(m, rows, TRUE), x1 = rnorm(rows), x2 = rnorm(rows))
  data$y <- data$x1 + rnorm(rows)
  stats::median(replicate(3, seconds(fit_fixed(y ~ x1 + x2, data, ~ a + b, errors = se_classical()))))
}, 0)
cat("Two sets of effects, 200,000 rows, 20,001 levels in the larger:\n\n")
cat("| levels of the smaller set |", paste(levels, collapse = " | "), "|\n")
cat("| :-- |", paste(rep("--:", length(levels)), collapse = " | "), "|\n")
cat("| seconds |", paste(sprintf("%.2f", times), collapse = " | "), "|\n\n")
cheaper <- pmin(c(Inf, times[-length(times)]), c(times[-1], Inf))
cat(sprintf("At most %.1f times the cheaper neighbour (bound 3).\n\n", max(times / cheaper)))

n <- 5e5
data <- data.frame(g = sample(60, n, TRUE), t = sample(60, n, TRUE), id = sample(5000, n, TRUE), x1 = rnorm(n),
                   x2 = rnorm(n))
data$y <- data$x1 + rnorm(n)
ours <- seconds(fit_fixed(y ~ x1 + x2 + factor(g) + factor(t), data, ~id))
base <- seconds(.lm.fit(stats::model.matrix(~ x1 + x2 + factor(g) + factor(t), data), data$y))
cat("| measured | ours | base R | ratio | at most |\n| :-- | --: | --: | --: | --: |\n")
line <- function(what, most) {
  cat(sprintf("| %s, against base R's matrix and .lm.fit() | %.2f s | %.2f s | %.2f | %s |\n", what, ours, base,
              ours / base, most))
}
line("500,000 rows, two factors of 60 levels in the formula", "0.6")
for (k in c(300, 2000)) {
  wide <- as.data.frame(matrix(rnorm(2 * k * k), 2 * k))
  wide$y <- rnorm(2 * k)
  runs <- if (k < 1000) 9 else 1
  ours <- stats::median(replicate(runs, seconds(fit_pooled(y ~ ., wide))))
  base <- stats::median(replicate(runs, seconds({
    frame <- stats::model.frame(y ~ ., wide)
    .lm.fit(stats::model.matrix(attr(frame, "terms"), frame), wide$y)
  })))
  line(sprintf("y ~ . with %s columns, %s rows", format(k, big.mark = ","), format(2 * k, big.mark = ",")), "2")
}
