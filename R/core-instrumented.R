# Regressors that are instrumented. Letters: X = [X1, X2], of which the m columns X2 are endogenous; Z = [X1, Z2], l
# instruments; all of rows as they are after the sweep. What is solved is a factor of these rows, whose columns are
# [1, X1, Z2, X2, y] in this order: its first q rows are coordinates in the space of Z, those after them what Z leaves.
# Scores are made of Z (for LIML of [Z, X2]), in orthonormal coordinates; `root` goes from them to coefficients, and has
# more columns than rows: (Xh'Xh)^-1 X'Z (Z'Z)^-1/2, Xh = P_Z X. Its product with its own transpose is (Xh'Xh)^-1.

# The columns that can be told apart, in the order X1, X2, Z2: of a factor of [1, x, z, y] or, without a constant,
# [x, z, y], k columns x of which some are `endogenous`. `own_norms` are those of [x, z] before the sweep.
# list(triangle, the reordered one; kept: exogenous, endogenous, instruments, by place in [x, z]; x, z: the solutions
# that say what was dropped, their columns `of`; inside: q; beside: how many columns stand before Z2; m; constant, k, l,
# endogenous as given).
core_instrument_parts <- function(triangle, k, endogenous, constant, own_norms) {
  lead <- as.integer(constant)
  l <- ncol(triangle) - lead - k - 1L
  y <- ncol(triangle)
  exogenous <- setdiff(seq_len(k), endogenous)
  solved <- function(of) {
    core_solve(core_refactor(triangle[, c(seq_len(lead), lead + of, y), drop = FALSE]), c(rep(0, lead), own_norms[of]))
  }
  of_x <- c(exogenous, endogenous)
  x <- solved(of_x)
  kept_x <- of_x[x$status[lead + seq_along(of_x)] == 0L]
  of_z <- c(intersect(exogenous, kept_x), k + seq_len(l))
  z <- solved(of_z)
  kept_z <- of_z[z$status[lead + seq_along(of_z)] == 0L]
  kept <- list(exogenous = intersect(exogenous, kept_x), endogenous = intersect(endogenous, kept_x),
               instruments = kept_z[kept_z > k])
  order <- c(kept$exogenous, kept$instruments, kept$endogenous)
  list(
    triangle = core_refactor(triangle[, c(seq_len(lead), lead + order, y), drop = FALSE]), kept = kept,
    x = c(x, list(of = of_x)), z = c(z, list(of = of_z)), inside = lead + length(kept_z), m = length(kept$endogenous),
    beside = lead + length(kept$exogenous), constant = constant, k = k, l = length(kept$instruments),
    endogenous = endogenous
  )
}

# Rows of the factor that coordinates of Z2 less X1 stand in, and its columns.
core_instrument_places <- function(parts) {
  list(z = parts$beside + seq_len(parts$l), x1 = seq_len(parts$beside), x2 = parts$inside + seq_len(parts$m),
       y = parts$inside + parts$m + 1L)
}

# What stands in the way, the least singular value of Z2'X2 (both less X1, unit columns) and the share of each
# endogenous column that Z leaves: list(least, left).
core_instrument_rank <- function(parts) {
  at <- core_instrument_places(parts)
  rest <- parts$triangle[-at$x1, at$x2, drop = FALSE]
  if (parts$beside == 0) rest <- parts$triangle[, at$x2, drop = FALSE]
  size <- sqrt(colSums(rest^2))
  told <- parts$triangle[at$z, at$x2, drop = FALSE] / rep(size, each = parts$l)
  left <- parts$triangle[-seq_len(parts$inside), at$x2, drop = FALSE]
  list(least = if (parts$l < parts$m) 0 else min(svd(told, 0, 0)$d), left = sqrt(colSums(left^2)) / size)
}

# Two-stage least squares: list(b, of [1, x1, x2]; root; bread, (Xh'Xh)^-1; residual, e in the factor's rows; hat, an
# orthonormal basis of Xh).
core_two_stage <- function(parts) {
  at <- core_instrument_places(parts)
  X <- parts$triangle[, c(at$x1, at$x2), drop = FALSE]
  y <- parts$triangle[, at$y]
  inside <- seq_len(parts$inside)
  if (ncol(X) == 0) {
    return(core_instrumented_result(parts, numeric(), matrix(0, 0, parts$inside), matrix(0, 0, 0), NULL))
  }
  own <- qr(X[inside, , drop = FALSE], tol = 0, LAPACK = FALSE)
  upper_inverse <- backsolve(qr.R(own), diag(ncol(X)))
  root <- upper_inverse %*% t(qr.Q(own))
  b <- drop(root %*% y[inside])
  core_instrumented_result(parts, b, root, tcrossprod(upper_inverse), qr.Q(own))
}

# Limited information maximum likelihood: kappa the smallest root of |Y'M_X1 Y - kappa Y'M_Z Y|, Y = [y, X2]; X_kappa =
# X - kappa M_Z X takes the place of Xh. Scores are made of [Z, X2].
core_limited_information <- function(parts) {
  at <- core_instrument_places(parts)
  inside <- seq_len(parts$inside)
  both <- c(at$y, at$x2)
  left <- parts$triangle[-inside, both, drop = FALSE]
  told <- parts$triangle[at$z, both, drop = FALSE]
  kappa <- 1 + core_smallest_root(told, left)
  X <- parts$triangle[, c(at$x1, at$x2), drop = FALSE]
  y <- parts$triangle[, at$y]
  own <- qr(X[inside, , drop = FALSE], tol = 0, LAPACK = FALSE)
  inverse <- backsolve(qr.R(own), diag(ncol(X)))
  outside <- X[-inside, , drop = FALSE] %*% inverse
  middle <- solve(diag(ncol(X)) + (1 - kappa) * crossprod(outside))
  scored <- rbind(qr.Q(own), (1 - kappa) * outside[seq_len(parts$m), , drop = FALSE])
  root <- inverse %*% middle %*% t(scored)
  b <- inverse %*% middle %*% (crossprod(qr.Q(own), y[inside]) + (1 - kappa) * crossprod(outside, y[-inside]))
  bread <- inverse %*% middle %*% t(inverse)
  shown <- rbind(X[inside, , drop = FALSE], (1 - kappa) * X[parts$inside + seq_len(parts$m), , drop = FALSE])
  c(core_instrumented_result(parts, drop(b), root, (bread + t(bread)) / 2, qr.Q(qr(shown, tol = 0, LAPACK = FALSE))),
    kappa = kappa)
}

# The smallest value of |told v|^2 / |left v|^2; 0 where `told` has fewer rows than columns.
core_smallest_root <- function(told, left) {
  if (nrow(told) < ncol(told)) return(0)
  upper <- qr.R(qr(left, tol = 0, LAPACK = FALSE))
  min(svd(told %*% backsolve(upper, diag(ncol(upper))), 0, 0)$d)^2
}

# Two-step efficient GMM under S, the covariance of the moments of Z2 less X1 in orthonormal coordinates: X1 is taken
# out first, and comes after by least squares of y - X2 b2.
core_two_step <- function(parts, S) {
  at <- core_instrument_places(parts)
  scale <- mean(diag(S))
  half <- chol(S / scale)
  D <- backsolve(half, parts$triangle[at$z, at$x2, drop = FALSE], transpose = TRUE)
  own <- qr(D, tol = 0, LAPACK = FALSE)
  of_moments <- backsolve(qr.R(own), t(qr.Q(own))) %*% t(backsolve(half, diag(parts$l)))
  b2 <- drop(of_moments %*% parts$triangle[at$z, at$y])
  first <- matrix(0, parts$beside, parts$inside)
  b1 <- numeric()
  if (parts$beside > 0) {
    upper <- parts$triangle[at$x1, at$x1, drop = FALSE]
    carried <- parts$triangle[at$x1, at$x2, drop = FALSE]
    b1 <- backsolve(upper, parts$triangle[at$x1, at$y] - drop(carried %*% b2))
    first <- cbind(backsolve(upper, diag(parts$beside)), -backsolve(upper, carried %*% of_moments))
  }
  root <- rbind(first, cbind(matrix(0, parts$m, parts$beside), of_moments))
  shown <- parts$triangle[seq_len(parts$inside), c(at$x1, at$x2), drop = FALSE]
  core_instrumented_result(parts, c(b1, b2), root, NULL, qr.Q(qr(shown, tol = 0, LAPACK = FALSE)))
}

core_instrumented_result <- function(parts, b, root, bread, hat) {
  at <- core_instrument_places(parts)
  e <- parts$triangle[, at$y] - drop(parts$triangle[, c(at$x1, at$x2), drop = FALSE] %*% b)
  list(b = b, root = root, bread = bread, residual = e, ssr = sum(e^2), hat = hat)
}

# The solution as core_solution() lists it, of the stored columns [x, z, y], their means `grand` and norms `norms`.
# Where effects are swept (`weight` the sum of weights) the constant stands aside. Of covariances: bread, (Xh'Xh)^-1.
core_instrumented_solution <- function(parts, done, norms, n, df_effects, grand, weight = NULL,
                                       sst = NULL, ...) {
  lead <- as.integer(parts$constant)
  k <- parts$k
  kept <- parts$kept
  of_x <- c(kept$exogenous, kept$endogenous)
  back <- order(of_x)
  rows <- c(seq_len(lead), lead + back)
  b <- done$b[rows]
  slopes <- numeric(k)
  slopes[of_x[back]] <- b[seq_along(back) + lead]
  status <- integer(k)
  status[parts$x$of] <- parts$x$status[lead + seq_along(parts$x$of)]
  combination <- matrix(0, length(b), k)
  combination[, parts$x$of] <- parts$x$combination[rows, lead + seq_along(parts$x$of), drop = FALSE]
  scored <- c(kept$exogenous, kept$instruments, if (ncol(done$root) > parts$inside) kept$endogenous)
  width <- ncol(done$root)
  upper <- parts$triangle[seq_len(width), seq_len(width), drop = FALSE]
  root <- done$root[rows, , drop = FALSE]
  hat <- done$hat
  bread <- done$bread[rows, rows, drop = FALSE]
  frame <- core_frame(list(upper = upper), parts$constant)
  coefficients <- b
  constant <- parts$constant
  if (!is.null(weight)) {
    # As core_finish_fixed() has it: the constant makes the effects average zero over rows.
    basis <- diag(length(b) + 1L)
    basis[1, -1] <- -grand[of_x[back]]
    root <- basis %*% core_block_diagonal(1 / sqrt(weight), root)
    hat <- rbind(0, hat)
    if (!is.null(bread)) bread <- basis %*% core_block_diagonal(1 / weight, bread) %*% t(basis)
    frame <- list(upper = core_block_diagonal(sqrt(weight), upper), centre = numeric(width + 1L),
                  origin = c(0, grand[scored]))
    coefficients <- c(grand[length(grand)] - sum(grand[seq_len(k)] * slopes), b)
    combination <- rbind(numeric(k), combination, deparse.level = 0)
    constant <- TRUE
  }
  list(
    coefficients = coefficients, constant = constant, status = status, slopes = slopes, combination = combination,
    root = root, frame = frame, hat = hat, bread = bread, norms = norms[seq_len(k)], regressors = scored,
    residual = c(-slopes, numeric(length(grand) - k - 1L), 1), centre = grand, n = n, ssr = done$ssr,
    df_effects = df_effects, df_residual = n - length(b) - df_effects, sst = sst, r_squared = numeric(), ...
  )
}

# What the endogenous columns and the outcome, in this order, are of the instruments: list(gamma, coefficients of [1,
# x1, z], a column each; parts, the factor and what stands where in it; told, their coordinates along Z2 less X1; left,
# the factor of what Z leaves of them; beside, their coefficients of [1, x1] alone; upper, inside, first: the factor of
# [1, x1, z] and how many columns stand before Z2).
core_reduced_form <- function(parts) {
  at <- core_instrument_places(parts)
  inside <- seq_len(parts$inside)
  both <- c(at$x2, at$y)
  upper <- parts$triangle[inside, inside, drop = FALSE]
  beside <- matrix(0, parts$beside, parts$m + 1L)
  if (parts$beside > 0) {
    beside <- backsolve(upper[at$x1, at$x1, drop = FALSE], parts$triangle[at$x1, both, drop = FALSE])
  }
  list(gamma = backsolve(upper, parts$triangle[inside, both, drop = FALSE]),
       told = parts$triangle[at$z, both, drop = FALSE], left = parts$triangle[-inside, both, drop = FALSE],
       beside = beside, upper = upper, first = parts$beside, constant = parts$constant,
       parts = parts[c("triangle", "inside", "beside", "l", "m", "constant")])
}

# The regression of a combination of [X2, y] on Z as a solution whose scores are summed: of `by` the weights of [X2, y].
# Without `of_instruments` the residual is what X1 alone leaves. `stored` are the places of [x1, z], of X2 and y among
# the stored columns.
core_stage_view <- function(regression, reduced, stored, by, of_instruments = TRUE) {
  lead <- as.integer(reduced$constant)
  gamma <- drop(reduced$gamma %*% by)
  if (!of_instruments) {
    gamma <- numeric(nrow(reduced$gamma))
    gamma[seq_len(reduced$first)] <- drop(reduced$beside %*% by)
  }
  residual <- numeric(length(regression$residual))
  residual[stored$both] <- by
  of_z <- gamma[seq_along(stored$z) + lead]
  residual[stored$z] <- residual[stored$z] - of_z
  size <- nrow(reduced$upper)
  swept <- nrow(regression$frame$upper) > 0 && regression$constant && lead == 0
  inverse <- backsolve(reduced$upper, diag(size))
  upper <- regression$frame$upper[seq_len(size + swept), seq_len(size + swept), drop = FALSE]
  list(
    residual = residual, regressors = stored$z, slopes = of_z, coefficients = c(if (swept) 0, gamma),
    root = if (swept) core_block_diagonal(1 / upper[1, 1], inverse) else inverse,
    frame = list(upper = upper, centre = regression$frame$centre[seq_len(size + swept)],
                 origin = regression$frame$origin[seq_len(size + swept)])
  )
}

# Of `told`, coordinates of one column along instruments, under their covariance W: list(f, joint; effective, and of it
# at bias tau: size, the degrees of freedom K, centrality x K).
core_strength <- function(told, W, tau = 0.1) {
  l <- length(told)
  total <- core_trace(W)
  x <- 1 / tau
  largest <- max(eigen(W, symmetric = TRUE, only.values = TRUE)$values)
  K <- total^2 * (1 + 2 * x) / (sum(W^2) + 2 * x * total * largest)
  list(f = sum(told * solve(W, told)) / l, effective = sum(told^2) / total, K = K, centrality = x * K)
}

# The value that an effective F passes in 5 percent of cases where the bias is tau of the largest there can be.
core_strength_critical <- function(told, W, df, tau) {
  one <- core_strength(told, W, tau)
  stats::qf(0.95, one$K, df, ncp = one$centrality)
}

# The least of (y - x b)'S^-1 (y - x b) over b.
core_two_step_distance <- function(x, y, S) {
  half <- chol(S)
  both <- backsolve(half, cbind(x, y), transpose = TRUE)
  m <- ncol(x)
  sum(qr.resid(qr(both[, seq_len(m), drop = FALSE]), both[, m + 1L])^2)
}
