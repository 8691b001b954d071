# A panel with regressors that answer to the outcome, and instrumented fits by projections written out.
instrumented_sample <- function() {
  d <- gappy_panel(20, 8, plain = TRUE, seed = 3, keep = 0.85)
  n <- nrow(d)
  a <- rnorm(20)[d$id]
  common <- rnorm(n)
  d$z1 <- rnorm(n)
  d$z2 <- rnorm(n) + a
  d$z3 <- rnorm(n)
  d$f <- factor(sample(letters[1:3], n, TRUE))
  d$q1 <- d$z1 + 0.5 * d$z2 + common + d$x1
  d$q2 <- d$z2 - d$z3 + rnorm(n) + 0.5 * common
  d$y <- d$x1 + 0.5 * d$q1 - 0.3 * d$q2 + a + 0.8 * common + rnorm(n)
  d
}

dense_instrumented <- function(d, effects, endogenous, w = rep(1, nrow(d)), method = "2sls") {
  D <- sqrt(w) * switch(effects, none = matrix(1, nrow(d), 1), entity = dummies_of(d$id),
                        both = cbind(dummies_of(d$id), dummies_of(d$year)[, -1]))
  left <- function(X) qr.resid(qr(D), sqrt(w) * as.matrix(X))
  X1 <- left(stats::model.matrix(~ x1 + f, d)[, -1])
  X2 <- left(d[endogenous])
  Z2 <- left(d[c("z1", "z2", "z3")])
  y <- drop(left(d$y))
  X <- cbind(X1, X2)
  inside <- function(Z, V) Z %*% qr.coef(qr(Z), V)
  Z <- cbind(X1, Z2)
  shown <- inside(Z, X)
  kappa <- NULL
  if (method == "liml") {
    Y <- cbind(y, X2)
    beside <- crossprod(Y - inside(X1, Y))
    kappa <- min(Re(eigen(solve(crossprod(Y - inside(Z, Y)), beside))$values))
    shown <- X - kappa * (X - shown)
  }
  to_b <- solve(crossprod(shown, X), t(shown))
  e <- y - drop(X %*% (to_b %*% y))
  if (method == "gmm") {
    Zt <- Z2 - inside(X1, Z2)
    Xt <- X2 - inside(X1, X2)
    S <- crossprod(rowsum(Zt * e, d$id))
    of_z <- solve(crossprod(Xt, Zt) %*% solve(S, crossprod(Zt, Xt)), crossprod(Xt, Zt)) %*% solve(S, t(Zt))
    of_x1 <- qr.coef(qr(X1), diag(nrow(d)))
    to_b <- rbind(of_x1 - of_x1 %*% X2 %*% of_z, of_z)
    e <- y - drop(X %*% (to_b %*% y))
  }
  list(b = unname(drop(to_b %*% y)), e = e, df = nrow(d) - qr(D)$rank - ncol(X), kappa = kappa, Z2 = Z2, X1 = X1,
       X2 = X2, bread = if (method != "gmm") solve(crossprod(shown, X)), to_b = to_b, rank = qr(D)$rank)
}
