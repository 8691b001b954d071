# An uneven panel as the core takes it: rows and groups.
core_sample <- function(N = 30, seed = 1, weighted = FALSE) {
  set.seed(seed)
  size <- sample(1:7, N, replace = TRUE)
  codes <- rep(seq_len(N), size)
  n <- length(codes)
  effect <- rnorm(N)[codes]
  x <- list(rnorm(n) + effect, runif(n), rnorm(N)[codes])
  y <- 1 + x[[1]] - 2 * x[[2]] + effect + rnorm(n)
  list(
    rows = core_rows(y, x, weights = if (weighted) runif(n, 0.2, 3)),
    groups = core_groups(codes, N), n = n
  )
}

# Those rows of a sample, with all its groups.
core_piece <- function(sample, rows) {
  whole <- sample$rows
  list(rows = core_rows(whole$y[rows], lapply(whole$x, `[`, rows), whole$constant, whole$weights[rows]),
       groups = core_groups(sample$groups$codes[rows], sample$groups$count))
}
