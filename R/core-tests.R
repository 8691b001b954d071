# Statistics of specification tests, from vectors, groups and rows in orthonormal coordinates.

# An entity or period component (Breusch & Pagan 1980; Honda 1985): with A = sum_g (sum we)^2 / sum we^2 over groups and
# M their sum of squared weights, HO = (n A - W) / sqrt(2 (M - W^2 / n)).
core_component <- function(e, codes, count, w = NULL) {
  n <- length(e)
  if (is.null(w)) {
    size <- as.double(tabulate(codes, count))
    A <- sum(cpp_group_sums(e, codes, count)^2) / sum(e^2)
    return(list(HO = n * (A - 1) / sqrt(2 * (sum(size^2) - n)), A = A - 1, M = sum(size^2)))
  }
  size <- cpp_group_sums(w, codes, count)
  A <- sum(cpp_group_sums(w * e, codes, count)^2) / sum(w * e^2)
  list(HO = (n * A - sum(w)) / sqrt(2 * (sum(size^2) - sum(w)^2 / n)), A = A - sum(w) / n,
       M = sum(size^2) - sum(w)^2 / n + n)
}

# One-way F of v on groups: list(statistic, df), over groups that have a row.
core_one_way_f <- function(v, codes, count) {
  size <- as.double(tabulate(codes, count))
  means <- cpp_group_sums(v, codes, count) / pmax(size, 1)
  n <- length(v)
  N <- sum(size > 0)
  between <- sum(size * (means - mean(v))^2)
  within <- sum((v - means[codes])^2)
  list(statistic = between / (N - 1) / (within / (n - N)), df = c(N - 1, n - N))
}

# |e_2 - e_1|, |e_4 - e_3|, ... of each entity in time, of those with at least two such pairs: list(v, codes).
core_disjoint_changes <- function(e, entity, clock) {
  order <- core_time_order(entity, clock)
  if (!is.null(order)) {
    e <- e[order]
    entity <- entity[order]
  }
  n <- length(e)
  start <- c(0L, cumsum(tabulate(entity)))[entity]
  place <- seq_len(n) - start
  second <- which(place %% 2L == 0L)
  codes <- entity[second]
  use <- tabulate(codes, max(entity))[codes] >= 2
  list(v = abs(e[second] - e[second - 1L])[use], codes = codes[use])
}

# Bartlett's test of equal variances; nu by group.
core_bartlett <- function(variance, nu) {
  total <- sum(nu)
  N <- length(nu)
  pooled <- sum(nu * variance) / total
  scale <- 1 + (sum(1 / nu) - 1 / total) / (3 * (N - 1))
  list(statistic = (total * log(pooled) - sum(nu * log(variance))) / scale, df = N - 1)
}

# n R^2 of squares on columns with a constant, combinations dropped: list(statistic, df).
core_square_regression <- function(squares, columns) {
  solution <- core_solve_pooled(core_pooled_state(core_rows(squares, columns)))
  alike <- solution$sst <= 1e-20 * sum(squares^2)
  list(statistic = if (alike) NA_real_ else length(squares) * (1 - solution$ssr / solution$sst),
       df = sum(solution$status == 0L))
}

# Skewness and kurtosis together (Jarque & Bera 1987).
core_jarque_bera <- function(v) {
  v <- v - mean(v)
  m2 <- mean(v^2)
  skewness <- mean(v^3) / m2^1.5
  kurtosis <- mean(v^4) / m2^2
  c(statistic = length(v) / 6 * (skewness^2 + (kurtosis - 3)^2 / 4), skewness = skewness, kurtosis = kurtosis)
}

# Residuals as a table, periods by entities, 0 where there is none: list(values, seen).
core_period_table <- function(e, entity, period, entities, periods) {
  values <- seen <- matrix(0, periods, entities)
  at <- cbind(period, entity)
  values[at] <- e
  seen[at] <- 1
  list(values = values, seen = seen)
}

core_pair_sums <- function(table, threads = core_threads(length(table$values) * 50)) {
  cpp_pair_sums(table$values, table$seen, threads)
}

# What columns add to a regression whose rows have the orthonormal basis z and the residuals e: an orthonormal basis of
# what is left of them. A column counts where more than 1e-9 of it is left.
core_added_basis <- function(z, columns) {
  before <- sqrt(colSums(columns^2))
  left <- columns - z %*% crossprod(z, columns)
  left <- left - z %*% crossprod(z, left)
  parts <- qr(left / rep(ifelse(before > 0, before, 1), each = nrow(left)), tol = 1e-9, LAPACK = FALSE)
  keep <- seq_len(parts$rank)
  diagonal <- abs(diag(qr.R(parts)))[keep]
  keep <- keep[diagonal > 1e-9]
  qr.Q(parts)[, keep, drop = FALSE]
}

# Generalised variance inflation of groups of columns, from the correlations of coefficients (Fox & Monette 1992).
core_gvif <- function(correlation, of) {
  log_det <- function(m) as.numeric(determinant(m, logarithm = TRUE)$modulus)
  vapply(split(seq_along(of), of), function(at) {
    rest <- setdiff(seq_along(of), at)
    if (length(rest) == 0) return(1)
    exp(log_det(correlation[at, at, drop = FALSE]) + log_det(correlation[rest, rest, drop = FALSE]) -
          log_det(correlation))
  }, 0)
}
