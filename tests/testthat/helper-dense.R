# Covariances written out from their formulas, with dense matrices: of the rows of a transformed regression and what
# was swept out of it. Slopes only, times sqrt(w) throughout.

# list(X, e, H, live, k, n): X swept of the dummies D, H the hat matrix of both.
dense_regression <- function(y, X, D = NULL, w = rep(1, length(y))) {
  r <- sqrt(w)
  off <- function(v) if (is.null(D)) r * v else qr.resid(qr(r * D), r * v)
  Xs <- off(X)
  e <- drop(qr.resid(qr(Xs), off(y)))
  H <- projection(r * cbind(D, X))
  live <- 1 - diag(H) > 1e-9
  list(X = Xs, e = e, H = H, live = live, n = sum(live), A = solve(crossprod(Xs)),
       df = length(y) - round(sum(diag(H))))
}

dense_sandwich <- function(d, meat) d$A %*% meat %*% d$A

dense_hc <- function(d, type) {
  h <- diag(d$H)
  p <- sum(h[d$live])
  power <- switch(type, HC0 = , HC1 = 0, HC2 = 1, HC3 = 2, HC4 = pmin(4, d$n * h / p))
  omega <- ifelse(d$live, d$e^2 / (1 - h)^power, 0)
  dense_sandwich(d, crossprod(d$X * sqrt(omega))) * if (type == "HC1") d$n / d$df else 1
}

# The symmetric pseudo-inverse root, or inverse, of the cluster's block of I - H.
dense_adjustment <- function(d, rows, type) {
  if (type %in% c("CR0", "CR1")) return(diag(length(rows)))
  parts <- eigen(diag(length(rows)) - d$H[rows, rows, drop = FALSE], symmetric = TRUE)
  power <- if (type == "CR2") -0.5 else -1
  parts$vectors %*% (ifelse(parts$values > 1e-9, pmax(parts$values, 1e-300)^power, 0) * t(parts$vectors))
}

# `k_star` counts parameters for CR1.
dense_cr <- function(d, cluster, type = "CR1", k_star = 0) {
  meat <- 0
  for (g in unique(cluster)) {
    rows <- which(cluster == g)
    meat <- meat + tcrossprod(crossprod(d$X[rows, , drop = FALSE], dense_adjustment(d, rows, type) %*% d$e[rows]))
  }
  G <- length(unique(cluster[d$live]))
  dense_sandwich(d, meat) * if (type == "CR1") G / (G - 1) * (d$n - 1) / (d$n - k_star) else 1
}

# p_g by cluster for the contrast c, n x G.
dense_satterthwaite_rows <- function(d, cluster, type, c) {
  vapply(unique(cluster), function(g) {
    rows <- which(cluster == g)
    drop((diag(nrow(d$H)) - d$H)[, rows, drop = FALSE] %*% dense_adjustment(d, rows, type) %*%
           d$X[rows, , drop = FALSE] %*% d$A %*% c)
  }, numeric(nrow(d$H)))
}

dense_satterthwaite <- function(d, cluster, type, c) {
  B <- crossprod(dense_satterthwaite_rows(d, cluster, type, c))
  sum(diag(B))^2 / sum(B^2)
}

# eta of Hotelling's form for restrictions that are rows of C.
dense_hotelling <- function(d, cluster, type, C) {
  C <- solve(t(chol(C %*% d$A %*% t(C)))) %*% C
  q <- nrow(C)
  P <- lapply(seq_len(q), function(s) dense_satterthwaite_rows(d, cluster, type, C[s, ]))
  total <- 0
  for (s in seq_len(q)) for (t in seq_len(q)) {
    B <- function(a, b) crossprod(P[[a]], P[[b]])
    total <- total + sum(B(s, s) * B(t, t)) + sum(B(s, t) * B(t, s))
  }
  q * (q + 1) / total
}

# Newey-West within entity and Driscoll-Kraay, by pairs of rows.
dense_kernel <- function(d, entity, clock, lags, across = FALSE) {
  near <- pmax(1 - abs(outer(clock, clock, `-`)) / (lags + 1), 0)
  if (!across) near <- near * outer(entity, entity, `==`)
  dense_sandwich(d, t(d$X * d$e) %*% near %*% (d$X * d$e)) * d$n / d$df
}

# The corrected test of serial correlation with whole matrices: M = I - projection on sqrt(w) W, entities' own part
# `own`. By "rows" and "entities": list(t, G, kappa, z, a value an entity that is told).
dense_corrected <- function(y, W, id, t, lag = 1, w = rep(1, length(y)), own = NULL) {
  root <- sqrt(w)
  M <- diag(length(y)) - projection(root * W)
  live <- diag(M) > 1e-9
  M <- M[live, live]
  e <- drop(M %*% (root * y)[live])
  id <- id[live]
  own <- if (!is.null(own)) (root * own)[live, , drop = FALSE]
  lapply(c(rows = "rows", entities = "entities"), function(kind) {
    C <- matrix(0, length(e), length(e))
    z <- NULL
    total <- 0
    for (i in sort(unique(id))) {
      at <- which(id == i)
      B <- (abs(outer(t[live][at], t[live][at], `-`)) == lag) / 2
      Mo <- diag(length(at)) - if (is.null(own)) 0 else projection(own[at, , drop = FALSE])
      Mi <- M[at, at, drop = FALSE]
      form <- function(m) {
        d <- if (kind == "rows") solve(m * m, diag(m %*% B %*% m)) else numeric(nrow(m))
        d + (sum(B * m) - sum(d * diag(m))) / sum(diag(m))
      }
      least <- function(m) min(eigen(m * m, TRUE, TRUE)$values)
      if (all(B == 0) || sum(diag(Mo)) < 1e-9 || (kind == "rows" && min(least(Mo), least(Mi)) < 0.01)) next
      K <- Mo %*% (B - diag(form(Mo), length(at)))
      if (sum(K * t(K)) <= 1e-9) next
      C[at, at] <- B - diag(form(Mi), length(at))
      z <- c(z, stats::setNames(drop(e[at] %*% C[at, at] %*% e[at]), i))
      K <- Mi %*% C[at, at]
      total <- total + sum(K * t(K))
    }
    MC <- M %*% C
    kappa <- max(1, sum(MC * t(MC)) / total)
    list(t = mean(z) / (sd(z) / sqrt(length(z))) / sqrt(kappa), G = length(z), kappa = kappa, z = z)
  })
}
