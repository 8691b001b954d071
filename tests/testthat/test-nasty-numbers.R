# Numbers on nasty data, each case against a dense computation or against the same data in kinder
# units.

# Clustered errors by Q of a dense QR: the most that these columns' digits allow.
dense_qr_errors <- function(X, y, cluster) {
  q <- qr(X, tol = 1e-14)
  scores <- rowsum(qr.Q(q) * qr.resid(q, y), cluster)
  G <- nrow(scores)
  n <- length(y)
  R <- qr.R(q)[, order(q$pivot)]
  V <- backsolve(qr.R(q), t(backsolve(qr.R(q), crossprod(scores))))[order(q$pivot), order(q$pivot)]
  sqrt(diag(G / (G - 1) * (n - 1) / (n - ncol(X)) * V))
}

shifted_panel <- function(shift) {
  set.seed(2)
  data <- data.frame(id = rep(1:60, each = 10), t = rep(1:10, 60), x = rnorm(600))
  data$y <- data$x + rnorm(60)[data$id] + rnorm(10)[data$t] / 2 + rnorm(600)
  data$x <- data$x + shift
  panel_frame(data[-(1:7) * 31, ], id, t)
}

test_that("errors of a regressor far from zero keep the digits of a dense QR, in every model", {
  models <- list(
    pooled = function(p) fit_pooled(y ~ x, p), between = function(p) fit_between(y ~ x, p),
    fixed = function(p) fit_fixed(y ~ x, p), both = function(p) fit_fixed(y ~ x, p, "both"),
    random = function(p) fit_random(y ~ x, p), two = function(p) fit_random(y ~ x, p, "both"),
    own = function(p) fit_fixed(y ~ x, p, errors = se_clustered("period"))
  )
  table <- function(shift) {
    vapply(models, function(model) {
      fit <- model(shifted_panel(shift))
      c(coef(fit)[["x"]], sqrt(vcov(fit)["x", "x"]))
    }, c(0, 0))
  }
  truth <- table(0)
  for (shift in c(1e5, 1e7)) {
    panel <- shifted_panel(shift)
    dense <- dense_qr_errors(cbind(1, panel$x), panel$y, panel$id)[2]
    allowed <- max(100 * abs(dense / truth[2, "pooled"] - 1), shift * 1e-16)
    expect_lt(max(abs(table(shift) / truth - 1)), 100 * allowed)
  }
})

test_that("a year and its square cost no digits: errors, components, predictions", {
  panel <- harbour_panel()
  kind <- transform(panel, year = season - 2014)
  X <- cbind(1, harbours$levy, harbours$season, harbours$season^2)
  pooled <- fit_pooled(log(nights) ~ levy + season + I(season^2), panel)
  expect_equal(unname(sqrt(diag(vcov(pooled)))), dense_qr_errors(X, log(harbours$nights), harbours$harbour),
               tolerance = 1e-7)
  for (variance in c("swamy-arora", "wallace-hussain", "amemiya", "nerlove")) {
    a <- fit_random(log(nights) ~ levy + season + I(season^2), panel, variance = variance)
    b <- fit_random(log(nights) ~ levy + year + I(year^2), kind, variance = variance)
    expect_equal(coef(a)["levy"], coef(b)["levy"], tolerance = 1e-9)
    expect_equal(variance_parts(a)$variance, variance_parts(b)$variance, tolerance = 1e-9)
  }
  a <- fit_random(log(nights) ~ levy + season + I(season^2), panel, "both")
  b <- fit_random(log(nights) ~ levy + year + I(year^2), kind, "both")
  expect_equal(coef(a)["levy"], coef(b)["levy"], tolerance = 1e-9)
  interval <- function(fit, data) predict(fit, data, interval = "confidence", effects = FALSE)
  expect_equal(interval(pooled, harbours[4:9, ]),
               interval(fit_pooled(log(nights) ~ levy + year + I(year^2), kind), kind[4:9, ]), tolerance = 1e-7)
  expect_equal(interval(a, harbours[4:9, ]), interval(b, kind[4:9, ]), tolerance = 1e-6)
})

test_that("weights change no count of effects, on a chain and with three sets; what is left is measured", {
  set.seed(5)
  N <- 374
  chain <- data.frame(a = c(1:N, 1:(N - 1), 1:40), b = c(1:N, 2:N, 1:40))
  chain$x <- rnorm(nrow(chain))
  chain$y <- rnorm(nrow(chain))
  chain$w <- 10^runif(nrow(chain), -6, 6)
  fit <- fit_fixed(y ~ x, chain, ~ a + b, weights = ~w)
  dense <- lm(y ~ x + factor(a) + factor(b), chain, weights = w, tol = 1e-14)
  expect_identical(fit$df$effects, 2 * N - 1)
  expect_equal(coef(fit), coef(dense)["x"], tolerance = 1e-8)
  expect_gt(fit_figures(fit)$achieved, 0)
  expect_lt(fit_figures(fit)$achieved, 1e-8)
  chain$c <- rep_len(1:7, nrow(chain))
  chain$w <- 10^runif(nrow(chain), -3, 3)
  three <- fit_fixed(y ~ x, chain, ~ a + b + c, weights = ~w)
  expect_identical(three$df$effects, fit_fixed(y ~ x, chain, ~ a + b + c)$df$effects)
  expect_true(three$df$exact)
})

test_that("weights have no scale, and values too large or small are refused in words", {
  panel <- transform(harbour_panel(), tiny = 1e-170, one = 1, huge = 1e200)
  errors <- function(w) vcov(fit_fixed(log(nights) ~ levy, panel, weights = w))
  expect_equal(errors("tiny"), errors("one"))
  expect_equal(errors("huge"), errors("one"))
  expect_equal(errors("one"), vcov(fit_fixed(log(nights) ~ levy, panel)))
  for (factor in c(1e155, 1e-160)) {
    expect_error(fit_fixed(I(nights * factor) ~ levy, panel), "another unit", class = "wavetax_error_magnitude")
  }
})

test_that("period dummies by hand: R-squared is a number or NA, and that of the same column space is the same", {
  set.seed(1)
  data <- expand.grid(t = 1:24, id = 1:10)
  data$x <- round(rnorm(240, 3), 2)
  data$y <- rnorm(240)
  panel <- panel_frame(data, id, t)
  hand <- fit_fixed(y ~ x + factor(t), panel)
  expect_equal(hand$r_squared[["within"]], fit_fixed(y ~ x, panel, "both")$r_squared[["within"]])
  expect_true(all(is.finite(suppressWarnings(fit_random(y ~ x + factor(t), panel))$r_squared)))
  only <- fit_fixed(y ~ factor(t), panel)
  expect_true(is.na(only$r_squared[["between"]]))
  expect_output(print(only), "Explains [0-9.]+ percent of what varies within ids; [0-9.]+ percent of everything")
})

test_that("weights of a between regression, however they are named", {
  panel <- gappy_panel()
  a <- fit_between(y ~ x1, panel, weights = ~w)
  means <- sapply(split(as.data.frame(panel), panel$id),
                  function(d) c(weighted.mean(d$y, d$w), weighted.mean(d$x1, d$w)))
  expect_equal(unname(coef(a)), unname(coef(lm(means[1, ] ~ means[2, ]))))
  expect_equal(coef(fit_between(y ~ x1, panel, weights = "w")), coef(a))
  expect_equal(coef(fit_between(y ~ x1, panel, weights = w)), coef(a))
  sums <- tapply(panel$w, panel$id, sum)
  b <- fit_between(y ~ x1, panel, weights = ~w, by_rows = TRUE)
  expect_equal(unname(coef(b)), unname(coef(lm(means[1, ] ~ means[2, ], weights = sums))))
})

test_that("a large entity component: Wallace and Hussain's negative variance within is told", {
  set.seed(40)
  found <- FALSE
  for (try in 1:200) {
    data <- data.frame(id = rep(1:6, each = 2), t = 1:2, x = rnorm(12))
    data$y <- 100 * rnorm(6)[data$id] + rnorm(12) / 100
    result <- tryCatch(suppressWarnings(fit_random(y ~ x, panel_frame(data, id, t), variance = "wallace-hussain")),
                       wavetax_error_negative_variance = identity)
    if (inherits(result, "wavetax_error_negative_variance")) found <- TRUE
    if (found) break
  }
  expect_true(found)
  expect_match(conditionMessage(result), "swamy-arora")
})

test_that("correlated effects keep the slopes of fixed effects when a regressor is a combination within", {
  panel <- gappy_panel()
  panel$age <- panel$year - 1950 - panel$id %% 7
  fixed <- fit_fixed(y ~ x1 + age + year, panel)
  correlated <- fit_correlated(y ~ x1 + age + year, panel)
  expect_identical(wavetax:::dropped_terms(correlated)$term, "year")
  expect_match(wavetax:::dropped_terms(correlated)$reason, "within ids")
  expect_equal(coef(correlated)[names(coef(fixed))], coef(fixed), tolerance = 1e-9)
})

test_that("columns of formulas are those of model.matrix(), whatever the contrasts", {
  data <- as.data.frame(gappy_panel())
  data$kind <- factor(data$kind)
  data$grade <- factor(data$region, ordered = TRUE)
  data$yes <- data$x1 > 0
  sums <- data$kind
  contrasts(sums) <- "contr.sum"
  data$sums <- sums
  for (formula in list(y ~ kind, y ~ kind - 1, y ~ kind * x1 + region, y ~ yes + kind:yes, y ~ grade, y ~ sums * x2,
                       y ~ 0 + x1:kind + region, y ~ poly(x1, 2) * kind, y ~ kind:region - 1, y ~ x1 + yes - 1)) {
    ours <- fit_pooled(formula, data)
    theirs <- model.matrix(formula, data)
    kept <- names(coef(ours))
    expect_equal(model.matrix(ours), theirs[, kept], ignore_attr = TRUE)
    all_terms <- c(kept, wavetax:::dropped_terms(ours)$term)
    expect_identical(all_terms[order(match(all_terms, colnames(theirs)))],
                     colnames(theirs))
    expect_equal(unname(predict(ours, data)), unname(fitted(ours)))
  }
})

test_that("anova() is the F test of nested fits", {
  panel <- gappy_panel()
  a <- fit_fixed(y ~ x1, panel)
  b <- fit_fixed(y ~ x1 + x2 + log(size), panel, "both")
  lms <- anova(lm(y ~ x1 + factor(id), panel), lm(y ~ x1 + x2 + factor(id) + factor(year), panel))
  expect_equal(anova(b, a)$F[2], lms$F[2])
  expect_equal(anova(a, b)$`Pr(>F)`[2], lms$`Pr(>F)`[2])
  expect_error(anova(a, fit_fixed(y ~ x2, panel)), class = "wavetax_error_not_nested")
})
