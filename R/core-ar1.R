# Disturbances of an entity that follow AR(1): corr(e_t, e_s) = rho^d, d ticks of the clock apart.
# Letters: s the square roots of weights, M the projection that sweeps s out of each entity (or the identity), R the
# correlation of an entity's rows, B one half at rows one tick apart, m such pairs, r what residuals show of rho;
# z* a column under the root of R^-1, tau that of the column of ones.

largest_rho <- 0.99

# What all of it needs of the rows: list(entity, clock, order, count, s, n). `swept` says whether each entity has a
# level of its own.
core_ar1_layout <- function(entity, clock, count = max(entity, 0L), weights = NULL, swept = FALSE) {
  list(entity = entity, clock = clock, order = core_time_order(entity, clock), count = count,
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
  c(state, list(far = centre, n = root$n, root = root, loading = loading, log_keep = cpp_ar1_log_keep(root)))
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
  share <- ifelse(used, size, 0) / sum(size[used])
  held <- 1 / sum((share^2 / state$weight)[used])
  grand <- cpp_weighted_level_sums(state$means, share, core_threads(length(share)))
  solution <- core_finish_fixed(
    state$within, sqrt(colSums(all_rows^2))[-1], grand, held, state$n, sum(used),
    sum(core_centred(all_rows)[, ncol(state$within)]^2)
  )
  levels <- core_combined_levels(state$means, solution$residual, solution$centre)
  levels[!used] <- NA_real_
  solution$levels <- list(list(level = levels, slopes = list()))
  solution$ones <- ifelse(used, held * share / state$weight, 0)
  solution$log_jacobian <- state$log_keep
  solution
}

# Random effects of the groups.
core_ar1_random <- function(state, variance, constant) {
  parts <- core_variance_state(state, constant)
  list(parts = parts, components = core_variance_methods[[variance]](state, parts))
}

# Of rows as they are, b the slopes: 1 - SS(y - x'b) / SS(y), both less their groups' means, and squared correlations.
core_ar1_r_squared <- function(rows, b, groups, constant, swept) {
  centre <- if (constant) NULL else numeric(rows$k + 1L)
  known <- core_r_squared(rows, b, groups, centre)
  share <- if (swept) core_share_explained(known$within_left, known$within_y, known$within_raw) else known$within
  c(within = share, between = known$between, overall = known$overall)
}

core_ar1_pairs <- function(layout, lag = 1L) core_lag_pairs(layout$entity, layout$clock, lag)

# E(rho) = tr(MBMR) / tr(MR) of rows `lag` ticks apart: what r estimates. A function of rho. Entities whose rows stand
# alike, without weights, are counted once.
core_ar1_expected <- function(layout, lag = 1L, pairs = core_ar1_pairs(layout, lag)) {
  m <- length(pairs$now)
  n <- layout$n
  if (!layout$swept) return(function(rho) rho^lag * m / n)
  alike <- core_alike_entities(layout)
  times <- alike$times
  if (!is.null(alike$rows)) {
    layout <- core_ar1_layout(layout$entity[alike$rows], layout$clock[alike$rows], layout$count, swept = TRUE)
    pairs <- core_ar1_pairs(layout, lag)
  }
  by_entity <- function(x, rows) cpp_group_sums(x, layout$entity[rows], layout$count)
  all <- seq_len(layout$n)
  s <- if (is.null(layout$s)) rep(1, layout$n) else layout$s
  inside <- by_entity(s[pairs$now] * s[pairs$before], pairs$now)
  weight <- by_entity(s^2, all)
  used <- weight > 0
  share <- function(x) sum((times * x / weight)[used])
  core_remembered(function(rho) {
    Rs <- cpp_ar1_correlate(s, layout$entity, layout$clock, layout$order, rho)
    across <- by_entity((s[pairs$now] * Rs[pairs$before] + s[pairs$before] * Rs[pairs$now]) / 2, pairs$now)
    own <- by_entity(s * Rs, all)
    (rho^lag * m - 2 * share(across) + share(inside / weight * own)) / (n - share(own))
  })
}

# One entity of each pattern of periods: list(rows, NULL for all; times, by entity, 0 for those not taken). Patterns are
# told apart by sums of numbers without a rule, one for each place on the clock after the entity's first.
core_alike_entities <- function(layout) {
  if (!is.null(layout$s)) return(list(times = 1))
  entity <- layout$entity
  place <- layout$clock - cpp_first_and_last(entity, layout$clock, layout$count)$first[entity] + 1L
  pattern <- cpp_group_sums(cos(0.7531 * as.double(place)^2), entity, layout$count)
  kind <- match(pattern, unique(pattern))
  taken <- !duplicated(kind)
  times <- ifelse(taken, tabulate(kind)[kind], 0)
  list(rows = which(taken[entity]), times = times)
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

# rho of residuals e, under the square roots of weights and swept as the rows are, by one of the methods, with its
# interval: list(rho, low, high, pairs, at_bound).
core_ar1_rho <- function(e, layout, method = "corrected", level = 0.95) {
  pairs <- core_ar1_pairs(layout)
  now <- e[pairs$now]
  before <- e[pairs$before]
  r <- sum(now * before) / sum(e^2)
  expected <- core_ar1_expected(layout, pairs = pairs)
  rho <- switch(method,
    corrected = core_ar1_solve(expected, r),
    regression = sum(now * before) / sum(before^2),
    autocorrelation = r * core_live_rows(layout) / length(pairs$now)
  )
  interval <- core_ar1_interval(e, layout, pairs, expected, level)
  c(core_within_bounds(rho), list(low = interval[1], high = interval[2], pairs = length(pairs$now)))
}

core_within_bounds <- function(rho) {
  list(rho = max(min(rho, largest_rho), -largest_rho), at_bound = abs(rho) >= largest_rho)
}

# r plus and minus t(G - 1) times its error from entities, mapped through E^-1; NA where one entity tells it.
core_ar1_interval <- function(e, layout, pairs, expected, level = 0.95) {
  by_entity <- function(x, rows) cpp_group_sums(x, layout$entity[rows], layout$count)
  products <- e[pairs$now] * e[pairs$before]
  r <- sum(products) / sum(e^2)
  z <- by_entity(products, pairs$now) - r * by_entity(e^2, seq_along(e))
  groups <- sum(tabulate(layout$entity, layout$count) > if (layout$swept) 1 else 0)
  if (groups < 2) return(c(NA_real_, NA_real_))
  half <- stats::qt((1 + level) / 2, groups - 1) * sqrt(groups / (groups - 1) * sum(z^2)) / sum(e^2)
  vapply(r + c(-1, 1) * half, function(one) core_ar1_solve(expected, one), 0)
}

# Whether rows two ticks apart are related as rho has it: with r_k what residuals show at lag k,
#   u_i = sum_2 e e_{-2} - E_2 sum e^2 - (E_2' / E_1') (sum_1 e e_{-1} - E_1 sum e^2),
# whose mean over entities is 0 under AR(1), rho estimated: list(statistic t, G, pairs).
core_ar1_enough <- function(e, layout, rho) {
  by_entity <- function(x, rows) cpp_group_sums(x, layout$entity[rows], layout$count)
  squares <- by_entity(e^2, seq_along(e))
  pairs <- lapply(1:2, function(lag) core_ar1_pairs(layout, lag))
  apart <- lapply(1:2, function(lag) {
    expected <- core_ar1_expected(layout, lag, pairs[[lag]])
    # The slope of E, from both sides.
    slope <- (expected(min(rho + 1e-5, 1 - 1e-9)) - expected(rho - 1e-5)) / (min(rho + 1e-5, 1 - 1e-9) - (rho - 1e-5))
    products <- by_entity(e[pairs[[lag]]$now] * e[pairs[[lag]]$before], pairs[[lag]]$now)
    list(z = products - expected(rho) * squares, slope = slope)
  })
  told <- tabulate(layout$entity, layout$count) > if (layout$swept) 1 else 0
  u <- (apart[[2]]$z - apart[[2]]$slope / apart[[1]]$slope * apart[[1]]$z)[told]
  list(statistic = if (sum(told) > 1) core_mean_t(u) else NA_real_, G = sum(told), pairs = length(pairs[[2]]$now))
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
  sizes <- tabulate(layout$entity, layout$count)
  sum(sizes[sizes > 1])
}

# The rho of the highest normal likelihood of the columns [x, y]: with a level of each entity the restricted one, of
# what the levels and the regressors leave. `groups` are the entities; looked for on a grid first.
core_ar1_likeliest <- function(columns, layout, groups, constant) {
  likelihood <- function(rho) {
    state <- core_ar1_state(columns, layout, core_ar1_root(layout, rho), groups)
    n <- layout$n
    if (!layout$swept) return(state$log_keep - n / 2 * log(core_ar1_pooled(state, constant)$ssr))
    solved <- core_solve_within(state, core_ar1_all_rows(state))
    used <- state$weight > 0
    df <- n - sum(used) - length(solved$coefficients)
    state$log_keep - df / 2 * log(solved$ssr) - sum(log(state$weight[used])) / 2 - sum(log(abs(diag(solved$upper))))
  }
  grid <- largest_rho * seq(-1, 1, by = 0.125)
  best <- which.max(vapply(grid, likelihood, 0))
  around <- grid[c(max(best - 1, 1), min(best + 1, length(grid)))]
  stats::optimize(likelihood, around, maximum = TRUE, tol = 1e-9)$maximum
}
