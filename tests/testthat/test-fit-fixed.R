test_that("fixed effects equal dummies: slopes, errors, effects, with and without weights", {
  panel <- gappy_panel()
  panel$y[3] <- NA
  for (weights in list(NULL, ~w)) {
    fit <- fit_fixed(y ~ x1 * kind + x2, panel, weights = weights, errors = se_classical())
    data <- as.data.frame(panel)
    data$weight <- if (is.null(weights)) 1 else data$w
    dummies <- lm(y ~ x1 * kind + x2 + factor(id), data, weights = weight)
    terms <- names(coef(fit))
    expect_equal(coef(fit), coef(dummies)[terms], tolerance = 1e-9)
    expect_equal(vcov(fit), vcov(dummies)[terms, terms], tolerance = 1e-9)
    expect_equal(unname(residuals(fit)), unname(residuals(dummies)), tolerance = 1e-9)
    expect_equal(df.residual(fit), df.residual(dummies))
    expect_equal(fit$r_squared[["effects"]], summary(dummies)$r.squared, tolerance = 1e-9)
    expect_equal(as.numeric(logLik(fit)), as.numeric(logLik(dummies)), tolerance = 1e-9)
    expect_equal(AIC(fit), AIC(dummies), tolerance = 1e-9)
  }
})

test_that("the constant and its error come from the regression of the swept plus the mean", {
  panel <- gappy_panel(seed = 5)
  fit <- fit_fixed(y ~ x1 + x2, panel, errors = se_clustered("region"))
  sweep_and_add <- function(v) v - ave(v, panel$id) + mean(v)
  X <- cbind(1, sweep_and_add(panel$x1), sweep_and_add(panel$x2))
  b <- qr.coef(qr(X), sweep_and_add(panel$y))
  e <- drop(sweep_and_add(panel$y) - X %*% b)
  V <- dense_cr1(X, e, panel$region, k_star = 3)
  expect_equal(fit$coefficients$estimate, b, tolerance = 1e-10)
  expect_equal(unname(fit$errors$covariance), unname(V), tolerance = 1e-9)
})

test_that("effects of any one column, also of a plain data frame", {
  data <- gappy_panel(plain = TRUE)
  fit <- fit_fixed(y ~ x1 + x2, data, effects = ~region)
  expect_equal(coef(fit), coef(lm(y ~ x1 + x2 + region, data))[2:3])
  expect_match(fit$errors$label, "region")
  by_year <- fit_fixed(y ~ x1, panel_frame(data, id, year), effects = "period")
  expect_equal(coef(by_year), coef(lm(y ~ x1 + factor(year), data))[2])
})

test_that("several sets, combinations and own trends equal their dummies", {
  panel <- gappy_panel()
  data <- as.data.frame(panel)
  data$id <- factor(data$id)
  cases <- list(
    list("both", ~ id + factor(year)), list(~ year + region, ~ factor(year) + region),
    list(~ id + region:year, ~ id + region:factor(year)), list(~ id + id:trend(year), ~ id * year),
    list(~ id + region:trend(year), ~ id + region:year), list(~ id:trend(w), ~ id:w),
    list(~ id + id:trend(year) + kind + year, ~ id * year + kind + factor(year)),
    list(~ id + id:trend(year) + id:trend(w), ~ id * year + id * w)
  )
  for (case in cases) {
    for (weights in list(NULL, ~w)) {
      fit <- fit_fixed(y ~ x1 + x2, panel, effects = case[[1]], weights = weights, errors = se_classical())
      data$weight <- if (is.null(weights)) 1 else data$w
      dense <- lm(update(case[[2]], y ~ x1 + x2 + .), data, weights = weight)
      words <- deparse(case[[1]])
      expect_equal(coef(fit), coef(dense)[2:3], tolerance = 1e-8, info = words)
      expect_equal(vcov(fit), vcov(dense)[2:3, 2:3], tolerance = 1e-8, info = words)
      expect_equal(unname(residuals(fit)), unname(residuals(dense)), tolerance = 1e-8, info = words)
      expect_equal(df.residual(fit), df.residual(dense), info = words)
      composite <- residuals(fit, "effect") + residuals(fit) + predict(fit, effects = FALSE)
      expect_equal(unname(composite), data$y, info = words)
    }
  }
  expect_error(fit_fixed(y ~ x1, panel, ~ trend(year)), class = "wavetax_error_effects")
  expect_error(fit_fixed(y ~ x1, panel, ~ id + id:trend(kind)), class = "wavetax_error_effects")
  expect_error(fit_fixed(y ~ x1, panel, ~ id + nowhere), class = "wavetax_error_unknown_column")
})

test_that("two-way clustered errors count the effects that are not nested", {
  panel <- gappy_panel()
  fit <- fit_fixed(y ~ x1 + x2, panel, "both", errors = se_clustered(~region))
  D <- cbind(dummies_of(panel$id), dummies_of(panel$year))
  X <- qr.resid(qr(D), cbind(panel$x1, panel$x2))
  V <- dense_cr1(X, residuals(fit), panel$region, k_star = 2 + length(unique(panel$year)))
  expect_equal(unname(vcov(fit)), unname(V), tolerance = 1e-9)
  expect_equal(model.matrix(fit, type = "swept"), X, ignore_attr = TRUE)
})

test_that("separate components, and effects of one level, are counted", {
  panel <- gappy_panel()
  data <- as.data.frame(panel)
  data$block <- paste(data$region, data$year %% 3)
  data$inside <- paste(data$region, data$kind)
  fit <- fit_fixed(y ~ x1, data, ~ block + inside, errors = se_classical())
  expect_identical(df.residual(fit), df.residual(lm(y ~ x1 + block + inside, data)) + 0)
  levels <- effect_levels(fit)
  inside <- levels[levels$effect == "inside", ]
  mean_in <- tapply(inside$deviation * inside$rows, sub(" .*", "", inside$group), sum)
  expect_equal(as.vector(mean_in), rep(0, 5))
  data$one <- "all"
  expect_equal(coef(fit_fixed(y ~ x1, data, ~ block + one)), coef(fit_fixed(y ~ x1, data, ~block)))
})

test_that("what does not vary, and what is a combination, goes with its reason", {
  panel <- gappy_panel()
  panel$both <- 2 * panel$x1 - panel$x2
  fit <- fit_fixed(y ~ x1 + size + x2 + both, panel)
  expect_identical(wavetax:::dropped_terms(fit)$term, c("size", "both"))
  expect_identical(wavetax:::dropped_terms(fit)$reason, c("does not vary within ids", "a combination of x1 and x2"))
  expect_output(print(fit), "Dropped: size (does not vary within ids)", fixed = TRUE)
  expect_error(fit_fixed(y ~ size, panel), class = "wavetax_error_no_variation")
})

test_that("rows alone in their group change neither slopes nor degrees of freedom", {
  panel <- gappy_panel()
  size <- table(panel$id)
  extra <- as.data.frame(panel)[1:14, ]
  extra$id <- 1000 + 1:14
  more <- panel_frame(rbind(as.data.frame(panel), extra), id, year)
  a <- fit_fixed(y ~ x1 + x2, panel, errors = se_classical())
  b <- fit_fixed(y ~ x1 + x2, more, errors = se_classical())
  expect_equal(as.data.frame(a), as.data.frame(b), tolerance = 1e-12)
  expect_equal(nobs(b), nobs(a) + 14)
  expect_output(print(b), paste(14 + sum(size == 1), "ids appear once and tell nothing"))
})

test_that("predictions: known entity, average entity, unknown entity", {
  panel <- gappy_panel()
  fit <- fit_fixed(y ~ x1 + kind, panel)
  expect_equal(predict(fit, panel), fitted(fit))
  expect_equal(predict(fit, panel, effects = FALSE),
               unname(fitted(fit) - residuals(fit, type = "effect")))
  stranger <- data.frame(id = c(1, 999), x1 = 0, kind = "b")
  expect_warning(two <- predict(fit, stranger), "999", class = "wavetax_warning_unknown_effect")
  expect_identical(is.na(two), c(FALSE, TRUE))
  expect_error(predict(fit, transform(stranger, kind = "zzz")), class = "wavetax_error_new_level")
})
