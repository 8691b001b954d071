# Several sets of effects: the dense and the iterated solution, and ranks.

three_sets <- function(n = 4000, seed = 2, moves = 0.3) {
  set.seed(seed)
  worker <- sort(sample(n / 6, n, TRUE))
  firm <- (worker * 7L) %% 60L + 1L
  stray <- runif(n) < moves
  firm[stray] <- sample(60, sum(stray), TRUE)
  year <- sample(8, n, TRUE)
  sets <- lapply(list(worker, firm, year), function(codes) {
    codes <- match(codes, unique(codes))
    core_effect_set(core_groups(codes))
  })
  x <- list(rnorm(n) + firm / 20, rnorm(n) + worker / 300)
  list(rows = core_rows(x[[1]] - x[[2]] + firm / 30 + rnorm(n), x), sets = sets)
}
iterated <- utils::modifyList(core_solver_options, list(dense_limit = 0))

test_that("the iterated sweep gives the slopes of the dense one, and says how near it came", {
  for (shuffle in c(FALSE, TRUE)) {
    s <- three_sets()
    if (shuffle) {
      order <- sample(length(s$rows$y))
      s$rows <- core_rows(s$rows$y[order], lapply(s$rows$x, `[`, order), weights = runif(length(order), 0.1, 2))
      s$sets <- lapply(s$sets, function(set) core_effect_set(core_groups(set$groups$codes[order], set$groups$count)))
      s$sets[[2]]$trends <- list(s$rows$x[[1]]^2)
    }
    dense <- core_solve_absorbed(core_absorb(s$rows, s$sets))
    state <- core_absorb(s$rows, s$sets, iterated)
    solution <- core_solve_absorbed(state)
    expect_true(state$converged)
    expect_lte(state$achieved, 1e-10)
    expect_equal(solution$coefficients, dense$coefficients, tolerance = 1e-10)
    expect_equal(solution$ssr, dense$ssr, tolerance = 1e-10)
    if (!shuffle) expect_identical(solution$df_residual, dense$df_residual)
  }
})

test_that("hard graphs converge: firms in a ring, workers who move to the next one only", {
  set.seed(3)
  firms <- 2000
  firm <- as.integer(rbind(seq_len(firms), seq_len(firms) %% firms + 1L))
  worker <- rep(seq_len(firms), each = 2)
  rows <- core_rows(rnorm(2 * firms), list(rnorm(2 * firms)))
  state <- core_absorb(rows, list(core_effect_set(core_groups(worker)), core_effect_set(core_groups(firm))), iterated)
  expect_true(state$converged)
  expect_lt(state$iterations, 100)
  expect_equal(core_effects_rank(state$system)$count, 2 * firms - 1)
})

test_that("ranks of sets are those of their dummies, however the sets hang together", {
  rank_of <- function(sets) {
    dummies <- do.call(cbind, lapply(sets, function(set) outer(set$groups$codes, seq_len(set$groups$count), `==`) + 0))
    qr(dummies)$rank
  }
  set.seed(4)
  for (case in 1:20) {
    n <- sample(20:60, 1)
    block <- sample(3, n, TRUE)
    sets <- lapply(1:sample(3:4, 1), function(s) {
      codes <- if (s %% 2) block * 10 + sample(3, n, TRUE) else sample(5, n, TRUE) * (case %% 3 + 1) + block %/% 2
      core_effect_set(core_groups(match(codes, unique(codes))))
    })
    state <- core_absorb(core_rows(rnorm(n), list(rnorm(n))), sets, iterated)
    expect_equal(core_effects_rank(state$system), list(count = rank_of(sets), exact = TRUE))
    bound <- core_effects_rank(state$system, budget = 0)
    expect_false(bound$exact)
    expect_gte(bound$count, rank_of(sets))
  }
})

test_that("R-squared from the sweep's own sums are those of the rows", {
  s <- three_sets()
  state <- core_absorb(s$rows, s$sets[c(1, 3)])
  solution <- core_solve_absorbed(state)
  known <- core_swept_r_squared(state, solution$slopes)
  f <- drop(do.call(cbind, s$rows$x) %*% solution$slopes)
  of <- s$sets[[state$system$order[1]]]$groups
  mean_of <- function(v) tapply(v, of$codes, mean)
  expect_equal(known$overall, cor(f, s$rows$y)^2)
  expect_equal(known$between, cor(mean_of(f), mean_of(s$rows$y))^2)
  expect_equal(known$within_y, sum((s$rows$y - mean_of(s$rows$y)[of$codes])^2))
  rows <- core_r_squared(s$rows, solution$slopes, of)
  expect_equal(rows[c("between", "overall", "within_y")], known[c("between", "overall", "within_y")])
})

test_that("one system serves other columns, other weights, ridges, and gives the leverages of the dummies", {
  set.seed(6)
  for (case in c("two", "weighted", "trend", "three", "shuffled")) {
    s <- three_sets(n = 240)
    n <- s$rows$n
    w <- if (case != "two") runif(n, 0.2, 3)
    sets <- s$sets[if (case == "three") 1:3 else c(1, 3)]
    if (case == "trend") sets[[1]]$trends <- list(s$rows$x[[1]])
    if (case == "shuffled") sets <- lapply(sets, function(set) core_effect_set(core_groups(sample(set$groups$codes))))
    dummies <- do.call(cbind, lapply(sets, function(set) {
      ones <- outer(set$groups$codes, seq_len(set$groups$count), `==`) + 0
      cbind(ones, if (length(set$trends) > 0) ones * set$trends[[1]])
    }))
    root <- if (is.null(w)) rep(1, n) else sqrt(w)
    Q <- qr.Q(qr(dummies * root, tol = 1e-9))[, seq_len(qr(dummies * root, tol = 1e-9)$rank)]
    system <- core_effect_system(sets, n, w)
    expect_equal(cpp_effect_leverage(system$pointer), rowSums(Q^2), tolerance = 1e-10, info = case)

    # Other columns, and then other weights, through the same system.
    other <- core_rows(rnorm(n), list(rnorm(n)), weights = w)
    again <- core_sweep(other, system)
    expect_equal(again$within, core_absorb(other, sets)$within, tolerance = 1e-12, info = case)
    if (case == "trend") {
      expect_error(core_reweight(system, runif(n)), "trends")
      next
    }
    new <- runif(n, 0.5, 2)
    for (time in 1:10) system <- core_reweight(system, runif(n))
    again <- core_solve_absorbed(core_sweep(other, core_reweight(system, new)))
    anew <- core_solve_absorbed(core_absorb(core_rows(other$y, other$x, weights = new), sets))
    for (part in setdiff(names(anew), "inverse")) {
      expect_equal(again[[part]], anew[[part]], tolerance = 1e-12, info = paste(case, part))
    }
  }
})

test_that("one step of an iteration is not told as convergence", {
  s <- three_sets()
  state <- core_absorb(s$rows, s$sets, utils::modifyList(iterated, list(max_iterations = 1)))
  expect_false(state$converged)
  expect_false(core_solve_absorbed(state)$converged)
  expect_gt(state$achieved, 1e-10)
})

test_that("two-way random effects by iteration are those of the factor", {
  s <- three_sets()
  sets <- lapply(s$sets[1:2], `[[`, "groups")
  parts <- core_two_way_parts(s$rows, sets)
  dense <- core_solve_two_way(parts, 1, c(0.7, 0.2))
  parts <- core_two_way_parts(s$rows, sets)
  parts$system <- core_effect_system(lapply(sets, core_effect_set), s$rows$n, NULL, 4, iterated)
  again <- core_solve_two_way(parts, 1, c(0.7, 0.2))
  expect_gt(again$iterations, 0)
  expect_equal(again$coefficients, dense$coefficients, tolerance = 1e-9)
  expect_equal(again$ssr, dense$ssr, tolerance = 1e-9)
  expect_equal(again$deviations, dense$deviations, tolerance = 1e-8)
})

test_that("a weighted column far from zero that hardly varies is swept to its own rounding", {
  set.seed(6)
  unit <- rep(1:40, each = 2)
  period <- rep(1:2, 40)
  small <- 1e-3 * runif(80)
  w <- 10^runif(80, -2, 2)
  for (order in list(1:80, sample(80))) {
    x <- (1e6 + small)[order]
    sets <- lapply(list(unit[order], period[order]), function(codes) core_effect_set(core_groups(codes)))
    state <- core_absorb(core_rows(x, list(rnorm(80)), weights = w[order]), sets)
    left <- stats::lm.wfit(cbind(stats::model.matrix(~ factor(unit) + factor(period))), 1e6 + small - 1e6, w)
    expect_true(state$converged)
    expect_equal(sum(state$within[, 2]^2), sum(w * left$residuals^2), tolerance = 1e-5)
  }
})

test_that("means are exact to rounding for long groups far from zero, in any order of rows", {
  n <- 4e4
  # Whole numbers near 1e15: their sums pass what a double holds, their means do not.
  value <- 1e15 + (seq_len(n) %% 7)
  codes <- list(rep_len(1:4, n), sort(rep_len(1:4, n)))
  for (code in codes) {
    groups <- core_groups(code)
    state <- core_group_means(core_rows(value, list(value)), groups)
    exact <- 1e15 + tapply(value - 1e15, code, mean)
    expect_lt(max(abs(state$means[1, ] - exact)), 0.2)
  }
})
