# The wild bootstrap of instrumented regressions, restricted and efficient, from cross-products by cluster alone. In the
# orthonormal coordinates z = [D, X1, Z2, what these leave of X2, of e] each column is a combination, a column of
# `whole` = [D, X1, Z2, X2, e]; clusters' z'z are columns of `grams`. Under a null u is the restricted residual, Pi the
# part of X2 on [Z, u] that Z has, V = X2 - Z Pi; a draw is X2* = Z Pi + s_g V_g, y* = X*b_r + s_g u_g, s_g the weight
# of its cluster. D stands for effects that cut across clusters, taken out again with X1.

# list(whole, grams, r, parts) of d, basis (core_instrumented_basis) and clusters.
core_wild_moments <- function(d, basis, clusters, parts) {
  z <- cbind(d, basis$s, deparse.level = 0)
  list(whole = core_block_diagonal(diag(ncol(d)), basis$upper), r = ncol(d), parts = parts,
       grams = core_cluster_moments(list(z = z, e = numeric(nrow(z))), clusters)$grams)
}

# N_g v by cluster.
core_times_each <- function(grams, v) matrix(v %*% matrix(grams, length(v)), length(v))

# Of coefficient j of [X1, X2], its null `tau` from the estimate: what draws start from.
core_wild_null <- function(moments, j, tau) {
  parts <- moments$parts
  r <- moments$r
  at <- core_instrument_places(parts)
  whole <- moments$whole
  inside <- seq_len(r + parts$inside)
  of_x <- r + c(at$x1, at$x2)
  aim <- whole[, r + at$y] - tau * whole[, of_x[j]]
  others <- whole[, c(seq_len(r), of_x[-j]), drop = FALSE]
  u <- aim
  if (ncol(others) > 0) {
    u <- aim - drop(others %*% qr.coef(qr(others[inside, , drop = FALSE], tol = 0), aim[inside]))
  }
  X2 <- whole[, r + at$x2, drop = FALSE]
  rho <- drop(crossprod(X2[-inside, , drop = FALSE], u[-inside])) / sum(u[-inside]^2)
  V <- X2
  V[inside, ] <- outer(u[inside], rho)
  list(
    told = X2[inside, , drop = FALSE] - V[inside, , drop = FALSE],
    u = core_times_each(moments$grams, u)[inside, , drop = FALSE],
    V = lapply(seq_len(parts$m), function(i) core_times_each(moments$grams, V[, i])[inside, , drop = FALSE])
  )
}

# The squared t of coefficient j in draws whose weights are columns of `s`.
core_wild_squares <- function(moments, null, j, s) {
  parts <- moments$parts
  of_x1 <- seq_len(moments$r + parts$beside)
  of_z2 <- length(of_x1) + seq_len(parts$l)
  u <- null$u %*% s
  V <- lapply(null$V, `%*%`, s)
  X2 <- Map(function(V, i) null$told[, i] + V, V, seq_along(V))
  second <- core_wild_second(lapply(X2, function(x) x[of_z2, , drop = FALSE]), u[of_z2, , drop = FALSE])
  # z'(sum over i of the i-th column times its coefficient).
  times <- function(columns, rows) {
    Reduce(`+`, Map(function(x, i) {
      x[rows, , drop = FALSE] * rep(second$b[i, ], each = length(rows))
    }, columns, seq_along(columns)))
  }
  exogenous <- j <= parts$beside
  if (exogenous) {
    upper <- moments$whole[of_x1, of_x1, drop = FALSE]
    own <- backsolve(upper, diag(length(of_x1)))[moments$r + j, ]
    b <- drop(own %*% (u[of_x1, , drop = FALSE] - times(X2, of_x1)))
    beside <- Reduce(`+`, Map(function(x, inverse) {
      inverse * rep(drop(own %*% x[of_x1, , drop = FALSE]), each = length(of_z2))
    }, X2, second$inverse))
    direction <- rbind(matrix(own, length(own), ncol(s)), -beside)
  } else {
    b <- second$b[j - parts$beside, ]
    direction <- rbind(matrix(0, length(of_x1), ncol(s)), second$inverse[[j - parts$beside]])
  }
  fitted <- u[of_x1, , drop = FALSE] - times(V, of_x1)
  of_instruments <- matrix(null$told[of_z2, ], length(of_z2)) %*% second$b
  taken <- rbind(fitted, of_instruments)
  inside <- nrow(direction)
  # Directions have nothing of D, those of endogenous regressors nothing of X1.
  live <- if (exogenous) moments$r + seq_len(inside - moments$r) else of_z2
  first <- rep(live, inside)
  last <- rep(seq_len(inside), each = length(live))
  p <- nrow(moments$whole)
  N <- moments$grams[first + (last - 1L) * p, , drop = FALSE]
  score <- s * crossprod(null$u, direction) -
    crossprod(N, direction[first, , drop = FALSE] * taken[last, , drop = FALSE])
  for (i in seq_along(null$V)) {
    score <- score - s * crossprod(null$V[[i]], direction) * rep(second$b[i, ], each = nrow(s))
  }
  b^2 / colSums(score^2)
}

# By draw the coefficients of `y` on columns x, a list, and (x'x)^-1 x' row by row: list(b, m x draws; inverse).
core_wild_second <- function(x, y) {
  m <- length(x)
  l <- nrow(y)
  times <- function(x, by) x * rep(by, each = l)
  found <- function(inverse) {
    list(b = do.call(rbind, lapply(inverse, function(one) colSums(one * y))), inverse = inverse)
  }
  if (m == 1) return(found(list(times(x[[1]], 1 / colSums(x[[1]]^2)))))
  if (m == 2) {
    a <- colSums(x[[1]]^2)
    b <- colSums(x[[1]] * x[[2]])
    d <- colSums(x[[2]]^2)
    size <- a * d - b^2
    return(found(list(times(x[[1]], d / size) - times(x[[2]], b / size),
                      times(x[[2]], a / size) - times(x[[1]], b / size))))
  }
  each <- vapply(seq_len(ncol(y)), function(d) {
    one <- matrix(vapply(x, function(column) column[, d], numeric(l)), l)
    as.vector(solve(crossprod(one), t(one)))
  }, numeric(m * l))
  found(lapply(seq_len(m), function(i) matrix(each[seq(i, by = m, length.out = l), ], l)))
}

# The sum of squared scores of coefficient j of the fit itself.
core_wild_own <- function(moments, j) {
  null <- core_wild_null(moments, j, 0)
  at <- core_instrument_places(moments$parts)
  r <- moments$r
  whole <- moments$whole
  inside <- seq_len(r + moments$parts$inside)
  X <- whole[inside, c(seq_len(r), r + c(at$x1, at$x2)), drop = FALSE]
  direction <- solve(crossprod(X), t(X))[r + j, ]
  sum((direction %*% core_times_each(moments$grams, whole[, r + at$y])[inside, , drop = FALSE])^2)
}

# p of the null `tau` from the estimate; `weights` a function of a block of draws, see core_wild_blocks().
core_wild_instrumented_p <- function(moments, j, tau, own, weights) {
  null <- core_wild_null(moments, j, tau)
  beyond <- 0
  for (b in seq_len(weights$blocks)) {
    squares <- core_wild_squares(moments, null, j, weights$of(b))
    beyond <- beyond + sum(squares >= tau^2 / own * (1 - 2e-9), na.rm = TRUE)
  }
  if (weights$exact) beyond / weights$draws else (1 + beyond) / (weights$draws + 1)
}

# The same weights whenever they are asked for: list(draws, blocks, of, exact, kind). `seeded` runs an expression from
# the seed on.
core_wild_blocks <- function(G, draws, level, seeded) {
  wild <- core_wild_weights(G, draws, level)
  at <- core_draw_blocks(wild, G, draws)
  take <- function(b) at$first[b]:at$last[b]
  all <- if (is.matrix(wild$weights)) wild$weights else if (G * draws <= 2e7) seeded(wild$weights(draws))
  of <- if (is.null(all)) function(b) seeded(wild$weights(length(take(b))), b) else
    function(b) all[, take(b), drop = FALSE]
  list(draws = at$draws, blocks = length(at$first), of = of, exact = wild$exact, kind = wild$kind)
}
