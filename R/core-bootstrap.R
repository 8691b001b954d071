# Bootstraps by cluster on sums of scores: no draw touches a row. With rows in the basis Z of core_adjusted_scores(),
# `moments` are list(grams, the r^2 numbers of N_g = Z_g'Z_g a column a cluster; scores, Z_g'e_g likewise; across, NULL
# or core_across_clusters()).

core_cluster_moments <- function(basis, clusters) cpp_cluster_moments(basis$z, basis$e, clusters)

# Where effects cut across clusters in too many levels to be columns of Z: what sweeping them carries from cluster h to
# cluster g. list(scores, r x G x G: Z_g' of M e^(h), e^(h) the residuals of h alone and M the sweep; grams, r x r x G x
# G: the same of the columns of Z). One sweep a cluster, `sweep` a function of a matrix of columns.
core_across_clusters <- function(basis, clusters, sweep, progress = identity) {
  G <- clusters$count
  r <- ncol(basis$z)
  scores <- array(0, c(r, G, G))
  grams <- array(0, c(r, r, G, G))
  columns <- cbind(basis$e, basis$z)
  rows_of <- split(seq_along(clusters$codes), clusters$codes)
  for (h in progress(seq_len(G))) {
    alone <- matrix(0, nrow(columns), ncol(columns))
    alone[rows_of[[h]], ] <- columns[rows_of[[h]], ]
    swept <- sweep(alone)
    for (g in seq_len(G)) {
      both <- crossprod(basis$z[rows_of[[g]], , drop = FALSE], swept[rows_of[[g]], , drop = FALSE])
      scores[, g, h] <- both[, 1]
      grams[, , g, h] <- both[, -1]
    }
  }
  list(scores = scores, grams = grams)
}

# u'(what each cluster's score has from each other one): G x G, of the residuals, or of the direction `of`.
core_carried <- function(across, u, of = NULL) {
  r <- length(u)
  G <- dim(across$scores)[2]
  if (is.null(of)) return(matrix(crossprod(u, matrix(across$scores, r)), G))
  matrix(crossprod(as.vector(tcrossprod(u, of)), matrix(across$grams, r * r)), G)
}

# Which weights of clusters: all patterns of signs where they are few, and fine enough for the level of the interval;
# six points where there are few clusters, all patterns where these are few; else random signs.
core_wild_kind <- function(G, draws, level = 0.95) {
  if (2^G <= draws && 2^(1 - G) <= 1 - level + 1e-12) return("all signs")
  if (G >= 12) return("signs")
  if (6^G <= draws) "all six points" else "six points"
}

# Those weights by draw, G x draws: list(weights, or a function that gives them; exact, whether they are all there are;
# kind).
core_wild_weights <- function(G, draws, level = 0.95) {
  six <- c(-1, 1) %x% sqrt(c(1.5, 1, 0.5))
  every <- function(points) unname(t(as.matrix(expand.grid(rep(list(points), G), KEEP.OUT.ATTRS = FALSE))))
  some <- function(points) function(count) matrix(sample(points, G * count, TRUE), G)
  kind <- core_wild_kind(G, draws, level)
  list(
    weights = switch(kind, "all signs" = every(c(1, -1)), "all six points" = every(six), signs = some(c(-1, 1)),
                     "six points" = some(six)),
    exact = startsWith(kind, "all"), kind = sub("^all ", "", kind)
  )
}

# Blocks of draws that fit into the cache.
core_draw_blocks <- function(wild, G, draws) {
  if (is.matrix(wild$weights)) draws <- ncol(wild$weights)
  size <- max(1, min(draws, floor(2e6 / G)))
  first <- seq(1, draws, by = size)
  list(draws = draws, first = first, last = pmin(first + size - 1, draws))
}

# f(N_g) u by cluster, r x G, for the adjustments of core_adjusted_scores().
core_adjusted_directions <- function(grams, u, adjustment) {
  r <- length(u)
  if (adjustment == "none") return(matrix(u, r, ncol(grams)))
  power <- if (adjustment == "root") -0.5 else -1
  vapply(seq_len(ncol(grams)), function(g) {
    parts <- eigen(matrix(grams[, g], r), symmetric = TRUE)
    left <- 1 - parts$values
    drop(parts$vectors %*% (ifelse(left > 1e-9, pmax(left, 1e-300)^power, 0) * crossprod(parts$vectors, u)))
  }, numeric(r))
}

# N_g f_g by cluster, r x G.
core_times_grams <- function(grams, f) {
  r <- nrow(f)
  vapply(seq_len(ncol(f)), function(g) drop(matrix(grams[, g], r) %*% f[, g]), numeric(r)) |> matrix(r)
}

# The wild bootstrap of the coefficients whose directions are columns of `u` (r x k, of length 1). Under the null that
# moves a coefficient by tau, in units of that direction, a cluster's score is Z_g'e_g + tau N_g u; of each draw are
# kept, by coefficient, the numbers of which its t follows for any tau:
#   t*^2 = (n0 + tau n1)^2 / (q00 + 2 tau q01 + tau^2 q11)
# list(draws, a k-list of draws x 5; exact, kind, own, the sum of squared scores of the fit itself).
core_wild_draws <- function(moments, u, adjustment, draws, progress = identity, level = 0.95) {
  G <- ncol(moments$scores)
  r <- nrow(moments$scores)
  wild <- core_wild_weights(G, draws, level)
  of <- lapply(seq_len(ncol(u)), function(j) {
    one <- u[, j]
    shifted <- matrix(crossprod(one, matrix(moments$grams, r)), r)
    f <- core_adjusted_directions(moments$grams, one, adjustment)
    across <- moments$across
    list(u = one, shifted = shifted, level = colSums(f * moments$scores), slope = colSums(f * shifted),
         carried = if (!is.null(across)) list(core_carried(across, one), core_carried(across, one, one)),
         taken = core_times_grams(moments$grams, f))
  })
  blocks <- core_draw_blocks(wild, G, draws)
  out <- lapply(of, function(one) matrix(0, blocks$draws, 5))
  for (b in progress(seq_along(blocks$first))) {
    at <- blocks$first[b]:blocks$last[b]
    v <- if (is.matrix(wild$weights)) wild$weights[, at, drop = FALSE] else wild$weights(length(at))
    for (j in seq_along(of)) out[[j]][at, ] <- cpp_wild_draws(moments$scores, v, of[[j]], core_threads(length(v)))
  }
  list(draws = out, exact = wild$exact, kind = wild$kind, own = vapply(of, function(one) sum(one$level^2), 0))
}

# p of the null that moves the coefficient by tau: how many draws are at least as far out as the fit.
core_wild_p <- function(draws, own, exact, tau) {
  square <- (draws[, 1] + tau * draws[, 2])^2 / pmax(draws[, 3] + 2 * tau * draws[, 4] + tau^2 * draws[, 5], 0)
  beyond <- sum(square >= tau^2 / own * (1 - 2e-9), na.rm = TRUE)
  if (exact) beyond / nrow(draws) else (1 + beyond) / (nrow(draws) + 1)
}

# The ends of the interval of nulls that are not rejected, as distances of the null from the estimate: found by doubling
# `unit` and bisection; Inf where there is none. `p_of` is a function of the distance.
core_wild_interval <- function(p_of, unit, level, within = 1e-7) {
  end_of <- function(sign) {
    kept <- 0
    out <- unit
    while (p_of(sign * out) > 1 - level) {
      kept <- out
      out <- 2 * out
      if (out > 1e5 * unit) return(Inf)
    }
    for (step in seq_len(60)) {
      middle <- (kept + out) / 2
      if (p_of(sign * middle) > 1 - level) kept <- middle else out <- middle
      if (out - kept <= within * unit) break
    }
    out
  }
  c(low = end_of(1), high = end_of(-1))
}

# Wald statistics of q restrictions imposed together: those of the draws and the fit's own. `u` (r x q) orthonormal, tau
# their distances in its units.
core_wild_joint <- function(moments, u, tau, adjustment, draws) {
  G <- ncol(moments$scores)
  r <- nrow(moments$scores)
  q <- ncol(u)
  wild <- core_wild_weights(G, draws)
  scores <- moments$scores + core_times_grams(moments$grams, matrix(u %*% tau, r, G))
  f <- lapply(seq_len(q), function(a) core_adjusted_directions(moments$grams, u[, a], adjustment))
  level <- lapply(f, function(one) colSums(one * scores))
  carried <- if (!is.null(moments$across)) {
    lapply(seq_len(q), function(a) {
      core_carried(moments$across, u[, a]) + core_carried(moments$across, u[, a], drop(u %*% tau))
    })
  }
  taken <- lapply(f, function(one) core_times_grams(moments$grams, one))
  wald <- function(zeta, s) {
    products <- lapply(s, function(a) vapply(s, function(b) colSums(a * b), numeric(ncol(zeta))))
    vapply(seq_len(ncol(zeta)), function(d) {
      M <- matrix(vapply(products, function(one) matrix(one, ncol(zeta))[d, ], numeric(q)), q)
      x <- zeta[, d]
      tryCatch(sum(x * solve(M, x)), error = function(cnd) NA_real_)
    }, 0)
  }
  blocks <- core_draw_blocks(wild, G, draws)
  out <- numeric(blocks$draws)
  for (b in seq_along(blocks$first)) {
    at <- blocks$first[b]:blocks$last[b]
    v <- if (is.matrix(wild$weights)) wild$weights[, at, drop = FALSE] else wild$weights(length(at))
    zeta <- scores %*% v
    plain <- if (is.null(carried)) lapply(level, function(one) v * one) else lapply(carried, `%*%`, v)
    s <- Map(function(plain, taken) plain - crossprod(matrix(taken, r), zeta), plain, taken)
    out[at] <- wald(crossprod(u, zeta), s)
  }
  own <- Map(function(f) matrix(colSums(f * moments$scores), G), f)
  list(draws = out, own = wald(matrix(tau, q), own), exact = wild$exact, kind = wild$kind)
}

# Changes of the coefficients (in the coordinates `pick` names) when clusters are drawn anew with their effects: a
# column a draw, NA where a draw does not tell them.
core_pairs_draws <- function(moments, pick, draws, progress = identity) {
  G <- ncol(moments$scores)
  r <- nrow(moments$scores)
  blocks <- core_draw_blocks(list(weights = NULL), G + r * r, draws)
  out <- matrix(NA_real_, ncol(pick), draws)
  for (b in progress(seq_along(blocks$first))) {
    at <- blocks$first[b]:blocks$last[b]
    times <- stats::rmultinom(length(at), G, rep(1, G))
    grams <- moments$grams %*% times
    scores <- moments$scores %*% times
    for (d in seq_along(at)) {
      parts <- eigen(matrix(grams[, d], r), symmetric = TRUE)
      told <- parts$values > 1e-9 * max(parts$values)
      if (any(abs(crossprod(parts$vectors[, !told, drop = FALSE], pick)) > 1e-6)) next
      kept <- parts$vectors[, told, drop = FALSE]
      out[, at[d]] <- crossprod(pick, kept %*% (crossprod(kept, scores[, d]) / parts$values[told]))
    }
  }
  out
}
