# Covariances of the coefficients of a transformed regression. `transform` says what
# was taken from a row before least squares: NULL for nothing, or a list with the
# `groups`, their `means` (of [x, y]), `theta` by group (NULL: 1), and `shift`, which
# is added back by column of [x, y] (NULL: 0).

core_residuals <- function(rows, transform, solution, threads = core_threads(length(rows$y))) {
  slopes <- core_slopes(solution, rows)
  centre <- transform$centre
  if (is.null(centre)) centre <- numeric(length(rows$x) + 1L)
  constant <- if (length(slopes) < length(solution$full)) solution$full[1] else 0
  # The constant is that of the centred columns.
  constant <- constant - centre[length(centre)] + sum(slopes * centre[-length(centre)])
  cpp_residuals(
    c(rows$x, list(rows$y)), slopes, constant, centre, transform$groups$codes,
    transform$means, transform$theta, length(rows$y), threads
  )
}

# Slopes of all regressors, 0 where dropped.
core_slopes <- function(solution, rows) {
  full <- solution$full
  if (length(full) > length(rows$x)) full[-1] else full
}

# Sum of w x e over the rows of each cluster: a matrix with a row a kept coefficient
# and a column a cluster. A swept constant is put back as ones by its shift.
core_cluster_scores <- function(rows, transform, solution, residuals, clusters,
                                threads = core_threads(length(rows$y))) {
  k <- length(rows$x)
  columns <- c(if (solution$lead == 1L) list(NULL), rows$x)
  pick <- c(if (solution$lead == 1L) 1L, seq_len(k))
  shift <- if (!is.null(transform$shift)) c(if (solution$lead == 1L) 1, transform$shift[seq_len(k)])
  kept <- solution$status == 0L
  if (length(kept) < length(columns)) kept <- c(TRUE, kept)
  cpp_cluster_scores(
    columns[kept], rows$weights, residuals, clusters$codes, clusters$count, clusters$sorted,
    transform$groups$codes, transform$means, pick[kept], transform$theta,
    if (!is.null(shift)) shift[kept], threads
  )
}

# (X'X)^-1 (sum of s_g s_g') (X'X)^-1
core_sandwich <- function(bread, scores) bread %*% tcrossprod(scores) %*% bread

# d'M^- d with M symmetric and meant to be positive semi-definite. `scale` are
# typical sizes of d, so that the rank does not depend on units. Where M has a
# negative part it is left out, and `definite` is FALSE.
core_quadratic_form <- function(d, M, scale, tolerance = 1e-10) {
  scaled <- eigen(M / outer(scale, scale), symmetric = TRUE)
  definite <- all(scaled$values > -tolerance)
  if (definite) {
    d <- d / scale
    parts <- scaled
    use <- parts$values > tolerance
  } else {
    parts <- eigen(M, symmetric = TRUE)
    use <- parts$values > tolerance * max(abs(parts$values))
  }
  along <- drop(crossprod(parts$vectors[, use, drop = FALSE], d))
  list(value = sum(along^2 / parts$values[use]), rank = sum(use), definite = definite)
}

# Whether every group lies in one cluster.
core_is_nested <- function(groups, clusters) {
  if (identical(groups$codes, clusters$codes)) return(TRUE)
  cluster_of <- integer(groups$count)
  cluster_of[groups$codes] <- clusters$codes
  identical(cluster_of[groups$codes], clusters$codes)
}
