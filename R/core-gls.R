# Generalised least squares whose disturbances are related across entities within a period: blocks of periods.
# Letters: N entities, P periods, S the entities seen in a period, Sigma their N x N covariance.

# Periods whose rows are of the same entities stand together: list(patterns, N, P, n), a pattern a list of
#   seen   its entities, in order
#   at     by entity and period the rows, length(seen) x periods
#   kind   what else tells its periods apart
# `kind` is one number by row, the same for the rows of a period.
core_period_blocks <- function(entity, period, N = max(entity), kind = NULL) {
  order <- order(period, entity)
  n <- length(entity)
  if (is.null(kind) && n == as.double(N) * length(unique(period))) {
    whole <- list(seen = seq_len(N), at = matrix(order, N), kind = NULL)
    return(list(patterns = list(whole), N = N, P = n %/% N, n = n))
  }
  rows <- split(order, period[order])
  keys <- vapply(rows, function(at) paste(c(entity[at], if (!is.null(kind)) -kind[at[1]]), collapse = " "), "")
  patterns <- lapply(unname(split(rows, match(keys, unique(keys)))), function(some) {
    first <- some[[1]]
    list(seen = entity[first], at = matrix(unlist(some, use.names = FALSE), length(first)),
         kind = if (!is.null(kind)) kind[first[1]])
  })
  list(patterns = patterns, N = N, P = length(rows), n = n)
}

# How many periods each pair has in common.
core_common_periods <- function(blocks) {
  out <- matrix(0, blocks$N, blocks$N)
  for (p in blocks$patterns) out[p$seen, p$seen] <- out[p$seen, p$seen] + ncol(p$at)
  out
}

core_mean_common <- function(common) if (nrow(common) == 1) common[1, 1] else mean(common[upper.tri(common)])

# The covariance that maximises the normal likelihood of residuals u, one a row: of complete periods the mean of their
# products, else by expectation and maximisation from their variances. Where fewer periods are complete than there are
# entities the likelihood has no highest value: it may settle at a peak, or go on to a sigma without an inverse.
# list(sigma, steps, settled, least: the smallest eigenvalue of its correlations).
core_likeliest_covariance <- function(u, blocks, most = 5000, tolerance = 1e-10) {
  N <- blocks$N
  series <- lapply(blocks$patterns, function(p) matrix(u[p$at], nrow(p$at)))
  if (all(vapply(blocks$patterns, function(p) length(p$seen) == N, TRUE))) {
    total <- Reduce(`+`, lapply(series, tcrossprod))
    return(core_found_covariance(total / blocks$P, 0L, TRUE))
  }
  # All periods side by side, pattern by pattern; what is absent is filled in each step.
  full <- matrix(0, N, blocks$P)
  last <- cumsum(vapply(blocks$patterns, function(p) ncol(p$at), 0L))
  parts <- lapply(seq_along(series), function(b) {
    seen <- blocks$patterns[[b]]$seen
    list(seen = seen, gone = setdiff(seq_len(N), seen), at = seq(last[b] - ncol(series[[b]]) + 1, last[b]))
  })
  for (b in seq_along(parts)) full[parts[[b]]$seen, parts[[b]]$at] <- series[[b]]
  incomplete <- which(vapply(parts, function(one) length(one$gone) > 0, TRUE))
  counts <- diag(core_common_periods(blocks))
  sigma <- diag(rowSums(full^2) / counts, N)
  for (step in seq_len(most)) {
    upper <- tryCatch(chol(sigma), error = function(cnd) NULL)
    if (is.null(upper)) return(core_found_covariance(sigma, step, FALSE))
    inverse <- chol2inv(upper)
    spread <- matrix(0, N, N)
    for (b in incomplete) {
      gone <- parts[[b]]$gone
      # Given what is there, the absent have the covariance K_gg^-1 and the mean -K_gg^-1 K_gs u, K = sigma^-1.
      given <- chol2inv(chol(inverse[gone, gone, drop = FALSE]))
      full[gone, parts[[b]]$at] <- -given %*% (inverse[gone, parts[[b]]$seen, drop = FALSE] %*% series[[b]])
      spread[gone, gone] <- spread[gone, gone] + length(parts[[b]]$at) * given
    }
    before <- sigma
    sigma <- (tcrossprod(full) + spread) / blocks$P
    size <- sqrt(diag(sigma))
    moved <- max(abs(sigma - before) / (size %o% size))
    done <- moved < tolerance
    if (done || step %% 50 == 0) {
      found <- core_found_covariance(sigma, step, done)
      if (done || found$least < no_inverse) return(found)
    }
  }
  core_found_covariance(sigma, most, FALSE)
}

no_inverse <- 1e-8

core_found_covariance <- function(sigma, steps, settled) {
  size <- sqrt(diag(sigma))
  least <- min(eigen(sigma / (size %o% size), symmetric = TRUE, only.values = TRUE)$values)
  list(sigma = sigma, steps = steps, settled = settled, least = least)
}

# The root of the inverse of a covariance by period, with what follows from it: list(root, inverse: functions of a
# column; log_keep, the sum of the logs of the root's diagonal). `of_kind(kind)` is what the covariance of a pattern's
# periods is times, element by element; NULL for nothing.
core_block_root <- function(blocks, sigma, of_kind = NULL) {
  factors <- lapply(blocks$patterns, function(p) {
    own <- sigma[p$seen, p$seen, drop = FALSE]
    if (!is.null(of_kind)) own <- own * of_kind(p$kind)[p$seen, p$seen, drop = FALSE]
    chol(own)
  })
  periods <- lapply(blocks$patterns, function(p) t(p$at))
  # x R^-1 of the periods of a pattern, one a row.
  each <- function(v, f) {
    out <- numeric(blocks$n)
    for (b in seq_along(factors)) {
      at <- periods[[b]]
      out[at] <- f(factors[[b]], matrix(v[at], nrow(at)))
    }
    out
  }
  list(
    factors = factors,
    root = function(v) each(v, cpp_to_orthonormal),
    inverse = function(v) each(v, function(R, x) t(backsolve(R, t(cpp_to_orthonormal(R, x))))),
    log_keep = -sum(mapply(function(R, p) sum(log(diag(R))) * ncol(p$at), factors, blocks$patterns))
  )
}

# With a level of each entity, tau what the rows hold of it: list(levels: a function of a column; gram, tau'V^-1 tau).
core_block_levels <- function(blocks, by, entity, tau) {
  N <- blocks$N
  gram <- matrix(0, N, N)
  for (b in seq_along(by$factors)) {
    p <- blocks$patterns[[b]]
    inverse <- chol2inv(by$factors[[b]])
    loads <- matrix(tau[p$at], nrow(p$at))
    gram[p$seen, p$seen] <- gram[p$seen, p$seen] + inverse * tcrossprod(loads)
  }
  upper <- chol(gram)
  levels <- function(v) {
    sums <- cpp_group_sums(tau * by$inverse(v), entity, N)
    backsolve(upper, backsolve(upper, sums, transpose = TRUE))
  }
  list(levels = levels, upper = upper)
}

# Each entity's own rho, from its own rows: list(rho, at_bound), NA where its rows tell none. E is that of its own
# pattern of periods.
core_ar1_own_rho <- function(e, layout) {
  rows <- split(seq_len(layout$n), layout$entity)
  known <- new.env(parent = emptyenv())
  rho <- vapply(rows, function(at) {
    if (length(at) < if (layout$swept) 3 else 2) return(NA_real_)
    clock <- layout$clock[at]
    clock <- clock - min(clock) + 1L
    place <- order(clock)
    key <- paste(clock[place], collapse = " ")
    if (is.null(known[[key]])) {
      own <- core_ar1_layout(rep(1L, length(at)), clock[place], 1L, swept = layout$swept)
      pairs <- core_ar1_pairs(own)
      assign(key, list(pairs = pairs, expected = core_ar1_expected(own, m = length(pairs$now))), known)
    }
    one <- known[[key]]
    if (length(one$pairs$now) == 0) return(NA_real_)
    left <- e[at[place]]
    core_ar1_solve(one$expected, sum(left[one$pairs$now] * left[one$pairs$before]) / sum(left^2))
  }, 0, USE.NAMES = FALSE)
  list(rho = rho, at_bound = abs(rho) >= largest_rho)
}

# The regression of transformed columns [x, y] of rows that are related within periods. `columns` are under the root of
# their entity, tau that of ones; with a level of each entity where `size`, by entity its rows, is given. `own_centre`
# are the means that columns were taken less of. list(solution, apply: a function that makes a column under the
# entities' root one of the regression, ones: the constant's column).
core_block_regression <- function(columns, tau, entity, blocks, by, own_centre, constant, size = NULL) {
  n <- blocks$n
  p <- length(columns)
  triangle_of <- function(columns) cpp_triangle(columns, NULL, n, numeric(length(columns)), core_threads(n))
  ones <- by$root(tau)
  whole <- triangle_of(c(list(ones), lapply(columns, by$root)))
  whole[1, -1] <- whole[1, -1] + whole[1, 1] * own_centre
  sst <- sum(core_centred(whole)[, p]^2)
  if (is.null(size)) {
    use <- if (constant) seq_len(p + 1L) else seq_len(p) + 1L
    solution <- core_least_squares(whole[, use], constant, n, sst = sst)
    return(list(solution = solution, apply = by$root, ones = ones))
  }
  within <- core_block_levels(blocks, by, entity, tau)
  levels <- vapply(columns, within$levels, numeric(blocks$N))
  dim(levels) <- c(blocks$N, p)
  less_levels <- function(v, level = within$levels(v)) by$root(v - tau * level[entity])
  swept <- triangle_of(lapply(seq_len(p), function(j) less_levels(columns[[j]], levels[, j])))
  share <- size / sum(size)
  carried <- backsolve(within$upper, backsolve(within$upper, share, transpose = TRUE))
  held <- 1 / sum(share * carried)
  grand <- drop(share %*% levels) + own_centre
  solution <- core_finish_fixed(swept, sqrt(colSums(whole^2))[-1], grand, held, n, blocks$N, sst)
  own <- drop(levels %*% solution$residual) + sum(own_centre * solution$residual)
  solution$levels <- list(list(level = own - sum(share * own), slopes = list()))
  list(solution = solution, apply = less_levels, ones = by$root(tau * (held * carried)[entity]))
}

# What the covariances of own rho are times in a period whose rows are d ticks after those before them, 0 for first
# ones: element by element c_i c_j (1 - (rho_i rho_j)^d) / (1 - rho_i rho_j), c of core_ar1_root().
core_own_rho_factor <- function(rho, d) {
  both <- rho %o% rho
  if (d == 0) return(sqrt((1 - rho^2) %o% (1 - rho^2)) / (1 - both))
  keep <- sqrt((1 - rho^2) / (1 - rho^(2 * d)))
  (keep %o% keep) * (1 - both^d) / (1 - both)
}
