test_that("on what varies within, correlated random effects are fixed effects", {
  panel <- gappy_panel()
  panel$y[5] <- NA
  for (variance in c("swamy-arora", "amemiya", "maximum-likelihood")) {
    fit <- fit_correlated(y ~ x1 + x2 + log(size), panel, variance = variance)
    fixed <- fit_fixed(y ~ x1 + x2, panel)
    expect_equal(coef(fit)[c("x1", "x2")], coef(fixed), tolerance = 1e-9)
  }
  used <- as.data.frame(panel)[-5, ]
  used$m1 <- ave(used$x1, used$id)
  used$m2 <- ave(used$x2, used$id)
  written <- fit_random(y ~ x1 + x2 + log(size) + m1 + m2, panel_frame(used, id, year),
                        variance = "maximum-likelihood")
  expect_equal(unname(coef(fit)), unname(coef(written)), tolerance = 1e-8)
  expect_identical(names(coef(fit))[5:6], c("mean(x1)", "mean(x2)"))
  expect_equal(predict(fit, used), fitted(fit))
  printed <- capture.output(print(fit))
  expect_lt(grep("^Within ids", printed), grep("^Between ids less within", printed))
  expect_error(fit_correlated(y ~ size, panel), class = "wavetax_error_no_variation")
})
