# Disturbances of an entity that follow AR(1): corr(e_t, e_s) = rho^d, d ticks of the clock apart.
# Letters: s the square roots of weights, M the projection that sweeps s out of each entity (or the identity), R the
# correlation of an entity's rows, B one half at rows one tick apart, m such pairs, r what residuals show of rho;
# z* a column under the root of R^-1, tau that of the column of ones.

largest_rho <- 0.99

# What all of it needs of the rows: list(entity, clock, order, count, sizes, s, n). `swept` says whether each entity has
# a level of its own.
core_ar1_layout <- function(entity, clock, count = max(entity, 0L), weights = NULL, swept = FALSE,
                            sizes = tabulate(entity, count)) {
  list(entity = entity, clock = clock, order = core_time_order(entity, clock), count = count, sizes = sizes,
       s = if (!is.null(weights)) sqrt(weights), n = length(entity), swept = swept)
}

# The root of the inverse correlation, exact: z*_t = c_d (z_t - rho^d z_{t-d}), d ticks since the entity's row before,
# c_d^2 = (1 - rho^2) / (1 - rho^2d); an entity's first row times sqrt(1 - rho^2). `rho` is one number or one by entity.
# `leave` says which rows are left out: "none", each entity's "first", or those that start a run of neighbouring periods
# ("runs"). Row r is made of rows now[r] and before[r] of the columns, see `Ar1Root`.
core_ar1_root <- function(layout, rho, leave = "none") {
  root <- list(entity = layout$entity, clock = layout$clock, s = layout$s, now = NULL, before = NULL, rho = rho,
               n = layout$n)
  if (is.null(layout$order) && leave == "none") return(root)
  in_time <- if (is.null(layout$order)) seq_len(layout$n) else layout$order
  of <- layout$entity[in_time]
  root$before <- integer(layout$n)
  root$before[in_time] <- ifelse(c(FALSE, of[-1] == of[-layout$n]), c(0L, in_time[-layout$n]), 0L)
  if (leave == "none") return(root)
  root$now <- which(root$before > 0L)
  if (leave == "runs") {
    clock <- layout$clock
    root$now <- root$now[clock[root$now] - clock[root$before[root$now]] == 1L]
  }
  root$before <- root$before[root$now]
  root$n <- length(root$now)
  root
}

# Columns under the root, a NULL one of ones.
core_ar1_columns <- function(columns, root) cpp_ar1_columns(columns, root, core_threads(root$n))

# The state of the transformed columns split into their regression on tau by group and what that leaves, as
# core_one_way_state() has rows and their means: list(means, weight: tau'tau, within, near, far, n, root, loading: tau,
# log_keep). `groups` are the entities of the root's rows.
core_ar1_state <- function(columns, layout, root, groups) {
  weights <- if (!is.null(layout$s)) layout$s^2
  centre <- core_weighted_means(columns, weights)
  loading <- core_ar1_columns(list(NULL), root)[[1]]
  state <- cpp_ar1_levels(columns, centre, root, loading, groups, core_threads(root$n))
  c(state, list(far = centre, n = root$n, root = root, loading = loading,
                log_keep = cpp_ar1_log_keep(root, core_threads(root$n))))
}

# Of [tau, x*, y*], whatever their groups.
core_ar1_all_rows <- function(state) core_merge_within(state, core_group_triangle(state, sqrt(state$weight)))

# Least squares of the transformed rows, the constant tau among the regressors.
core_ar1_pooled <- function(state, constant) {
  all_rows <- core_ar1_all_rows(state)
  core_least_squares(all_rows[, core_used_columns(state, constant)], constant, state$n,
                     sst = sum(core_centred(all_rows)[, ncol(state$within)]^2), log_jacobian = state$log_keep)
}

# With a level of each group, which is least squares with a dummy for each under the correlation. The constant is the
# mean of the levels, each counted by the weights of its rows, `size`; `ones` by group is what its column holds of tau.
core_ar1_fixed <- function(state, size) {
  all_rows <- core_ar1_all_rows(state)
  used <- state$weight > 0
  share <- size * used / sum(size[used])
  held <- 1 / sum((share^2 / state$weight)[used])
  grand <- cpp_weighted_level_sums(state$means, share, core_threads(length(share)))
  solution <- core_finish_fixed(
    state$within, sqrt(colSums(all_rows^2))[-1], grand, held, state$n, sum(used),
    sum(core_centred(all_rows)[, ncol(state$within)]^2)
  )
  levels <- core_combined_levels(state$means, solution$residual, solution$centre)
  levels[!used] <- NA_real_
  solution$levels <- list(list(level = levels, slopes = list()))
  solution$ones <- held * share / state$weight
  solution$ones[!used] <- 0
  solution$log_jacobian <- state$log_keep
  solution
}

# Of rows as they are, b the slopes: 1 - SS(y - x'b) / SS(y), both less their groups' means, and squared correlations.
core_ar1_r_squared <- function(rows, b, groups, constant, swept) {
  centre <- if (constant) NULL else numeric(rows$k + 1L)
  known <- core_r_squared(rows, b, groups, centre)
  share <- if (swept) core_share_explained(known$within_left, known$within_y, known$within_raw) else known$within
  c(within = share, between = known$between, overall = known$overall)
}

# The same from the state of the rows as they are.
core_ar1_r_squared_of_state <- function(state, b, swept) {
  between <- core_group_triangle(state, sqrt(state$weight))
  all_rows <- core_merge_within(state, between)
  p <- ncol(state$within)
  known <- core_one_way_r_squared(state, b, all_rows, between)
  if (!swept) return(known)
  left <- sum((state$within %*% c(-b, 1))^2)
  c(within = core_share_explained(left, sum(state$within[, p]^2), sum(core_centred(all_rows)[, p]^2)),
    known[c("between", "overall")])
}

core_ar1_pairs <- function(layout, lag = 1L) core_lag_pairs(layout$entity, layout$clock, lag)

# E(rho) = tr(MBMR) / tr(MR) of rows `lag` ticks apart, m pairs: what r estimates. A function of rho. Entities whose
# rows stand alike, without weights, are counted once.
core_ar1_expected <- function(layout, lag = 1L, m = length(core_ar1_pairs(layout, lag)$now)) {
  n <- layout$n
  if (!layout$swept) return(function(rho) rho^lag * m / n)
  rows <- layout[c("s", "entity", "clock", "order")]
  rows["times"] <- list(NULL)
  if (is.null(layout$s)) {
    alike <- cpp_period_patterns(layout$entity, layout$clock, layout$order)
    rows <- list(s = NULL, entity = alike$entity, clock = layout$clock[alike$rows], order = NULL, times = alike$times)
  }
  threads <- core_threads(length(rows$entity))
  core_remembered(function(rho) {
    traces <- cpp_ar1_traces(rows$s, rows$entity, rows$clock, rows$order, rows$times, rho, as.integer(lag), threads)
    (rho^lag * m + traces[1]) / (n - traces[2])
  })
}

# The same function, which computes each value once.
core_remembered <- function(f) {
  known <- new.env(parent = emptyenv())
  function(x) {
    key <- sprintf("%a", x)
    if (is.null(known[[key]])) assign(key, f(x), known)
    known[[key]]
  }
}

# The rho at which E(rho) is r, within the bounds. Where weights differ much within swept entities E falls again near 1:
# the smallest such rho.
core_ar1_solve <- function(expected, r) {
  grid <- largest_rho * c(-1, -0.75, -0.5, -0.25, 0, 0.25, 0.5, 0.7, 0.8, 0.9, 0.95, 1)
  reached <- which(vapply(grid, expected, 0) >= r)
  if (length(reached) == 0) return(largest_rho)
  if (reached[1] == 1) return(-largest_rho)
  stats::uniroot(function(rho) expected(rho) - r, grid[reached[1] - 1:0], tol = 1e-13)$root
}

# What residuals show of rho at a lag: list(products, squares: by entity; before, pairs).
core_ar1_moments <- function(e, layout, lag = 1L) {
  cpp_ar1_moments(e, layout$entity, layout$clock, layout$order, layout$count, as.integer(lag),
                  core_threads(layout$n))
}

# The same of the residuals of a regression of the rows, times the root of their weights; `groups` are the entities.
core_ar1_moments_of <- function(rows, transform, solution, layout, groups) {
  if (is.null(layout$order) && groups$sorted) {
    return(cpp_ar1_view_moments(core_unswept_view(rows, transform, solution), groups, layout$clock,
                                core_threads(layout$n)))
  }
  e <- core_residuals(rows, transform, solution)
  core_ar1_moments(if (is.null(rows$weights)) e else e * sqrt(rows$weights), layout)
}

# rho by one of the methods, of what residuals under the square roots of weights, swept as the rows are, show of it;
# with its interval: list(rho, low, high, pairs, at_bound).
core_ar1_rho <- function(shown, layout, method = "corrected", level = 0.95) {
  r <- sum(shown$products) / sum(shown$squares)
  expected <- core_ar1_expected(layout, m = shown$pairs)
  rho <- switch(method,
    corrected = core_ar1_solve(expected, r),
    regression = sum(shown$products) / shown$before,
    autocorrelation = r * core_live_rows(layout) / shown$pairs
  )
  interval <- core_ar1_interval(shown, layout, expected, level)
  c(core_within_bounds(rho), list(low = interval[1], high = interval[2], pairs = as.integer(shown$pairs)))
}

core_within_bounds <- function(rho) {
  list(rho = max(min(rho, largest_rho), -largest_rho), at_bound = abs(rho) >= largest_rho)
}

# r plus and minus t(G - 1) times its error from entities, mapped through E^-1; NA where one entity tells it.
core_ar1_interval <- function(shown, layout, expected, level = 0.95) {
  total <- sum(shown$squares)
  r <- sum(shown$products) / total
  z <- shown$products - r * shown$squares
  groups <- sum(layout$sizes > if (layout$swept) 1 else 0)
  if (groups < 2) return(c(NA_real_, NA_real_))
  half <- stats::qt((1 + level) / 2, groups - 1) * sqrt(groups / (groups - 1) * sum(z^2)) / total
  vapply(r + c(-1, 1) * half, function(one) core_ar1_solve(expected, one), 0)
}

# Whether rows two ticks apart are related as rho has it: with r_k what residuals show at lag k,
#   u_i = sum_2 e e_{-2} - E_2 sum e^2 - (E_2' / E_1') (sum_1 e e_{-1} - E_1 sum e^2),
# whose mean over entities is 0 under AR(1), rho estimated: list(statistic t, G, pairs).
core_ar1_enough <- function(e, layout, rho) {
  apart <- lapply(1:2, function(lag) {
    shown <- core_ar1_moments(e, layout, lag)
    expected <- core_ar1_expected(layout, lag, shown$pairs)
    # The slope of E, from both sides.
    slope <- (expected(min(rho + 1e-5, 1 - 1e-9)) - expected(rho - 1e-5)) / (min(rho + 1e-5, 1 - 1e-9) - (rho - 1e-5))
    list(z = shown$products - expected(rho) * shown$squares, slope = slope, pairs = shown$pairs)
  })
  told <- layout$sizes > if (layout$swept) 1 else 0
  u <- (apart[[2]]$z - apart[[2]]$slope / apart[[1]]$slope * apart[[1]]$z)[told]
  list(statistic = if (sum(told) > 1) core_mean_t(u) else NA_real_, G = sum(told), pairs = as.integer(apart[[2]]$pairs))
}

# Draws of such disturbances of variance 1, from normal numbers z by row; rho is one number or one by entity.
core_ar1_draw <- function(z, layout, rho) {
  in_time <- if (is.null(layout$order)) seq_len(layout$n) else layout$order
  entity <- layout$entity[in_time]
  clock <- layout$clock[in_time]
  first <- c(TRUE, entity[-1] != entity[-layout$n])
  fade <- ifelse(first, 0, (if (length(rho) > 1) unname(rho[entity]) else rho)^c(0, diff(clock)))
  place <- sequence(diff(c(which(first), layout$n + 1L)))
  out <- sqrt(1 - fade^2) * z[in_time]
  rows <- split(seq_along(out), place)
  for (at in rows[-1]) out[at] <- out[at] + fade[at] * out[at - 1L]
  out[order(in_time)]
}

# Rows whose residual is not zero whatever the outcome.
core_live_rows <- function(layout) {
  if (!layout$swept) return(layout$n)
  sizes <- layout$sizes
  sum(sizes[sizes > 1])
}

# The normal log-likelihood of the columns [x, y] as a function of rho, all else at its maximum; with a level of each
# entity the restricted one, of what the levels and the regressors leave. `groups` are the entities.
core_ar1_likelihood <- function(columns, layout, groups, constant) {
  n <- layout$n
  function(rho) {
    state <- core_ar1_state(columns, layout, core_ar1_root(layout, rho), groups)
    if (!layout$swept) return(state$log_keep - n / 2 * log(core_ar1_pooled(state, constant)$ssr))
    solved <- core_solve_within(state, core_ar1_all_rows(state))
    used <- state$weight > 0
    df <- n - sum(used) - length(solved$coefficients)
    state$log_keep - df / 2 * log(solved$ssr) - sum(log(state$weight[used])) / 2 - sum(log(abs(diag(solved$upper))))
  }
}

# The rho at which a likelihood is highest: about the best point of a grid, where its slope vanishes. Steps towards
# the top itself would stop at the root of what rounding leaves.
core_ar1_likeliest <- function(likelihood) {
  grid <- largest_rho * seq(-1, 1, by = 0.125)
  best <- which.max(vapply(grid, likelihood, 0))
  around <- grid[c(max(best - 1, 1), min(best + 1, length(grid)))]
  step <- 1e-3
  slope <- function(rho) {
    at <- vapply(rho + step * c(-2, -1, 1, 2), likelihood, 0)
    (8 * (at[3] - at[2]) - (at[4] - at[1])) / (12 * step)
  }
  ends <- vapply(around, slope, 0)
  if (ends[1] <= 0 || ends[2] >= 0) return(around[if (ends[1] <= 0) 1 else 2])
  stats::uniroot(slope, around, f.lower = ends[1], f.upper = ends[2], tol = 1e-12)$root
}
