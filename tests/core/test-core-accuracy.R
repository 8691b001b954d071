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

# The same on several sets: the slopes of the sweep and of lm() on all dummies.
sets_and_dummies <- function(y, x, codes, weights = NULL, options = core_solver_options) {
  sets <- lapply(codes, function(one) core_effect_set(core_groups(match(one, unique(one)))))
  ours <- core_solve_absorbed(core_absorb(core_rows(y, x, weights = weights), sets, options))
  dummies <- lapply(codes, function(one) model.matrix(~ factor(one))[, -1, drop = FALSE])
  X <- do.call(cbind, c(x, dummies))
  base <- lm(y ~ X, weights = weights, tol = 1e-12)
  list(ours = ours, slopes = ours$coefficients[-1], base = unname(coef(base)[1 + seq_along(x)]), fit = base)
}
uneven_sets <- function(n = 300, seed = 6) {
  set.seed(seed)
  list(entity = sample(40, n, TRUE), period = sample(9, n, TRUE))
}

test_that("two sets: a shift of 1e8, near-collinear pairs and wide weights cost no more digits than in lm()", {
  codes <- uneven_sets()
  n <- 300
  a <- rnorm(n) + codes$entity / 9
  noise <- rnorm(n)
  truth <- sets_and_dummies(a + noise, list(a, noise^2), codes)$slopes
  moved <- sets_and_dummies(a + noise, list(a + 1e8, noise^2), codes)
  expect_gt(digits(moved$slopes, truth), digits(moved$base, truth) - 1)
  near <- sets_and_dummies(a + noise, list(a, a + 1e-6 * rnorm(n)), codes)
  expect_equal(near$slopes, near$base, tolerance = 1e-7)
  wide <- sets_and_dummies(a + noise, list(a, noise^2), codes, weights = 10^runif(n, -5, 4))
  expect_equal(wide$slopes, wide$base, tolerance = 1e-8)
  expect_equal(wide$ours$ssr, deviance(wide$fit), tolerance = 1e-8)
})

test_that("a regressor that varies in one entity only, singletons, components and an effect of one level", {
  codes <- uneven_sets()
  n <- 300
  y <- rnorm(n)
  only <- ifelse(codes$entity == 7, rnorm(n), 0)
  one <- sets_and_dummies(y, list(only, rnorm(n)), codes)
  expect_equal(one$slopes, one$base, tolerance = 1e-10)
  alone <- list(entity = c(codes$entity, 1000 + 1:50), period = c(codes$period, sample(9, 50, TRUE)))
  x <- rnorm(n + 50)
  singles <- sets_and_dummies(c(y, rnorm(50)), list(x), alone)
  expect_equal(singles$slopes, sets_and_dummies(y, list(x[1:n]), codes)$slopes, tolerance = 1e-12)
  expect_equal(singles$ours$df_residual, df.residual(singles$fit))
  constant <- sets_and_dummies(y, list(x[1:n]), codes["entity"])
  again <- core_absorb(core_rows(y, list(x[1:n])),
                       list(core_effect_set(core_groups(match(codes$entity, unique(codes$entity)))),
                            core_effect_set(core_groups(rep(1L, n)))))
  expect_equal(core_solve_absorbed(again)$coefficients[-1], constant$base, tolerance = 1e-12)
})

test_that("1e5 singletons and several thousand components, iterated", {
  set.seed(7)
  blocks <- 3000
  block <- rep(seq_len(blocks), each = 8)
  entity <- c(2L * block - rep(0:1, length(block) / 2), 2L * blocks + 1:100000)
  other <- c(3L * block - sample(0:2, length(block), TRUE), sample(3L * blocks, 100000, TRUE))
  n <- length(entity)
  x <- rnorm(n)
  rows <- core_rows(x + rnorm(n), list(x))
  sets <- lapply(list(entity, other), function(one) core_effect_set(core_groups(match(one, unique(one)))))
  state <- core_absorb(rows, sets)
  expect_false(state$system$dense)
  full <- core_solve_absorbed(state)
  kept <- seq_along(block)
  inner <- lapply(list(entity[kept], other[kept]), function(one) core_effect_set(core_groups(match(one, unique(one)))))
  part <- core_solve_absorbed(core_absorb(core_rows(rows$y[kept], list(x[kept])), inner))
  expect_equal(full$coefficients[2], part$coefficients[2], tolerance = 1e-9)
  expect_identical(full$df_residual, part$df_residual)
  # Each block's own regression on its dummies, stacked: what is left of x and y by block.
  swept <- lapply(split(kept, block), function(rows_of) {
    dummies <- lapply(list(entity[rows_of], other[rows_of]), function(one) outer(one, unique(one), `==`) + 0)
    D <- do.call(cbind, dummies)
    qr.resid(qr(D), cbind(x[rows_of], rows$y[rows_of]))
  })
  swept <- do.call(rbind, swept)
  expect_equal(full$coefficients[2], sum(swept[, 1] * swept[, 2]) / sum(swept[, 1]^2), tolerance = 1e-9)
})
