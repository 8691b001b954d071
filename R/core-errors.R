# Residuals of a transformed regression and covariances of its coefficients. `transform`
# says what was taken from a row before least squares: NULL for nothing, or a list of
#   layers     each a list of codes, levels (of [x, y], a column a group), theta by group
#              (NULL: 1) and loading by row (NULL: 1)
#   centred    the layer whose levels hold the centre of the columns (`solution$centre`)
#   constant   whether a swept constant is put back as a column of ones
#   ones       whether the levels are of [1, x, y]: effects shrunken in several sets, where
#              the residuals are those of V^-1 and the regressors' products with them are
#              of the rows as they are

core_residuals <- function(rows, transform, solution, threads = core_threads(length(rows$y))) {
  slopes <- core_slopes(solution, rows)
  centre <- solution$centre
  if (is.null(centre)) centre <- numeric(length(rows$x) + 1L)
  layers <- lapply(seq_along(transform$layers), function(l) {
    layer <- transform$layers[[l]]
    ones <- isTRUE(transform$ones)
    from <- if (ones || l == transform$centred) centre else 0 * centre
    offsets <- cpp_combined_levels(layer$levels, slopes, from, ones)
    if (!is.null(layer$theta)) offsets <- layer$theta * offsets
    list(codes = layer$codes, offsets = offsets, loading = layer$loading)
  })
  cpp_residuals(c(rows$x, list(rows$y)), slopes, centre, layers, length(rows$y), threads)
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

# Sum of w u e over the rows of each cluster, u the row in the orthonormal coordinates of the
# regression: a matrix with a row a coordinate and a column a cluster.
core_cluster_scores <- function(rows, transform, solution, residuals, clusters,
                                threads = core_threads(length(rows$y))) {
  k <- length(rows$x)
  lead <- solution$lead == 1L
  columns <- c(if (lead) list(NULL), rows$x)
  pick <- c(if (lead) 0L, seq_len(k))
  kept <- solution$status == 0L
  if (length(kept) < length(columns)) kept <- c(TRUE, kept)
  shift <- if (isTRUE(transform$constant)) c(1, numeric(sum(kept) - 1L))
  layers <- if (isTRUE(transform$ones)) list() else as.list(transform$layers)
  cpp_cluster_scores(
    columns[kept], rows$weights, residuals, clusters$codes, clusters$count, clusters$sorted,
    layers, pick[kept], shift, solution$frame$centre, solution$frame$upper, threads
  )
}

# R^-1 M R^-T, for M a covariance in orthonormal coordinates; a number stands for that times the
# identity.
core_covariance <- function(root, meat) {
  if (!is.matrix(meat)) return(meat * cpp_square_root(root))
  out <- root %*% meat %*% t(root)
  (out + t(out)) / 2
}

# z'Mz for each column of z; M is positive semi-definite but for rounding.
core_quadratic <- function(z, M) {
  if (!is.matrix(M)) return(M * colSums(z^2))
  pmax(0, colSums(z * (M %*% z)))
}

# What Hausman's test compares, in directions that do not depend on units: with V_c = s2_c R^-1
# R^-T (R: `factor`) and `gain` = R V_e R^T / s2_e, the eigenvectors u_j of I - gain are directions
# in which the two covariances are both diagonal. `share` are the eigenvalues: the part of V_c
# that the efficient estimator saves at a shared error variance; z_j = u_j'R d.
core_compare <- function(d, upper, gain) {
  parts <- eigen(diag(nrow(gain)) - (gain + t(gain)) / 2, symmetric = TRUE)
  exists <- parts$values > 1e-8
  list(share = parts$values[exists], z = drop(crossprod(parts$vectors[, exists, drop = FALSE], upper %*% d)))
}

# Whether every group lies in one cluster.
core_is_nested <- function(groups, clusters) {
  identical(groups$codes, clusters$codes) || cpp_is_nested(groups$codes, clusters$codes, groups$count)
}
