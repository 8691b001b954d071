test_that("a ladder adds regressors, then effects", {
  panel <- harbour_panel()
  steps <- list(~storms, weather = "entity", list(effects = ~ coast:season))
  ladder <- spec_ladder(log(nights) ~ levy, c(steps, "random"), panel, errors = se_classical())
  expect_identical(names(ladder), c("levy", "+ storms", "weather", "+ coast:season effects", "random"))
  direct <- fit_fixed(log(nights) ~ levy + storms, panel, ~ harbour + coast:season)
  expect_equal(coef(ladder[[4]]), coef(direct))
  expect_identical(ladder[[1]]$method, "pooled")
  expect_s3_class(spec_table(ladder), "spec_table")
  expect_identical(ladder$random$method, "random")
  expect_error(spec_ladder(log(nights) ~ levy, list(3), panel), class = "wavetax_error_steps")
})

test_that("the same model in each group; what cannot be fitted is left out with a warning", {
  panel <- harbour_panel()
  fits <- fit_each(log(nights) ~ levy + past(storms), panel, by = ~coast, all = TRUE)
  expect_identical(names(fits), c("all", sort(unique(harbours$coast))))
  expect_identical(names(fit_each(log(nights) ~ levy, panel, by = ~coast)), names(fits)[-1])
  ember <- fit_fixed(log(nights) ~ levy + past(storms), panel, rows = ~ coast == "Ember")
  expect_equal(coef(fits$Ember), coef(ember))
  odd <- panel
  odd$coast[1] <- "Lone"
  expect_warning(fits <- fit_each(log(nights) ~ levy, odd, by = "coast"), "Lone", class = "wavetax_warning_group")
  expect_false("Lone" %in% names(fits))
})

test_that("several outcomes give a list of fits", {
  panel <- harbour_panel()
  fits <- fit_fixed(cbind(log(nights), saved = log(rescues + 1)) ~ levy, panel, effects = "both")
  expect_identical(names(fits), c("log(nights)", "saved"))
  expect_equal(coef(fits$saved), coef(fit_fixed(log(rescues + 1) ~ levy, panel, effects = "both")))
  panel$some <- replace(panel$berths, 1:3, NA)
  for (effects in list("entity", "both", ~ harbour + harbour:trend(season))) {
    fits <- fit_fixed(cbind(log(nights), berths) ~ levy + pier + storms, panel, effects, weights = ~ relief + 1)
    alone <- fit_fixed(berths ~ levy + pier + storms, panel, effects, weights = ~ relief + 1)
    expect_equal(summary(fits$berths), summary(alone), tolerance = 1e-10, ignore_attr = TRUE)
    expect_equal(coefficients(fits[[1]]),
                 coef(fit_fixed(log(nights) ~ levy + pier + storms, panel, effects, weights = ~ relief + 1)))
    expect_identical(vapply(fit_fixed(cbind(berths, some) ~ levy, panel, effects), nobs, 1L),
                     c(berths = nrow(panel), some = nrow(panel) - 3L))
  }
})
