# Ordinary least squares of y on [1, x] in three steps: accumulate rows into a
# triangular factor, merge factors, solve. The factor always has the constant, so that
# the squared correlation is that of a regression with one too. Columns are taken less their means, which only the first
# row of the factor feels: one far from zero costs no digits.

core_pooled_state <- function(rows, threads = core_threads(rows$n)) {
  centre <- core_weighted_means(rows$columns, rows$weights, threads)
  triangle <- cpp_triangle(c(list(NULL), rows$columns), rows$weights, rows$n, c(0, centre), threads)
  triangle[1, -1] <- triangle[1, -1] + triangle[1, 1] * centre
  list(triangle = triangle, n = rows$n, constant = rows$constant)
}

# The same of sums that somebody else has made, such as a database: `means` of [x, y], `products` their weighted
# products less means, `weight` the sum of weights. Products have squared what the columns have: a factor of rows keeps
# twice the digits.
core_state_of_products <- function(means, products, weight, n, constant = TRUE) {
  triangle <- rbind(sqrt(weight) * c(1, means), cbind(0, core_factor_of_products(products)), deparse.level = 0)
  list(triangle = triangle, n = n, constant = constant)
}

# The upper factor of a matrix of products; a column that is a combination of those before it has nothing left.
core_factor_of_products <- function(products) {
  p <- ncol(products)
  upper <- matrix(0, p, p)
  left <- products
  for (j in seq_len(p)) {
    if (left[j, j] <= rounding_share * products[j, j]) next
    upper[j, j:p] <- left[j, j:p] / sqrt(left[j, j])
    left <- left - tcrossprod(upper[j, ])
  }
  upper
}

core_merge_pooled <- function(a, b) {
  a$triangle <- cpp_merge_triangles(a$triangle, b$triangle)
  a$n <- a$n + b$n
  a
}

core_solve_pooled <- function(state) {
  triangle <- if (state$constant) state$triangle else state$triangle[, -1, drop = FALSE]
  centred <- core_centred(state$triangle)
  norms <- sqrt(colSums(state$triangle^2))[-1]
  p <- ncol(centred)
  solution <- core_least_squares(triangle, state$constant, state$n, sst = sum(centred[, p]^2))
  solution$r_squared <- c(overall = core_squared_correlation(centred, solution$slopes, norms))
  solution
}

# Squared correlation over rows of x'b with y, b the slopes of another regression of them.
core_overall_r_squared <- function(rows, solution) {
  triangle <- core_pooled_state(rows)$triangle
  core_squared_correlation(core_centred(triangle), solution$slopes, sqrt(colSums(triangle^2))[-1])
}
