test_that("differences are least squares of changes between adjacent periods only", {
  panel <- gappy_panel()
  data <- as.data.frame(panel)
  at <- match(paste(data$id, data$year - 1), paste(data$id, data$year))
  changes <- data.frame(y = data$y - data$y[at], x1 = data$x1 - data$x1[at], x2 = data$x2 - data$x2[at],
                        id = data$id)[!is.na(at), ]
  fit <- fit_difference(y ~ x1 + x2 + size, panel)
  dense <- lm(y ~ x1 + x2, changes)
  expect_equal(coef(fit), coef(dense))
  expect_equal(residuals(fit), unname(residuals(dense)))
  V <- dense_cr1(model.matrix(dense), residuals(dense), changes$id, k_star = 3)
  expect_equal(unname(vcov(fit)), unname(V))
  expect_identical(wavetax:::dropped_terms(fit)$reason, "does not change from one period to the next")
  ordered <- data[order(data$id, data$year), ]
  across <- sum(diff(ordered$id) == 0 & diff(ordered$year) > 1)
  expect_output(print(fit), paste(across, "pairs across a gap not used"))
  expect_equal(unname(coef(fit_difference(y ~ x1 - 1, panel))), unname(coef(lm(y ~ x1 - 1, changes))))
})

test_that("with two periods differences are fixed effects", {
  panel <- gappy_panel(periods = 2, keep = 0.9)
  fixed <- fit_fixed(y ~ x1 + x2, panel, effects = "both")
  change <- fit_difference(y ~ x1 + x2, panel)
  expect_equal(coef(fixed), coef(change)[-1])
})

test_that("no adjacent periods, weights and plain tables are refused", {
  panel <- gappy_panel()
  even <- panel[panel$year %in% c(2002, 2005), ]
  expect_error(fit_difference(y ~ x1, panel_frame(as.data.frame(panel)[panel$year == 2003, ], id, year)),
               class = "wavetax_error_too_few_periods")
  expect_error(fit_difference(y ~ x1, panel, weights = ~w), class = "wavetax_error_weights")
  expect_error(fit_difference(y ~ x1, as.data.frame(panel)), class = "wavetax_error_not_a_panel")
})

test_that("the serial correlation test of a difference fit is on its own residuals", {
  panel <- gappy_panel(periods = 10, keep = 0.9)
  expect_equal(test_serial(fit_difference(y ~ x1 + x2 - 1, panel))$statistic,
               test_serial(fit_pooled(y ~ x1 + x2, panel), "differences")$statistic)
  drift <- fit_difference(y ~ x1 + x2, panel)
  key <- paste(panel$id, panel$year)[drift$design$rows]
  before <- match(paste(panel$id, panel$year - 1)[drift$design$rows], key)
  r <- residuals(drift)
  slope <- unname(coef(lm(r ~ 0 + r[before])))
  expect_equal(unname(test_serial(drift)$estimate[1]), slope)
  expect_error(test_serial(fit_between(y ~ x1, panel)), class = "wavetax_error_method")
})
