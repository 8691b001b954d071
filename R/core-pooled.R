# Ordinary least squares of y on [1, x] in three steps: accumulate rows into a
# triangular factor, merge factors, solve. The factor always has the constant, so that
# the squared correlation is that of a regression with one too.

core_pooled_state <- function(rows, threads = core_threads(length(rows$y))) {
  columns <- c(list(NULL), rows$x, list(rows$y))
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
  triangle <- if (state$constant) state$triangle else state$triangle[, -1, drop = FALSE]
  solution <- core_solve(triangle)
  k <- length(solution$coefficients) # the constant included
  b <- core_full_coefficients(solution)
  lead <- as.integer(state$constant)
  centred <- core_centred(state$triangle)
  slopes <- if (state$constant) b[-1] else b
  p <- ncol(centred)
  raw <- sqrt(colSums(state$triangle^2))[-1]
  c(solution, list(
    frame = core_frame(solution, state$constant), centre = core_centre(triangle, state$constant),
    norms = sqrt(colSums(triangle[, seq_along(b), drop = FALSE]^2)), full = b,
    lead = lead, n = state$n, df_residual = state$n - k, df_effects = 0L,
    sst = sum(centred[, p]^2),
    r_squared = c(overall = core_squared_correlation(centred, slopes, raw))
  ))
}

# Squared correlation over rows of x'b with y, b the slopes of another regression of them.
core_overall_r_squared <- function(rows, solution) {
  triangle <- core_pooled_state(rows)$triangle
  core_squared_correlation(core_centred(triangle), core_slopes(solution, rows), sqrt(colSums(triangle^2))[-1])
}
