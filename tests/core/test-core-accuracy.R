# Digits kept on hard problems, against base R's lm() and certified values.

digits <- function(estimate, truth) {
  wrong <- max(abs(estimate - truth) / abs(truth))
  if (wrong == 0) 16 else min(16, -log10(wrong))
}

solve_least_squares <- function(y, x) {
  core_solve_pooled(core_pooled_state(core_rows(as.double(y), lapply(x, as.double))))
}

test_that("certified polynomial problems lose at most a digit against lm()", {
  # Wampler (1970): y is a polynomial of degree 5, plus a disturbance orthogonal to it.
  x <- 0:20
  powers <- lapply(1:5, function(p) x^p)
  half <- c(759, -2048, 2048, -2048, 2523, -2048, 2048, -2048, 1838, -2048)
  disturbance <- c(half, 2048, rev(half))
  exact <- rowSums(outer(x, 0:5, `^`))
  tenths <- rowSums(sweep(outer(x, 0:5, `^`), 2, 10^-(0:5), `*`))
  problems <- list(
    list(exact, rep(1, 6)), list(tenths, 10^-(0:5)), list(exact + disturbance, rep(1, 6)),
    list(exact + 100 * disturbance, rep(1, 6)), list(exact + 10000 * disturbance, rep(1, 6))
  )
  for (problem in problems) {
    ours <- solve_least_squares(problem[[1]], powers)$coefficients
    base <- lm.fit(cbind(1, do.call(cbind, powers)), problem[[1]], tol = 1e-12)$coefficients
    expect_gt(digits(ours, problem[[2]]), digits(base, problem[[2]]) - 1)
  }
})

test_that("the certified Longley coefficients are met to a digit of lm()", {
  scale <- c(1, 1000, 10, 10, 1000, 1)
  x <- Map(`*`, longley[1:6], scale)
  y <- longley$Employed * 1000
  certified <- c(
    -3482258.63459582, 15.0618722713733, -0.0358191792925910, -2.02022980381683,
    -1.03322686717359, -0.0511041056535807, 1829.15146461355
  )
  base <- lm.fit(cbind(1, do.call(cbind, x)), y)$coefficients
  ours <- solve_least_squares(y, x)
  expect_gt(digits(ours$coefficients, certified), digits(base, certified) - 1)
  expect_equal(sqrt(ours$ssr / 9), 304.854073561965, tolerance = 1e-12)
})

test_that("a regressor far from zero keeps the digits that dummies in lm() keep", {
  sample <- core_sample(N = 40, seed = 2)
  truth <- core_solve_fixed(core_one_way_state(sample$rows, sample$groups))$coefficients[-1]
  moved <- sample$rows
  moved$x[[1]] <- moved$x[[1]] + 1e8
  ours <- core_solve_fixed(core_one_way_state(moved, sample$groups))$coefficients[-1]
  dummies <- model.matrix(~ factor(sample$groups$codes))
  base <- lm.fit(cbind(dummies, moved$x[[1]], moved$x[[2]]), moved$y, tol = 1e-12)$coefficients
  base <- unname(utils::tail(base, 2))
  expect_gt(digits(ours, truth), digits(base, truth) - 1)
})

test_that("weights over nine orders of magnitude agree with lm() on dummies", {
  sample <- core_sample(N = 25, seed = 3)
  w <- 10^runif(sample$n, -5, 4)
  rows <- core_rows(sample$rows$y, sample$rows$x[1:2], weights = w)
  ours <- core_solve_fixed(core_one_way_state(rows, sample$groups))
  base <- lm(rows$y ~ rows$x[[1]] + rows$x[[2]] + factor(sample$groups$codes), weights = w)
  expect_equal(ours$coefficients[-1], unname(coef(base)[2:3]), tolerance = 1e-9)
  expect_equal(ours$ssr, sum(w * residuals(base)^2), tolerance = 1e-9)
})
