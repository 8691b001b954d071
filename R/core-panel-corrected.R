# Errors that entities may share in any way within a period (Beck & Katz 1995): sum over i, j of s_ij sum_t z_it z_jt',
# s_ij the mean of e_it e_jt over the periods that both have, 0 where there is none; `casewise` over those of all.
# By blocks of entities, so that nothing is entities by entities. list(meat, periods: of the means; apart: pairs without
# a common period; shared: the sum over pairs of sqrt(T_ij) s_ij / sqrt(s_ii s_jj), over the square root of their
# number: near normal where nothing is shared). z and e are of live rows; entities and periods are coded from 1.

entities_at_once <- 256

core_panel_corrected <- function(z, e, entity, period, casewise = FALSE) {
  N <- max(entity)
  P <- max(period)
  p <- ncol(z)
  cell <- cbind(entity, period)
  laid <- function(v) {
    out <- matrix(0, N, P)
    out[cell] <- v
    out
  }
  seen <- laid(1)
  shared <- laid(e)
  if (casewise) {
    all <- colSums(seen) == N
    shared <- shared[, all, drop = FALSE]
    common <- sum(all)
    if (common == 0) return(list(periods = 0))
  }
  columns <- lapply(seq_len(p), function(a) laid(z[, a]))
  meat <- matrix(0, p, p)
  apart <- 0
  related <- 0
  own <- rowSums(shared^2) / if (casewise) common else rowSums(seen)
  own[own == 0] <- Inf
  for (first in seq(1, N, by = entities_at_once)) {
    rows <- first:min(N, first + entities_at_once - 1)
    products <- tcrossprod(shared[rows, , drop = FALSE], shared)
    count <- if (casewise) common else tcrossprod(seen[rows, , drop = FALSE], seen)
    if (casewise) {
      products <- products / common
    } else {
      apart <- apart + sum(count == 0)
      products[count > 0] <- products[count > 0] / count[count > 0]
    }
    like <- sqrt(count) * products / sqrt(outer(own[rows], own))
    like[cbind(seq_along(rows), rows)] <- 0
    related <- related + sum(like) / 2
    for (b in seq_len(p)) {
      moved <- products %*% columns[[b]]
      for (a in seq_len(p)) meat[a, b] <- meat[a, b] + sum(columns[[a]][rows, , drop = FALSE] * moved)
    }
  }
  list(meat = (meat + t(meat)) / 2, periods = if (casewise) common else P, apart = apart / 2,
       shared = related / sqrt(N * (N - 1) / 2))
}
