fixed_and_random <- function(panel) {
  list(fit_fixed(y ~ x1 + x2 + log(size), panel), fit_random(y ~ x1 + x2 + log(size), panel))
}

test_that("the statistic is the dense quadratic form at the shared variance", {
  fits <- fixed_and_random(gappy_panel(seed = 9))
  result <- test_hausman(fits[[1]], fits[[2]])
  terms <- c("x1", "x2")
  d <- coef(fits[[1]])[terms] - coef(fits[[2]])[terms]
  V <- function(fit) vcov(with_errors(fit, se_classical()))[terms, terms]
  s2 <- function(fit) deviance(fit) / df.residual(fit)
  shared <- V(fits[[1]]) - V(fits[[2]]) * s2(fits[[1]]) / s2(fits[[2]])
  expect_equal(unname(result$statistic), sum(d * solve(shared, d)), tolerance = 1e-8)
  expect_equal(unname(result$parameter), 2)
  expect_equal(result$table$std_error, unname(sqrt(diag(shared))), tolerance = 1e-8)
  expect_s3_class(result, "htest")
})

test_that("it rejects in the demo world, and reads it out", {
  panel <- harbour_panel()
  result <- test_hausman(fit_fixed(harbour_equation, panel), fit_random(harbour_equation, panel))
  expect_lt(result$p.value, 1e-6)
  expect_output(print(result), "harbour effects are related to the\\s+regressors, so keep fixed effects")
})

test_that("under the null it rejects about as often as it says", {
  p <- vapply(1:200, function(seed) {
    set.seed(seed)
    data <- data.frame(id = rep(1:50, each = 5), t = 1:5, x = rnorm(250))
    data$y <- data$x + rnorm(50)[data$id] + rnorm(250)
    panel <- panel_frame(data[runif(250) < 0.85, ], id, t)
    test_hausman(fit_fixed(y ~ x, panel), fit_random(y ~ x, panel))$p.value
  }, numeric(1))
  expect_gt(mean(p < 0.1), 0.04)
  expect_lt(mean(p < 0.1), 0.17)
})

test_that("a period-only regressor takes no degree of freedom in a balanced panel", {
  panel <- gappy_panel(keep = 1)
  panel$price <- sin(panel$year)
  result <- test_hausman(fit_fixed(y ~ x1 + price, panel), fit_random(y ~ x1 + price, panel))
  expect_equal(unname(result$parameter), 1)
})

test_that("wrong pairs are refused", {
  panel <- gappy_panel()
  fits <- fixed_and_random(panel)
  expect_error(test_hausman(fits[[2]], fits[[1]]), "swapped", class = "wavetax_error_swapped_fits")
  expect_error(test_hausman(fits[[1]], fits[[1]]), class = "wavetax_error_swapped_fits")
  fewer <- fit_random(y ~ x1 + x2, panel[-1, ])
  expect_error(test_hausman(fits[[1]], fewer), "different rows", class = "wavetax_error_different_rows")
  expect_error(test_hausman(fits[[1]], lm(y ~ x1, panel)), class = "wavetax_error_not_a_fit")
  other <- fit_random(y ~ kind, panel)
  expect_error(test_hausman(fits[[1]], other), class = "wavetax_error_different_equations")
  expect_error(test_hausman(fits[[1]], other, common = TRUE), class = "wavetax_error_nothing_to_compare")
  two <- fit_random(y ~ x1 + x2, panel)
  expect_match(test_hausman(fits[[1]], two, common = TRUE)$method, "over their common regressors")
})

test_that("what the fixed fit drops as a combination is carried over: a true null stays", {
  set.seed(3)
  p <- vapply(1:60, function(seed) {
    born <- sample(1940:1990, 60, TRUE)
    data <- data.frame(id = rep(1:60, each = 6), year = rep(2001:2006, 60))
    data$age <- data$year - born[data$id]
    data$y <- 0.05 * data$age - 0.3 * data$year + rnorm(60)[data$id] + rnorm(360)
    panel <- panel_frame(data[runif(360) < 0.7, ], id, year)
    test <- test_hausman(fit_fixed(y ~ age + year, panel), fit_random(y ~ age + year, panel))
    expect_match(test$notes[1], "year moves within ids as a combination")
    test$p.value
  }, 0)
  expect_lt(mean(p < 0.05), 0.2)
})

test_that("own variances: units do not matter, and no p value without a covariance", {
  panel <- gappy_panel(seed = 3)
  panel$big <- panel$x2 * 1e6
  one <- test_hausman(fit_fixed(y ~ x1 + x2, panel), fit_random(y ~ x1 + x2, panel), sigma = "own")
  two <- test_hausman(fit_fixed(y ~ x1 + big, panel), fit_random(y ~ x1 + big, panel), sigma = "own")
  expect_equal(one[c("statistic", "parameter", "p.value")], two[c("statistic", "parameter", "p.value")],
               tolerance = 1e-8)
})

test_that("each model's own variance: a negative part is told", {
  panel <- harbour_panel()
  fits <- list(fit_fixed(harbour_equation, panel), fit_random(harbour_equation, panel))
  expect_error(test_hausman(fits[[1]], fits[[2]], sigma = "own"), "no positive part",
               class = "wavetax_error_nothing_to_compare")
})
