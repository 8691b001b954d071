# Corrected scores where one set of levels cuts across clusters in too many levels to be columns. With S that set, r
# the root of the weights and W_i a level's weight, I - H = I - P_S - ZZ' with Z an orthonormal basis of all else, S
# swept before. The block of P_S of a cluster has the eigenvalue s_i = |r_i|^2 / W_i in the direction of the rows of
# level i, and 0 besides: a cluster's block of I - H is diag(1 - s) - ZZ' in few distinct values of s, each of which
# takes no more directions than Z has columns.

# What core_adjusted_scores() gives, and `by_cluster`, the score of each cluster in the directions of `pick` (NaN where
# one is lost). `basis` has level, the groups of S, and root besides.
core_crossing_scores <- function(basis, clusters, adjustment, moments = FALSE) {
  p <- ncol(basis$pick)
  G <- clusters$count
  cells <- core_crossing_cells(basis, clusters)
  out <- list(products = matrix(0, p, p), own = matrix(0, p, p), lost = matrix(0, p, p), lost_in = integer(),
              by_cluster = matrix(0, p, G))
  carried <- if (moments) matrix(0, basis$level$count, G * p)
  shared <- matrix(0, ncol(basis$z), G * p)
  for (g in seq_len(G)) {
    one <- core_crossing_cluster(cells, g, basis$pick, adjustment)
    out$products <- out$products + tcrossprod(one$score)
    out$own <- out$own + one$own
    out$by_cluster[, g] <- one$score
    if (any(one$gone)) {
      out$lost <- out$lost + one$lost
      if (sum(diag(one$lost)) > 1e-9) out$lost_in <- c(out$lost_in, g)
      out$by_cluster[diag(one$lost) > 1e-12, g] <- NaN
    }
    if (moments) {
      at <- (g - 1) * p + seq_len(p)
      carried[one$levels, at] <- one$carried
      shared[, at] <- one$shared
      out$blocks[[g]] <- one$own
    }
  }
  if (moments) out$moments <- core_crossing_moments(out$blocks, carried, shared, G, p)
  out$blocks <- NULL
  out
}

# Rows by cluster and level: of each such cell the direction of its rows, z and e along it, its share s of the level.
core_crossing_cells <- function(basis, clusters) {
  level <- basis$level
  order <- order(clusters$codes, level$codes, method = "radix")
  by <- clusters$codes[order]
  of <- level$codes[order]
  n <- length(by)
  first <- c(TRUE, by[-1] != by[-n] | of[-1] != of[-n])
  out <- list(level = of[first], several = !all(first), rows = order, all = basis[c("z", "e")],
              row_start = c(0, cumsum(tabulate(by, clusters$count))))
  if (is.null(basis$root) && !out$several) {
    out$share <- 1 / level$sizes[of]
    out$start <- out$row_start
  } else {
    root <- if (is.null(basis$root)) rep(1, n) else basis$root[order]
    cell <- cumsum(first)
    weight <- cpp_group_sums(root^2, cell, sum(first))
    out$share <- weight / cpp_group_sums(root^2, of, level$count)[out$level]
    out$along <- list(cell = cell, weight = root / sqrt(weight)[cell])
    out$start <- c(0, cumsum(tabulate(by[first], clusters$count)))
  }
  # Rows with one share are of one kind.
  rounded <- signif(1 - out$share, 12)
  kinds <- sort(unique(rounded))
  out$kind <- match(rounded, kinds)
  out$left <- (1 - out$share)[match(kinds, rounded)]
  out
}

core_crossing_cluster <- function(cells, g, pick, adjustment) {
  at <- cells$start[g] + seq_len(cells$start[g + 1] - cells$start[g])
  places <- cells$row_start[g] + seq_len(cells$row_start[g + 1] - cells$row_start[g])
  rows <- cells$rows[places]
  all <- list(z = cells$all$z[rows, , drop = FALSE], e = cells$all$e[rows])
  z <- all$z
  e <- all$e
  if (!is.null(cells$along)) {
    cell <- cells$along$cell[places] - cells$start[g]
    sums <- function(v) cpp_group_sums(cells$along$weight[places] * v, cell, length(at))
    z <- matrix(apply(z, 2, sums), length(at))
    e <- sums(e)
  }
  share <- cells$share[at]
  kinds <- which(tabulate(cells$kind[at], length(cells$left)) > 0)
  parts <- lapply(kinds, function(kind) {
    if (length(kinds) == 1) return(core_crossing_part(z, e, cells$left[kind], seq_along(at)))
    here <- which(cells$kind[at] == kind)
    core_crossing_part(z[here, , drop = FALSE], e[here], cells$left[kind], here)
  })
  if (cells$several) parts <- c(parts, list(core_crossing_rest(all, z, e)))
  r <- do.call(rbind, lapply(parts, `[[`, "r"))
  d <- rep(vapply(parts, `[[`, 0, "left"), vapply(parts, function(part) nrow(part$r), 0L))
  residual <- unlist(lapply(parts, `[[`, "e"))
  block <- diag(d, length(d)) - tcrossprod(r)
  inner <- eigen((block + t(block)) / 2, symmetric = TRUE)
  f_of <- function(left) {
    f <- switch(adjustment, none = rep(1, length(left)), root = 1 / sqrt(pmax(left, 1e-300)), 1 / pmax(left, 1e-300))
    ifelse(left > core_live_margin, f, 0)
  }
  f <- f_of(inner$values)
  directions <- crossprod(inner$vectors, r %*% pick)
  y <- inner$vectors %*% (f * directions)
  gone <- inner$values <= core_live_margin
  out <- list(
    score = drop(crossprod(y, residual)), own = crossprod(f * directions * sqrt(pmax(inner$values, 0))), gone = gone,
    lost = crossprod(directions[gone, , drop = FALSE]), shared = crossprod(r, y), levels = cells$level[at]
  )
  # Directions too short to be told from rounding have no part in the block.
  for (part in parts) if (!is.null(part$apart)) {
    out$score <- out$score + f_of(part$left) * drop(crossprod(part$apart$r %*% pick, part$apart$e))
  }
  # The corrected columns along the rows of each level.
  along <- matrix(0, length(at), ncol(pick))
  last <- 0
  for (part in parts) {
    mine <- y[last + seq_len(nrow(part$r)), , drop = FALSE]
    last <- last + nrow(part$r)
    if (!is.null(part$rows)) along[part$rows, ] <- if (is.null(part$back)) mine else part$z %*% (part$back %*% mine)
  }
  out$carried <- sqrt(share) * along
  out
}

# Rows of one share s, in no more directions than Z has columns: r with r'r = z'z, e along them, `back` from those
# directions to weights of z.
core_crossing_part <- function(z, e, left, rows) {
  if (nrow(z) <= ncol(z)) return(list(r = z, e = e, left = left, rows = rows))
  c(core_crossing_directions(crossprod(z), crossprod(z, e)), list(left = left, rows = rows, z = z))
}

core_crossing_directions <- function(gram, score) {
  parts <- eigen((gram + t(gram)) / 2, symmetric = TRUE)
  values <- pmax(parts$values, 0)
  kept <- values > 1e-13 * max(values, 1e-300)
  vectors <- parts$vectors[, kept, drop = FALSE]
  back <- vectors / rep(sqrt(values[kept]), each = nrow(vectors))
  small <- t(parts$vectors[, !kept, drop = FALSE])
  list(r = t(vectors) * sqrt(values[kept]), e = drop(crossprod(back, score)), back = back,
       apart = if (any(!kept)) list(r = small, e = drop(small %*% score)))
}

# What the rows of a cluster have beside those directions, where s = 0.
core_crossing_rest <- function(all, z, e) {
  c(core_crossing_directions(crossprod(all$z) - crossprod(z), crossprod(all$z, all$e) - crossprod(z, e)),
    list(left = 1, rows = NULL))
}

# sum over g, h of B_gh^ab B_gh^cd, B_gh = -(q_g'P_S q_h + q_g'ZZ'q_h) for g and h apart.
core_crossing_moments <- function(own, carried, shared, G, p) {
  all <- -(crossprod(carried) + crossprod(shared))
  for (g in seq_len(G)) {
    at <- (g - 1) * p + seq_len(p)
    all[at, at] <- own[[g]]
  }
  blocks <- aperm(array(all, c(p, G, p, G)), c(1, 3, 2, 4))
  as.vector(tcrossprod(matrix(blocks, p * p)))
}

core_live_margin <- 1e-9
