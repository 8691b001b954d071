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
    result <- test_serial(fit_fixed(y ~ x1 + x2, panel, if (both) "both" else "entity"), "differences")
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
  result <- test_serial(fit, "breusch-godfrey", lag = 2)
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
      expect_equal(unname(test_serial(fit, "conditional", lag = lags)$statistic), drop(t(left) %*% solve(spread, left)),
                   tolerance = 1e-7)
    }
  }
})

test_that("each fit has its test, and the wrong ones are told which fit they need", {
  panel <- harbour_panel()
  fits <- list(pooled = fit_pooled(harbour_equation, panel), fixed = fit_fixed(harbour_equation, panel),
               random = fit_random(harbour_equation, panel))
  for (fit in fits) expect_match(test_serial(fit)$method, "corrected, at lag 1")
  expect_match(test_serial(fit_difference(harbour_equation, panel))$method, "from differences")
  expect_equal(test_serial(fits$fixed)$autocorrelation, 0.4, tolerance = 0.15)
  expect_error(test_serial(fits$fixed, "joint"), "needs a pooled fit", class = "wavetax_error_method")
  expect_error(test_serial(fits$pooled, "lm"), "fit_fixed\\(log\\(nights\\)", class = "wavetax_error_method")
  expect_error(test_serial(fits$fixed, "lm", lag = 12), "seasons 12 seasons apart|Too few",
               class = "wavetax_error_too_few_periods")
  expect_error(test_serial(fits$pooled, lag = 40), class = "wavetax_error_too_few_periods")
  expect_error(test_serial(fits$fixed, "within", lag = 2), "neighbouring", class = "wavetax_error_method")
  expect_error(test_serial(fit_between(harbour_equation, panel)), class = "wavetax_error_method")
  two <- panel_frame(data.frame(id = rep(1:20, 2), t = rep(1:2, each = 20), x = rnorm(40), y = rnorm(40)), id, t)
  # Two periods do not tell autocorrelation from a component.
  expect_error(test_serial(suppressWarnings(fit_random(y ~ x, two))), class = "wavetax_error_too_few_periods")
  expect_error(test_serial(fit_fixed(y ~ x, two)), class = "wavetax_error_too_few_periods")
  short <- panel_frame(data.frame(id = 1:20, t = 1, x = rnorm(20), y = rnorm(20)), id, t)
  expect_error(test_serial(fit_pooled(y ~ x, short)), class = "wavetax_error_too_few_periods")
  expect_error(test_serial(fit_pooled(y ~ x, as.data.frame(short))), class = "wavetax_error_not_a_panel")
})

# A panel with movers between firms, rows that only some sets fit, and a regressor with a trend.
mover_panel <- function(N = 15, spans = 8, seed = 3) {
  set.seed(seed)
  data <- expand.grid(t = seq_len(spans), id = seq_len(N))
  data <- data[runif(nrow(data)) < 0.85 & !(data$id == 3 & data$t > 2), ]
  data$firm <- (data$id + (runif(nrow(data)) < 0.2) * sample(5, nrow(data), TRUE)) %% 6
  data$firm[7] <- 99
  data$region <- data$id %% 3
  data$w <- runif(nrow(data), 0.5, 2)
  data$x <- rnorm(nrow(data)) + data$t / 4
  data$y <- data$x + data$id / 5 + rnorm(nrow(data))
  data[sample(nrow(data)), ]
}

test_that("the corrected test is that of whole matrices, whatever the fit takes out and however it is written", {
  d <- mover_panel()
  p <- panel_frame(d, id, t)
  ids <- dummies_of(d$id)
  ts <- dummies_of(d$t)
  cells <- list(
    list(fit_fixed(y ~ x, p), cbind(ids, d$x), ids),
    list(fit_fixed(y ~ x, p, weights = ~ w), cbind(ids, d$x), ids, d$w),
    list(fit_fixed(y ~ x, p, "both"), cbind(ids, ts, d$x), ids),
    list(fit_fixed(y ~ x + factor(t), p), cbind(ids, ts, d$x), ids),
    list(suppressWarnings(fit_random(y ~ x, p, "both")), cbind(ids, ts, d$x), ids),
    list(suppressWarnings(fit_random(y ~ x, p)), cbind(ids, d$x), ids),
    list(fit_pooled(y ~ x, p), cbind(1, d$x), NULL),
    list(fit_pooled(y ~ x + factor(t), p), cbind(ts, d$x), NULL),
    list(fit_pooled(y ~ x + factor(id), p), cbind(ids, d$x), ids),
    list(fit_fixed(y ~ x, p, ~ id + region:t), cbind(ids, dummies_of(paste(d$region, d$t)), d$x), ids),
    list(fit_fixed(y ~ x, p, ~ id + firm + t), cbind(ids, dummies_of(d$firm), ts, d$x), ids),
    list(fit_fixed(y ~ x, p, ~ id + id:trend(t)), cbind(ids, ids * d$t, d$x), cbind(ids, ids * d$t)),
    list(fit_fixed(y ~ x + factor(id):t, p), cbind(ids, ids * d$t, d$x), cbind(ids, ids * d$t)),
    list(fit_fixed(y ~ x, p, ~ id:trend(t)), cbind(1, ids * d$t, d$x), ids * d$t),
    list(fit_fixed(y ~ x, p, ~ id + id:trend(t), weights = ~ w), cbind(ids, ids * d$t, d$x), cbind(ids, ids * d$t), d$w)
  )
  for (cell in cells) {
    w <- if (length(cell) > 3) cell[[4]] else rep(1, nrow(d))
    dense <- dense_corrected(d$y, cell[[2]], d$id, d$t, w = w, own = cell[[3]])
    for (kind in c("rows", "entities")) {
      test <- test_serial(cell[[1]], variances = kind)
      one <- dense[[kind]]
      expect_equal(unname(c(test$statistic, test$parameter, test$p.value)),
                   c(one$t, one$G - 1, 2 * pt(-abs(one$t), one$G - 1)), tolerance = 1e-9,
                   label = paste(deparse(cell[[1]]$call$effects), deparse(cell[[1]]$call$formula), kind))
    }
    expect_identical(test_serial(cell[[1]])$variances, "rows")
  }
})

test_that("one-way, without regressors to speak of, the corrected test has a closed form; several lags are Hotelling's",
          {
  d <- mover_panel(seed = 9)
  fit <- fit_fixed(y ~ x, panel_frame(d, id, t))
  closed <- vapply(split(d, d$id), function(one) {
    one <- one[order(one$t), ]
    spans <- nrow(one)
    near <- outer(one$t, one$t, function(a, b) abs(a - b) == 1)
    e <- one$y - mean(one$y)
    m <- sum(near) / 2
    if (spans < 4 || m == 0) return(NA_real_)
    sum(e %*% near %*% e) / 2 + sum((rowSums(near) - m / (spans - 1)) * e^2) / (spans - 2)
  }, 0)
  closed <- closed[!is.na(closed)]
  d$id <- match(d$id, unique(d$id))
  own <- list(list(codes = d$id, loadings = list(NULL)))
  plain <- asNamespace("wavetax")$core_serial_corrected(ave(d$y, d$id, FUN = function(v) v - mean(v)), d$id, d$t, own)
  expect_equal(plain$forms[[1]]$rows$statistic, mean_t(closed), tolerance = 1e-10)
  expect_identical(plain$forms[[1]]$rows$G, length(closed))
  ids <- dummies_of(d$id)
  dense <- lapply(1:2, function(lag) dense_corrected(d$y, cbind(ids, d$x), d$id, d$t, lag, own = ids)$rows)
  ids <- union(names(dense[[1]]$z), names(dense[[2]]$z))
  z <- vapply(dense, function(one) replace(one$z[ids], is.na(one$z[ids]), 0), numeric(length(ids)))
  m <- colMeans(z) / sqrt(vapply(dense, `[[`, 0, "kappa"))
  G <- length(ids)
  joint <- test_serial(fit, lag = 1:2)
  f <- G * drop(m %*% solve(cov(z), m)) * (G - 2) / ((G - 1) * 2)
  expect_equal(unname(c(joint$statistic, joint$parameter, joint$p.value)),
               c(f, 2, G - 2, pf(f, 2, G - 2, lower.tail = FALSE)), tolerance = 1e-8)
})

test_that("traces from random signs give nearly the exact statistic, with variances that change over periods too", {
  core <- asNamespace("wavetax")
  set.seed(4)
  d <- expand.grid(t = 1:8, id = 1:150)
  d$firm <- (d$id + (runif(nrow(d)) < 0.3) * sample(30, nrow(d), TRUE)) %% 40
  e <- rnorm(nrow(d)) * ifelse(d$t == 3, 3, 1)
  sets <- lapply(list(d$id, d$firm + 1L, d$t),
                 function(codes) core$core_effect_set(core$core_groups(as.integer(codes))))
  sweep <- function(V) {
    system <- core$core_effect_system(sets, nrow(d))
    on.exit(core$core_release(system))
    core$core_swept_columns(lapply(seq_len(ncol(V)), function(j) V[, j]), system)
  }
  e <- drop(sweep(matrix(e)))
  own <- list(list(codes = as.integer(d$id), loadings = list(NULL)))
  beside <- cbind(dummies_of(d$firm), dummies_of(d$t))
  exact <- core$core_serial_corrected(e, as.integer(d$id), as.integer(d$t), own, beside)$forms[[1]]
  set.seed(5)
  drawn <- core$core_serial_corrected(e, as.integer(d$id), as.integer(d$t), own, annihilate = sweep)$forms[[1]]
  for (kind in c("rows", "entities")) {
    expect_equal(drawn[[kind]]$statistic, exact[[kind]]$statistic, tolerance = 0.12, label = kind)
    expect_equal(drawn[[kind]]$kappa, exact[[kind]]$kappa, tolerance = 0.05)
    expect_identical(drawn[[kind]]$told, exact[[kind]]$told)
  }
})

test_that("methods are refused where they do not hold, naming the one that does", {
  d <- mover_panel(30)
  p <- panel_frame(d, id, t)
  refused <- list(
    list(fit_fixed(y ~ x, p, ~ id + id:trend(t)), c("differences", "within", "lm")),
    list(fit_fixed(y ~ x + factor(id):t, p), c("differences", "within", "lm")),
    list(fit_fixed(y ~ x, p, ~ id + firm), c("differences", "within", "lm")),
    list(fit_fixed(y ~ x, p, ~ id + firm + t), c("differences", "within", "lm")),
    list(fit_fixed(y ~ x, p, "both"), c("within", "lm")),
    list(fit_fixed(y ~ x + factor(t), p), c("within", "lm")),
    list(suppressWarnings(fit_random(y ~ x, p, "both")), "conditional"),
    list(fit_pooled(y ~ x + factor(id), p), c("breusch-godfrey", "joint"))
  )
  for (cell in refused) for (method in cell[[2]]) {
    expect_error(test_serial(cell[[1]], method), "corrected", class = "wavetax_error_method")
  }
  expect_error(test_serial(fit_difference(y ~ x, p), "corrected"), "differences", class = "wavetax_error_method")
  # Where they hold, dummies and effects of the periods give one statistic, random ones too.
  f <- function(fit) unname(test_serial(fit, "differences")$statistic)
  both <- f(fit_fixed(y ~ x, p, "both"))
  expect_equal(f(fit_fixed(y ~ x + factor(t), p)), both)
  expect_equal(f(suppressWarnings(fit_random(y ~ x, p, "both"))), both)
  expect_equal(f(fit_pooled(y ~ x + factor(id) + factor(t), p)), both)
  expect_equal(f(fit_fixed(y ~ x, p, ~ id + region:t)), f(fit_fixed(y ~ x + factor(region):factor(t), p)))
})

test_that("true nulls after trends, movers and two-way random effects are rejected about as often as is said", {
  p_of <- function(seed, make) {
    set.seed(seed)
    d <- expand.grid(t = 1:7, id = 1:40)
    d$firm <- (d$id + (runif(nrow(d)) < 0.1) * sample(20, nrow(d), TRUE)) %% 8
    d$x <- rnorm(nrow(d))
    d$y <- d$x + rnorm(40)[d$id] + rnorm(nrow(d)) * (0.5 + d$t / 4)
    test_serial(make(panel_frame(d, id, t)))$p.value
  }
  rate <- function(make) mean(vapply(1:150, p_of, 0, make) < 0.05)
  for (make in list(function(p) fit_fixed(y ~ x, p, ~ id + id:trend(t)),
                    function(p) fit_fixed(y ~ x, p, ~ id + firm + t),
                    function(p) suppressWarnings(fit_random(y ~ x, p, "both")))) {
    expect_lt(rate(make), 0.11)
  }
})
