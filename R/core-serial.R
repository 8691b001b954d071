# Serial correlation from differences (Wooldridge, 10.6.3). `index` has the entity
# code and the integer clock of every row.

# Rows one clock tick apart within an entity: `now` and `before`, as row numbers.
core_adjacent_rows <- function(entity, clock) {
  order <- order(entity, clock, method = "radix")
  n <- length(order)
  now <- order[-1]
  before <- order[-n]
  same <- entity[now] == entity[before]
  adjacent <- same & clock[now] == clock[before] + 1L
  list(now = now[adjacent], before = before[adjacent], across_gaps = sum(same & !adjacent))
}

# `drift`: whether the changes have a constant.
core_serial_differences <- function(rows, index, drift = FALSE) {
  pairs <- core_adjacent_rows(index$entity, index$clock)
  across_pairs <- function(v) v[pairs$now] - v[pairs$before]
  n <- length(pairs$now)
  empty <- list(
    statistic = NA_real_, entities = 0L, changes = n, pairs = 0L, across_gaps = pairs$across_gaps
  )
  if (n <= length(rows$x)) return(empty)
  differenced <- core_rows(across_pairs(rows$y), lapply(rows$x, across_pairs), constant = drift)
  solution <- core_solve_pooled(core_pooled_state(differenced))
  r <- core_residuals(differenced, NULL, solution)

  entity <- index$entity[pairs$now]
  lagged <- core_adjacent_rows(entity, index$clock[pairs$now])
  y <- r[lagged$now]
  x <- r[lagged$before]
  pairs_of <- entity[lagged$now]
  groups <- core_groups(match(pairs_of, unique(pairs_of)))
  N <- groups$count
  empty$pairs <- length(y)
  if (N < 2 || sum(x^2) == 0) return(empty)
  b <- sum(x * y) / sum(x^2)
  scores <- rowsum(x * (y - b * x), groups$codes, reorder = FALSE)
  # CR1 with one coefficient and no constant: G/(G - 1) (n - 1)/(n - 1)
  std_error <- sqrt(N / (N - 1) * sum(scores^2)) / sum(x^2)
  list(
    statistic = ((b + 0.5) / std_error)^2, coefficient = b, std_error = std_error,
    entities = N, changes = n, pairs = length(y), across_gaps = pairs$across_gaps
  )
}
