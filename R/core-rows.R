# The rows of a regression as the core sees them: a list with
#   y         the outcome, n doubles
#   x         a list of k regressors, n doubles each, without the constant
#   constant  whether the regression has one
#   weights   n analytic weights, or NULL
# and groups of rows as a list with
#   codes     n integers from 1 to count
#   count     how many groups
#   sorted    whether the codes never fall

core_rows <- function(y, x, constant = TRUE, weights = NULL) {
  list(y = y, x = unname(x), constant = constant, weights = weights)
}

core_groups <- function(codes, count = max(codes)) {
  list(codes = codes, count = count, sorted = cpp_is_sorted(codes))
}

# Below this many rows a second thread costs more than it gives.
rows_for_threads <- 50000

core_threads <- function(n) {
  if (n < rows_for_threads) 1L else cpp_available_threads()
}

# A regressor is dropped when what is left of it falls below this part of its norm.
rank_tolerance <- 1e-9

# Squared correlation of x'b with y from the triangular factor of the centred
# [x, y]: both are combinations of its columns, and their angle is that of the rows.
core_squared_correlation <- function(triangle, b) {
  p <- ncol(triangle)
  fitted <- triangle[, -p, drop = FALSE] %*% b
  outcome <- triangle[, p]
  lengths <- sum(fitted^2) * sum(outcome^2)
  if (lengths == 0) return(NA_real_)
  sum(fitted * outcome)^2 / lengths
}

# The factor without its constant: what is left after projecting on the ones.
core_centred <- function(triangle) triangle[-1, -1, drop = FALSE]

# Coefficients with 0 where a regressor was dropped, for products with all columns.
core_full_coefficients <- function(solution) {
  b <- numeric(length(solution$status))
  b[solution$status == 0L] <- solution$coefficients
  b
}
