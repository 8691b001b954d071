# Covariances of the coefficients, from what was summed up in orthonormal coordinates.

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
