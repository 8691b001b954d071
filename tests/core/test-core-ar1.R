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
      root <- core_ar1_root(layout, rho)
      made <- core_ar1_columns(list(s$y, s$x[[1]], NULL), root)
      R <- correlation_of(s, rho)
      # The rows have the variance of the innovation.
      innovation <- 1 - (if (length(rho) == 1) rep(rho, s$n) else rho[s$entity])^2
      Z <- do.call(cbind, made) / sqrt(innovation)
      raw <- cbind(s$y, s$x[[1]], 1) * if (is.null(weights)) 1 else sqrt(weights)
      expect_equal(crossprod(Z), crossprod(raw, solve(R, raw)), tolerance = 1e-9)
      expect_equal(cpp_ar1_log_keep(root, 1L), sum(log(innovation)) / 2 - c(determinant(R)$modulus) / 2,
                   tolerance = 1e-9)
      # Sorted rows need no map, and give the same.
      o <- order(s$entity, s$clock)
      sorted <- core_ar1_root(core_ar1_layout(s$entity[o], s$clock[o], weights = weights[o]), rho)
      expect_null(sorted$before)
      expect_identical(core_ar1_columns(list(s$y[o]), sorted)[[1]], made[[1]][o])
      # Without first rows what is left is the same.
      drop <- core_ar1_root(layout, rho, "first")
      first <- tapply(s$clock, s$entity, min)
      expect_identical(drop$now, which(s$clock > unname(first[s$entity])))
      expect_identical(core_ar1_columns(list(s$y, NULL), drop), lapply(made[c(1, 3)], `[`, drop$now))
    }
  }
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
    shown <- core_ar1_moments(e, layout)
    found <- core_ar1_rho(shown, layout)
    r <- sum(e * (B %*% e)) / sum(e^2)
    expect_equal(expected(found$rho), r, tolerance = 1e-9)
    groups <- if (swept) 9 else 10
    z <- vapply(unique(s$entity), function(i) sum(e * (B %*% (e * (s$entity == i)))) - r * sum(e[s$entity == i]^2), 0)
    half <- qt(0.975, groups - 1) * sqrt(groups / (groups - 1) * sum(z^2)) / sum(e^2)
    expect_equal(expected(found$low), r - half, tolerance = 1e-9)
    expect_equal(expected(found$high), r + half, tolerance = 1e-9)
    expect_identical(found$pairs, sum(B) |> as.integer())
    expect_equal(core_ar1_rho(shown, layout, "autocorrelation")$rho, r * (if (swept) n - 1 else n) / sum(B))
    later <- B
    later[outer(s$clock, s$clock, "<")] <- 0
    expect_equal(core_ar1_rho(shown, layout, "regression")$rho, sum(e * (B %*% e)) / sum((2 * later %*% e^2)[, 1]))
  }
  expect_identical(core_ar1_solve(function(rho) rho / 2, 0.6), 0.99)
  expect_identical(core_ar1_solve(function(rho) rho / 2, -0.6), -0.99)
})

test_that("transformed levels give generalized least squares with dummies, or the constant; far from zero too", {
  s <- ar1_sample()
  groups <- core_groups(s$entity)
  W <- function(weights) if (is.null(weights)) tabulate(s$entity) else rowsum(weights, s$entity)[, 1]
  for (weights in list(NULL, s$w)) for (shift in c(0, 1e7)) for (rho in c(0.55, -0.3)) {
    loose <- if (shift == 0) 1e-9 else 1e-6
    x <- lapply(s$x, `+`, shift)
    layout <- core_ar1_layout(s$entity, s$clock, weights = weights, swept = TRUE)
    state <- core_ar1_state(c(x, list(s$y)), layout, core_ar1_root(layout, rho), groups)
    root <- if (is.null(weights)) rep(1, s$n) else sqrt(weights)
    V <- correlation_of(s, rho) / (1 - rho^2)
    dense <- function(A) {
      cross <- crossprod(A, solve(V, A))
      b <- drop(solve(cross, crossprod(A, solve(V, root * s$y))))
      left <- root * s$y - A %*% b
      list(b = b, ssr = sum(left * solve(V, left)), inverse = solve(cross))
    }
    # The regressors' own shift is in the levels: dense regressors have none.
    D <- outer(s$entity, seq_len(10), "==") * 1
    level <- dense(root * cbind(D, s$x[[1]], s$x[[2]]))
    fixed <- core_ar1_fixed(state, unname(W(weights)))
    expect_equal(fixed$slopes, level$b[11:12], tolerance = loose)
    expect_equal(fixed$ssr, level$ssr, tolerance = loose)
    expect_equal(state$weight, diag(crossprod(root * D, solve(V, root * D))), tolerance = 1e-9)
    share <- W(weights) / sum(W(weights))
    a <- level$b[1:10] - shift * sum(level$b[11:12])
    expect_equal(fixed$coefficients[1], sum(share * a), tolerance = loose)
    expect_equal(fixed$levels[[1]]$level, unname(a - sum(share * a)), tolerance = loose)
    if (shift == 0) {
      # The error of the constant, that of the weighted mean of levels.
      contrast <- c(share, 0, 0)
      expect_equal(sum(fixed$root[1, ]^2), sum(contrast * (level$inverse %*% contrast)), tolerance = 1e-9)
      expect_equal(fixed$root[-1, ] %*% t(fixed$root[-1, ]), level$inverse[11:12, 11:12], tolerance = 1e-9,
                   ignore_attr = TRUE)
    }
    pooled <- core_ar1_pooled(state, TRUE)
    one <- dense(root * cbind(1, s$x[[1]], s$x[[2]]))
    expect_equal(pooled$coefficients, one$b - c(shift * sum(one$b[2:3]), 0, 0), tolerance = loose)
    expect_equal(pooled$ssr, one$ssr, tolerance = loose)
    none <- core_ar1_pooled(state, FALSE)
    if (shift == 0) expect_equal(none$coefficients, dense(root * cbind(s$x[[1]], s$x[[2]]))$b, tolerance = 1e-9)
  }
})

test_that("components of transformed rows are Swamy and Arora's written out", {
  s <- ar1_sample(5)
  layout <- core_ar1_layout(s$entity, s$clock, swept = TRUE)
  for (rho in c(0, 0.4)) {
    state <- core_ar1_state(c(s$x, list(s$y)), layout, core_ar1_root(layout, rho), core_groups(s$entity))
    done <- core_swamy_arora(state, core_variance_state(state, TRUE))
    made <- do.call(cbind, core_ar1_columns(c(list(NULL), s$x, list(s$y)), core_ar1_root(layout, rho)))
    D <- outer(s$entity, seq_len(10), "==") * made[, 1]
    P <- D %*% solve(crossprod(D), t(D))
    Z <- made[, 1:3]
    y <- made[, 4]
    within <- lm.fit(made[, 2:3] - P %*% made[, 2:3], y - P %*% y)
    sigma2_e <- sum(within$residuals^2) / (s$n - 10 - 2)
    PZ <- P %*% Z
    ssr <- sum(lm.fit(PZ, P %*% y)$residuals^2)
    trace <- sum(diag(solve(crossprod(PZ), crossprod(crossprod(D, Z)))))
    expect_equal(done$sigma2_e, sigma2_e)
    expect_equal(done$sigma2_u, (ssr - (10 - 3) * sigma2_e) / (sum(made[, 1]^2) - trace))
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
      columns <- c(s$x, list(s$y))
      highest <- optimize(written, c(-0.99, 0.99), swept = swept, maximum = TRUE, tol = 1e-9)$maximum
      found <- core_ar1_likeliest(core_ar1_likelihood(columns, layout, core_groups(s$entity), TRUE))
      expect_equal(found, highest, tolerance = 1e-6)
    }
  }
})
