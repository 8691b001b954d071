test_that("pooled is lm(), with weights, missing rows, factors and bases", {
  data <- gappy_panel(plain = TRUE)
  data$x1[c(2, 9)] <- NA
  data$w[5] <- 0
  fit <- fit_pooled(y ~ poly(x2, 2) + x1:kind + I(x2^3) + region, data, weights = "w")
  base <- lm(y ~ poly(x2, 2) + x1:kind + I(x2^3) + region, data[data$w > 0 & !is.na(data$x1), ], weights = w)
  kept <- !is.na(coef(base))
  expect_equal(fit_pooled(y ~ x1, data)$design$missing$by_variable, c(x1 = 2L))
  expect_equal(predict(fit, data[1, ]), unname(predict(base, data[1, ])), tolerance = 1e-6)
  without <- fit_pooled(y ~ 0 + region + x1, data)
  expect_equal(without$r_squared[["overall"]], cor(fitted(without), data$y[!is.na(data$x1)])^2)
  expect_equal(vcov(with_errors(without, se_classical())), vcov(lm(y ~ 0 + region + x1, data)))
  plain <- fit_pooled(y ~ x1:kind + region, data, weights = ~w)
  base <- lm(y ~ x1:kind + region, data[data$w > 0, ], weights = w)
  expect_equal(coef(plain), coef(base))
  expect_equal(vcov(plain), vcov(base))
  expect_equal(confint(plain, "regionwest"), confint(base, "regionwest"), ignore_attr = TRUE)
  expect_equal(as.numeric(logLik(plain)), as.numeric(logLik(base)))
  expect_equal(BIC(plain), BIC(base))
})

test_that("R's generics answer, and update() estimates again", {
  fit <- fit_pooled(harbour_equation, harbour_panel())
  without <- update(fit, . ~ . - fuel)
  expect_identical(names(coef(without)), c("(Intercept)", "levy", "storms"))
  expect_identical(formula(fit), harbour_equation)
  expect_equal(dim(model.matrix(fit)), c(1046L, 4L))
  expect_equal(drop(model.matrix(fit) %*% coef(fit)), unname(fitted(fit)))
  expect_equal(deviance(fit), sum(residuals(fit)^2))
  expect_identical(
    names(as.data.frame(fit)),
    c("term", "estimate", "std_error", "statistic", "p_value", "low", "high")
  )
  expect_equal(fit_pooled(log(nights) ~ . - coast - harbour, harbours)$n, nrow(harbours))
})

test_that("bad formulas and columns are refused with what, where and what next", {
  panel <- harbour_panel()
  refused <- function(formula, kind, words, data = panel, ...) {
    expect_error(fit_pooled(formula, data, ...), words, class = paste0("wavetax_error_", kind))
  }
  refused(nights ~ levvy, "unknown_column", "mean 'levy'")
  refused(nights ~ levy + offset(coast), "offset", "is text")
  refused(~levy, "formula", "outcome")
  refused(coast ~ levy, "outcome", "is text")
  refused(nights ~ c(1, 2), "formula", "2 values")
  refused(log(rescues) ~ levy, "not_finite", "infinite")
  refused(nights ~ levy, "no_rows", "levy in", transform(panel, levy = NA_real_))
  refused(nights ~ levy, "weights", "negative", weights = ~ levy - 10)
  refused(nights ~ levy * storms, "too_few_rows", "4 coefficients", panel[1:4, ])
  refused(nights ~ coast, "one_level", "one value", panel[panel$coast == "Ember", ])
  refused(nights ~ levy, "empty_data", "no rows", harbours[0, ])
  spoilt <- transform(harbours, levy = replace(format(levy), 3, "n/a"))
  refused(nights ~ levy, "text_numbers", "n/a.*row 3", spoilt)
  refused(nights ~ factor(seq_along(nights)):factor(levy):factor(storms), "too_many_columns", "effects")
})

test_that("one entity or one period: what can be estimated is", {
  panel <- harbour_panel()
  alone <- panel[panel$harbour == "Tarnholm", ]
  expect_identical(fit_pooled(nights ~ levy, alone)$errors$label, "classical")
  expect_equal(coef(fit_fixed(nights ~ levy, alone)), coef(lm(nights ~ levy, alone))["levy"])
  one_season <- panel[panel$season == 2012, ]
  expect_equal(fit_pooled(nights ~ levy, one_season)$errors$clusters[["harbour"]], nrow(one_season))
  expect_error(fit_fixed(nights ~ levy, one_season), class = "wavetax_error_no_variation")
  expect_error(fit_random(nights ~ levy, one_season), class = "wavetax_error_too_few_entities")
})
