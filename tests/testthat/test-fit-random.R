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

test_that("the other one-way components solve their dense equations; likelihood is at its top", {
  for (keep in c(0.7, 1)) {
    panel <- gappy_panel(N = 15, periods = 5, keep = keep)
    X <- cbind(1, panel$x1, panel$x2, log(panel$size))
    D <- dummies_of(panel$id)
    P <- projection(D)
    Q <- diag(nrow(X)) - P
    fitted_by <- function(variance, ...) fit_random(y ~ x1 + x2 + log(size), panel, variance = variance, ...)
    parts <- function(variance) variance_parts(fitted_by(variance))$variance
    L <- projection(X)
    expect_equal(parts("wallace-hussain"), dense_components(panel$y - L %*% panel$y, L, list(Q, P), list(D)))
    varies <- X[, 2:3]
    L <- varies %*% solve(t(varies) %*% Q %*% varies) %*% t(varies) %*% Q
    A <- P - projection(P %*% X[, c(1, 4)])
    within <- qr.resid(qr(cbind(D, varies)), panel$y)
    expect_equal(parts("amemiya"), dense_components(panel$y - L %*% panel$y, L, list(Q, A), list(D)))
    effects <- tapply(panel$y - L %*% panel$y, panel$id, mean)
    expect_equal(parts("nerlove"), c(sum(within^2) / nrow(X), var(as.vector(effects))))

    for (weights in list(NULL, ~w)) {
      best <- fitted_by("maximum-likelihood", weights = weights)
      w <- if (is.null(weights)) rep(1, nrow(X)) else panel$w
      at <- function(phi) dense_gls(panel$y, X, diag(1 / w) + phi * tcrossprod(D))
      phi <- best$variance$sigma2_u / best$variance$sigma2_e
      expect_equal(as.numeric(logLik(best)), at(phi)$log_lik, tolerance = 1e-10)
      expect_gt(logLik(best), max(at(phi * 1.001)$log_lik, at(phi / 1.001)$log_lik))
      slope <- (at(phi * (1 + 1e-4))$log_lik - at(phi * (1 - 1e-4))$log_lik) / 2e-4
      expect_lt(abs(slope), 1e-6)
      expect_equal(unname(coef(best)), at(phi)$b, tolerance = 1e-8)
    }
  }
})

test_that("two-way random effects are dense GLS at the components of the dense equations", {
  repeated <- gappy_panel(N = 12, periods = 5, plain = TRUE)
  repeated <- rbind(repeated, transform(repeated[1:6, ], y = y + 1))
  for (data in list(gappy_panel(N = 15, periods = 6, plain = TRUE), gappy_panel(15, 6, keep = 1, plain = TRUE),
                    repeated)) {
    data$rate <- sin(data$year)
    fit <- suppressWarnings(fit_random(y ~ x1 + x2 + log(size) + rate, data, effects = ~ id + year,
                                       errors = se_classical()))
    X <- cbind(1, data$x1, data$x2, log(data$size), data$rate)
    D <- list(dummies_of(data$id), dummies_of(data$year))
    Q <- diag(nrow(X)) - projection(do.call(cbind, D))
    varies <- X[, 2:3]
    L <- varies %*% solve(t(varies) %*% Q %*% varies) %*% t(varies) %*% Q
    forms <- c(list(Q), lapply(D, function(one) {
      P <- projection(one)
      P - projection(P %*% X[, c(1, 4, 5)])
    }))
    components <- dense_components(data$y - L %*% data$y, L, forms, D)
    expect_equal(variance_parts(fit)$variance, pmax(components, 0), tolerance = 1e-8)
    ratio <- pmax(components, 0) / components[1]
    dense <- dense_gls(data$y, X, diag(nrow(X)) + ratio[2] * tcrossprod(D[[1]]) + ratio[3] * tcrossprod(D[[2]]))
    expect_equal(unname(coef(fit)), dense$b, tolerance = 1e-9)
    expect_equal(unname(vcov(fit)), unname(dense$V), tolerance = 1e-8)
    expect_equal(as.numeric(logLik(fit)), dense$log_lik, tolerance = 1e-9)
    for (s in 1:2) {
      expect_equal(fit$effects[[s]]$level, drop(ratio[s + 1] * t(D[[s]]) %*% dense$inverse %*% dense$r),
                   tolerance = 1e-7)
    }
    expect_equal(fitted(fit) + residuals(fit), data$y)
  }
})

test_that("two-way: balanced closed forms, and with components of 0 the pooled regression", {
  panel <- gappy_panel(N = 12, periods = 6, keep = 1)
  panel$y <- panel$y + cos(3 * panel$year)
  v <- variance_parts(fit_random(y ~ x1 + x2, panel, effects = "both", variance = "swamy-arora"))$variance
  two_way <- lm(y ~ x1 + x2 + factor(id) + factor(year), panel)
  means <- function(by) aggregate(as.data.frame(panel)[c("y", "x1", "x2")], list(by), mean)
  between <- function(by, each) each * deviance(lm(y ~ x1 + x2, means(by))) / df.residual(lm(y ~ x1 + x2, means(by)))
  s2 <- deviance(two_way) / df.residual(two_way)
  expect_equal(v, c(s2, (between(panel$id, 6) - s2) / 6, (between(panel$year, 12) - s2) / 12))
  set.seed(5)
  # noise less its group means: both components come out negative
  panel$y <- panel$x1 + residuals(lm(rnorm(72) ~ factor(id) + factor(year), panel))
  nothing <- suppressWarnings(fit_random(y ~ x1, panel, effects = "both"))
  expect_equal(variance_parts(nothing)$variance[2:3], c(0, 0))
  pooled <- fit_pooled(y ~ x1, panel)
  expect_equal(coef(nothing), coef(pooled))
  expect_equal(vcov(nothing), vcov(pooled))
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

test_that("the variance components are unbiased over simulated unbalanced panels", {
  simulated <- function(seed) {
    set.seed(seed)
    data <- expand.grid(id = 1:60, t = 1:6)
    data$x <- rnorm(360) + rnorm(60)[data$id]
    data$y <- data$x + rnorm(60, sd = 1.5)[data$id] + rnorm(360)
    data$y2 <- data$y + rnorm(6, sd = 2)[data$t]
    panel_frame(data[runif(360) < 0.7, ], id, t)
  }
  methods <- c("swamy-arora", "wallace-hussain", "amemiya", "maximum-likelihood")
  components <- vapply(1:80, function(seed) {
    panel <- simulated(seed)
    one <- vapply(methods, function(method) variance_parts(fit_random(y ~ x, panel, variance = method))$variance,
                  numeric(2))
    two <- variance_parts(suppressWarnings(fit_random(y2 ~ x, panel, effects = "both")))$variance
    c(one, two)
  }, numeric(11))
  expect_equal(rowMeans(components)[1:10], c(rep(c(1, 2.25), 5)), tolerance = 0.05)
  expect_equal(rowMeans(components)[11], 4, tolerance = 0.25)
})

test_that("what random effects cannot do is refused", {
  panel <- harbour_panel()
  expect_error(fit_random(nights ~ levy, panel, weights = ~berths), class = "wavetax_error_weights")
  expect_error(fit_random(nights ~ levy, panel, variance = "nerlov"), class = "wavetax_error_variance")
  few <- panel[panel$harbour %in% unique(panel$harbour)[1:3], ]
  expect_error(fit_random(nights ~ levy + storms + fuel, few), class = "wavetax_error_too_few_entities")
  expect_error(fit_random(nights ~ levy, panel, effects = ~ harbour + coast + season),
               class = "wavetax_error_effects")
  expect_error(fit_random(nights ~ levy, panel, effects = "both", variance = "nerlove"), "one set",
               class = "wavetax_error_variance")
  expect_error(fit_random(nights ~ levy, panel, effects = "both", variance = "swamy-arora"), "amemiya",
               class = "wavetax_error_variance")
})
