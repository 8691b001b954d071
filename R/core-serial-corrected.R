# Serial correlation of residuals e = Mu of any projection M, corrected for what M makes of unrelated disturbances: see
# serial-corrected.hpp. M = M_o - ZZ', M_o the annihilator of what is nested in entities.

trace_probes <- 64
period_probes <- 16
most_probed_periods <- 30

# `nested` is a list of list(codes, loadings), effects within entities; `beside` the columns of all else, times `root`,
# that of the weights. Where `annihilate`, a function that gives MV of a matrix V, stands in their place, traces are
# estimated. list(forms: by lag list(rows, entities), each list(z by entity told, told, kappa, statistic, G); rho, the
# autocorrelation from one tick of the clock to the next, NA where there is none).
core_serial_corrected <- function(e, entity, clock, nested, beside = NULL, lags = 1L, root = NULL, annihilate = NULL,
                                  with_rho = TRUE, threads = core_threads(length(e))) {
  order <- core_time_order(entity, clock)
  sorted <- function(v) {
    if (is.null(order) || is.null(v)) return(v)
    if (is.matrix(v)) v[order, , drop = FALSE] else v[order]
  }
  rows <- list(
    e = sorted(as.double(e)), clock = as.integer(sorted(clock)), start = c(0, cumsum(tabulate(entity))),
    root = sorted(root), z = NULL, nested = lapply(nested, function(set) {
      list(codes = sorted(set$codes), loadings = lapply(set$loadings, sorted))
    }), less_diagonal = NULL, less_pairs = NULL
  )
  drawn <- NULL
  if (is.null(annihilate)) {
    rows["z"] <- list(core_basis_beside(rows, sorted(beside), threads))
  } else {
    drawn <- core_serial_probes(rows, sorted(entity), lags, annihilate, order, threads)
  }
  rows[c("less_diagonal", "less_pairs")] <- list(drawn$diagonal, drawn$pairs)
  done <- cpp_serial_forms(rows, as.integer(lags), with_rho, threads)
  forms <- lapply(seq_along(lags), function(l) {
    both <- lapply(1:2, function(v) {
      form <- done$forms[[2 * l - 2 + v]]
      if (is.null(drawn)) {
        form$kappa <- core_serial_kappa(rows, form, lags[l], threads)
      } else {
        if (v == 1) form <- core_even_periods(rows, form, lags[l], annihilate, order, threads)
        shifted <- cpp_serial_apply(rows, lags[l], form$diagonal, form$told, drawn$left, threads)
        products <- cpp_entity_products(rows, drawn$left, shifted, threads)
        pairs <- upper.tri(products$sum)
        form$kappa <- max(1, sum(products$sum[pairs]^2) / sum(products$squares[pairs]))
      }
      core_serial_mean(form)
    })
    list(rows = both[[1]], entities = both[[2]])
  })
  list(forms = forms, rho = core_serial_rho(done))
}

# An orthonormal basis of what is left of columns after the effects within entities; NULL where that is nothing.
core_basis_beside <- function(rows, beside, threads) {
  if (is.null(beside) || ncol(beside) == 0) return(NULL)
  size <- sqrt(colSums(beside^2))
  beside <- beside[, size > 0, drop = FALSE] / rep(size[size > 0], each = nrow(beside))
  left <- cpp_serial_own(rows, beside, threads)
  core_orthonormal(left, rank_tolerance, threads)
}

# An orthonormal basis of columns, those left out of which less than `tolerance` is left after the ones before. NULL for
# none.
core_orthonormal <- function(columns, tolerance = rank_tolerance, threads = core_threads(nrow(columns))) {
  n <- nrow(columns)
  factor_of <- function(m) {
    cpp_triangle(c(lapply(seq_len(ncol(m)), function(j) m[, j]), list(numeric(n))), NULL, n, NULL, threads)
  }
  solved <- core_solve(factor_of(columns), rep(1, ncol(columns)))
  kept <- solved$status == 0L
  if (!any(kept)) return(NULL)
  out <- columns[, kept, drop = FALSE] %*% backsolve(solved$upper, diag(sum(kept)))
  # Columns that are far from each other are orthonormal at once.
  if (rcond(solved$upper, triangular = TRUE) > 1e-3) return(out)
  again <- core_solve(factor_of(out))
  out %*% backsolve(again$upper, diag(ncol(out)))
}

# max(1, tr (MC)^2 / sum tr (M_ii C_i)^2): what blocks across entities add.
core_serial_kappa <- function(rows, form, lag, threads) {
  if (is.null(rows$z) || ncol(rows$z) == 0 || form$own <= 0) return(1)
  shifted <- cpp_serial_apply(rows, lag, form$diagonal, form$told, rows$z, threads)
  across <- crossprod(rows$z, shifted)
  max(1, 1 + (sum(across * t(across)) - form$others) / form$own)
}

core_serial_mean <- function(form) {
  z <- form$z[form$told]
  G <- length(z)
  list(z = form$z, told = form$told, G = G, kappa = form$kappa,
       statistic = if (G > 1) core_mean_t(z) / sqrt(form$kappa) else NA_real_)
}

# Several lags together: with m_k the means over root kappa_k and S the covariance of z, G m'S^-1 m (G - p)/((G - 1) p)
# is F(p, G - p).
core_serial_joint_lags <- function(forms) {
  told <- Reduce(`|`, lapply(forms, `[[`, "told"))
  z <- vapply(forms, function(form) form$z[told], numeric(sum(told)))
  z <- matrix(z, sum(told))
  kappa <- vapply(forms, `[[`, 0, "kappa")
  G <- nrow(z)
  p <- ncol(z)
  out <- list(G = G, p = p, statistic = NA_real_)
  if (G <= p) return(out)
  centred <- z - rep(colMeans(z), each = G)
  S <- crossprod(centred) / (G - 1)
  scale <- sqrt(diag(S))
  if (any(scale <= 1e-12 * apply(abs(z), 2, max)) || rcond(S / outer(scale, scale)) < 1e-12) return(out)
  m <- colMeans(z) / sqrt(kappa) / scale
  out$statistic <- G * sum(m * solve(S / outer(scale, scale), m)) * (G - p) / ((G - 1) * p)
  out
}

# From random signs v: what M_o - M leaves of a row's own share, v g, and of pairs, v'Bg, with g = (M_o - M) v; and Mv.
core_serial_probes <- function(rows, entity, lags, annihilate, order, threads) {
  n <- length(rows$e)
  signs <- matrix(sample(c(-1, 1), n * trace_probes, TRUE), n)
  left <- core_probed(annihilate, signs, order)
  gone <- cpp_serial_own(rows, signs, threads) - left
  pairs <- vapply(lags, function(lag) {
    at <- core_lag_pairs(entity, rows$clock, lag)
    mean <- rowMeans(signs[at$now, , drop = FALSE] * gone[at$before, , drop = FALSE] +
                       signs[at$before, , drop = FALSE] * gone[at$now, , drop = FALSE]) / 2
    cpp_group_sums(mean, entity[at$now], length(rows$start) - 1L)
  }, numeric(length(rows$start) - 1L))
  list(left = left, diagonal = rowMeans(signs * gone), pairs = as.double(pairs))
}

# A function of columns in the order of the data, of columns by entity and clock.
core_probed <- function(apply, columns, order) {
  if (is.null(order)) return(apply(columns))
  given <- columns
  given[order, ] <- columns
  apply(given)[order, , drop = FALSE]
}

# The mean of z made 0 whatever the variance of each period: off every diagonal g_t with sum_t A_ts g_t = b_s, for
# disturbances of period s alone.
core_even_periods <- function(rows, form, lag, annihilate, order, threads) {
  periods <- sort(unique(rows$clock))
  if (length(periods) > most_probed_periods || !any(form$told)) return(form)
  period <- match(rows$clock, periods)
  used <- rep(form$told, diff(rows$start))
  n <- length(period)
  A <- matrix(0, length(periods), length(periods))
  b <- numeric(length(periods))
  for (s in seq_along(periods)) {
    signs <- matrix(0, n, period_probes)
    here <- period == s
    signs[here, ] <- sample(c(-1, 1), sum(here) * period_probes, TRUE)
    left <- core_probed(annihilate, signs, order)
    shifted <- cpp_serial_apply(rows, lag, form$diagonal, form$told, left, threads)
    b[s] <- sum(left * shifted) / period_probes
    A[, s] <- cpp_group_sums(rowSums(left^2) * used, period, length(periods)) / period_probes
  }
  size <- max(abs(A))
  if (size == 0 || rcond(A / size) < 1e-10) return(form)
  g <- solve(t(A), b)
  form$diagonal <- form$diagonal + g[period] * used
  form$z <- form$z - cpp_group_sums(g[period] * rows$e^2 * used, rep(seq_along(form$told), diff(rows$start)),
                                    length(form$told))
  form
}

# The autocorrelation rho of disturbances whose residuals have this mean product of neighbours over their mean square:
# sum_h rho^h tr(MBM G_h) / sum_h rho^h tr(MM G_h), G_h with ones at rows h ticks apart.
core_serial_rho <- function(done) {
  if (done$all_sum <= 0 || all(done$pair_apart == 0)) return(NA_real_)
  seen <- done$pair_sum / done$all_sum
  h <- seq_along(done$pair_apart) - 1
  expected <- function(rho) sum(rho^h * done$pair_apart) / sum(rho^h * done$all_apart) - seen
  ends <- c(-0.99, 0.99)
  at <- vapply(ends, expected, 0)
  if (any(!is.finite(at))) return(NA_real_)
  if (at[1] * at[2] > 0) return(ends[which.min(abs(at))])
  for (step in 1:60) {
    middle <- mean(ends)
    if (expected(middle) * at[1] > 0) ends[1] <- middle else ends[2] <- middle
  }
  mean(ends)
}
