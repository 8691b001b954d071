# Regressions with one set of effects. The state holds the mean of [x, y] in every
# group and the triangular factor of what varies within groups; fixed effects,
# random effects and the between regression are all solved from it.
# Letters: N groups, T_i rows of group i, W_i their weight, k regressors, [x, y] has
# k + 1 columns, the outcome last. Means are a (k + 1) x N matrix.

core_one_way_state <- function(rows, groups, threads = core_threads(length(rows$y))) {
  state <- cpp_one_way(
    c(rows$x, list(rows$y)), rows$weights, groups$codes, groups$count, groups$sorted, threads
  )
  state$n <- length(rows$y)
  state
}

core_merge_one_way <- function(a, b) {
  state <- cpp_merge_one_way(a, b)
  state$n <- a$n + b$n
  state
}

# Norms of x before the effects are swept out: within plus between.
core_own_norms <- function(state) {
  k <- ncol(state$within) - 1L
  between <- drop(state$means[seq_len(k), , drop = FALSE]^2 %*% state$weight)
  sqrt(colSums(state$within[, seq_len(k), drop = FALSE]^2) + between)
}

core_solve_within <- function(state) {
  cpp_solve(state$within, core_own_norms(state), rank_tolerance)
}

# The factor of all rows, [1, x, y] less theta_i times its group mean: the rows split
# into what varies within groups and one row of weight W_i (1 - theta_i)^2 a group,
# orthogonal to each other, so their factors merge.
core_demeaned_triangle <- function(state, theta = 0, constant = TRUE) {
  between <- core_group_triangle(state, sqrt(state$weight) * (1 - theta), constant)
  if (!constant) return(cpp_merge_triangles(state$within, between))
  p <- ncol(between)
  within <- matrix(0, p, p)
  within[-1, -1] <- state$within
  cpp_merge_triangles(between, within)
}

# The factor of one row a group: its means, and the constant, times `scale`.
core_group_triangle <- function(state, scale, constant = TRUE) {
  cpp_group_triangle(state$means, scale, constant, core_threads(length(scale)))
}

# `total` is the factor of all rows as they are.
core_one_way_r_squared <- function(state, b, total = core_demeaned_triangle(state)) {
  groups_once <- core_group_triangle(state, as.numeric(state$weight > 0))
  c(
    within = core_squared_correlation(state$within, b),
    between = core_squared_correlation(core_centred(groups_once), b),
    overall = core_squared_correlation(core_centred(total), b)
  )
}

core_grand_means <- function(state) drop(state$means %*% state$weight) / sum(state$weight)

core_solve_fixed <- function(state) {
  solution <- core_solve_within(state)
  kept <- which(solution$status == 0L)
  k <- length(kept)
  b <- core_full_coefficients(solution)
  used <- state$weight > 0
  total <- sum(state$weight)
  grand <- core_grand_means(state)
  # The constant makes the effects average zero over rows; [1, x~ + xbar] has the
  # bread of [1, x~], whose blocks are orthogonal, after this change of basis.
  basis <- diag(k + 1L)
  basis[1, -1] <- -grand[kept]
  bread <- matrix(0, k + 1L, k + 1L)
  bread[1, 1] <- 1 / total
  bread[-1, -1] <- solution$bread
  all_rows <- core_demeaned_triangle(state)
  sst <- sum(core_centred(all_rows)[, ncol(state$within)]^2)
  p <- nrow(state$means)
  solution$coefficients <- c(grand[p] - sum(grand[-p] * b), solution$coefficients)
  solution$bread <- basis %*% bread %*% t(basis)
  effects <- state$means[p, ] - drop(b %*% state$means[-p, , drop = FALSE])
  effects[!used] <- NA_real_
  c(solution, list(
    norms = sqrt(colSums(state$within[, seq_along(b), drop = FALSE]^2)), full = b, lead = 1L, n = state$n, df_effects = sum(used),
    df_residual = state$n - k - sum(used), sst = sst, grand = grand, levels = effects,
    r_squared = c(
      core_one_way_r_squared(state, b, all_rows), "with effects" = 1 - solution$ssr / sst
    )
  ))
}
