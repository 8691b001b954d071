# Cases that one wrong sign, index or word would break, and that no other test would notice.

test_that("the likelihood of random effects counts their variances, and is that of the dense normal law", {
  panel <- gappy_panel(N = 20)
  for (effects in c("entity", "both")) {
    fit <- fit_random(y ~ x1 + x2, panel, effects)
    v <- fit$variance
    D <- list(dummies_of(panel$id), dummies_of(panel$year))[seq_along(v$sigma2)]
    V <- diag(nrow(panel)) * v$sigma2_e + Reduce(`+`, Map(function(s, d) s * tcrossprod(d), v$sigma2, D))
    X <- cbind(1, panel$x1, panel$x2)
    e <- panel$y - X %*% solve(t(X) %*% solve(V, X), t(X) %*% solve(V, panel$y))
    n <- nrow(panel)
    scaled <- V / v$sigma2_e
    dense <- -n / 2 * (log(2 * pi * drop(t(e) %*% solve(scaled, e)) / n) + 1) - determinant(scaled)$modulus / 2
    expect_equal(as.numeric(logLik(fit)), as.numeric(dense), tolerance = 1e-9)
    expect_equal(attr(logLik(fit), "df"), 3 + 1 + length(D))
    expect_equal(AIC(fit), -2 * as.numeric(dense) + 2 * (4 + length(D)), tolerance = 1e-9)
  }
})

test_that("a difference fit clustered by period has each change in the period of its later row", {
  panel <- gappy_panel()
  fit <- fit_difference(y ~ x1 + x2, panel, errors = se_clustered("period"))
  data <- as.data.frame(panel)
  before <- match(paste(data$id, data$year - 1), paste(data$id, data$year))
  now <- which(!is.na(before))
  across <- function(v) v[now] - v[before[now]]
  X <- cbind(1, across(data$x1), across(data$x2))
  e <- stats::lm.fit(X, across(data$y))$residuals
  expect_equal(unname(vcov(fit)), dense_cr1(X, e, data$year[now], 3), tolerance = 1e-9)
})

test_that("random effects intervals: what is known of a group, and the noise of a new row", {
  panel <- gappy_panel(N = 25)
  fit <- with_errors(fit_random(y ~ x1 + x2, panel), se_classical())
  v <- fit$variance
  X <- cbind(1, panel$x1, panel$x2)
  V <- v$sigma2_e * diag(nrow(panel)) + v$sigma2_u * tcrossprod(dummies_of(panel$id))
  A <- solve(t(X) %*% solve(V, X)) * fit$scale / v$sigma2_e
  row <- 7
  mine <- panel$id == panel$id[row]
  share <- sum(mine) * v$sigma2_u / (v$sigma2_e + sum(mine) * v$sigma2_u)
  weights <- X[row, ] - share * colMeans(X[mine, , drop = FALSE])
  mean_variance <- v$sigma2_u * (1 - share) + drop(weights %*% A %*% weights)
  half <- function(interval) {
    out <- predict(fit, interval = interval)[row, ]
    (out$high - out$low) / 2 / qt(0.975, fit$df$residual)
  }
  expect_equal(half("confidence"), sqrt(mean_variance), tolerance = 1e-9)
  expect_equal(half("prediction"), sqrt(mean_variance + v$sigma2_e), tolerance = 1e-9)
  out <- predict(fit, interval = "prediction", effects = FALSE)[row, ]
  expect_equal((out$high - out$low) / 2 / qt(0.975, fit$df$residual),
               sqrt(drop(X[row, ] %*% A %*% X[row, ]) + v$sigma2_e + v$sigma2_u), tolerance = 1e-9)
})

test_that("Hausman's test refuses fits with different weights", {
  panel <- gappy_panel()
  expect_error(test_hausman(fit_fixed(y ~ x1, panel, weights = ~w), fit_random(y ~ x1, panel)),
               class = "wavetax_error_different_rows")
  panel$again <- panel$w^2
  expect_error(test_hausman(fit_fixed(y ~ x1, panel, weights = ~w), fit_pooled(y ~ x1, panel, weights = ~again)),
               class = "wavetax_error_different_rows")
})

test_that("an iteration that did not get there is an error, not a number", {
  short <- list(converged = FALSE, iterations = 5000, achieved = 1e-3)
  expect_error(wavetax:::check_converged(short), "5,000 steps", class = "wavetax_error_no_convergence")
})

test_that("the constant of a weighted fixed effects fit has the error of its own regression", {
  panel <- gappy_panel()
  w <- panel$w
  fit <- fit_fixed(y ~ x1 + x2, panel, weights = ~w)
  swept <- function(v) {
    means <- rowsum(w * v, panel$id) / c(rowsum(w, panel$id))
    v - means[as.character(panel$id), ] + weighted.mean(v, w)
  }
  X <- cbind(1, swept(panel$x1), swept(panel$x2))
  dense <- stats::lm.wfit(X, swept(panel$y), w)
  expect_equal(unname(fit$coefficients$estimate), unname(dense$coefficients), tolerance = 1e-9)
  expect_equal(unname(fit$errors$covariance), dense_cr1(X, dense$residuals, panel$id, 3, w), tolerance = 1e-8)
  classical <- with_errors(fit, se_classical())$errors$covariance
  expect_equal(unname(classical), fit$scale * solve(crossprod(X * sqrt(w))), tolerance = 1e-9)
  outside <- with_errors(fit, se_clustered(region))$errors$covariance
  expect_equal(unname(outside), dense_cr1(X, dense$residuals, panel$region, 3, w), tolerance = 1e-8)
})

test_that("in pieces the second set adds its rank, not its levels", {
  data <- gappy_panel(plain = TRUE)
  # Two blocks that share no level: each costs one of the second set's levels.
  data$block <- data$id %% 2
  data$cell <- paste0(data$block, "-", data$year)
  place <- new.env()
  place$at <- 0
  source <- function() {
    place$at <- (place$at + 1) %% 3
    if (place$at > 0) data[if (place$at == 1) 1:80 else 81:nrow(data), ]
  }
  pieces <- fit_fixed(y ~ x1 + x2, source, ~ id + cell)
  whole <- fit_fixed(y ~ x1 + x2, data, ~ id + cell)
  expect_equal(pieces$df$effects, whole$df$effects)
  expect_equal(coef(pieces), coef(whole), tolerance = 1e-9)
  expect_equal(vcov(pieces), vcov(whole), tolerance = 1e-9)
})

test_that("rows and formulas that come as text are held to a list of functions", {
  panel <- gappy_panel()
  for (bad in c("system('true')", "eval(parse(text = '1'))", "id > 2; 1", "file.remove('x')", "base::system('true')")) {
    expect_error(wavetax:::condition_from_text(bad, panel), class = "wavetax_error", info = bad)
    expect_error(wavetax:::formula_from_text(paste("y ~", bad), panel), class = "wavetax_error", info = bad)
  }
  expect_s3_class(wavetax:::condition_from_text("year > 2003 & x1 > 0", panel), "formula")
})

test_that("an empty text is no text where one is asked for", {
  raw <- data.frame(id = c("a", "a"), t = 1:2, x = c("1", "2"))
  found <- panel_problems(raw, id, t)
  expect_error(panel_repair(raw, found, numbers = "x", thousands = ""), class = "wavetax_error_repair")
  expect_error(panel_repair(raw, found, numbers = "x", thousands = 1), class = "wavetax_error_repair")
})
