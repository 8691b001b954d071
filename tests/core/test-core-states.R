# One piece or many: the same result.

test_that("pooled and one-way states merged from pieces solve as the whole does", {
  for (weighted in c(FALSE, TRUE)) {
    whole <- core_sample(weighted = weighted)
    cuts <- split(seq_len(whole$n), sort(rep_len(1:5, whole$n)))
    cuts[[2]] <- c(cuts[[2]], integer())
    pieces <- lapply(cuts, function(rows) core_piece(whole, rows))

    pooled <- Reduce(core_merge_pooled, lapply(pieces, function(p) core_pooled_state(p$rows)))
    expect_equal(
      core_solve_pooled(pooled)[c("coefficients", "ssr", "n", "r_squared")],
      core_solve_pooled(core_pooled_state(whole$rows))[c("coefficients", "ssr", "n", "r_squared")],
      tolerance = 1e-12
    )
    one_way <- Reduce(
      core_merge_one_way, lapply(pieces, function(p) core_one_way_state(p$rows, p$groups))
    )
    fields <- c("coefficients", "ssr", "n", "df_residual", "levels", "status")
    expect_equal(
      core_solve_fixed(one_way)[fields],
      core_solve_fixed(core_one_way_state(whole$rows, whole$groups))[fields],
      tolerance = 1e-12
    )
  }
})

test_that("results are the same bits with one thread and with two", {
  set.seed(4)
  n <- 150000
  x <- list(rnorm(n), rnorm(n))
  rows <- core_rows(rnorm(n) + x[[1]], x)
  sorted <- core_groups(rep(seq_len(n / 10), each = 10))
  shuffled <- core_groups(sample(sorted$codes))
  for (groups in list(sorted, shuffled)) {
    results <- lapply(1:2, function(threads) {
      state <- core_one_way_state(rows, groups, threads)
      solution <- core_solve_fixed(state)
      transform <- list(groups = groups, means = state$means, shift = solution$grand,
                        centre = solution$grand)
      e <- core_residuals(rows, transform, solution, threads)
      list(state, e, core_cluster_scores(rows, transform, solution, e, groups, threads))
    })
    expect_identical(results[[1]], results[[2]])
  }
})
