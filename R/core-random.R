# Random effects, one-way, on a state of core_one_way_state(). T_i is the number of
# rows of group i (`state$weight`: random effects take no weights).

# sigma2_e from the within residuals, sigma2_u from the between residuals set equal
# to their expectation (Swamy & Arora 1972; unbalanced: Baltagi & Chang 1994). Where
# the regressors are not all seen between groups, their rank there takes the place
# of their number and the generalised inverse that of the inverse.
core_swamy_arora <- function(state, constant = TRUE) {
  columns <- core_columns(state, constant)
  between <- core_group_triangle(state, sqrt(state$weight))
  all_rows <- core_merge_within(state, between)
  within <- core_solve_within(state, all_rows)
  used <- state$weight > 0
  N <- sum(used)
  df_within <- state$n - N - sum(within$status == 0L)
  sigma2_e <- within$ssr / df_within

  fit_between <- cpp_solve(between[, columns], numeric(), rank_tolerance)
  kept <- which(fit_between$status == 0L)
  K <- length(kept)
  # tr((Z'PZ)^-1 Z'DD'Z), with Z'DD'Z the cross-products of the group sums of Z.
  sums <- core_group_triangle(state, state$weight)[, columns[kept], drop = FALSE]
  trace <- sum((sums %*% fit_between$bread) * sums)
  sigma2_u <- (fit_between$ssr - (N - K) * sigma2_e) / (state$n - trace)
  list(
    sigma2_e = sigma2_e, sigma2_u = sigma2_u, df_within = df_within, df_between = N - K,
    trace = trace, all_rows = all_rows
  )
}

# Columns of a factor of [1, x, y] that a regression with or without constant has.
core_columns <- function(state, constant) {
  if (constant) seq_len(nrow(state$means) + 1L) else 1L + seq_len(nrow(state$means))
}

# theta_i = 1 - sqrt(sigma2_e / (sigma2_e + T_i sigma2_u))
core_theta <- function(size, sigma2_e, sigma2_u) {
  if (sigma2_u == 0) return(numeric(length(size)))
  1 - sqrt(sigma2_e / (sigma2_e + size * sigma2_u))
}

core_solve_random <- function(state, components, constant = TRUE) {
  sigma2_e <- components$sigma2_e
  sigma2_u <- components$sigma2_u
  theta <- core_theta(state$weight, sigma2_e, sigma2_u)
  between <- core_group_triangle(state, sqrt(state$weight) * (1 - theta))
  triangle <- core_merge_within(state, between)[, core_columns(state, constant)]
  solution <- cpp_solve(triangle, numeric(), rank_tolerance)
  b <- core_full_coefficients(solution)
  slopes <- if (constant) b[-1] else b
  used <- state$weight > 0
  deviations <- core_group_residuals(state, slopes) - if (constant) b[1] else 0
  deviations <- deviations * (state$weight * sigma2_u / (sigma2_e + state$weight * sigma2_u))
  deviations[!used] <- NA_real_
  c(solution, list(
    norms = sqrt(colSums(triangle[, seq_along(b), drop = FALSE]^2)), full = b,
    lead = as.integer(constant), n = state$n, df_effects = 0L,
    df_residual = state$n - length(solution$coefficients),
    grand = core_grand_means(state), theta = theta, deviations = deviations,
    log_jacobian = sum(log1p(-theta[used])),
    r_squared = core_one_way_r_squared(state, slopes, components$all_rows)
  ))
}
