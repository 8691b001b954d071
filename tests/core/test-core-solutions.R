# What a solution says of the stored columns, and several regressions of columns that were swept once.

test_that("columns swept together give the regression of any of them as if swept alone", {
  for (weighted in c(FALSE, TRUE)) {
    sample <- core_sample(weighted = weighted)
    rows <- sample$rows
    set.seed(2)
    second <- core_groups(sample(1:4, sample$n, TRUE), 4L)
    other <- rows$x[[1]]^2 + 1e3 + rnorm(sample$n)
    all <- core_rows(other, c(rows$x, list(rows$y)), weights = rows$weights)
    alone <- core_rows(other, rows$x[c(3, 1)], weights = rows$weights)
    fields <- c("coefficients", "slopes", "status", "ssr", "sst", "n", "df_residual", "levels", "r_squared", "centre",
                "residual", "regressors")
    one_way <- core_state_of(core_one_way_state(all, sample$groups), c(3, 1, 5))
    expect_equal(core_solve_fixed(one_way)[fields],
                 core_solve_fixed(core_one_way_state(alone, sample$groups))[fields], tolerance = 1e-11)
    sets <- lapply(list(sample$groups, second), core_effect_set)
    expect_equal(core_solve_absorbed(core_state_of(core_absorb(all, sets), c(3, 1, 5)))[fields[-9]],
                 core_solve_absorbed(core_absorb(alone, sets))[fields[-9]], tolerance = 1e-10)
  }
})

test_that("scores are of the regressors that a solution names, and its residual of the columns that it weighs", {
  # An endogenous column w, its instrument z, and the fitted one beside them: two stages by hand.
  set.seed(3)
  n <- 200
  z <- rnorm(n)
  x <- rnorm(n)
  shock <- rnorm(n)
  w <- z + x + shock
  y <- 1 + x - w + shock + rnorm(n)
  first <- cbind(1, x, z)
  fitted <- drop(first %*% solve(crossprod(first), crossprod(first, w)))
  rows <- core_rows(y, list(x, fitted, w))
  used <- cbind(1, x, fitted)
  solution <- core_least_squares(qr.R(qr(cbind(used, y))), TRUE, n)
  b <- drop(solve(crossprod(used), crossprod(used, y)))
  expect_equal(abs(solution$coefficients), abs(b), ignore_attr = TRUE)
  solution$slopes <- c(solution$slopes, 0)
  solution$centre <- c(mean(x), mean(fitted), mean(w), mean(y))
  solution$residual <- c(-b[2], 0, -b[3], 1)
  e <- y - b[1] - b[2] * x - b[3] * w
  # The residual has no mean zero by its own columns' centre: the constant puts it back.
  expect_equal(core_residuals(rows, NULL, solution), e - mean(e), tolerance = 1e-12, ignore_attr = TRUE)
  clusters <- core_groups(rep(1:20, 10), 20L)
  walk <- core_walk(rows, list(layers = list()), solution)
  scores <- core_cluster_scores(walk, clusters)$scores
  meat <- solution$root %*% tcrossprod(scores) %*% t(solution$root)
  by_cluster <- rowsum(used * (e - mean(e)), clusters$codes)
  expect_equal(meat, solve(crossprod(used)) %*% crossprod(by_cluster) %*% solve(crossprod(used)), tolerance = 1e-10,
               ignore_attr = TRUE)
  expect_equal(dim(core_swept(rows, list(layers = list()), solution)), c(n, 3L))
  expect_equal(core_robust_products(walk, NULL, 0)$products, crossprod(core_coordinate_rows(walk)$z * (e - mean(e))),
               tolerance = 1e-10, ignore_attr = TRUE)
})

test_that("sums of products are a state that merges and solves as rows do", {
  for (weighted in c(FALSE, TRUE)) {
    sample <- core_sample(weighted = weighted)
    rows <- sample$rows
    columns <- do.call(cbind, rows$columns)
    w <- if (weighted) rows$weights else rep(1, sample$n)
    products <- function(at) {
      means <- colSums(w[at] * columns[at, ]) / sum(w[at])
      less <- columns[at, ] - rep(means, each = length(at))
      core_state_of_products(means, crossprod(sqrt(w[at]) * less), sum(w[at]), length(at))
    }
    whole <- core_solve_pooled(core_pooled_state(rows))
    fields <- c("coefficients", "ssr", "sst", "n", "df_residual", "r_squared", "norms")
    parts <- split(seq_len(sample$n), rep_len(1:3, sample$n))
    expect_equal(core_solve_pooled(products(seq_len(sample$n)))[fields], whole[fields], tolerance = 1e-10)
    expect_equal(core_solve_pooled(Reduce(core_merge_pooled, lapply(parts, products)))[fields], whole[fields],
                 tolerance = 1e-10)
  }
  twice <- core_state_of_products(c(1, 2, 3), tcrossprod(1:3), 10, 10)
  expect_identical(core_solve_pooled(twice)$status, c(0L, 2L))
})

test_that("a column that is made as it is read is averaged and summed as one that is stored", {
  sample <- core_sample(weighted = TRUE)
  for (weights in list(NULL, sample$rows$weights)) for (shuffled in c(FALSE, TRUE)) {
    at <- if (shuffled) order(sin(seq_len(sample$n))) else seq_len(sample$n)
    rows <- core_rows(sample$rows$y[at], list(rep(1, sample$n), sample$rows$x[[1]][at]), weights = weights[at])
    groups <- core_groups(sample$groups$codes[at], sample$groups$count)
    made <- rows
    made$columns[1] <- list(NULL)
    expect_identical(core_group_means(made, groups)$means, core_group_means(rows, groups)$means)
    expect_identical(core_weighted_means(made$columns[2:1], weights), core_weighted_means(rows$columns[2:1], weights))
    expect_equal(core_one_way_state(made, groups)$within[-1, -1], core_one_way_state(rows, groups)$within[-1, -1])
  }
})
