# What CONTRIBUTING says of adding to the package, done from outside by toys.
inside <- asNamespace("wavetax")

test_that("a row transformation from outside gives coefficients, errors, tests and draws", {
  # Disturbances that follow each other with a known rho: y_t - rho y_(t-1), the first times sqrt(1 - rho^2).
  rho <- 0.4
  data <- gappy_panel(seed = 5, plain = TRUE)
  panel <- panel_frame(data[order(data$id, data$year), ], id, year)
  pooled <- fit_pooled(y ~ x1 + x2, panel)
  first <- !duplicated(panel$id)
  root <- function(column) {
    ifelse(first, sqrt(1 - rho^2) * column, column - rho * c(0, column[-length(column)]))
  }
  y <- root(panel$y)
  x <- cbind(root(rep(1, nrow(panel))), root(panel$x1), root(panel$x2))
  solution <- inside$core_least_squares(qr.R(qr(cbind(x, y))), TRUE, nrow(x), sst = pooled$sst,
                                        r_squared = c(overall = NA_real_))
  fit <- inside$new_panel_fit(pooled$request, pooled$design, solution,
                              inside$root_rows(function(fit) root))
  inside$validate_panel_fit(fit)
  b <- solve(crossprod(x), crossprod(x, y))
  e <- drop(y - x %*% b)
  expect_equal(unname(coef(fit)), drop(b), tolerance = 1e-10)
  bread <- solve(crossprod(x))
  expect_equal(unname(vcov(with_errors(fit, se_classical()))), bread * sum(e^2) / (nrow(x) - 3), tolerance = 1e-10)
  expect_equal(unname(vcov(with_errors(fit, se_clustered("entity", "CR1")))), dense_cr1(x, e, panel$id, 3),
               tolerance = 1e-10)
  added <- root(panel$x1^2)
  expect_equal(drop(fit$transform$apply(fit, cbind(panel$x1^2))), added)
  expect_s3_class(test_normality(fit), "panel_test")
})
