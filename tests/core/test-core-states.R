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

# What one estimator gives on so many threads: its state, residuals and scores.
estimators <- list(
  pooled = function(rows, sets, threads) {
    list(solution = core_solve_pooled(core_pooled_state(rows, threads)))
  },
  fixed = function(rows, sets, threads) {
    state <- core_one_way_state(rows, sets[[1]], threads)
    list(solution = core_solve_fixed(state),
         transform = list(layers = list(core_layer(sets[[1]], state$means)), constant = TRUE))
  },
  random = function(rows, sets, threads) {
    state <- core_one_way_state(rows, sets[[1]], threads)
    solution <- core_solve_random(state, list(sigma2_e = 1, sigma2_u = 0.5), core_variance_state(state))
    list(solution = solution, transform = list(layers = list(core_layer(sets[[1]], state$means, solution$theta))))
  },
  two_way = function(rows, sets, threads) {
    state <- core_absorb(rows, lapply(sets[1:2], core_effect_set), threads = threads)
    list(solution = core_solve_absorbed(state), transform = list(layers = state$layers, constant = TRUE))
  },
  iterated = function(rows, sets, threads) {
    options <- utils::modifyList(core_solver_options, list(dense_limit = 0))
    state <- core_absorb(rows, lapply(sets, core_effect_set), options, threads)
    list(solution = core_solve_absorbed(state), transform = list(layers = state$layers, constant = TRUE))
  },
  two_way_random = function(rows, sets, threads) {
    parts <- core_two_way_parts(rows, sets[1:2], threads)
    solution <- core_solve_two_way(parts, 1, c(0.5, 0.2), threads)
    list(solution = solution, transform = list(layers = solution$layers, ones = TRUE))
  }
)

test_that("every estimator's results, residuals and scores are the same bits with one thread and with two", {
  set.seed(4)
  n <- 120000
  x <- list(rnorm(n), rnorm(n))
  y <- rnorm(n) + x[[1]]
  codes <- list(rep(seq_len(n / 10), each = 10), rep_len(1:12, n), sample(300, n, TRUE))
  for (shuffled in c(FALSE, TRUE)) {
    sets <- lapply(codes, function(code) core_groups(if (shuffled) sample(code) else code))
    for (method in names(estimators)) {
      rows <- core_rows(y, x, weights = if (method == "fixed") runif(n, 0.5, 2))
      results <- lapply(1:2, function(threads) {
        fit <- estimators[[method]](rows, sets, threads)
        e <- core_residuals(rows, fit$transform, fit$solution, threads)
        expect_gt(stats::sd(e), 0.5)
        walk <- core_walk(rows, fit$transform, fit$solution)
        list(fit$solution$coefficients, fit$solution$ssr, fit$transform$layers, e,
             core_cluster_scores(walk, sets[[1]], threads = threads),
             core_cluster_walk(walk, sets, diag(nrow(walk$upper)), TRUE, threads = threads),
             core_robust_products(walk, NULL, 2, threads = threads), core_coordinate_rows(walk, threads = threads))
      })
      expect_identical(results[[1]], results[[2]], info = method)
    }
  }
})
