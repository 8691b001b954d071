# An uneven panel with gaps, shuffled: its correlation written out.
ar1_sample <- function(seed = 1, N = 9, periods = 12) {
  set.seed(seed)
  all <- expand.grid(clock = seq_len(periods), entity = seq_len(N))
  all <- all[sort(sample(nrow(all), 0.7 * nrow(all))), ]
  all <- rbind(all, data.frame(clock = 3L, entity = N + 1L)) # one alone
  all <- all[sample(nrow(all)), ]
  n <- nrow(all)
  list(entity = as.integer(all$entity), clock = as.integer(all$clock), n = n, w = exp(rnorm(n)),
       y = rnorm(n), x = list(rnorm(n), rnorm(n) + all$entity))
}
correlation_of <- function(s, rho) {
  apart <- abs(outer(s$clock, s$clock, "-"))
  rho <- if (length(rho) == 1) rho else rho[s$entity]
  ifelse(outer(s$entity, s$entity, "=="), rho^apart, 0)
}

test_that("transformed rows have the inverse correlation, with one rho or one by entity, in any order", {
  s <- ar1_sample()
  for (weights in list(NULL, s$w)) {
    layout <- core_ar1_layout(s$entity, s$clock, weights = weights)
    for (rho in list(0.6, -0.4, 0, 0.985, seq(-0.5, 0.7, length.out = 10))) {
      made <- core_ar1_rows(list(s$y, s$x[[1]], NULL), layout, rho)
      R <- correlation_of(s, rho)
      # The rows have the variance of the innovation.
      innovation <- 1 - (if (length(rho) == 1) rep(rho, s$n) else rho[s$entity])^2
      Z <- do.call(cbind, made$columns) / sqrt(innovation)
      raw <- cbind(s$y, s$x[[1]], 1) * if (is.null(weights)) 1 else sqrt(weights)
      expect_equal(crossprod(Z), crossprod(raw, solve(R, raw)), tolerance = 1e-9)
      expect_equal(made$log_keep, sum(log(innovation)) / 2 - c(determinant(R)$modulus) / 2, tolerance = 1e-9)
    }
  }
  dropped <- core_ar1_rows(list(s$y), core_ar1_layout(s$entity, s$clock), 0.5, drop = TRUE)
  expect_length(dropped$rows, s$n - 10)
  kept <- core_ar1_rows(list(s$y), core_ar1_layout(s$entity, s$clock), 0.5)$columns[[1]]
  expect_identical(dropped$columns[[1]], kept[dropped$rows])
  first <- tapply(s$clock, s$entity, min)
  expect_true(all(s$clock[dropped$rows] > first[s$entity[dropped$rows]]))
})

test_that("what residuals show of rho is as traces have it, and is turned back into rho", {
  s <- ar1_sample()
  n <- s$n
  pairs_of <- function(lag) {
    outer(s$entity, s$entity, "==") & abs(outer(s$clock, s$clock, "-")) == lag
  }
  for (weights in list(NULL, s$w)) for (swept in c(FALSE, TRUE)) for (lag in 1:2) {
    layout <- core_ar1_layout(s$entity, s$clock, weights = weights, swept = swept)
    expected <- core_ar1_expected(layout, lag)
    root <- if (is.null(weights)) rep(1, n) else sqrt(weights)
    M <- diag(n)
    if (swept) for (i in unique(s$entity)) {
      own <- root * (s$entity == i)
      M <- M - outer(own, own) / sum(own^2)
    }
    B <- pairs_of(lag) / 2
    for (rho in c(-0.6, 0, 0.3, 0.9)) {
      R <- correlation_of(s, rho)
      expect_equal(expected(rho), sum(diag(M %*% B %*% M %*% R)) / sum(diag(M %*% R %*% M)), tolerance = 1e-10)
      if (lag > 1) next
      # Under uneven weights E has its top before 1, and the smallest rho is meant.
      solved <- core_ar1_solve(expected, expected(rho))
      expect_equal(expected(solved), expected(rho), tolerance = 1e-9)
      if (is.null(weights) || rho < 0.8) expect_equal(solved, rho, tolerance = 1e-9) else expect_lte(solved, rho + 1e-9)
    }
    if (lag > 1) next
    e <- drop(M %*% (root * s$y))
    found <- core_ar1_rho(e, layout)
    r <- sum(e * (B %*% e)) / sum(e^2)
    expect_equal(expected(found$rho), r, tolerance = 1e-9)
    groups <- if (swept) 9 else 10
    z <- vapply(unique(s$entity), function(i) sum(e * (B %*% (e * (s$entity == i)))) - r * sum(e[s$entity == i]^2), 0)
    half <- qt(0.975, groups - 1) * sqrt(groups / (groups - 1) * sum(z^2)) / sum(e^2)
    expect_equal(expected(found$low), r - half, tolerance = 1e-9)
    expect_equal(expected(found$high), r + half, tolerance = 1e-9)
    expect_identical(found$pairs, sum(B) |> as.integer())
    expect_equal(core_ar1_rho(e, layout, "autocorrelation")$rho, r * (if (swept) n - 1 else n) / sum(B))
    later <- B
    later[outer(s$clock, s$clock, "<")] <- 0
    expect_equal(core_ar1_rho(e, layout, "regression")$rho, sum(e * (B %*% e)) / sum((2 * later %*% e^2)[, 1]))
  }
  expect_identical(core_ar1_solve(function(rho) rho / 2, 0.6), 0.99)
  expect_identical(core_ar1_solve(function(rho) rho / 2, -0.6), -0.99)
})

test_that("columns swept of transformed levels give generalized least squares with dummies, far from zero too", {
  s <- ar1_sample()
  for (weights in list(NULL, s$w)) for (shift in c(0, 1e7)) {
    layout <- core_ar1_layout(s$entity, s$clock, weights = weights, swept = TRUE)
    swept <- core_ar1_swept(c(lapply(s$x, `+`, shift), list(s$y)), layout, 0.55)
    X <- do.call(cbind, swept$columns[1:2])
    ours <- qr.coef(qr(X), swept$columns[[3]])
    root <- if (is.null(weights)) rep(1, s$n) else sqrt(weights)
    D <- outer(s$entity, seq_len(10), "==") * 1
    A <- root * cbind(D, s$x[[1]], s$x[[2]])
    inverse <- solve(correlation_of(s, 0.55))
    dense <- solve(crossprod(A, inverse %*% A), crossprod(A, inverse %*% (root * s$y)))
    expect_equal(ours, dense[11:12], tolerance = if (shift == 0) 1e-10 else 1e-7)
    left <- s$y * root - A %*% dense
    expect_equal(sum((swept$columns[[3]] - X %*% ours)^2), (1 - 0.55^2) * sum(left * (inverse %*% left)),
                 tolerance = if (shift == 0) 1e-10 else 1e-7)
    expect_equal(swept$gram, (1 - 0.55^2) * diag(crossprod(root * D, inverse %*% (root * D))), tolerance = 1e-10)
  }
})

test_that("the likeliest rho is that of the likelihood written out", {
  s <- ar1_sample(3, periods = 20)
  s$y <- s$y + s$x[[1]] / 2
  for (weights in list(NULL, s$w)) {
    root <- if (is.null(weights)) rep(1, s$n) else sqrt(weights)
    D <- outer(s$entity, seq_len(10), "==") * 1
    written <- function(rho, swept) {
      V <- correlation_of(s, rho)
      A <- root * if (swept) cbind(D, s$x[[1]], s$x[[2]]) else cbind(1, s$x[[1]], s$x[[2]])
      inverse <- solve(V)
      cross <- crossprod(A, inverse %*% A)
      left <- root * s$y - A %*% solve(cross, crossprod(A, inverse %*% (root * s$y)))
      ssr <- sum(left * (inverse %*% left))
      determinant <- c(determinant(V)$modulus)
      if (!swept) return(-determinant / 2 - s$n / 2 * log(ssr))
      -determinant / 2 - (s$n - 12) / 2 * log(ssr) - c(determinant(cross)$modulus) / 2
    }
    for (swept in c(FALSE, TRUE)) {
      layout <- core_ar1_layout(s$entity, s$clock, weights = weights, swept = swept)
      columns <- c(if (!swept) list(NULL), s$x, list(s$y))
      highest <- optimize(written, c(-0.99, 0.99), swept = swept, maximum = TRUE, tol = 1e-9)$maximum
      expect_equal(core_ar1_likeliest(columns, layout), highest, tolerance = 1e-6)
    }
  }
})
