every_fit <- function(panel, ...) {
  eq <- y ~ x1 + x2 + size + kind
  list(
    pooled = fit_pooled(eq, panel, ...), between = fit_between(y ~ x1 + x2, panel, ...),
    fixed = fit_fixed(eq, panel, ...), both = fit_fixed(eq, panel, "both", ...),
    several = fit_fixed(y ~ x1 + x2, panel, ~ id + region:year, ...),
    trends = fit_fixed(y ~ x1 + x2, panel, ~ id:trend(year), ...),
    random = fit_random(eq, panel, ...), random_both = fit_random(eq, panel, "both", ...),
    difference = fit_difference(y ~ x1 + x2 + size, panel, ...), correlated = fit_correlated(eq, panel, ...),
    without = fit_pooled(y ~ x1 + x2 - 1, panel, ...), random_without = fit_random(y ~ x1 - 1, panel, ...),
    classical = fit_fixed(eq, panel, errors = se_classical(), ...)
  )
}

test_that("every method's fit is as documented, also when a regressor is dropped or rows are weighted", {
  panel <- gappy_panel()
  panel$both <- panel$x1 - 2 * panel$x2
  fits <- c(every_fit(panel), list(
    fit_pooled(y ~ x1 + x2 + both, panel, weights = ~w), fit_fixed(y ~ x1 + x2 + both + size, panel, weights = ~w),
    fit_fixed(y ~ x1 + x2 + both, panel, "both", weights = ~w),
    fit_between(y ~ x1, panel, weights = ~w, by_rows = TRUE),
    fit_random(y ~ x1 + both + x2, panel, variance = "maximum-likelihood", weights = ~w),
    fit_correlated(y ~ x1 + x2 + both, panel), with_errors(fit_fixed(y ~ x1, panel, "both"), se_clustered(region))
  ))
  for (fit in fits) expect_s3_class(wavetax:::validate_panel_fit(fit), "panel_fit")
  dropped <- fit_fixed(y ~ x1 + x2 + both + size, panel)$coefficients
  expect_identical(dropped$status, c("kept", "kept", "kept", "dropped", "dropped"))
  expect_equal(dropped$combination[[4]], c(x1 = 1, x2 = -2), tolerance = 1e-8)
  expect_match(dropped$reason[5], "does not vary within ids")
  broken <- fits[[1]]
  broken$scale <- 2 * broken$scale
  expect_error(wavetax:::validate_panel_fit(broken), "`scale`")
})

test_that("a slim fit says all that the fit said, and refuses by name what needs its rows", {
  panel <- gappy_panel()
  whole <- every_fit(panel)
  small <- every_fit(panel, keep = "nothing")
  for (method in names(whole)) {
    fit <- whole[[method]]
    expect_s3_class(wavetax:::validate_panel_fit(small[[method]]), "panel_fit")
    expect_identical(capture.output(print(summary(small[[method]]))), capture.output(print(summary(fit))),
                     info = method)
    expect_identical(slim(fit)$errors, small[[method]]$errors)
    expect_identical(fit_figures(small[[method]]), fit_figures(fit))
    expect_equal(vcov(with_errors(small[[method]], se_classical())), vcov(with_errors(fit, se_classical())))
  }
  expect_identical(capture.output(print(spec_table(small))), capture.output(print(spec_table(whole))))
  new <- head(as.data.frame(panel), 3)
  expect_identical(predict(small$random, new, interval = "prediction"),
                   predict(whole$random, new, interval = "prediction"))
  expect_identical(effect_levels(small$fixed), effect_levels(whole$fixed))
  for (call in list(residuals, fitted, predict, model.matrix, test_serial,
                    function(fit) with_errors(fit, se_clustered(region)),
                    function(fit) test_hausman(fit, whole$random), function(fit) update(fit, . ~ . - x2))) {
    expect_error(call(small$fixed), class = "wavetax_error_slim")
  }
  expect_identical(coef(update(small$fixed, data = panel)), coef(whole$fixed))
  expect_error(fit_pooled(y ~ x1, panel, keep = "all"), class = "wavetax_error_argument")
  expect_lt(object.size(small$pooled), 0.5 * object.size(whole$pooled))
  # Neither does it keep rows in what its functions were made within: ten times the rows are no more bytes.
  saved <- function(periods) {
    panel <- gappy_panel(periods = periods)
    panel$y <- panel$y + 5 * match(panel$region, c("north", "east", "far"), 0)
    fits <- list(
      fit_pooled(y ~ x1, panel), fit_between(y ~ x1, panel), fit_fixed(y ~ x1, panel),
      fit_fixed(y ~ x1, panel, ~ id + kind), fit_random(y ~ x1, panel),
      fit_random(y ~ x1, panel, ~ id + region), fit_difference(y ~ x1, panel),
      fit_correlated(y ~ x1, panel)
    )
    vapply(fits, function(fit) length(serialize(slim(fit), NULL)), 0)
  }
  expect_lt(max(abs(saved(80) - saved(8))), 1000)
})
