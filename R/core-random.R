# Random effects, one-way, on a state of core_one_way_state(). T_i is the number of rows of
# group i, or with weights their sum (`state$weight`).

# theta_i = 1 - sqrt(sigma2_e / (sigma2_e + T_i sigma2_u))
core_theta <- function(size, sigma2_e, sigma2_u) {
  if (sigma2_u == 0) return(numeric(length(size)))
  1 - sqrt(sigma2_e / (sigma2_e + size * sigma2_u))
}

core_solve_random <- function(state, components, parts, constant = TRUE) {
  sigma2_e <- components$sigma2_e
  sigma2_u <- components$sigma2_u
  theta <- core_theta(state$weight, sigma2_e, sigma2_u)
  between <- core_group_triangle(state, sqrt(state$weight) * (1 - theta))
  triangle <- core_merge_within(state, between)[, core_used_columns(state, constant)]
  solution <- core_least_squares(triangle, constant, state$n, theta = theta)
  used <- state$weight > 0
  solution$deviations <- core_group_residuals(state, solution$slopes, solution$centre) *
    (state$weight * sigma2_u / (sigma2_e + state$weight * sigma2_u))
  solution$deviations[!used] <- NA_real_
  solution$log_jacobian <- sum(log1p(-theta[used]))
  solution$r_squared <- core_one_way_r_squared(state, solution$slopes, parts$all_rows)
  solution
}
