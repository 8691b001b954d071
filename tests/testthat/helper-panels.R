# Simulated panels, and dense computations written from the formulas.

# Uneven panel with gaps and entities seen once, in shuffled order of rows.
gappy_panel <- function(N = 40, periods = 8, seed = 1, keep = 0.7, plain = FALSE) {
  set.seed(seed)
  data <- expand.grid(id = seq_len(N), year = 2000 + seq_len(periods))
  u <- rnorm(N)
  data$size <- exp(rnorm(N))[data$id]
  data$x1 <- rnorm(nrow(data)) + 0.5 * u[data$id]
  data$x2 <- runif(nrow(data)) + 0.1 * data$year %% 3
  data$kind <- sample(c("a", "b", "c"), nrow(data), replace = TRUE)
  data$region <- c("north", "south", "east", "west", "far")[data$id %% 5 + 1]
  data$w <- runif(nrow(data), 0.3, 2)
  data$y <- 1 + 0.5 * data$x1 - data$x2 + 0.2 * log(data$size) + u[data$id] + rnorm(nrow(data))
  data <- data[runif(nrow(data)) < keep, ]
  data <- data[sample(nrow(data)), ]
  rownames(data) <- NULL
  if (plain) data else panel_frame(data, id, year)
}

harbour_panel <- function() panel_frame(harbours, harbour, season)
harbour_equation <- log(nights) ~ levy + storms + fuel

# CR1 covariance of a dense transformed regression with k_star counted parameters.
dense_cr1 <- function(X, e, cluster, k_star, w = rep(1, length(e))) {
  A <- solve(crossprod(X * sqrt(w)))
  scores <- rowsum(X * e * w, cluster)
  G <- nrow(scores)
  n <- length(e)
  G / (G - 1) * (n - 1) / (n - k_star) * A %*% crossprod(scores) %*% A
}

# Swamy and Arora's components for unbalanced panels, with dense matrices.
dense_swamy_arora <- function(y, X, id) {
  D <- outer(id, sort(unique(id)), `==`) + 0
  P <- D %*% solve(crossprod(D)) %*% t(D)
  Q <- diag(length(y)) - P
  varies <- colSums((Q %*% X)^2) > 1e-12
  b <- qr.coef(qr(Q %*% X[, varies]), Q %*% y)
  n <- length(y)
  N <- ncol(D)
  sigma2_e <- sum((Q %*% y - Q %*% X[, varies] %*% b)^2) / (n - N - sum(varies))
  between <- qr(P %*% X)
  ssr_b <- sum(qr.resid(between, P %*% y)^2)
  trace <- sum(diag(solve(t(X) %*% P %*% X) %*% t(X) %*% D %*% t(D) %*% X))
  sigma2_u <- (ssr_b - (N - ncol(X)) * sigma2_e) / (n - trace)
  list(sigma2_e = sigma2_e, sigma2_u = sigma2_u, V = sigma2_e * diag(n) + sigma2_u * D %*% t(D))
}

fresh_folder <- function() {
  folder <- tempfile("wavetax-")
  dir.create(folder)
  folder
}

dummies_of <- function(x) outer(x, sort(unique(x)), `==`) + 0
projection <- function(X) {
  q <- qr(X)
  tcrossprod(qr.Q(q)[, seq_len(q$rank), drop = FALSE])
}
trace_of <- function(m) sum(diag(m))

# The forms e'Ae set equal to their expectations under s2_e I + sum of s2_r D_r D_r':
# e = (I - L)u for the fixed linear map L that made the residuals.
dense_components <- function(e, L, forms, groups) {
  maker <- diag(length(e)) - L
  expected <- t(vapply(forms, function(A) {
    middle <- t(maker) %*% A %*% maker
    c(trace_of(middle), vapply(groups, function(D) trace_of(middle %*% tcrossprod(D)), 0))
  }, numeric(1 + length(groups))))
  solve(expected, vapply(forms, function(A) drop(t(e) %*% A %*% e), 0))
}

# Classical GLS at V, in units of s2_e.
dense_gls <- function(y, X, V) {
  inverse <- solve(V)
  A <- solve(t(X) %*% inverse %*% X)
  b <- drop(A %*% t(X) %*% inverse %*% y)
  r <- y - drop(X %*% b)
  ssr <- drop(t(r) %*% inverse %*% r)
  log_det <- as.numeric(determinant(V)$modulus)
  list(b = b, ssr = ssr, V = ssr / (length(y) - ncol(X)) * A, r = r, inverse = inverse,
       log_lik = -length(y) / 2 * (log(2 * pi * ssr / length(y)) + 1) - log_det / 2)
}

# ~ a + b of columns, whatever their names.
column_names_formula <- function(names) {
  eval(call("~", Reduce(function(a, b) call("+", a, b), lapply(names, as.name))))
}
