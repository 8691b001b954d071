# What memory and arithmetic allow: the passes of a fit of 1e7 rows, 1e6 groups of ten and 4 columns as bare loops,
# beside .lm.fit() in the same run: `Rscript bench/loops.R`. Medians of seven.
Sys.setenv(PKG_CXXFLAGS = "-O3 -pthread", PKG_LIBS = "-pthread")
Rcpp::sourceCpp("bench/loops.cpp")
set.seed(1)
n <- 1e7
columns <- lapply(1:4, function(j) rnorm(n))
sorted <- rep(seq_len(n / 10), each = 10L)
periods <- rep(1:10, n / 10)
means <- numeric(4 * n / 10)
tables <- numeric(8 * n / 10)
took <- function(name, groups) {
  median(replicate(7, system.time(bare_loop(columns, groups, periods, means, tables, name))[[3]]))
}
in_order <- c("means", "reflected", "scores", "robust", "dimensions", "contrasts", "both means", "both scores")
for (name in in_order) cat(sprintf("%-14s %.3f s\n", name, took(name, sorted)))
shuffled <- sample(sorted)
any_order <- c("sums", "products", "scattered", "both sums", "both products", "both scattered")
for (name in any_order) cat(sprintf("%-14s %.3f s\n", name, took(name, shuffled)))
x <- do.call(cbind, columns[1:3])
cat(sprintf("%-14s %.3f s\n", ".lm.fit()", median(replicate(3, system.time(.lm.fit(x, columns[[4]]))[[3]]))))
