# Covariances of the coefficients of a transformed regression. `transform` says what
# was taken from a row before least squares: NULL for nothing, or a list with the
# `groups`, their `means` (of [x, y]), `theta` by group (NULL: 1), and `shift`, which
# is added back by column of [x, y] (NULL: 0).

core_residuals <- function(rows, transform, solution, threads = core_threads(length(rows$y))) {
  with_constant <- rows$constant && solution$lead == 1L && is.null(transform$shift)
  columns <- c(if (with_constant) list(NULL), rows$x, list(rows$y))
  cpp_residuals(
    columns, solution$full, transform$groups$codes,
    core_means(transform, with_constant), transform$theta, NULL, length(rows$y), threads
  )
}

# Means with a row of ones for the constant on top.
core_means <- function(transform, with_constant) {
  if (is.null(transform)) return(NULL)
  if (with_constant) rbind(1, transform$means) else transform$means
}

# Sum of w x e over the rows of each cluster: a matrix with a row a kept coefficient
# and a column a cluster.
core_cluster_scores <- function(rows, transform, solution, residuals, clusters,
                                threads = core_threads(length(rows$y))) {
  lead <- solution$lead
  if (lead == 1L) {
    # Swept effects leave nothing of the constant; it is put back as ones.
    columns <- c(list(NULL), rows$x)
    means <- if (!is.null(transform)) rbind(1, transform$means[-nrow(transform$means), , drop = FALSE])
    shift <- if (!is.null(transform$shift)) c(1, transform$shift[seq_along(rows$x)])
  } else {
    columns <- rows$x
    means <- if (!is.null(transform)) transform$means[-nrow(transform$means), , drop = FALSE]
    shift <- transform$shift[seq_along(rows$x)]
  }
  kept <- solution$status == 0L
  if (length(kept) < length(columns)) kept <- c(TRUE, kept)
  cpp_cluster_scores(
    columns[kept], rows$weights, residuals, clusters$codes, clusters$count, clusters$sorted,
    transform$groups$codes, if (!is.null(means)) means[kept, , drop = FALSE],
    transform$theta, if (!is.null(shift)) shift[kept], threads
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
