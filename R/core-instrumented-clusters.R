# Errors of instrumented regressions by cluster, from rows in an orthonormal basis: `d` of what stands before, effects
# that cut across clusters (n x r), `s` of the columns [X1, Z2, X2, e] of the factor, e the residual. `parts` as
# core_instrument_parts() has them.

# The factor of [X1, Z2, X2, e], and s from coordinates of [X1, Z2, X2], `z`, and residuals.
core_instrumented_basis <- function(parts, b, z, e) {
  width <- ncol(z)
  upper <- core_residual_factor(parts, b)
  left <- upper[width + 1L, width + 1L]
  last <- if (abs(left) > 0) (e - drop(z %*% upper[seq_len(width), width + 1L])) / left else numeric(nrow(z))
  list(upper = upper, s = cbind(z, last, deparse.level = 0))
}

core_residual_factor <- function(parts, b) {
  upper <- parts$triangle
  at <- core_instrument_places(parts)
  upper[, at$y] <- upper[, at$y] - drop(upper[, c(at$x1, at$x2), drop = FALSE] %*% b)
  upper
}

# Changes of the coefficients without each cluster, a column each, NA where they do not exist.
core_delete_clusters <- function(d, basis, clusters, parts, limited = FALSE, threads = core_threads(nrow(d))) {
  changes <- cpp_delete_clusters(d, basis$s, clusters, basis$upper, parts$beside, parts$l, parts$m, limited, threads)
  core_mend_deleted(changes, d, basis, clusters, parts, limited)
}

# The same on a walk over [X1, Z2, X2] whose combination is e, where no effects cut across clusters: no rows are held.
core_walk_deleted <- function(walk, clusters, parts, b, limited = FALSE, threads = core_threads(walk$n)) {
  upper <- core_residual_factor(parts, b)
  width <- ncol(upper) - 1L
  cpp_walk_deleted(
    walk$view, clusters, walk$upper, walk$skip,
    list(factor = upper, beside = parts$beside, l = parts$l, m = parts$m, limited = limited),
    upper[seq_len(width), width + 1L], upper[width + 1L, width + 1L], threads
  )
}

# A combination of coordinates of [z, what is left of e] as one of [z, e].
core_of_residual <- function(coordinates, upper) {
  width <- ncol(upper) - 1L
  last <- upper[width + 1L, width + 1L]
  share <- if (abs(last) > 0) coordinates[width + 1L] / last else 0
  c(coordinates[seq_len(width)] - share * upper[seq_len(width), width + 1L], share)
}

# The clusters without which not every column is left, looked at one by one.
core_mend_deleted <- function(changes, d, basis, clusters, parts, limited) {
  thin <- which(is.nan(changes[1, ]))
  rows_of <- if (length(thin) > 0) core_rows_of(clusters, thin)
  for (g in thin) {
    rest <- core_without_cluster(d, basis, rows_of[[match(g, thin)]], parts)
    done <- if (!is.null(rest)) if (limited) core_limited_information(rest) else core_two_stage(rest)
    changes[, g] <- core_deleted_coefficients(rest, done, parts)
  }
  changes
}

# The parts of the other rows, the columns that can be told apart among them; NULL where the endogenous cannot be
# instrumented.
core_without_cluster <- function(d, basis, rows, parts) {
  own <- d[rows, , drop = FALSE]
  s <- basis$s[rows, , drop = FALSE]
  taken <- crossprod(s)
  if (ncol(own) > 0) {
    split <- svd(own, nu = min(dim(own)), nv = 0)
    along <- crossprod(split$u, s)
    share <- split$d^2
    # What only these rows have goes with them.
    taken <- taken + crossprod(along, ifelse(1 - share > 1e-9, share / (1 - share), -1) * along)
  }
  left <- diag(ncol(s)) - taken
  split <- eigen((left + t(left)) / 2, symmetric = TRUE)
  values <- ifelse(split$values > 1e-12, split$values, 0)
  triangle <- core_refactor(sqrt(values) * crossprod(split$vectors, basis$upper))
  # In the order [X1, X2, Z2], the constant among X1.
  at <- core_instrument_places(parts)
  k <- parts$beside + parts$m
  order <- c(at$x1, at$x2, at$z, at$y)
  endogenous <- parts$beside + seq_len(parts$m)
  norms <- sqrt(colSums(basis$upper^2))[order][-length(order)]
  rest <- core_instrument_parts(core_refactor(triangle[, order, drop = FALSE]), k, endogenous, FALSE, norms)
  if (rest$m < parts$m || rest$l < parts$m) return(NULL)
  if (core_instrument_rank(rest)$least < 1e-9) return(NULL)
  rest
}

# Of what is left of [X1, X2] the coefficients; NA of those that went or that these are made of.
core_deleted_coefficients <- function(rest, done, parts) {
  k <- parts$beside + parts$m
  out <- rep(NA_real_, k)
  if (is.null(rest)) return(out)
  out[c(rest$kept$exogenous, rest$kept$endogenous)] <- done$b
  gone <- rest$x$of[rest$x$status != 0L]
  for (j in gone) {
    made_of <- rest$x$of[rest$x$status == 0L][abs(rest$x$combination[, match(j, rest$x$of)]) > 1e-9]
    out[c(j, made_of)] <- NA_real_
  }
  out
}

# The same of the two-step method of moments: S too is of the others' residuals. Scores of all clusters at any
# coefficients are combinations of their own cross-products, whose products are summed once.
core_delete_moments <- function(d, basis, clusters, parts) {
  r <- ncol(d)
  at <- core_instrument_places(parts)
  z <- cbind(d, basis$s, deparse.level = 0)
  p <- ncol(z)
  inside <- r + parts$inside
  grams <- core_cluster_moments(list(z = z, e = numeric(nrow(z))), clusters)$grams
  of_instruments <- as.vector(outer(seq_len(inside), (seq_len(p) - 1L) * p, `+`))
  A <- grams[of_instruments, , drop = FALSE]
  all <- tcrossprod(A)
  whole <- core_block_diagonal(diag(r), basis$upper)
  columns <- r + c(at$x1, at$x2)
  rows_of <- core_rows_of(clusters, seq_len(clusters$count))
  before <- seq_len(r)
  vapply(seq_len(clusters$count), function(g) {
    rest <- core_without_cluster(d, basis, rows_of[[g]], parts)
    b <- core_deleted_coefficients(rest, if (!is.null(rest)) core_two_stage(rest), parts)
    if (anyNA(b)) return(b)
    kept <- diag(p) - matrix(grams[, g], p)
    # What is left of a column in the other rows as a combination of z, D's part in those taken off.
    off <- function(of) {
      if (r > 0) of[before, ] <- -core_pseudo_solve(kept[before, before, drop = FALSE],
                                                   kept[before, -before, drop = FALSE] %*% of[-before, , drop = FALSE])
      of
    }
    e <- off(whole[, p, drop = FALSE] - whole[, columns, drop = FALSE] %*% b)
    X <- off(whole[, r + at$x1, drop = FALSE])
    Z <- off(whole[, r + at$z[rest$kept$instruments - length(columns)], drop = FALSE])
    if (ncol(X) > 0) Z <- Z - X %*% solve(crossprod(X, kept %*% X), crossprod(X, kept %*% Z))
    upper <- chol(crossprod(Z, kept %*% Z))
    Z <- t(backsolve(upper, t(Z), transpose = TRUE))[seq_len(inside), , drop = FALSE]
    # Scores Z_h'e_h of every other cluster h.
    with_e <- t(Z) %*% kronecker(t(e), diag(inside))
    S <- with_e %*% (all - tcrossprod(A[, g])) %*% t(with_e)
    to <- rest$beside + seq_len(rest$l)
    sign <- sign(diag(rest$triangle[to, to, drop = FALSE]))
    core_deleted_coefficients(rest, core_two_step(rest, S * tcrossprod(sign)), parts)
  }, numeric(length(columns))) |> matrix(length(columns))
}

# The rows of some clusters.
core_rows_of <- function(clusters, some) {
  at <- which(clusters$codes %in% some)
  unname(split(at, match(clusters$codes[at], some)))
}

# M^+ b, M positive semi-definite with eigenvalues up to 1.
core_pseudo_solve <- function(M, b) {
  parts <- eigen((M + t(M)) / 2, symmetric = TRUE)
  kept <- parts$values > 1e-9
  vectors <- parts$vectors[, kept, drop = FALSE]
  vectors %*% (crossprod(vectors, b) / parts$values[kept])
}

# The inverse of a root whose rows are independent, from the right: root x it is the identity.
core_row_inverse <- function(root) {
  size <- sqrt(rowSums(root^2))
  own <- qr(t(root / size), tol = 0, LAPACK = FALSE)
  qr.Q(own) %*% t(backsolve(qr.R(own), diag(nrow(root)))) / rep(size, each = ncol(root))
}
