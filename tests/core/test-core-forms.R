test_that("what two estimators differ in does not depend on units, and what cannot differ is left out", {
  R <- qr.R(qr(matrix(c(2, 1, 0, -1, 3, 1, 0, 1, 1, 2, 2, 1), 4)))
  V_c <- solve(crossprod(R))
  saved <- crossprod(matrix(c(0.1, 0.2, 0, 0.05, 0, 0), 2)) # of rank 2
  d <- drop(saved %*% c(1, -2, 0.5))
  form <- function(units) {
    upper <- R %*% diag(1 / units)
    gain <- upper %*% (diag(units) %*% (V_c - saved) %*% diag(units)) %*% t(upper)
    parts <- core_compare(d * units, upper, gain)
    c(sum(parts$z^2 / parts$share), length(parts$share))
  }
  expected <- eigen(saved, symmetric = TRUE)
  along <- crossprod(expected$vectors[, 1:2], d)
  expect_equal(form(c(1, 1, 1)), c(sum(along^2 / expected$values[1:2]), 2))
  expect_equal(form(c(1e-7, 1, 1e7)), form(c(1, 1, 1)), tolerance = 1e-8)
})

test_that("codes of groups that are missing or out of range are refused, never used as places", {
  s <- core_sample()
  codes <- s$groups$codes
  for (bad in c(-1L, NA, s$groups$count + 1L)) {
    expect_error(core_groups(replace(codes, 5, bad), s$groups$count), "none of its groups", class = "wavetax_error")
  }
  groups <- core_groups(replace(codes, 5, 0L), s$groups$count)
  expect_identical(c(groups$missing, sum(groups$sizes)), c(1, s$n - 1))
  unmade <- unclass(s$groups)
  other <- core_effect_set(core_groups(rep_len(1:3, s$n), 3L))
  for (groups in list(groups, unmade)) {
    set <- core_effect_set(groups)
    calls <- list(
      function() core_one_way_state(s$rows, groups), function() core_group_means(s$rows, groups),
      function() core_absorb(s$rows, list(set, other)), function() core_absorb(s$rows, list(other, set))
    )
    for (call in calls) expect_error(call(), "A row without a group|not those of|none of its groups")
  }
  codes <- replace(codes, 5, 0L)
  expect_error(cpp_group_sums(s$rows$y, codes, s$groups$count), "none of its groups")
  expect_error(cpp_first_and_last(codes, seq_len(s$n), s$groups$count), "none of its groups")
})

test_that("groups are nested in clusters when none is cut", {
  groups <- core_groups(c(1L, 1L, 2L, 3L))
  expect_true(core_is_nested(groups, core_groups(c(1L, 1L, 1L, 2L))))
  expect_false(core_is_nested(groups, core_groups(c(1L, 2L, 1L, 2L))))
})

test_that("panel-corrected meats are those of all pairs, also past the entities taken at once", {
  set.seed(4)
  N <- 2 * entities_at_once + 30
  cell <- expand.grid(period = 1:3, entity = seq_len(N))
  cell <- cell[sort(sample(nrow(cell), 0.9 * nrow(cell))), ]
  cell$entity <- match(cell$entity, unique(cell$entity))
  z <- matrix(rnorm(2 * nrow(cell)), ncol = 2)
  e <- rnorm(nrow(cell)) + rnorm(3)[cell$period]
  N <- max(cell$entity)
  E <- Z1 <- Z2 <- seen <- matrix(0, N, 3)
  at <- cbind(cell$entity, cell$period)
  E[at] <- e
  Z1[at] <- z[, 1]
  Z2[at] <- z[, 2]
  seen[at] <- 1
  common <- tcrossprod(seen)
  sigma <- ifelse(common > 0, tcrossprod(E) / pmax(common, 1), 0)
  meat <- matrix(c(sum(Z1 * sigma %*% Z1), sum(Z1 * sigma %*% Z2), sum(Z2 * sigma %*% Z1), sum(Z2 * sigma %*% Z2)), 2)
  done <- core_panel_corrected(z, e, cell$entity, cell$period)
  expect_equal(done$meat, meat, tolerance = 1e-10)
  expect_equal(done$apart, sum(common == 0) / 2)
  like <- (sqrt(common) * sigma / sqrt(diag(sigma) %o% diag(sigma)))[upper.tri(sigma)]
  expect_equal(done$shared, sum(like) / sqrt(N * (N - 1) / 2), tolerance = 1e-8)
})
