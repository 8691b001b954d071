# Disturbances of an entity that follow AR(1): corr(e_t, e_s) = rho^d, d ticks of the clock apart.
# Letters: s the square roots of weights, M the projection that sweeps s out of each entity (or the identity), R the
# correlation of an entity's rows, B one half at rows one tick apart, m such pairs, r what residuals show of rho.

largest_rho <- 0.99

# What all of it needs of the rows: list(entity, clock, order, pairs: rows one tick apart, s, n). `swept` says whether
# each entity has a level of its own.
core_ar1_layout <- function(entity, clock, count = max(entity, 0L), weights = NULL, swept = FALSE) {
  n <- length(entity)
  s <- if (is.null(weights)) rep(1, n) else sqrt(weights)
  out <- list(entity = entity, clock = clock, order = core_time_order(entity, clock), count = count, s = s, n = n,
              weighted = !is.null(weights), swept = swept, pairs = core_lag_pairs(entity, clock))
  if (swept) out$weight <- cpp_group_sums(s^2, entity, count)
  out
}

# The transformed columns, a NULL one of ones: list(columns, log_keep, rows, NULL or those that are left). `rho` is one
# number or one by entity. `drop` leaves out each entity's first row.
core_ar1_rows <- function(columns, layout, rho, drop = FALSE) {
  made <- cpp_ar1_transform(columns, if (layout$weighted) layout$s, layout$entity, layout$clock, layout$order,
                            layout$count, rho)
  if (!drop) return(made)
  in_time <- if (is.null(layout$order)) seq_len(layout$n) else layout$order
  rows <- sort(in_time[duplicated(layout$entity[in_time])])
  list(columns = lapply(made$columns, `[`, rows), log_keep = made$log_keep, rows = rows)
}

# E(rho) = tr(MBMR) / tr(MR) of rows `lag` ticks apart: what r estimates. A function of rho. Entities whose rows stand
# alike, without weights, are counted once.
core_ar1_expected <- function(layout, lag = 1L) {
  pairs <- if (lag == 1L) layout$pairs else core_lag_pairs(layout$entity, layout$clock, lag)
  m <- length(pairs$now)
  n <- layout$n
  if (!layout$swept) return(function(rho) rho^lag * m / n)
  alike <- core_alike_entities(layout)
  times <- alike$times
  if (!is.null(alike$rows)) {
    layout <- core_ar1_layout(layout$entity[alike$rows], layout$clock[alike$rows], layout$count, swept = TRUE)
    pairs <- core_lag_pairs(layout$entity, layout$clock, lag)
  }
  by_entity <- function(x, rows) cpp_group_sums(x, layout$entity[rows], layout$count)
  all <- seq_len(layout$n)
  s <- layout$s
  inside <- by_entity(s[pairs$now] * s[pairs$before], pairs$now)
  weight <- layout$weight
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
  if (layout$weighted) return(list(times = 1))
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
  pairs <- layout$pairs
  now <- e[pairs$now]
  before <- e[pairs$before]
  r <- sum(now * before) / sum(e^2)
  expected <- core_ar1_expected(layout)
  rho <- switch(method,
    corrected = core_ar1_solve(expected, r),
    regression = sum(now * before) / sum(before^2),
    autocorrelation = r * core_live_rows(layout) / length(pairs$now)
  )
  by_entity <- function(x, rows) cpp_group_sums(x, layout$entity[rows], layout$count)
  z <- by_entity(now * before, pairs$now) - r * by_entity(e^2, seq_along(e))
  groups <- sum(tabulate(layout$entity, layout$count) > if (layout$swept) 1 else 0)
  half <- stats::qt((1 + level) / 2, groups - 1) * sqrt(groups / (groups - 1) * sum(z^2)) / sum(e^2)
  ends <- if (groups > 1) vapply(r + c(-1, 1) * half, function(one) core_ar1_solve(expected, one), 0) else c(NA, NA)
  bounded <- max(min(rho, largest_rho), -largest_rho)
  list(rho = bounded, low = ends[1], high = ends[2], pairs = length(pairs$now), at_bound = abs(rho) >= largest_rho)
}

# Rows whose residual is not zero whatever the outcome.
core_live_rows <- function(layout) {
  if (!layout$swept) return(layout$n)
  sizes <- tabulate(layout$entity, layout$count)
  sum(sizes[sizes > 1])
}

# The transformed columns less their regression on the transformed level tau of each entity, which is least squares with
# a dummy for each under the correlation: list(columns, tau, gram: tau'tau by entity, log_keep). The columns are taken
# from their means first, which tau takes out too, so that columns far from zero keep their digits.
core_ar1_swept <- function(columns, layout, rho) {
  total <- sum(layout$s^2)
  near <- lapply(columns, function(z) z - sum(layout$s^2 * z) / total)
  made <- core_ar1_rows(c(near, list(NULL)), layout, rho)
  tau <- made$columns[[length(columns) + 1L]]
  by_entity <- function(x) cpp_group_sums(x, layout$entity, layout$count)
  gram <- by_entity(tau^2)
  swept <- lapply(made$columns[seq_along(columns)], function(z) z - tau * (by_entity(tau * z) / gram)[layout$entity])
  list(columns = swept, tau = tau, gram = gram, log_keep = made$log_keep)
}

# The rho of the highest normal likelihood of the columns, the outcome last: with a level of each entity the restricted
# one, of what the levels and the regressors leave.
core_ar1_likeliest <- function(columns, layout) {
  last <- length(columns)
  likelihood <- function(rho) {
    made <- if (layout$swept) core_ar1_swept(columns, layout, rho) else core_ar1_rows(columns, layout, rho)
    Z <- do.call(cbind, made$columns)
    R <- qr.R(qr(Z))
    ssr <- R[last, last]^2
    n <- layout$n
    if (!layout$swept) return(made$log_keep - n / 2 * log(ssr))
    used <- layout$weight > 0
    slopes <- abs(diag(R)[-last])
    df <- n - sum(used) - length(slopes)
    made$log_keep - df / 2 * log(ssr) - sum(log(made$gram[used])) / 2 - sum(log(slopes))
  }
  stats::optimize(likelihood, c(-1, 1) * largest_rho, maximum = TRUE, tol = 1e-9)$maximum
}
