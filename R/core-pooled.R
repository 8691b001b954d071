# Ordinary least squares of y on [1, x] in three steps: accumulate rows into a
# triangular factor, merge factors, solve.

core_pooled_state <- function(rows, threads = core_threads(length(rows$y))) {
  columns <- c(if (rows$constant) list(NULL), rows$x, list(rows$y))
  list(
    triangle = cpp_triangle(columns, rows$weights, length(rows$y), threads),
    n = length(rows$y), constant = rows$constant
  )
}

core_merge_pooled <- function(a, b) {
  a$triangle <- cpp_merge_triangles(a$triangle, b$triangle)
  a$n <- a$n + b$n
  a
}

core_solve_pooled <- function(state) {
  solution <- cpp_solve(state$triangle, numeric(), rank_tolerance)
  k <- length(solution$coefficients) # the constant included
  b <- core_full_coefficients(solution)
  lead <- as.integer(state$constant)
  centred <- if (state$constant) core_centred(state$triangle) else state$triangle
  slopes <- if (state$constant) b[-1] else b
  p <- ncol(centred)
  c(solution, list(
    norms = sqrt(colSums(state$triangle[, seq_along(b), drop = FALSE]^2)), full = b,
    lead = lead, n = state$n, df_residual = state$n - k, df_effects = 0L,
    sst = sum(centred[, p]^2),
    r_squared = c(overall = core_squared_correlation(centred, slopes))
  ))
}
