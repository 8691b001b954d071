# Residuals of a transformed regression and covariances of its coefficients. `transform`
# says what was taken from a row before least squares: NULL for nothing, or a list of
#   layers     each a list of codes, levels (of [x, y], a column a group), theta by group
#              (NULL: 1) and loading by row (NULL: 1)
#   shift      added back by column of [x, y] (NULL: 0)
#   centre     by column of [x, y], taken off for the sake of digits; `centred` is the layer
#              whose levels hold it
#   ones       whether the levels are of [1, x, y]: effects shrunken in several sets, where
#              the residuals are those of V^-1 and the regressors' products with them are
#              of the rows as they are

core_residuals <- function(rows, transform, solution, threads = core_threads(length(rows$y))) {
  slopes <- core_slopes(solution, rows)
  centre <- transform$centre
  if (is.null(centre)) centre <- numeric(length(rows$x) + 1L)
  constant <- if (length(slopes) < length(solution$full)) solution$full[1] else 0
  # The constant is that of the centred columns.
  shifted <- constant - centre[length(centre)] + sum(slopes * centre[-length(centre)])
  swept <- length(transform$layers) > 0 && is.null(transform$layers[[1]]$theta) && !isTRUE(transform$ones)
  layers <- lapply(seq_along(transform$layers), function(l) {
    layer <- transform$layers[[l]]
    offsets <- if (isTRUE(transform$ones)) {
      cpp_combined_levels(layer$levels, c(constant, slopes), numeric(length(slopes) + 2L))
    } else {
      cpp_combined_levels(layer$levels, slopes, if (l == transform$centred) centre else 0 * centre)
    }
    if (!is.null(layer$theta)) offsets <- layer$theta * (offsets - shifted)
    list(codes = layer$codes, offsets = offsets, loading = layer$loading)
  })
  cpp_residuals(
    c(rows$x, list(rows$y)), slopes, if (swept) 0 else shifted, centre, layers, length(rows$y), threads
  )
}

# One set of effects as a layer of the transformation.
core_layer <- function(codes, levels, theta = NULL, loading = NULL) {
  list(codes = codes, levels = levels, theta = theta, loading = loading)
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
  lead <- solution$lead == 1L
  columns <- c(if (lead) list(NULL), rows$x)
  pick <- c(if (lead) 0L, seq_len(k))
  shift <- if (!is.null(transform$shift)) c(if (lead) 1, transform$shift[seq_len(k)])
  kept <- solution$status == 0L
  if (length(kept) < length(columns)) kept <- c(TRUE, kept)
  layers <- if (isTRUE(transform$ones)) list() else as.list(transform$layers)
  cpp_cluster_scores(
    columns[kept], rows$weights, residuals, clusters$codes, clusters$count, clusters$sorted,
    layers, pick[kept], if (!is.null(shift)) shift[kept], threads
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
