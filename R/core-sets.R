# Sets of values that a test does not reject, where they need not be one interval: list of pieces, each c(low, high),
# with infinite ends where open. Letters: u(b) = y - b x, both less the exogenous regressors; q(b) = Z'u along
# orthonormal instruments, S(b) the covariance of Z'u, a quadratic in b; a value is in the set where q'S^-1 q <= `most`.

# `told` are the coordinates of x and y, `S` list(xx, xy, yy): S(b) = yy - b (xy + xy') + b^2 xx.
core_values_not_rejected <- function(told, S, most) {
  size <- sqrt(colSums(told^2)) + sqrt(c(core_trace(S$xx), core_trace(S$yy)))
  unit <- size[2] / size[1]
  x <- told[, 1] / size[1]
  y <- told[, 2] / size[2]
  xx <- S$xx / size[1]^2
  yy <- S$yy / size[2]^2
  xy <- (S$xy + t(S$xy)) / (size[1] * size[2])
  # In the direction (cos, sin): q = cos y - sin x.
  holds <- function(angle) {
    at <- c(cos(angle), sin(angle))
    q <- at[1] * y - at[2] * x
    sum(q * solve(at[1]^2 * yy - at[1] * at[2] * xy + at[2]^2 * xx, q)) <= most
  }
  angles <- core_quadratic_angles(yy - tcrossprod(y) / most, -(xy - (tcrossprod(x, y) + tcrossprod(y, x)) / most),
                                  xx - tcrossprod(x) / most)
  lapply(core_pieces_of_circle(angles, holds), function(ends) ends * unit)
}

# The angles in (-pi/2, pi/2] at which cos^2 A + cos sin B + sin^2 C is singular, A, B and C symmetric.
core_quadratic_angles <- function(A, B, C) {
  l <- nrow(A)
  # Turned so that the leading matrix is the one furthest from singular.
  turns <- seq(0, pi / 2, length.out = 8)[-8]
  turned <- lapply(turns, function(t) {
    list(A = cos(t)^2 * A + cos(t) * sin(t) * B + sin(t)^2 * C,
         B = 2 * cos(t) * sin(t) * (C - A) + (cos(t)^2 - sin(t)^2) * B,
         C = sin(t)^2 * A - cos(t) * sin(t) * B + cos(t)^2 * C)
  })
  best <- which.max(vapply(turned, function(m) rcond(m$C), 0))
  m <- turned[[best]]
  lead <- solve(m$C)
  companion <- rbind(cbind(matrix(0, l, l), diag(l)), cbind(-lead %*% m$A, -lead %*% m$B))
  roots <- eigen(companion, only.values = TRUE)$values
  real <- Re(roots[abs(Im(roots)) <= 1e-7 * (1 + abs(roots))])
  angle <- atan(real) + turns[best]
  sort(unique(ifelse(angle > pi / 2, angle - pi, angle)))
}

# Pieces of the line, b the tangent of an angle, in which `holds` is true; it changes at `angles` only.
core_pieces_of_circle <- function(angles, holds) {
  whole <- list(c(-Inf, Inf))
  if (length(angles) == 0) return(if (holds(0.1)) whole else list())
  ends <- c(angles, angles[1] + pi)
  inside <- vapply(seq_along(angles), function(i) holds((ends[i] + ends[i + 1]) / 2), TRUE)
  if (all(inside)) return(whole)
  if (!any(inside)) return(list())
  # Arcs that meet are one; begun after one that is outside.
  start <- which(!inside)[1]
  order <- (start - 1 + seq_along(angles)) %% length(angles) + 1
  pieces <- list()
  open <- NULL
  for (i in order) {
    if (inside[i] && is.null(open)) open <- ends[i]
    if (!inside[i] && !is.null(open)) {
      pieces <- c(pieces, list(c(open, ends[i])))
      open <- NULL
    }
  }
  if (!is.null(open)) pieces <- c(pieces, list(c(open, ends[start])))
  # An arc over the pole is two rays.
  on_line <- lapply(pieces, function(arc) {
    low <- (arc[1] + pi / 2) %% pi - pi / 2
    high <- (arc[2] + pi / 2) %% pi - pi / 2
    if (low <= high) return(list(tan(c(low, high))))
    list(c(-Inf, tan(high)), c(tan(low), Inf))
  })
  out <- unlist(on_line, recursive = FALSE)
  out[order(vapply(out, `[`, 0, 1))]
}
