# Covariances of the coefficients, from what was summed up in orthonormal coordinates. The rows of a regression as
# covariances walk over them are a list, `walk`:
#   view     core_view(), whose combination is the residual
#   upper    the factor of its first columns: u = upper^-T x are their orthonormal coordinates
#   skip     how many of the first coordinates the effects hold: 1 for a constant set aside
#   n        its rows
#   hat      NULL, or orthonormal directions among the coordinates that leverages are of, a column each

core_walk <- function(rows, transform, solution, skip = 0L) {
  list(view = core_view(rows, transform, solution), upper = solution$frame$upper, skip = as.integer(skip), n = rows$n,
       hat = solution$hat)
}

# Sum of w u e over the rows of each cluster: list(scores, a row a coordinate, a column a cluster; idle, how many
# residuals are no larger than `quick`).
core_cluster_scores <- function(walk, clusters, quick = -1, threads = core_threads(walk$n)) {
  cpp_cluster_scores(walk$view, clusters, walk$upper, quick, threads)
}

# Of each grouping in a list: list(products, the sum over clusters of s s', s their scores: the meat of their
# covariance; longest, the largest sum of w |u|^2 of a cluster, or somewhat more; parts, by column b of `contrasts` and
# by cluster b'N_g b with N_g = sum of w u u': NULL where there are many clusters, unless `all` are wanted). All on one
# walk, with `rows` that of rows as clusters too: list(clusters, by_row, idle as in core_cluster_scores()).
core_cluster_walk <- function(walk, clusters, contrasts, rows = FALSE, all = FALSE, quick = -1,
                              threads = core_threads(walk$n)) {
  cpp_cluster_walk(walk$view, clusters, walk$upper, walk$skip, contrasts, all, rows, quick, threads)
}

# pick'(I - Q'N_g Q)^-1 Q's_g by cluster on one walk, Q regressors in coordinates of z, s_g scores of the combination
# `residual` of [z, e]: list(scores, NaN where a cluster alone has a direction; idle, as of core_walk_combined()).
core_walk_adjusted <- function(walk, clusters, Q, residual, pick, quick, threads = core_threads(walk$n)) {
  cpp_walk_adjusted(walk$view, clusters, walk$upper, walk$skip, Q, residual, pick, quick, threads)
}

# By cluster the products of some coordinates with combinations of [z, e], columns: list(sums, `rows` x combinations,
# flat, a column a cluster; idle, the count of rows with a residual of the size `quick` or less).
core_walk_combined <- function(walk, clusters, combinations, rows, quick, threads = core_threads(walk$n)) {
  cpp_walk_combined(walk$view, clusters, walk$upper, walk$skip, combinations, rows[1] - 1L, length(rows), quick,
                    threads)
}

core_score_products <- function(scores) cpp_column_products(scores, core_threads(ncol(scores)))

# The meat of robust errors, from squared residuals over (1 - h)^power: list(products, fitted, the count of
# rows with h = 1). `leverage` is that of the effects: NULL, a number a row, or list(groups, inverse of their
# weights). With `quick` leverages are passed over, and rows with a residual of that size or less are counted.
core_robust_products <- function(walk, leverage, power, mean_leverage = 1, quick = -1, threads = core_threads(walk$n)) {
  cpp_robust_products(walk$view, walk$upper, leverage, walk$skip, power, mean_leverage, quick, walk$hat, threads)
}

# The rows in orthonormal coordinates, the first `skip` left out, times the root of their weight, and residuals
# likewise: list(z, e).
core_coordinate_rows <- function(walk, skip = 0L, threads = core_threads(walk$n)) {
  cpp_coordinates(walk$view, walk$upper, skip, threads)
}

# Bartlett's sum of products of scores (n x p) of one group, by the clock.
core_lagged_products <- function(scores, groups, clock, lags, threads = core_threads(nrow(scores))) {
  clock <- as.integer(clock - min(clock))
  sorted <- groups$sorted && !is.unsorted(groups$codes * (max(clock) + 1) + clock)
  order <- if (sorted) seq_len(nrow(scores)) else order(groups$codes, clock, method = "radix")
  cpp_lagged_products(scores, groups, clock, order, as.integer(lags), threads)
}

# The same of sums by period, a column a tick of the clock.
core_lagged_periods <- function(sums, ticks, lags) {
  total <- tcrossprod(sums)
  for (lag in seq_len(lags)) {
    before <- match(ticks - lag, ticks)
    both <- !is.na(before)
    product <- sums[, both, drop = FALSE] %*% t(sums[, before[both], drop = FALSE])
    total <- total + (1 - lag / (lags + 1)) * (product + t(product))
  }
  total
}

# Lags that grow slowly with the length of a series (Newey & West 1994).
core_default_lags <- function(periods) max(1, floor(4 * (periods / 100)^(2 / 9)))

# Of contrasts that are columns of `pick` in the basis z of the regression: see AdjustedScores.
core_adjusted_scores <- function(basis, clusters, adjustment, moments = FALSE,
                                 threads = core_threads(length(basis$e))) {
  used <- colSums(basis$pick^2) > 0
  p <- length(used)
  pick <- basis$pick[, used, drop = FALSE]
  done <- if (is.null(basis$level)) {
    cpp_adjusted_scores(basis$z, basis$e, clusters, pick, match(adjustment, core_adjustments) - 1L, moments, threads)
  } else {
    core_crossing_scores(replace(basis, "pick", list(pick)), clusters, adjustment, moments)
  }
  if (all(used)) return(done)
  # A constant that the effects hold has no direction: zeros.
  if (!is.null(done$by_cluster)) {
    whole <- matrix(0, p, ncol(done$by_cluster))
    whole[used, ] <- done$by_cluster
    done$by_cluster <- whole
  }
  for (part in c("products", "own", "lost")) {
    whole <- matrix(0, p, p)
    whole[used, used] <- done[[part]]
    done[[part]] <- whole
  }
  if (moments) {
    whole <- array(0, rep(p, 4))
    whole[used, used, used, used] <- done$moments
    done$moments <- as.vector(whole)
  }
  done
}

core_adjustments <- c("none", "root", "inverse")

# The degrees of freedom of a contrast whose coordinates are u: (tr B)^2 / tr(B^2) (Satterthwaite).
core_satterthwaite <- function(forms, u) {
  p <- nrow(forms$own)
  both <- as.vector(tcrossprod(u))
  of_square <- drop(crossprod(both, matrix(forms$moments, p * p) %*% both))
  sum(forms$own * both)^2 / of_square
}

# Those of several restrictions at once, rows of `contrasts` in orthonormal coordinates: eta of an approximate
# Hotelling's T-squared (Tipton & Pustejovsky 2015).
core_hotelling <- function(forms, contrasts) {
  q <- nrow(contrasts)
  p <- ncol(contrasts)
  scaled <- backsolve(chol(tcrossprod(contrasts)), contrasts, transpose = TRUE)
  of_pairs <- scaled %x% scaled
  w <- array(of_pairs %*% matrix(forms$moments, p * p) %*% t(of_pairs), c(q, q, q, q))
  total <- 0
  for (s in seq_len(q)) for (t in seq_len(q)) total <- total + w[s, s, t, t] + w[s, t, t, s]
  q * (q + 1) / total
}

# A meat without its negative eigenvalues: list(meat, removed, how many there were). Where its first `skip` coordinates
# are a constant set aside, the slopes do not depend on it. Where scores are of more columns than the regressors, `hat`
# has those directions, and no others count.
core_without_negative <- function(meat, skip = 0L, hat = NULL) {
  if (!is.null(hat)) {
    along <- cbind(diag(nrow(meat))[, seq_len(skip), drop = FALSE], hat)
    done <- core_without_negative(crossprod(along, meat %*% along), skip)
    return(list(meat = along %*% done$meat %*% t(along), removed = done$removed))
  }
  if (skip > 0 && nrow(meat) > skip) {
    whole <- core_without_negative(meat)
    slopes <- core_without_negative(meat[-seq_len(skip), -seq_len(skip), drop = FALSE])
    whole$meat[-seq_len(skip), -seq_len(skip)] <- slopes$meat
    return(list(meat = whole$meat, removed = slopes$removed))
  }
  parts <- eigen((meat + t(meat)) / 2, symmetric = TRUE)
  negative <- parts$values < -1e-12 * max(abs(parts$values))
  list(meat = parts$vectors %*% (pmax(parts$values, 0) * t(parts$vectors)), removed = sum(negative))
}

# Rows whose leverage is 1 under effects of these sets whatever the regressors: those of groups of one, and
# under two sets the bridges of their graph. NULL for none.
core_fitted_rows <- function(sets, n) {
  sets <- Filter(function(set) set$intercept, sets)
  alone <- lapply(sets, function(set) if (any(set$groups$sizes == 1L)) which(set$groups$sizes[set$groups$codes] == 1L))
  pairs <- if (length(sets) > 1) utils::combn(length(sets), 2, simplify = FALSE)
  across <- lapply(pairs, function(two) cpp_bridges(sets[[two[1]]]$groups, sets[[two[2]]]$groups, n))
  rows <- unique(unlist(c(alone, across)))
  if (length(rows) > 0) sort(as.integer(rows))
}

# Of rows in pieces: edges of the graph of two sets' levels (2 x their count) that tell its bridges, of those before
# and more rows.
core_cut_edges <- function(edges, first, second) {
  cpp_cut_edges(if (is.null(edges)) matrix(0L, 2, 0) else edges, first, second)
}

# The bridges among them, each one row: 2 x their count.
core_bridge_edges <- function(edges) {
  at <- cpp_bridges(core_groups(edges[1, ]), core_groups(edges[2, ]), ncol(edges))
  edges[, at, drop = FALSE]
}

# The leverages of effects, where a system of them is too large to be solved directly, from `draws` random signs:
# the mean square of what the effects explain of them, over that and what they leave.
core_estimated_leverage <- function(system, n, draws) {
  explained <- left <- numeric(n)
  for (first in seq(1, draws, by = 8)) {
    signs <- lapply(seq_len(min(8, draws - first + 1)), function(d) sample(c(-1, 1), n, TRUE))
    rest <- core_swept_columns(signs, system)
    left <- left + rowSums(rest^2)
    explained <- explained + rowSums((do.call(cbind, signs) - rest)^2)
  }
  explained / (explained + left)
}

# What effects leave of columns that are given, and come back, times the root of the weights: n x their count.
core_swept_columns <- function(columns, system) {
  root <- if (is.null(system$weights)) 1 else sqrt(system$weights)
  plain <- lapply(columns, function(v) v / root)
  rows <- core_rows(plain[[1]], plain[-1], weights = system$weights)
  swept <- core_sweep(rows, system)
  view <- list(columns = rows$columns, weights = NULL, n = rows$n, layers = swept$layers, pick = seq_along(columns),
               shift = NULL, centre = NULL, combination = NULL, offsets = list())
  # The outcome stands last.
  cpp_swept(view, core_threads(rows$n))[, c(length(columns), seq_along(columns)[-length(columns)]), drop = FALSE] * root
}

# Rows that a regression fits whatever their outcome: those in which nothing is left of random numbers. `z` are the
# orthonormal coordinates of its regressors, `left` what its effects leave of the numbers.
core_fitted_by_all <- function(z, left, noise) {
  rest <- left - drop(z %*% crossprod(z, left))
  which(abs(rest) <= 1e-7 * abs(noise))
}

# A root of V^-1 for random effects of two sets, as a function of a column: quasi-demeaned by the larger set, then
# times (I + BB')^(-1/2) with B the so transformed dummies of the smaller times sigma_2 / sigma_e, which is
# I - B P diag((1 - (1 + lambda)^(-1/2)) / lambda) P'B' where B'B = P diag(lambda) P'.
core_two_way_root <- function(sets, sigma2_e, sigma2) {
  larger <- which.max(vapply(sets, function(groups) groups$count, 0))
  by <- sets[[larger]]
  across <- sets[[3L - larger]]
  theta <- core_theta(as.double(by$sizes), sigma2_e, sigma2[[larger]])
  ratio <- sqrt(sigma2[[3L - larger]] / sigma2_e)
  means <- function(v) cpp_group_sums(v, by$codes, by$count) / pmax(by$sizes, 1L)
  demean <- function(v) v - (theta * means(v))[by$codes]
  sums <- function(v) cpp_group_sums(v, across$codes, across$count)
  root <- demean
  if (ratio > 0) {
    gram <- vapply(seq_len(across$count), function(level) {
      ratio^2 * sums(demean(demean(as.double(across$codes == level))))
    }, numeric(across$count))
    parts <- eigen((gram + t(gram)) / 2, symmetric = TRUE)
    lambda <- pmax(parts$values, 0)
    share <- ifelse(lambda > 1e-8, (1 - 1 / sqrt(1 + lambda)) / lambda, 0.5)
    inner <- parts$vectors %*% (share * t(parts$vectors))
    root <- function(v) {
      v <- demean(v)
      v - ratio * demean(drop(inner %*% (ratio * sums(demean(v))))[across$codes])
    }
  }
  root
}

# Rows that a function makes of each column, as a walk: `root` of the columns less their centre, which is nothing of the
# column of ones, unless `ones` is given.
core_column_walk <- function(rows, root, solution, ones = NULL, skip = 0L) {
  use <- core_solution_columns(solution)
  columns <- lapply(use, function(j) root(rows$columns[[j]] - solution$centre[j]))
  if (solution$constant) columns <- c(list(if (is.null(ones)) root(rep(1, rows$n)) else ones), columns)
  combination <- c(if (solution$constant) 0, solution$residual[use])
  list(
    view = list(columns = columns, weights = NULL, n = rows$n, layers = list(), pick = seq_along(columns), shift = NULL,
                centre = numeric(length(columns)), combination = combination, offsets = list()),
    upper = solution$frame$upper, skip = as.integer(skip), n = rows$n
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
