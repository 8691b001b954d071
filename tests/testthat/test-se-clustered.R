test_that("clustered errors are the dense sandwich: pooled, weighted, coarser and finer clusters", {
  panel <- gappy_panel(seed = 6)
  pooled <- fit_pooled(y ~ x1 + x2, panel, weights = ~w)
  X <- cbind(1, panel$x1, panel$x2)
  e <- residuals(pooled)
  expect_equal(unname(vcov(pooled)), unname(dense_cr1(X, e, panel$id, 3, panel$w)), tolerance = 1e-10)

  fixed <- fit_fixed(y ~ x1 + x2, panel)
  Q <- apply(X[, -1], 2, function(v) v - ave(v, panel$id))
  e <- residuals(fixed)
  N <- length(unique(panel$id))
  by <- function(spec) unname(vcov(with_errors(fixed, spec)))
  # effects nested in the clusters count as the constant only; otherwise all of them
  expect_equal(by(se_clustered()), unname(dense_cr1(Q, e, panel$id, 3)), tolerance = 1e-10)
  expect_equal(by(se_clustered(~region)), unname(dense_cr1(Q, e, panel$region, 3)), tolerance = 1e-10)
  expect_equal(by(se_clustered("period")), unname(dense_cr1(Q, e, panel$year, 2 + N)), tolerance = 1e-10)
})

test_that("t statistics use one less than the clusters, and few clusters are noted", {
  fit <- fit_fixed(harbour_equation, harbour_panel(), errors = se_clustered(~coast))
  expect_equal(fit$errors$df, 4)
  table <- as.data.frame(fit)
  expect_equal(table$p_value, 2 * pt(-abs(table$estimate / table$std_error), 4))
  expect_output(print(fit), "5 clusters are few")
})

test_that("clusters that cannot be used are refused", {
  panel <- harbour_panel()
  panel$one <- 1
  panel$hole <- replace(panel$coast, 7, NA)
  fit <- fit_fixed(harbour_equation, panel)
  expect_error(with_errors(fit, se_clustered(~one)), "one cluster", class = "wavetax_error_clusters")
  expect_error(with_errors(fit, se_clustered(~hole)), "missing in 1 row", class = "wavetax_error_clusters")
  expect_error(with_errors(fit, se_clustered(~harbor)), "harbour", class = "wavetax_error_unknown_column")
  expect_error(with_errors(fit, se_classical), "brackets", class = "wavetax_error_errors")
  for (by in list(~ log(harbour), ~ harbour - coast, ~ a + b + c + d + e, y ~ x, 3, NULL)) {
    expect_error(rlang::inject(se_clustered(!!by)), class = "wavetax_error_errors")
  }
})

test_that("clustered intervals cover the truth when disturbances are serially correlated", {
  covered <- vapply(1:150, function(seed) {
    set.seed(seed)
    walk <- function() as.vector(replicate(40, stats::filter(rnorm(6), 0.7, "recursive")))
    data <- data.frame(id = rep(1:40, each = 6), t = 1:6, x = walk())
    data$y <- 0.3 * data$x + walk()
    table <- as.data.frame(fit_fixed(y ~ x, panel_frame(data, id, t)))
    table$low < 0.3 && 0.3 < table$high
  }, logical(1))
  expect_gt(mean(covered), 0.88)
})
