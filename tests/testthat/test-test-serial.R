# Serial correlation: each method against its formula written out in loops over entities and periods, with gaps.

serial_panel <- function(seed = 6, N = 30) gappy_panel(N, 8, seed = seed, keep = 0.75, plain = TRUE)

# Rows of one entity `lag` periods apart: pairs of row numbers.
dense_pairs <- function(id, year, lag = 1) {
  out <- NULL
  for (i in seq_along(id)) {
    before <- which(id == id[i] & year == year[i] - lag)
    if (length(before) == 1) out <- rbind(out, c(i, before))
  }
  out
}
sums_by <- function(v, id) as.vector(rowsum(v, id))
mean_t <- function(z) mean(z) / (sd(z) / sqrt(length(z)))

test_that("differences: the mean of r_{t-1} (r_t + r_{t-1}/2) over entities, period effects swept by period", {
  data <- serial_panel()
  panel <- panel_frame(data, id, year)
  p <- dense_pairs(data$id, data$year)
  for (both in c(FALSE, TRUE)) {
    dy <- data$y[p[, 1]] - data$y[p[, 2]]
    dx <- cbind(data$x1, data$x2)[p[, 1], ] - cbind(data$x1, data$x2)[p[, 2], ]
    X <- cbind(dx, if (both) dummies_of(data$year[p[, 1]]))
    r <- qr.resid(qr(X), dy)
    q <- dense_pairs(data$id[p[, 1]], data$year[p[, 1]])
    b <- r[q[, 2]]
    z <- sums_by(b * (r[q[, 1]] + b / 2), data$id[p[q[, 1], 1]])
    result <- test_serial(fit_fixed(y ~ x1 + x2, panel, if (both) "both" else "entity"))
    expect_equal(unname(result$statistic), mean_t(z)^2, tolerance = 1e-8)
    expect_equal(unname(result$parameter), c(1, length(z) - 1))
    slope <- sum(b * r[q[, 1]]) / sum(b^2)
    expect_equal(unname(result$estimate[1]), slope, tolerance = 1e-8)
    expect_equal(result$autocorrelation, 1 + 2 * slope, tolerance = 1e-8)
  }
  form <- test_serial(fit_fixed(y ~ x1 + x2, panel), form = "regression")
  r <- qr.resid(qr(dx), dy)
  b <- r[q[, 2]]
  slope <- sum(b * r[q[, 1]]) / sum(b^2)
  s <- sums_by(b * (r[q[, 1]] - slope * b), data$id[p[q[, 1], 1]])
  G <- length(s)
  expect_equal(unname(form$statistic), ((slope + 0.5) / (sqrt(G / (G - 1) * sum(s^2)) / sum(b^2)))^2, tolerance = 1e-8)
})

test_that("within, lm and Durbin-Watson are those of their formulas on uneven panels, weighted too", {
  data <- serial_panel()
  panel <- panel_frame(data, id, year)
  for (weighted in c(FALSE, TRUE)) {
    fit <- if (weighted) fit_fixed(y ~ x1 + x2, panel, weights = ~w) else fit_fixed(y ~ x1 + x2, panel)
    e <- residuals(fit) * if (weighted) sqrt(data$w) else 1
    spans <- tabulate(data$id)[data$id]
    e[spans == 1] <- NA
    p <- dense_pairs(data$id, data$year)
    use <- p[spans[p[, 1]] >= 3, ]
    z <- sums_by(e[use[, 2]] * (e[use[, 1]] + e[use[, 2]] / (spans[use[, 1]] - 1)), data$id[use[, 1]])
    within <- test_serial(fit, "within")
    expect_equal(unname(within$statistic), mean_t(z), tolerance = 1e-8)
    expect_equal(unname(within$parameter), length(z) - 1)
    for (lag in 1:2) {
      p <- dense_pairs(data$id, data$year, lag)
      p <- p[spans[p[, 1]] >= 3, ]
      ids <- sort(unique(data$id[p[, 1]]))
      z <- vapply(ids, function(i) {
        mine <- p[data$id[p[, 1]] == i, , drop = FALSE]
        Ti <- sum(data$id == i)
        sum(e[mine[, 1]] * e[mine[, 2]]) + nrow(mine) / (Ti * (Ti - 1)) * sum(e[data$id == i]^2)
      }, 0)
      G <- length(z)
      S <- sum(z) / sqrt(sum(z^2) - sum(z)^2 / G) * sqrt((G - 1) / G)
      expect_equal(unname(test_serial(fit, "lm", lag = lag)$statistic), S, tolerance = 1e-8)
    }
    p <- dense_pairs(data$id, data$year)
    d <- test_serial(fit, "durbin-watson", draws = 99)
    expect_equal(unname(d$statistic), 2 - 2 * sum(e[p[, 1]] * e[p[, 2]], na.rm = TRUE) / sum(e^2, na.rm = TRUE),
                 tolerance = 1e-8)
    expect_true(d$p.value %in% ((1:100) / 100))
  }
  even <- fit_fixed(y ~ x1, gappy_panel(12, 6, keep = 1))
  e <- residuals(even)
  p <- dense_pairs(even$design$data$id, even$design$data$year)
  expect_equal(unname(test_serial(even, "durbin-watson", draws = 19)$statistic),
               sum((e[p[, 1]] - e[p[, 2]])^2) / sum(e^2))
})

test_that("Breusch-Godfrey's n R2 has absent lags as zero, and the joint tests follow their formulas", {
  data <- serial_panel()
  fit <- fit_pooled(y ~ x1 + x2, panel_frame(data, id, year))
  e <- residuals(fit)
  n <- length(e)
  lagged <- sapply(1:2, function(lag) {
    out <- numeric(n)
    p <- dense_pairs(data$id, data$year, lag)
    out[p[, 1]] <- e[p[, 2]]
    out
  })
  aux <- lm(e ~ data$x1 + data$x2 + lagged)
  result <- test_serial(fit, lag = 2)
  expect_equal(unname(result$statistic), n * (1 - deviance(aux) / sum(e^2)), tolerance = 1e-8)
  expect_equal(unname(result$parameter), 2)
  spans <- tabulate(data$id)
  a <- sum(spans * (spans - 1)) / 2
  p <- dense_pairs(data$id, data$year)
  m <- nrow(p)
  s2 <- mean(e^2)
  su <- (sum(sums_by(e, data$id)^2) / s2 - n) / 2
  sr <- sum(e[p[, 1]] * e[p[, 2]]) / s2
  table <- test_serial(fit, "joint")$table
  expect_equal(table$statistic, c((su^2 - 2 * su * sr + a / m * sr^2) / (a - m),
                                  (sr - m / a * su)^2 / (m * (1 - m / a)),
                                  (su - sr) / sqrt(a - m)), tolerance = 1e-8)
})

test_that("the conditional test is the efficient score of the dense likelihood", {
  data <- serial_panel()
  panel <- panel_frame(data, id, year)
  for (method in c("swamy-arora", "maximum-likelihood")) {
    fit <- fit_random(y ~ x1 + x2, panel, variance = method)
    s2e <- fit$variance$sigma2_e
    s2u <- fit$variance$sigma2[[1]]
    same <- outer(data$id, data$id, `==`) + 0
    apart <- abs(outer(data$year, data$year, `-`))
    V <- s2e * diag(nrow(data)) + s2u * same
    Vi <- solve(V)
    w <- Vi %*% (data$y - cbind(1, data$x1, data$x2) %*% coef(fit))
    for (lags in 1:2) {
      D <- c(lapply(seq_len(lags), function(k) s2e * same * (apart == k)), list(same, diag(nrow(data))))
      s <- vapply(D, function(one) (drop(t(w) %*% one %*% w) - sum(Vi * one)) / 2, 0)
      I <- outer(seq_along(D), seq_along(D), Vectorize(function(a, b) sum((Vi %*% D[[a]]) * t(Vi %*% D[[b]])) / 2))
      own <- seq_len(lags)
      left <- s[own] - I[own, -own] %*% solve(I[-own, -own], s[-own])
      spread <- I[own, own] - I[own, -own] %*% solve(I[-own, -own]) %*% I[-own, own]
      expect_equal(unname(test_serial(fit, lag = lags)$statistic), drop(t(left) %*% solve(spread, left)),
                   tolerance = 1e-7)
    }
  }
})

test_that("each fit has its test, and the wrong ones are told which fit they need", {
  panel <- harbour_panel()
  fits <- list(pooled = fit_pooled(harbour_equation, panel), fixed = fit_fixed(harbour_equation, panel),
               random = fit_random(harbour_equation, panel))
  expect_match(test_serial(fits$fixed)$method, "from differences")
  expect_match(test_serial(fits$pooled)$method, "pooled residuals at 1 lag")
  expect_match(test_serial(fits$random)$method, "given the component of harbours")
  expect_equal(test_serial(fits$fixed)$autocorrelation, 0.4, tolerance = 0.15)
  expect_error(test_serial(fits$fixed, "joint"), "needs a pooled fit", class = "wavetax_error_method")
  expect_error(test_serial(fits$pooled, "lm"), "fit_fixed\\(log\\(nights\\)", class = "wavetax_error_method")
  expect_error(test_serial(fits$fixed, "lm", lag = 12), "seasons 12 seasons apart|Too few",
               class = "wavetax_error_too_few_periods")
  expect_error(test_serial(fits$pooled, lag = 40), class = "wavetax_error_too_few_periods")
  expect_error(test_serial(fits$fixed, lag = 2), "neighbouring", class = "wavetax_error_method")
  expect_error(test_serial(fit_between(harbour_equation, panel)), class = "wavetax_error_method")
  two <- panel_frame(data.frame(id = rep(1:20, 2), t = rep(1:2, each = 20), x = rnorm(40), y = rnorm(40)), id, t)
  # Two periods do not tell autocorrelation from a component.
  expect_error(test_serial(suppressWarnings(fit_random(y ~ x, two))), class = "wavetax_error_too_few_periods")
  expect_error(test_serial(fit_fixed(y ~ x, two)), class = "wavetax_error_too_few_periods")
  short <- panel_frame(data.frame(id = 1:20, t = 1, x = rnorm(20), y = rnorm(20)), id, t)
  expect_error(test_serial(fit_pooled(y ~ x, short)), class = "wavetax_error_too_few_periods")
  expect_error(test_serial(fit_pooled(y ~ x, as.data.frame(short))), class = "wavetax_error_not_a_panel")
})
