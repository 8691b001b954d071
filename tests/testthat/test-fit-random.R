test_that("random effects are dense GLS at Swamy and Arora's components", {
  for (keep in c(0.7, 1)) {
    panel <- gappy_panel(N = 20, periods = 6, keep = keep)
    fit <- fit_random(y ~ x1 + x2 + log(size), panel, errors = se_classical())
    X <- cbind(1, panel$x1, panel$x2, log(panel$size))
    dense <- dense_swamy_arora(panel$y, X, panel$id)
    expect_equal(fit$variance$sigma2_e, dense$sigma2_e, tolerance = 1e-9)
    expect_equal(fit$variance$sigma2_u, dense$sigma2_u, tolerance = 1e-9)
    inverse <- solve(dense$V)
    b <- solve(t(X) %*% inverse %*% X, t(X) %*% inverse %*% panel$y)
    expect_equal(unname(coef(fit)), drop(b), tolerance = 1e-9)
    e <- panel$y - drop(X %*% b)
    sigma2 <- dense$sigma2_e * drop(t(e) %*% inverse %*% e) / (nrow(X) - 4)
    expect_equal(unname(vcov(fit)), sigma2 / dense$sigma2_e * solve(t(X) %*% inverse %*% X),
                 tolerance = 1e-9)
    # predicted effects: sigma2_u D'V^-1 e
    blup <- dense$sigma2_u * (outer(panel$id, panel$id, `==`) %*% inverse %*% e)
    expect_equal(residuals(fit, type = "effect"), drop(blup), tolerance = 1e-9)
    expect_equal(residuals(fit, type = "both"), e, tolerance = 1e-9)
    expect_equal(fitted(fit) + residuals(fit), panel$y)
  }
})

test_that("clustered errors are those of the quasi-demeaned regression", {
  panel <- gappy_panel(seed = 8)
  fit <- fit_random(y ~ x1 + x2, panel)
  theta <- fit$variance$theta[match(panel$id, sort(unique(panel$id)))]
  demean <- function(v) v - theta * ave(v, panel$id)
  X <- cbind(demean(rep(1, nrow(panel))), demean(panel$x1), demean(panel$x2))
  e <- drop(demean(panel$y) - X %*% coef(fit))
  expect_equal(residuals(fit, type = "transformed"), e, tolerance = 1e-10)
  expect_equal(unname(vcov(fit)), unname(dense_cr1(X, e, panel$id, k_star = 3)), tolerance = 1e-9)
})

test_that("the demo world's slope lies between pooled and fixed", {
  panel <- harbour_panel()
  slope <- function(fit) coef(fit)[["levy"]]
  random <- slope(fit_random(harbour_equation, panel))
  expect_gt(random, slope(fit_fixed(harbour_equation, panel)))
  expect_lt(random, slope(fit_pooled(harbour_equation, panel)))
})

test_that("a negative component is set to zero with a warning, and the model is the pooled one", {
  set.seed(3)
  data <- data.frame(id = rep(1:30, each = 4), t = 1:4, x = rnorm(120))
  data$y <- data$x + ave(rnorm(120), data$id, FUN = function(e) e - 0.99 * mean(e))
  panel <- panel_frame(data, id, t)
  expect_warning(fit <- fit_random(y ~ x, panel), class = "wavetax_warning_negative_variance")
  expect_equal(coef(fit), coef(fit_pooled(y ~ x, panel)))
})

test_that("the variance components are unbiased over simulated panels", {
  components <- vapply(1:60, function(seed) {
    set.seed(seed)
    data <- expand.grid(id = 1:60, t = 1:6)
    data$x <- rnorm(360) + rnorm(60)[data$id]
    data$y <- data$x + rnorm(60, sd = 1.5)[data$id] + rnorm(360)
    fit <- fit_random(y ~ x, panel_frame(data[runif(360) < 0.7, ], id, t))
    unlist(fit$variance[c("sigma2_e", "sigma2_u")])
  }, numeric(2))
  expect_equal(rowMeans(components), c(sigma2_e = 1, sigma2_u = 2.25), tolerance = 0.06)
})

test_that("what random effects cannot do is refused", {
  panel <- harbour_panel()
  expect_error(fit_random(nights ~ levy, panel, weights = ~berths), class = "wavetax_error_weights")
  expect_error(fit_random(nights ~ levy, panel, variance = "nerlov"), class = "wavetax_error_variance")
  few <- panel[panel$harbour %in% unique(panel$harbour)[1:3], ]
  expect_error(fit_random(nights ~ levy + storms + fuel, few), class = "wavetax_error_too_few_entities")
  expect_error(fit_random(nights ~ levy, panel, effects = "both"), class = "wavetax_error_effects")
})
