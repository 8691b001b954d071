test_that("the statistic is the dense regression of differenced residuals, gaps respected", {
  panel <- gappy_panel(N = 50, keep = 0.8, seed = 12)
  data <- as.data.frame(panel)
  data <- data[order(data$id, data$year), ]
  n <- nrow(data)
  step <- which(data$id[-1] == data$id[-n] & data$year[-1] == data$year[-n] + 1) + 1
  change <- function(v) v[step] - v[step - 1]
  r <- rep(NA, n)
  r[step] <- residuals(lm(change(data$y) ~ change(data$x1) + change(data$x2) - 1))
  pair <- step[!is.na(r[step - 1])]
  b <- sum(r[pair] * r[pair - 1]) / sum(r[pair - 1]^2)
  V <- dense_cr1(cbind(r[pair - 1]), r[pair] - b * r[pair - 1], data$id[pair], 1)
  result <- test_serial(fit_pooled(y ~ x1 + x2, panel))
  expect_equal(unname(result$statistic), ((b + 0.5) / sqrt(drop(V)))^2, tolerance = 1e-9)
  expect_equal(unname(result$parameter), c(1, length(unique(data$id[pair])) - 1))
  expect_equal(result$statistic, test_serial(fit_fixed(y ~ x1 + x2, panel))$statistic)
})

test_that("it finds the demo world's autocorrelation, and is quiet where there is none", {
  result <- test_serial(fit_fixed(harbour_equation, harbour_panel()))
  expect_lt(result$p.value, 0.001)
  expect_output(print(result), "errors clustered by\\s+harbour")
  p <- vapply(1:150, function(seed) {
    test_serial(fit_fixed(y ~ x1 + x2, gappy_panel(seed = seed)))$p.value
  }, numeric(1))
  expect_gt(mean(p < 0.1), 0.04)
  expect_lt(mean(p < 0.1), 0.18)
})

test_that("too few periods, or no panel, is said", {
  panel <- gappy_panel()
  short <- panel[panel$year <= 2002, ]
  expect_error(test_serial(fit_pooled(y ~ x1, short)), class = "wavetax_error_too_few_periods")
  plain <- fit_pooled(y ~ x1, as.data.frame(panel))
  expect_error(test_serial(plain), "panel_frame", class = "wavetax_error_not_a_panel")
  expect_error(test_serial(fit_pooled(y ~ x1, panel), "lm"), class = "wavetax_error_method")
})
