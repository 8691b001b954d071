test_that("figures of fit are those of the dummy regression", {
  panel <- gappy_panel()
  figures <- fit_figures(fit_fixed(y ~ x1 + x2, panel, effects = "both"))
  data <- as.data.frame(panel)
  full <- lm(y ~ x1 + x2 + factor(id) + factor(year), data)
  none <- lm(y ~ factor(id) + factor(year), data)
  test <- anova(none, full)
  expect_equal(c(figures$f, figures$f_df1, figures$f_p), c(test$F[2], 2, test$`Pr(>F)`[2]))
  expect_equal(figures$rmse, sigma(full))
  expect_equal(c(figures$log_lik, figures$aic, figures$bic), c(logLik(full), AIC(full), BIC(full)))
  expect_equal(figures$r2_with_effects, summary(full)$r.squared)
  x <- drop(cbind(data$x1, data$x2) %*% coef(full)[2:3])
  within <- function(v) v - ave(v, data$id)
  expect_equal(figures$r2_within, cor(within(x), within(data$y))^2)
  expect_equal(figures$r2_overall, cor(x, data$y)^2)
  expect_output(print(figures), "df of the effects +4[0-9]")
})

test_that("intervals of predictions are those of the dummy regression", {
  panel <- gappy_panel(N = 15)
  data <- as.data.frame(panel)
  fit <- fit_fixed(y ~ x1 + x2, panel, errors = se_classical())
  dense <- lm(y ~ x1 + x2 + factor(id), data)
  for (kind in c("confidence", "prediction")) {
    expected <- suppressWarnings(predict(dense, data, interval = kind))
    expect_equal(as.matrix(predict(fit, panel, interval = kind)), expected, ignore_attr = TRUE)
  }
  between <- predict(fit, panel, effects = FALSE, interval = "confidence")
  expect_true(all(between$low < between$fit))
  expect_error(predict(fit_fixed(y ~ x1, panel, "both"), panel, interval = "confidence"),
               class = "wavetax_error_no_interval")
  random <- predict(fit_random(y ~ x1, panel), panel, interval = "prediction")
  expect_gt(mean(random$low < panel$y & panel$y < random$high), 0.9)
})
