# Serial correlation of the rows of an entity. `entity` has the code of every row, `clock` its integer period.

# Rows `lag` clock ticks apart within an entity: `now` and `before`, as row numbers.
core_lag_pairs <- function(entity, clock, lag = 1L) {
  order <- core_time_order(entity, clock)
  from <- cpp_shifted_rows(entity, clock, order, as.integer(lag))
  now <- which(!is.na(from))
  list(now = now, before = from[now])
}

# Rows by entity and clock; NULL where they stand so.
core_time_order <- function(entity, clock) {
  if (!cpp_strictly_ordered(entity, clock)) order(entity, clock, method = "radix")
}

# Those one tick apart, and how many neighbouring rows of an entity are further from each other.
core_adjacent_rows <- function(entity, clock) {
  pairs <- core_lag_pairs(entity, clock)
  neighbours <- length(entity) - sum(tabulate(entity) > 0)
  c(pairs, list(across_gaps = neighbours - length(pairs$now)))
}

# Sums of terms by entity, of those that have one: list(sums, G).
core_entity_sums <- function(terms, entity) {
  groups <- rank_codes(entity)
  list(sums = cpp_group_sums(as.double(terms), groups$codes, groups$count), G = groups$count, codes = groups$codes)
}

# Codes ranked to 1, ..., count.
rank_codes <- function(codes) {
  seen <- which(tabulate(codes) > 0)
  place <- integer(max(codes, 0L))
  place[seen] <- seq_along(seen)
  list(codes = place[codes], count = length(seen))
}

# t of a mean of independent terms z against 0; NA where they do not vary.
core_mean_t <- function(z) {
  spread <- stats::sd(z)
  if (is.finite(spread) && spread > 1e-12 * max(abs(z))) mean(z) / (spread / sqrt(length(z))) else NA_real_
}

# Residuals r of the equation in changes between adjacent periods (Wooldridge, 10.6.3), swept by `sweep`, groups of the
# later row of each change, a list: list(r, pairs, live, which of them are not fitted whatever their outcome).
core_change_residuals <- function(rows, entity, clock, drift = FALSE, sweep = list()) {
  pairs <- core_adjacent_rows(entity, clock)
  n <- length(pairs$now)
  out <- list(r = numeric(), pairs = pairs, live = logical(), changes = n)
  if (n <= length(rows$x)) return(out)
  across <- function(v) v[pairs$now] - v[pairs$before]
  changed <- core_rows(across(rows$y), lapply(rows$x, across), constant = drift)
  if (length(sweep) == 0) {
    solution <- core_solve_pooled(core_pooled_state(changed))
    out$r <- core_residuals(changed, NULL, solution)
    out$live <- rep(TRUE, n)
    return(out)
  }
  sets <- lapply(sweep, function(groups) {
    codes <- rank_codes(groups$codes[pairs$now])
    core_effect_set(core_groups(codes$codes, codes$count))
  })
  state <- core_absorb(changed, sets)
  on.exit(core_release(state$system))
  solution <- core_solve_swept(state)
  out$r <- core_residuals(changed, list(layers = state$layers, constant = TRUE), solution)
  out$live <- !seq_len(n) %in% core_fitted_rows(sets, n)
  out
}

# Of r in changes, those of neighbouring changes: list(now, before, entity).
core_change_pairs <- function(changes, entity, clock) {
  if (length(changes$r) == 0) return(list(now = numeric(), before = numeric(), entity = integer()))
  now <- changes$pairs$now
  lagged <- core_lag_pairs(entity[now], clock[now])
  both <- changes$live[lagged$now] & changes$live[lagged$before]
  list(now = changes$r[lagged$now[both]], before = changes$r[lagged$before[both]],
       entity = entity[now][lagged$now[both]])
}

# z_i = sum of r_{t-1} (r_t + r_{t-1} / 2), whose mean is 0 where disturbances are unrelated: list(statistic t, G,
# slope, pairs), NA where it cannot be told.
core_serial_differences <- function(pairs, regression = FALSE) {
  out <- list(statistic = NA_real_, G = 0L, pairs = length(pairs$now), slope = NA_real_)
  if (out$pairs == 0 || sum(pairs$before^2) == 0) return(out)
  by <- core_entity_sums(pairs$before * (pairs$now + pairs$before / 2), pairs$entity)
  out$G <- by$G
  out$slope <- sum(pairs$before * pairs$now) / sum(pairs$before^2)
  if (by$G < 2) return(out)
  if (regression) {
    scores <- core_entity_sums(pairs$before * (pairs$now - out$slope * pairs$before), pairs$entity)$sums
    out$std_error <- sqrt(by$G / (by$G - 1) * sum(scores^2)) / sum(pairs$before^2)
    out$statistic <- (out$slope + 0.5) / out$std_error
  } else {
    out$statistic <- core_mean_t(by$sums)
  }
  out
}

# z_i = sum of e_{t-1} (e_t + e_{t-1} / (T_i - 1)) of residuals within entities (Wooldridge, 10.5.4).
core_serial_within <- function(e, entity, clock, lag = 1L) {
  size <- tabulate(entity)
  pairs <- core_lag_pairs(entity, clock, lag)
  use <- size[entity[pairs$now]] >= 3
  now <- pairs$now[use]
  before <- pairs$before[use]
  by <- core_entity_sums(e[before] * (e[now] + e[before] / (size[entity[now]] - 1)), entity[now])
  list(statistic = if (by$G > 1) core_mean_t(by$sums) else NA_real_, G = by$G, pairs = length(now))
}

# Durbin and Watson's d over adjacent periods, or, of uneven panels, 2 - 2 sum e e_{-1} / sum e^2.
core_durbin_watson <- function(e, pairs, even) {
  if (even) return(sum((e[pairs$now] - e[pairs$before])^2) / sum(e^2))
  2 - 2 * sum(e[pairs$now] * e[pairs$before]) / sum(e^2)
}

# Born and Breitung (2016) at lag k, each entity's sum corrected for its mean having been taken out of e.
core_serial_lm <- function(e, entity, clock, lag) {
  size <- tabulate(entity)
  pairs <- core_lag_pairs(entity, clock, lag)
  of_pairs <- cpp_group_sums(e[pairs$now] * e[pairs$before], entity[pairs$now], length(size))
  squares <- cpp_group_sums(e^2, entity, length(size))
  m <- tabulate(entity[pairs$now], length(size))
  use <- size >= 3 & m >= 1
  z <- of_pairs[use] + m[use] / (size[use] * (size[use] - 1)) * squares[use]
  G <- sum(use)
  spread <- sum(z^2) - sum(z)^2 / G
  list(statistic = if (G > 1 && spread > 0) sum(z) / sqrt(spread) * sqrt((G - 1) / G) else NA_real_, G = G,
       pairs = sum(m[use]))
}

# Breusch and Godfrey's at lags 1 to p: list(statistic, df, F). `rows` are those of the regression, e its residuals; an
# absent lag is 0.
core_breusch_godfrey <- function(rows, e, entity, clock, lags) {
  absent <- function(lag) {
    pairs <- core_lag_pairs(entity, clock, lag)
    out <- numeric(length(e))
    out[pairs$now] <- e[pairs$before]
    out
  }
  root <- if (is.null(rows$weights)) 1 else sqrt(rows$weights)
  wide <- core_rows(e / root, c(rows$x, lapply(seq_len(lags), function(lag) absent(lag) / root)),
                    constant = rows$constant, weights = rows$weights)
  solution <- core_solve_pooled(core_pooled_state(wide))
  added <- sum(solution$status[-seq_along(rows$x)] == 0L)
  total <- sum(e^2)
  list(statistic = length(e) * (1 - solution$ssr / total), df = added,
       f = (total - solution$ssr) / added / (solution$ssr / solution$df_residual), f_df = solution$df_residual)
}

# The C(alpha) test of no autocorrelation given the entity component, lags 1 to p. With V_i = s2_e I + s2_u J,
# c = s2_u / (s2_e + T s2_u), w = V^-1 (y - Xb), G_k with ones at rows k periods apart and d_k its row sums: scores and
# information of (rho_1, ..., rho_p, s2_u, s2_e) in closed form.
core_serial_conditional <- function(residual, entity, clock, sigma2_e, sigma2_u, lags) {
  size <- tabulate(entity)
  N <- length(size)
  sums <- function(v) cpp_group_sums(as.double(v), entity, N)
  c_i <- sigma2_u / (sigma2_e + size * sigma2_u)
  w <- (residual - (c_i * sums(residual))[entity]) / sigma2_e
  T_i <- size
  shrunk <- 1 - c_i * T_i
  twice <- 2 * c_i - c_i^2 * T_i # (I - cJ)^2 = I - twice J
  pairs <- lapply(seq_len(lags), function(k) core_lag_pairs(entity, clock, k))
  degree <- lapply(pairs, function(one) tabulate(one$now, length(entity)) + tabulate(one$before, length(entity)))
  m <- lapply(pairs, function(one) tabulate(entity[one$now], N))
  score <- vapply(seq_len(lags), function(k) {
    sigma2_e * sum(w[pairs[[k]]$now] * w[pairs[[k]]$before]) + sum(c_i * m[[k]])
  }, 0)
  of_others <- c(sum(sums(w)^2 - T_i * shrunk / sigma2_e), sum(w^2) - sum(T_i * (1 - c_i)) / sigma2_e) / 2
  information <- diag(0, lags + 2L)
  for (k in seq_len(lags)) {
    for (l in seq_len(k)) {
      information[k, l] <- information[l, k] <- (if (k == l) 2 * sum(m[[k]]) else 0) -
        sum(2 * c_i * sums(degree[[k]] * degree[[l]])) + sum(c_i^2 * 4 * m[[k]] * m[[l]])
    }
    information[k, lags + 1L] <- information[lags + 1L, k] <- sum(shrunk^2 * 2 * m[[k]]) / sigma2_e
    information[k, lags + 2L] <- information[lags + 2L, k] <- -sum(twice * 2 * m[[k]]) / sigma2_e
  }
  at <- lags + 1:2
  information[at, at] <- c(sum((T_i * shrunk)^2), sum(T_i * shrunk^2), sum(T_i * shrunk^2),
                           sum(T_i - twice * T_i)) / sigma2_e^2
  information <- information / 2
  own <- seq_len(lags)
  if (rcond(information[at, at]) < 1e-14) return(list(statistic = NA_real_))
  carried <- information[own, at, drop = FALSE] %*% solve(information[at, at])
  left <- score - drop(carried %*% of_others)
  spread <- information[own, own, drop = FALSE] - carried %*% information[at, own, drop = FALSE]
  # Where rows tell nothing of it that the component does not: two periods each.
  size <- sqrt(diag(information)[own])
  told <- all(size > 0) && all(diag(spread) > 1e-8 * size^2) && rcond(spread / outer(size, size)) > 1e-10
  list(statistic = if (told) sum(left * solve(spread, left)) else NA_real_,
       pairs = vapply(pairs, function(one) length(one$now), 0L))
}

# Of pooled residuals: serial correlation and an entity component together, and each allowing for the other.
core_serial_joint <- function(e, entity, clock) {
  n <- length(e)
  size <- as.double(tabulate(entity))
  pairs <- core_lag_pairs(entity, clock)
  a <- sum(size * (size - 1)) / 2
  m <- length(pairs$now)
  sigma2 <- sum(e^2) / n
  s_u <- (sum(cpp_group_sums(e, entity, length(size))^2) / sigma2 - n) / 2
  s_rho <- sum(e[pairs$now] * e[pairs$before]) / sigma2
  list(joint = (s_u^2 - 2 * s_u * s_rho + a / m * s_rho^2) / (a - m),
       serial = (s_rho - m / a * s_u)^2 / (m * (1 - m / a)), component = (s_u - s_rho) / sqrt(a - m), a = a, m = m)
}
