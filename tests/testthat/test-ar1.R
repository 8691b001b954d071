# AR(1) disturbances: dense generalised least squares written out, on an uneven panel with gaps, weighted or not.

# list(root: the root of the inverse correlation, rows as they stand; R; W, the root of the weights).
dense_root <- function(d, rho, w = rep(1, nrow(d))) {
  R <- outer(d$id, d$id, `==`) * rho^abs(outer(d$year, d$year, `-`))
  o <- order(d$id, d$year)
  root <- matrix(0, nrow(d), nrow(d))
  root[o, o] <- sqrt(1 - rho^2) * forwardsolve(t(chol(R[o, o])), diag(nrow(d)))
  list(root = root %*% diag(sqrt(w)), R = R, W = sqrt(w))
}

# The regression of transformed rows; `D` are transformed too, and swept out.
dense_ar1 <- function(d, rho, X, D = NULL, w = rep(1, nrow(d)), keep = TRUE) {
  root <- dense_root(d, rho, w)$root[keep, , drop = FALSE]
  dense_regression(drop(root %*% d$y), root %*% X, if (!is.null(D)) root %*% D)
}

# r, and E of rho, of residuals swept of D.
dense_rho <- function(d, X, D, w = rep(1, nrow(d)), first = NULL) {
  W <- sqrt(w)
  e <- drop(qr.resid(qr(W * cbind(D, X)), W * d$y))
  M <- diag(nrow(d)) - if (is.null(first)) projection(W * D) else 0
  B <- (outer(d$id, d$id, `==`) & abs(outer(d$year, d$year, `-`)) == 1) / 2
  r <- sum(e * (B %*% e)) / sum(e^2)
  E <- function(rho) {
    R <- dense_root(d, rho, w)$R
    sum(diag(M %*% B %*% M %*% R)) / sum(diag(M %*% R %*% M))
  }
  list(e = e, r = r, E = E, rho = uniroot(function(rho) E(rho) - r, c(-0.9, 0.9), tol = 1e-12)$root)
}

test_that("fixed effects with AR(1) are generalised least squares with dummies, with every error", {
  d <- gappy_panel(25, 9, plain = TRUE, seed = 2)
  p <- panel_frame(d, id, year)
  X <- cbind(x1 = d$x1, x2 = d$x2)
  D <- dummies_of(d$id)
  for (weighted in c(FALSE, TRUE)) {
    w <- if (weighted) d$w else rep(1, nrow(d))
    fit <- if (weighted) fit_fixed(y ~ x1 + x2, p, weights = ~ w, serial = "ar1") else
      fit_fixed(y ~ x1 + x2, p, serial = "ar1")
    validate_panel_fit(fit)
    rho <- fit$serial$rho
    expect_equal(rho, dense_rho(d, X, D, w)$rho, tolerance = 1e-8)
    V <- dense_root(d, rho, w)$R / outer(sqrt(w), sqrt(w))
    A <- cbind(D, X)
    inverse <- solve(crossprod(A, solve(V, A)))
    b <- unname(drop(inverse %*% crossprod(A, solve(V, d$y))))
    k <- ncol(D) + 1:2
    expect_equal(coef(fit), b[k], tolerance = 1e-9, ignore_attr = TRUE)
    left <- drop(d$y - A %*% b)
    expect_equal(unname(residuals(fit)), left, tolerance = 1e-9)
    expect_equal(unname(fitted(fit)), d$y - left, tolerance = 1e-9)
    sigma2 <- sum(left * solve(V, left)) / (nrow(d) - ncol(A))
    expect_equal(fit$variance$sigma2_e, sigma2)
    expect_equal(fit$scale, sigma2 * (1 - rho^2))
    expect_equal(df.residual(fit), nrow(d) - ncol(A))
    expect_equal(unname(vcov(with_errors(fit, se_classical()))), unname(sigma2 * inverse[k, k]), tolerance = 1e-9)
    # The constant, the mean of the levels by the weights of their rows.
    share <- drop(w %*% D) / sum(w)
    constant <- c(share, 0, 0)
    expect_equal(fit$coefficients$estimate[1], sum(share * b[seq_along(share)]))
    expect_equal(fit_record(with_errors(fit, se_classical()))$coefficients$std_error[1],
                 sqrt(sigma2 * drop(constant %*% inverse %*% constant)))
    levels <- effect_levels(fit)
    at <- match(levels$group, as.character(sort(unique(d$id))))
    expect_equal(levels$level, b[at])
    expect_equal(levels$deviation, (b[seq_along(share)] - sum(share * b[seq_along(share)]))[at])
    of_levels <- inverse[seq_along(share), seq_along(share)]
    apart <- diag(length(share)) - rep(1, length(share)) %o% share
    expect_equal(levels$std_error, unname(sqrt(sigma2 * diag(of_levels)))[at])
    expect_equal(levels$deviation_error, sqrt(sigma2 * diag(apart %*% of_levels %*% t(apart)))[at])
    logs <- determinant(V * sum(left * solve(V, left)) / nrow(d))$modulus
    expect_equal(c(logLik(fit)), -nrow(d) / 2 * (log(2 * pi) + 1) - c(logs) / 2)
    # 1 - SSR / SS of rows as they are, less the means of entities.
    demeaned <- function(v) sqrt(w) * (v - ave(w * v, d$id, FUN = sum) / ave(w, d$id, FUN = sum))
    expect_equal(fit$r_squared[["within"]], 1 - sum(demeaned(d$y - X %*% b[k])^2) / sum(demeaned(d$y)^2))
    dense <- dense_ar1(d, rho, X, D, w)
    for (type in c("HC0", "HC1", "HC2", "HC3", "HC4")) {
      expect_equal(unname(vcov(with_errors(fit, se_robust(type)))), unname(dense_hc(dense, type)), tolerance = 1e-8)
    }
    for (type in c("CR1", "CR2", "CR3")) {
      by <- function(spec) unname(vcov(with_errors(fit, spec)))
      expect_equal(by(se_clustered(~ id, type)), unname(dense_cr(dense, d$id, type, 3)), tolerance = 1e-8)
      N <- sum(table(d$id) > 1)
      expect_equal(by(se_clustered(~ year, type)), unname(dense_cr(dense, d$year, type, 2 + N)), tolerance = 1e-8)
    }
    satterthwaite <- with_errors(fit, se_clustered(~ id, "CR2", df = "satterthwaite"))
    expect_equal(satterthwaite$errors$df[-1], vapply(1:2, function(j) {
      dense_satterthwaite(dense, d$id, "CR2", diag(2)[j, ])
    }, 0), tolerance = 1e-7)
    lags <- max(1, floor(4 * (sum(dense$live) / sum(table(d$id) > 1) / 100)^(2 / 9)))
    expect_equal(unname(vcov(with_errors(fit, se_newey_west()))),
                 unname(dense_kernel(dense, d$id, d$year, lags)), tolerance = 1e-8)
  }
})

test_that("pooled and random effects with AR(1) are dense generalised least squares", {
  d <- gappy_panel(30, 7, plain = TRUE, seed = 4)
  p <- panel_frame(d, id, year)
  X <- cbind(1, d$x1, d$x2)
  D <- dummies_of(d$id)
  pooled <- fit_pooled(y ~ x1 + x2, p, weights = ~ w, serial = "ar1")
  validate_panel_fit(pooled)
  found <- dense_rho(d, X, NULL, d$w, first = TRUE)
  m <- length(core_lag_pairs(d$id, d$year)$now)
  expect_equal(pooled$serial$rho, found$r * nrow(d) / m)
  expect_identical(pooled$serial$pairs, m)
  V <- dense_root(d, pooled$serial$rho)$R / outer(sqrt(d$w), sqrt(d$w))
  b <- solve(crossprod(X, solve(V, X)), crossprod(X, solve(V, d$y)))
  expect_equal(unname(coef(pooled)), drop(b), tolerance = 1e-9)
  dense <- dense_ar1(d, pooled$serial$rho, X, NULL, d$w)
  expect_equal(unname(vcov(pooled)), unname(dense_cr(dense, d$id, "CR1", 3)), tolerance = 1e-8)
  expect_equal(unname(vcov(with_errors(pooled, se_clustered(~ id, "CR2")))), unname(dense_cr(dense, d$id, "CR2")),
               tolerance = 1e-8)
  none <- fit_pooled(y ~ x1 + x2 - 1, p, serial = serial_ar1(0.3))
  V <- dense_root(d, 0.3)$R
  expect_equal(unname(coef(none)), drop(solve(crossprod(X[, -1], solve(V, X[, -1])),
                                              crossprod(X[, -1], solve(V, d$y)))), tolerance = 1e-9)

  random <- fit_random(y ~ x1 + x2, p, serial = "ar1")
  validate_panel_fit(random)
  rho <- random$serial$rho
  expect_equal(rho, dense_rho(d, X[, -1], D)$rho, tolerance = 1e-8)
  V <- random$variance$sigma2_e * dense_root(d, rho)$R + random$variance$sigma2[[1]] * tcrossprod(D)
  inverse <- solve(crossprod(X, solve(V, X)))
  b <- drop(inverse %*% crossprod(X, solve(V, d$y)))
  expect_equal(unname(coef(random)), b, tolerance = 1e-9)
  left <- d$y - X %*% b
  expect_equal(unname(vcov(with_errors(random, se_classical()))),
               inverse * sum(left * solve(V, left)) / (nrow(d) - 3), tolerance = 1e-9, ignore_attr = TRUE)
  # Predicted effects, sigma2_u D'V^-1 of what the regressors leave.
  u <- random$variance$sigma2[[1]] * drop(crossprod(D, solve(V, left)))
  levels <- effect_levels(random)
  expect_equal(levels$deviation, u[match(levels$group, as.character(sort(unique(d$id))))])
  expect_equal(unname(residuals(random, "both")), drop(left))
  expect_equal(unname(residuals(random)), drop(left - D %*% u))
  expect_equal(random$variance$innovation, random$variance$sigma2_e * (1 - rho^2))
  # The rows of errors are a root of V^-1: their products are those of whole entities.
  inverse_root <- crossprod(X, solve(V))
  scores <- rowsum(t(inverse_root) * drop(left), d$id)
  expect_equal(sum(residuals(random, "transformed")^2), random$variance$innovation * sum(left * solve(V, left)))
  expect_equal(unname(vcov(with_errors(random, se_clustered(type = "CR0")))),
               inverse %*% crossprod(rowsum(X * drop(solve(V, left)), d$id)) %*% inverse, tolerance = 1e-8,
               ignore_attr = TRUE)
  likely <- fit_random(y ~ x1 + x2, p, variance = "maximum-likelihood", serial = serial_ar1(0.2))
  value <- function(par) {
    V <- exp(par[1]) * dense_root(d, 0.2)$R + exp(par[2]) * tcrossprod(D)
    b <- solve(crossprod(X, solve(V, X)), crossprod(X, solve(V, d$y)))
    left <- d$y - X %*% b
    -nrow(d) / 2 * log(2 * pi) - c(determinant(V)$modulus) / 2 - sum(left * solve(V, left)) / 2
  }
  best <- optim(c(0, 0), function(par) -value(par), method = "BFGS", control = list(reltol = 1e-14))
  expect_equal(c(logLik(likely)), -best$value, tolerance = 1e-7)
})

test_that("rho 0 is the fit without AR(1) in everything", {
  panel <- harbour_panel()
  panel$kept <- seq_len(nrow(panel)) %% 7 != 0
  for (door in list(fit_pooled, fit_fixed, fit_random)) {
    plain <- door(harbour_equation, panel, rows = ~ kept)
    none <- door(harbour_equation, panel, rows = ~ kept, serial = serial_ar1(rho = 0))
    for (errors in list(se_classical(), se_robust("HC4"), se_clustered(type = "CR2", df = "satterthwaite"),
                        se_clustered(~ season, "CR3"), se_clustered(~ harbour + season), se_newey_west(),
                        suppressWarnings(se_driscoll_kraay()), se_bootstrap(draws = 99))) {
      both <- lapply(list(plain, none), function(fit) suppressWarnings(as.data.frame(with_errors(fit, errors))))
      expect_equal(both[[2]], both[[1]], tolerance = 1e-8)
    }
    expect_equal(none$r_squared, plain$r_squared[names(none$r_squared)], tolerance = 1e-9)
    expect_equal(logLik(none), logLik(plain))
    expect_equal(residuals(none), residuals(plain))
    ahead <- function(fit) predict(fit, panel[1:9, ], interval = "prediction")
    expect_equal(ahead(none), ahead(plain))
    expect_equal(hatvalues(none), hatvalues(plain))
    expect_equal(influence_by(none)$change, influence_by(plain)$change, tolerance = 1e-7)
    for (test in list(test_variance, function(fit) test_variance(fit, "koenker"), test_cross_section, test_form,
                      test_normality, test_joint)) {
      told <- c("statistic", "parameter", "p.value")
      expect_equal(test(none)[told], test(plain)[told], tolerance = 1e-8)
    }
  }
})

test_that("rho is estimated by each method, with first rows dropped, and again until it stays", {
  d <- gappy_panel(20, 8, plain = TRUE, seed = 7)
  p <- panel_frame(d, id, year)
  X <- cbind(d$x1, d$x2)
  D <- dummies_of(d$id)
  found <- dense_rho(d, X, D)
  e <- found$e
  pairs <- core_lag_pairs(d$id, d$year)
  by <- function(rho, ...) fit_fixed(y ~ x1 + x2, p, serial = serial_ar1(rho, ...))$serial
  expect_equal(by("regression")$rho, sum(e[pairs$now] * e[pairs$before]) / sum(e[pairs$before]^2))
  live <- sum(ave(d$id, d$id, FUN = length) > 1)
  expect_equal(by("autocorrelation")$rho, found$r * live / length(pairs$now))
  expect_identical(by(0.5)[c("rho", "method", "pairs")], list(rho = 0.5, method = "given", pairs = 0L))

  dropped <- fit_fixed(y ~ x1 + x2, p, serial = serial_ar1(0.4, first = "drop"))
  validate_panel_fit(dropped)
  keep <- d$year > ave(d$year, d$id, FUN = min)
  expect_identical(nobs(dropped), sum(keep))
  dense <- dense_ar1(d, 0.4, X, D[, colSums(D[keep, ]) > 0], keep = keep)
  expect_equal(unname(coef(dropped)), drop(dense$A %*% crossprod(dense$X, dense_root(d, 0.4)$root[keep, ] %*% d$y)),
               tolerance = 1e-9)
  expect_equal(df.residual(dropped), sum(keep) - sum(colSums(D[keep, ]) > 0) - 2)
  expect_equal(unname(vcov(with_errors(dropped, se_classical()))), dense$A * sum(dense$e^2) / df.residual(dropped),
               tolerance = 1e-9, ignore_attr = TRUE)
  expect_equal(unname(vcov(dropped)), unname(dense_cr(dense, d$id[keep], "CR1", 3)), tolerance = 1e-8)
  expect_equal(unname(vcov(with_errors(dropped, se_robust("HC3")))), unname(dense_hc(dense, "HC3")), tolerance = 1e-8)
  expect_match(paste(capture.output(print(dropped)), collapse = " "), "first of each id")

  again <- fit_fixed(y ~ x1 + x2, p, serial = serial_ar1(iterate = TRUE))
  left <- d$y - X %*% coef(again)
  left <- left - ave(left, d$id)
  B <- (outer(d$id, d$id, `==`) & abs(outer(d$year, d$year, `-`)) == 1) / 2
  expect_equal(found$E(again$serial$rho), sum(left * (B %*% left)) / sum(left^2), tolerance = 1e-6)
  expect_gt(again$serial$steps, 0)
})

test_that("after AR(1) the test asks whether it is enough, and comparisons are at one rho", {
  d <- gappy_panel(30, 9, plain = TRUE, seed = 9)
  p <- panel_frame(d, id, year)
  fit <- fit_fixed(y ~ x1 + x2, p, serial = "ar1")
  test <- test_serial(fit)
  D <- dummies_of(d$id)
  found <- dense_rho(d, cbind(d$x1, d$x2), D)
  M <- diag(nrow(d)) - projection(D)
  lagged <- function(lag) (outer(d$id, d$id, `==`) & abs(outer(d$year, d$year, `-`)) == lag) / 2
  E <- function(lag, rho) {
    R <- dense_root(d, rho)$R
    sum(diag(M %*% lagged(lag) %*% M %*% R)) / sum(diag(M %*% R))
  }
  rho <- fit$serial$rho
  slope <- function(lag) (E(lag, rho + 1e-4) - E(lag, rho - 1e-4)) / 2e-4
  of <- function(lag) found$e * drop(lagged(lag) %*% found$e) - E(lag, rho) * found$e^2
  u <- rowsum(of(2) - slope(2) / slope(1) * of(1), d$id)[table(d$id) > 1]
  expect_equal(unname(test$statistic), mean(u) / (sd(u) / sqrt(length(u))), tolerance = 1e-6)
  expect_equal(unname(test$parameter), length(u) - 1)
  expect_equal(test$p.value, 2 * pt(-abs(unname(test$statistic)), length(u) - 1))
  expect_error(test_serial(fit, "lm"), class = "wavetax_error_method")

  # F of effects and Hausman's test, both fits at the rho of the fixed effects fit.
  pooled <- fit_pooled(y ~ x1 + x2, p, serial = serial_ar1(rho))
  same <- test_effects(fit, fit_pooled(y ~ x1 + x2, p, serial = "ar1"))
  expect_equal(same$statistic, test_effects(fit)$statistic)
  f <- (pooled$ssr - fit$ssr) / (df.residual(pooled) - df.residual(fit)) / fit$scale
  expect_equal(unname(same$statistic), f)
  random <- fit_random(y ~ x1 + x2, p, serial = serial_ar1(rho))
  hausman <- test_hausman(fit, fit_random(y ~ x1 + x2, p))
  difference <- coef(fit) - coef(random)[-1]
  V <- vcov(with_errors(fit, se_classical())) -
    vcov(with_errors(random, se_classical()))[-1, -1] * fit$scale / random$scale
  expect_equal(unname(hausman$statistic), drop(difference %*% solve(V, difference)), tolerance = 1e-6)
})

test_that("the demo world's rho lies in its interval, and drawn outcomes have the fit's", {
  panel <- harbour_panel()
  fit <- fit_fixed(update(harbour_equation, . ~ . + factor(season)), panel, serial = "ar1")
  expect_lt(fit$serial$low, 0.4)
  expect_gt(fit$serial$high, 0.4)
  expect_equal(mean(vapply(simulate(fit, 40, seed = 3), function(y) {
    panel$drawn <- y
    fit_fixed(drawn ~ levy + storms + fuel + factor(season), panel, serial = "ar1")$serial$rho
  }, 0)), fit$serial$rho, tolerance = 0.08)
})

test_that("what AR(1) cannot take is refused, and an estimate near 1 is told", {
  set.seed(1)
  d <- data.frame(id = rep(1:30, each = 6), t = rep(1:6, 30), x = rnorm(180))
  d$y <- d$x + as.vector(replicate(30, cumsum(rnorm(6))))
  p <- panel_frame(d, id, t)
  d$y <- d$x + rep(rnorm(30, sd = 50), each = 6) + as.vector(replicate(30, cumsum(rnorm(6))))
  expect_warning(near <- fit_pooled(y ~ x, panel_frame(d, id, t), serial = "ar1"),
                 "fit_difference", class = "wavetax_warning_near_unit_root")
  expect_identical(near$serial$rho, 0.99)
  apart <- panel_frame(d[d$t %in% c(1, 3, 6), ], id, t)
  for (door in list(fit_pooled, fit_fixed, fit_random)) {
    expect_error(door(y ~ x, apart, serial = "ar1"), class = "wavetax_error_no_pairs")
    expect_s3_class(door(y ~ x, apart, serial = serial_ar1(0.5)), "panel_fit")
  }
  two <- panel_frame(d[d$t <= 2, ], id, t)
  expect_error(fit_fixed(y ~ x, two, serial = "ar1"), "three rows", class = "wavetax_error_no_pairs")
  expect_s3_class(fit_pooled(y ~ x, two, serial = serial_ar1(0.2)), "panel_fit")
})

test_that("what is left of the last disturbance is carried over, in ticks and by weights", {
  d <- gappy_panel(12, 9, plain = TRUE, seed = 5)
  p <- panel_frame(d, id, year)
  for (fit in list(fit_fixed(y ~ x1, p, weights = ~ w, serial = "ar1"), fit_random(y ~ x1, p, serial = "ar1"))) {
    rho <- fit$serial$rho
    e <- residuals(fit)
    w <- if (is.null(weights(fit))) rep(1, nrow(d)) else d$w
    before <- function(id, year) {
      rows <- which(d$id == id & d$year < year)
      if (length(rows) == 0) NA else rows[which.max(d$year[rows])]
    }
    from <- mapply(before, d$id, d$year)
    expected <- ifelse(is.na(from), 0, rho^(d$year - d$year[from]) * e[from] * sqrt(w[from] / w))
    expect_equal(unname(predict(fit, disturbance = TRUE) - fitted(fit)), expected, tolerance = 1e-9)
    ahead <- data.frame(id = c(1, 2, 99), year = 2011, x1 = 0, w = 2)
    from <- mapply(before, ahead$id, ahead$year)
    expected <- ifelse(is.na(from), 0, rho^(2011 - d$year[from]) * e[from] * sqrt(w[from] / if (all(w == 1)) 1 else 2))
    both <- suppressWarnings(lapply(c(TRUE, FALSE), function(carry) predict(fit, ahead, disturbance = carry)))
    expect_equal(both[[1]] - both[[2]], ifelse(is.na(both[[2]]), NA, expected), tolerance = 1e-9)
  }
  expect_error(predict(fit, disturbance = TRUE, interval = "confidence"), class = "wavetax_error_no_interval")
  expect_error(predict(fit_pooled(y ~ x1, p), disturbance = TRUE), class = "wavetax_error_argument")
})

test_that("weights from estimated variances are those written out, with errors that make up for them", {
  d <- gappy_panel(15, 9, plain = TRUE, seed = 12, keep = 0.9)
  p <- panel_frame(d, id, year)
  D <- dummies_of(d$id)
  for (fixed in c(FALSE, TRUE)) {
    first <- dense_regression(d$y, if (fixed) cbind(d$x1, d$x2) else cbind(1, d$x1, d$x2), if (fixed) D)
    h <- if (fixed) 1 / ave(d$id, d$id, FUN = length) else 0
    sigma2 <- ave(first$e^2, d$kind, FUN = sum) / ave(1 - h + 0 * d$id, d$kind, FUN = sum)
    d$own <- 1 / sigma2
    door <- if (fixed) fit_fixed else fit_pooled
    fit <- door(y ~ x1 + x2, p, weights = ~ variance_of(kind))
    own <- door(y ~ x1 + x2, panel_frame(d, id, year), weights = ~ own)
    expect_equal(coef(fit), coef(own))
    expect_equal(fit$scale, own$scale)
    size <- ave(d$id, d$kind, FUN = length)
    dense <- dense_regression(d$y, if (fixed) cbind(d$x1, d$x2) else cbind(1, d$x1, d$x2), if (fixed) D, d$own)
    dense$e <- dense$e * size / (size - 2)
    expect_equal(unname(vcov(fit)), unname(dense_cr(dense, d$id, "CR1", 3)), tolerance = 1e-8)
    expect_equal(unname(vcov(with_errors(fit, se_clustered(~ id, "CR3")))), unname(dense_cr(dense, d$id, "CR3")),
                 tolerance = 1e-8)
    expect_equal(unname(vcov(with_errors(fit, se_classical()))),
                 unname(dense$A %*% crossprod(dense$X * size / (size - 2)) %*% dense$A * own$scale), tolerance = 1e-8)
    expect_match(paste(capture.output(print(fit)), collapse = " "), "3 variances by kind are estimated from")
    expect_equal(influence_by(fit)$change, influence_by(own)$change)
    expect_equal(test_normality(fit)$statistic, test_normality(own)$statistic)
  }
})

test_that("effects under estimated weights are tested over the variances of the fuller fit", {
  d <- gappy_panel(15, 9, plain = TRUE, seed = 12, keep = 0.9)
  p <- panel_frame(d, id, year)
  fits <- lapply(c("both", "entity"), function(effects) {
    fit_fixed(y ~ x1 + x2, p, effects, weights = ~ variance_of(kind))
  })
  d$own <- weights(fits[[1]])
  own <- panel_frame(d, id, year)
  given <- lapply(c("both", "entity"), function(effects) fit_fixed(y ~ x1 + x2, own, effects, weights = ~ own))
  tests <- list(test_effects(fits[[1]], fits[[2]]), test_effects(given[[1]], given[[2]]))
  for (part in c("statistic", "parameter", "p.value")) expect_equal(tests[[1]][[part]], tests[[2]][[part]])
  expect_error(test_effects(given[[1]], fits[[2]]), class = "wavetax_error_different_rows")
})

test_that("R-squared is that of the rows as they are, whether rho is given or found", {
  p <- panel_frame(gappy_panel(15, 9, plain = TRUE, seed = 12, keep = 0.9), id, year)
  for (door in list(fit_pooled, fit_fixed, fit_random)) {
    for (by in c(list(NULL), if (!identical(door, fit_random)) list(~ w))) {
      found <- door(y ~ x1 + x2, p, weights = by, serial = "ar1")
      given <- door(y ~ x1 + x2, p, weights = by, serial = serial_ar1(rho = found$serial$rho))
      expect_equal(found$r_squared, given$r_squared, tolerance = 1e-10)
    }
  }
})

test_that("iterate counts its rounds, each from the residuals of the last slopes", {
  d <- gappy_panel(20, 8, plain = TRUE, seed = 3, keep = 0.9)
  p <- panel_frame(d, id, year)
  fit <- fit_pooled(y ~ x1 + x2, p, serial = serial_ar1(iterate = TRUE))
  rho <- fit_pooled(y ~ x1 + x2, p, serial = "ar1")$serial$rho
  rounds <- 0
  X <- cbind(1, d$x1, d$x2)
  before <- match(paste(d$id, d$year - 1), paste(d$id, d$year))
  pairs <- sum(!is.na(before))
  repeat {
    e <- d$y - drop(X %*% coef(fit_pooled(y ~ x1 + x2, p, serial = serial_ar1(rho))))
    found <- sum(e * e[before], na.rm = TRUE) / sum(e^2) * nrow(d) / pairs
    if (abs(found - rho) < 1e-8) break
    rho <- found
    rounds <- rounds + 1
  }
  expect_identical(fit$serial$steps, as.integer(rounds))
  expect_equal(fit$serial$rho, rho, tolerance = 1e-8)
})

test_that("rho is the same of rows in order and of rows in none, with weights too", {
  d <- gappy_panel(20, 8, plain = TRUE, seed = 3, keep = 0.9)
  d <- d[order(d$id, d$year), ]
  fits <- lapply(list(d, d[sample(nrow(d)), ]), function(data) {
    p <- panel_frame(data, id, year)
    lapply(list(fit_pooled, fit_fixed), function(door) {
      lapply(c("corrected", "regression"), function(rho) door(y ~ x1 + x2, p, weights = ~ w, serial = serial_ar1(rho)))
    })
  })
  of <- function(fit) unlist(c(fit$serial[c("rho", "low", "high")], coef(fit)))
  expect_equal(lapply(unlist(fits[[1]], recursive = FALSE), of), lapply(unlist(fits[[2]], recursive = FALSE), of),
               tolerance = 1e-9)
})
