# The rows of a regression as the core sees them: a list with
#   y         the outcome, n doubles
#   x         a list of k regressors, n doubles each, without the constant
#   constant  whether the regression has one
#   weights   n analytic weights, or NULL
#   columns   the list of x and y
#   n, k
# and groups of rows as one type for entities, periods, effects and clusters, made once and handed
# on: class `row_groups`, a list with
#   codes     n integers from 1 to count, 0 where the group is missing
#   count     how many groups
#   sorted    whether the codes never fall
#   missing   how many codes are 0: a regression takes no such row
#   sizes     how many rows each group has
#   labels    what the groups are called, where they are called something

core_rows <- function(y, x, constant = TRUE, weights = NULL) {
  x <- unname(x)
  list(y = y, x = x, constant = constant, weights = weights, columns = c(x, list(y)), n = length(y), k = length(x))
}

core_groups <- function(codes, count = max(codes, 0L), labels = NULL) {
  groups <- cpp_groups(codes, count)
  if (!is.null(labels)) groups$labels <- labels
  groups
}

# Below this many rows a second thread costs more than it gives.
rows_for_threads <- 50000

core_threads <- function(n) {
  if (n < rows_for_threads) 1L else cpp_available_threads()
}

# A regressor is dropped when what is left of it falls below this part of its norm.
rank_tolerance <- 1e-9

# The regression of the last column of a triangular factor on the others.
core_solve <- function(triangle, own_norms = numeric()) {
  solved <- cpp_solve(triangle, 1L, own_norms, rank_tolerance)
  solved$coefficients <- drop(solved$coefficients)
  solved
}

# The solution of a regression, as every estimator of the core gives it:
#   coefficients   of the kept regressors in order, before them that of the constant
#   constant       whether there is one
#   status         of each regressor: 0 kept, 1 does not vary, 2 a combination of others
#   slopes         of each regressor, 0 where dropped
#   combination    a column a regressor: how a dropped one is made of what has a coefficient
#   norms          of the regressors in the regression
#   regressors     which of the stored columns scores are made of: those kept, or what stands for them, such as
#                  fitted ones among the columns
#   residual       by stored column its weight in the residual
#   root, frame    from rows to orthonormal coordinates and on to coefficients: see core_frame()
#   hat            NULL, or orthonormal directions among these coordinates that leverages are of
#   centre         of [x, y]: of the columns less these the constant is 0
#   n, ssr, sst, df_residual, df_effects, r_squared
# and what one estimator knows besides. `solved` is that of the regressors with the constant, if
# there is one, first among them.
core_solution <- function(solved, constant, ...) {
  full <- core_full_coefficients(solved)
  of_regressors <- if (constant) -1L else seq_along(full)
  core_of_least_squares(list(
    coefficients = solved$coefficients, constant = constant, status = solved$status[of_regressors],
    slopes = full[of_regressors], combination = solved$combination[, of_regressors, drop = FALSE],
    root = solved$root, ssr = solved$ssr, ...
  ))
}

# Of least squares of the last stored column on the others.
core_of_least_squares <- function(solution) {
  solution$regressors <- which(solution$status == 0L)
  solution$residual <- c(-solution$slopes, 1)
  solution
}

# That of least squares on the rows of a factor of [1, x, y] or, without a constant, [x, y].
core_least_squares <- function(triangle, constant, n, ...) {
  solved <- core_solve(triangle)
  norms <- sqrt(colSums(triangle^2))
  core_solution(
    solved, constant, norms = norms[-c(if (constant) 1L, length(norms))], frame = core_frame(solved, constant),
    centre = core_centre(triangle, constant), n = n, df_residual = n - length(solved$coefficients), df_effects = 0L, ...
  )
}

# Where the constant leads: the means of the regression's rows, by column after it, from the
# first row of the factor; of the columns less these the constant is 0.
core_centre <- function(triangle, constant) {
  if (!constant) return(numeric(ncol(triangle)))
  triangle[1, -1] / triangle[1, 1]
}

# Orthonormal coordinates of a regression's rows, R'u = x - centre: list(upper, centre, origin), of
# the kept regressors, the constant first where there is one. `origin` is where the constant is
# uncorrelated with the slopes.
core_frame <- function(solution, constant) {
  upper <- solution$upper
  centre <- numeric(ncol(upper))
  if (constant && ncol(upper) > 0) {
    centre[-1] <- upper[1, -1] / upper[1, 1]
    upper[1, -1] <- 0
  }
  list(upper = upper, centre = centre, origin = centre)
}

# Those of a matrix of rows, the constant's ones included.
core_coordinates <- function(frame, rows) {
  cpp_to_orthonormal(frame$upper, rows - rep(frame$centre, each = nrow(rows)))
}

# What falls below this part of the columns it was made from is their rounding.
rounding_share <- 1e-12

# Squared correlation of x'b with y from the triangular factor of the centred
# [x, y]: both are combinations of its columns, and their angle is that of the rows. NA where
# one of them does not vary; `norms` are those of [x, y] before they were centred.
core_squared_correlation <- function(triangle, b, norms) {
  p <- ncol(triangle)
  unit <- function(v, from) {
    size <- max(abs(v), 0)
    if (!is.finite(size) || size <= rounding_share * from) return(NULL)
    v / size / sqrt(sum((v / size)^2))
  }
  fitted <- unit(triangle[, -p, drop = FALSE] %*% b, sum(abs(b) * norms[-p]))
  outcome <- unit(triangle[, p], norms[p])
  if (is.null(fitted) || is.null(outcome)) return(NA_real_)
  min(1, sum(fitted * outcome)^2)
}

# 1 - left / all, of sums of squares; NA where `all` is rounding of `from`.
core_share_explained <- function(left, all, from) {
  if (!is.finite(all) || all <= rounding_share^2 * from) return(NA_real_)
  1 - left / all
}

# The factor without its constant: what is left after projecting on the ones.
core_centred <- function(triangle) triangle[-1, -1, drop = FALSE]

# Coefficients with 0 where a regressor was dropped, for products with all columns.
core_full_coefficients <- function(solution) {
  b <- numeric(length(solution$status))
  b[solution$status == 0L] <- solution$coefficients
  b
}

# The triangular factor of any matrix's rows.
core_refactor <- function(rows) cpp_merge_triangles(matrix(0, ncol(rows), ncol(rows)), rows)

# Two blocks along the diagonal and zeros beside them; a number is a block of one.
core_block_diagonal <- function(first, rest) {
  first <- as.matrix(first)
  out <- matrix(0, nrow(first) + nrow(rest), ncol(first) + ncol(rest))
  out[seq_len(nrow(first)), seq_len(ncol(first))] <- first
  out[nrow(first) + seq_len(nrow(rest)), ncol(first) + seq_len(ncol(rest))] <- rest
  out
}
