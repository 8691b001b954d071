# Variance components of random effects, one-way. Each takes the state of
# core_one_way_state() and gives list(sigma2_e, sigma2_u, df_within, df_between).
# Letters: N groups, T_i rows of group i (`state$weight`; of rows that hold their group's level by a loading its sum of
# squares, and then the sum of T_i is not n), n rows; Q sweeps groups out, P = I - Q; Z = [1, x] with K columns, D the
# dummies of the groups.

core_variance_state <- function(state, constant = TRUE) {
  between <- core_group_triangle(state, sqrt(state$weight))
  all_rows <- core_merge_within(state, between)
  list(
    columns = core_used_columns(state, constant), used = state$weight > 0, N = sum(state$weight > 0),
    between = between, all_rows = all_rows,
    within = core_solve_within(state, all_rows)
  )
}

# Columns of a factor of [1, x, y] that a regression with or without constant has.
core_used_columns <- function(state, constant) {
  if (constant) seq_len(nrow(state$means) + 1L) else 1L + seq_len(nrow(state$means))
}

core_within_variance <- function(state, parts) {
  df <- state$n - parts$N - sum(parts$within$status == 0L)
  list(sigma2_e = parts$within$ssr / df, df = df)
}

# Sum over groups of scale_i^2 q_i q_i', q_i the coordinates of the group's mean of the kept columns
# of [1, x] in the basis of a regression on them.
core_mean_gram <- function(state, solution, kept, scale) {
  frame <- core_frame(solution, length(kept) > 0 && kept[1] == 1L)
  cpp_coordinate_gram(state$means, kept - 1L, frame$centre, frame$upper, scale)
}

core_trace <- function(m) sum(diag(m))

# sigma2_e from the within residuals, sigma2_u from the between residuals set equal
# to their expectation (Swamy & Arora 1972; unbalanced: Baltagi & Chang 1994). Where
# the regressors are not all seen between groups, their rank there takes the place
# of their number and the generalised inverse that of the inverse. With PZ = QR the trace of
# (Z'PZ)^-1 Z'DD'Z is the squared norm of D'Q, whose rows are T_i q_i.
core_swamy_arora <- function(state, parts) {
  within <- core_within_variance(state, parts)
  between <- core_solve(parts$between[, parts$columns])
  kept <- parts$columns[which(between$status == 0L)]
  K <- length(kept)
  trace <- core_trace(core_mean_gram(state, between, kept, state$weight))
  list(
    sigma2_e = within$sigma2_e, df_within = within$df, df_between = parts$N - K,
    sigma2_u = (between$ssr - (parts$N - K) * within$sigma2_e) / (sum(state$weight) - trace)
  )
}

# e'Qe and e'Pe of the pooled residuals e = M u, M = I - Z(Z'Z)^-1 Z', set equal to
#   E e'Qe = s2_e (n - N - tr(A Z'QZ)) + s2_u tr(A Z'QZ A Z'DD'Z)
#   E e'Pe = s2_e (N - tr(A Z'PZ)) + s2_u (n - 2 tr(A Z'DD'Z) + tr(A Z'PZ A Z'DD'Z)),
# A = (Z'Z)^-1 (Wallace & Hussain 1969; unbalanced: Baltagi & Chang 1994). In orthonormal
# coordinates of Z the matrix A is the identity, Z'PZ is P below and Z'DD'Z is S.
core_wallace_hussain <- function(state, parts) {
  constant <- parts$columns[1] == 1L
  triangle <- parts$all_rows[, parts$columns]
  pooled <- core_solve(triangle)
  kept <- parts$columns[which(pooled$status == 0L)]
  b <- core_full_coefficients(pooled)
  if (constant) b <- b[-1]
  e <- core_group_residuals(state, b, core_centre(triangle, constant))
  P <- core_mean_gram(state, pooled, kept, sqrt(state$weight))
  S <- core_mean_gram(state, pooled, kept, state$weight)
  PS <- core_trace(P %*% S)
  expected <- rbind(
    c(state$n - parts$N - length(kept) + core_trace(P), core_trace(S) - PS),
    c(parts$N - core_trace(P), sum(state$weight) - 2 * core_trace(S) + PS)
  )
  forms <- c(sum((state$within %*% c(-b, 1))^2), sum(state$weight * e^2))
  sigma2 <- solve(expected, forms)
  list(sigma2_e = sigma2[1], sigma2_u = sigma2[2], df_within = state$n - parts$N,
       df_between = parts$N - length(kept))
}

# e'Qe and e'(P - H)e of e = y - x'b_within, H the projection on the group means of the
# constant and of the regressors that do not vary within (Amemiya 1971; Wansbeek & Kapteyn
# 1989; Hausman & Taylor 1981):
#   E e'(P - H)e = s2_e (N - rank H + tr((X'QX)^-1 X'(P - H)X)) + s2_u (n - tr(H DD'))
core_amemiya <- function(state, parts) {
  within <- core_within_variance(state, parts)
  b <- core_full_coefficients(parts$within)
  form <- core_mean_form(parts$between, parts$within$status, b, parts$within$upper, parts$columns[1] == 1L)
  trace <- core_trace(core_mean_gram(state, form$first, form$kept, state$weight))
  df <- parts$N - length(form$kept)
  list(
    sigma2_e = within$sigma2_e, df_within = within$df, df_between = df,
    sigma2_u = (form$value - within$sigma2_e * (df + form$spread)) / (sum(state$weight) - trace)
  )
}

# e'(P - H)e from `between`, a factor of the groups' means of [1, x, y], for the within slopes
# b with their `factor`: its value, the columns `kept` of H with their regression, and
# tr((X'QX)^-1 X'(P - H)X). Projecting on the columns of H first leaves (P - H) of the others.
core_mean_form <- function(between, status, b, upper, constant) {
  p <- ncol(between)
  between[, p] <- between[, -1, drop = FALSE] %*% c(-b, 1)
  fixed <- c(if (constant) 1L, 1L + which(status == 1L))
  first <- core_solve(between[, c(fixed, p), drop = FALSE])
  kept <- fixed[which(first$status == 0L)]
  X <- core_project_out(between, kept, 1L + which(status == 0L))
  list(value = first$ssr, kept = kept, first = first, spread = sum(cpp_to_orthonormal(upper, X)^2))
}

# Columns of a triangle less their projection on others of it.
core_project_out <- function(triangle, on, columns) {
  kept <- triangle[, columns, drop = FALSE]
  if (length(on) == 0 || length(columns) == 0) return(kept)
  qr.resid(qr(triangle[, on, drop = FALSE], tol = 1e-12), kept)
}

# The sample variance of the within effects, and SSR_within / n (Nerlove 1971).
core_nerlove <- function(state, parts) {
  b <- core_full_coefficients(parts$within)
  effects <- core_group_residuals(state, b, core_grand_means(state))[parts$used]
  list(
    sigma2_e = parts$within$ssr / state$n,
    sigma2_u = sum((effects - mean(effects))^2) / (parts$N - 1),
    df_within = core_within_variance(state, parts)$df, df_between = parts$N - 1
  )
}

# Maximum of the normal likelihood over rho = s2_u / (s2_u + s2_e): with phi = s2_u / s2_e,
# beta and s2_e are least squares of the rows quasi-demeaned at phi, and what is left is
#   -n/2 log SSR(phi) - 1/2 sum log(1 + T_i phi),
# whose slope vanishes at the maximum; on a grid of rho first, then to rounding.
core_maximum_likelihood <- function(state, parts) {
  n <- state$n
  size <- state$weight[parts$used]
  at <- function(rho) {
    phi <- rho / (1 - rho)
    all_rows <- cpp_merge_triangles(
      core_group_triangle(state, sqrt(state$weight / (1 + state$weight * phi))),
      cbind(0, rbind(0, state$within))
    )
    triangle <- all_rows[, parts$columns]
    solution <- core_solve(triangle)
    b <- core_full_coefficients(solution)
    constant <- parts$columns[1] == 1L
    left <- core_group_residuals(state, if (constant) b[-1] else b, core_centre(triangle, constant))[parts$used]
    list(
      phi = phi, ssr = solution$ssr, value = -n / 2 * log(solution$ssr) - sum(log1p(size * phi)) / 2,
      slope = n / 2 * sum((size * left / (1 + size * phi))^2) / solution$ssr - sum(size / (1 + size * phi)) / 2
    )
  }
  grid <- c(0, 10^seq(-6, -1, by = 0.5), seq(0.15, 0.9, by = 0.05), 1 - 10^seq(-1.5, -10, by = -0.5))
  tried <- lapply(grid, at)
  # What fits every row has no likelihood.
  if (!all(vapply(tried, `[[`, 0, "ssr") > 0)) {
    return(list(sigma2_e = 0, sigma2_u = 0, df_within = n - parts$N, df_between = parts$N - 1))
  }
  best <- which.max(vapply(tried, `[[`, 0, "value"))
  slopes <- vapply(tried, `[[`, 0, "slope")
  low <- if (slopes[best] > 0 || best == 1L) best else best - 1L
  high <- low + 1L
  found <- if (best == 1L && slopes[1] <= 0) {
    tried[[1]]
  } else if (high > length(grid) || slopes[low] * slopes[high] > 0) {
    tried[[best]]
  } else {
    at(core_root(function(rho) at(rho)$slope, grid[low], grid[high], slopes[low], slopes[high]))
  }
  list(
    sigma2_e = found$ssr / n, sigma2_u = found$phi * found$ssr / n,
    df_within = n - parts$N - sum(parts$within$status == 0L), df_between = parts$N - 1
  )
}

# Root of f between low and high, whose signs differ, to rounding: bisection with the secant
# where that is inside.
core_root <- function(f, low, high, f_low, f_high) {
  for (step in 1:200) {
    middle <- (low + high) / 2
    secant <- high - f_high * (high - low) / (f_high - f_low)
    for (try in unique(c(if (is.finite(secant) && secant > low && secant < high) secant, middle))) {
      value <- f(try)
      if (value == 0) return(try)
      if (sign(value) == sign(f_low)) {
        if (try > low) {
          low <- try
          f_low <- value
        }
      } else if (try < high) {
        high <- try
        f_high <- value
      }
    }
    if (high - low <= 4 * .Machine$double.eps * max(abs(low), abs(high))) break
  }
  (low + high) / 2
}

core_variance_methods <- list(
  "amemiya" = core_amemiya, "maximum-likelihood" = core_maximum_likelihood, "nerlove" = core_nerlove,
  "swamy-arora" = core_swamy_arora, "wallace-hussain" = core_wallace_hussain
)
