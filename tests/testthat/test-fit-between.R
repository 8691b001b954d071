test_that("between is least squares of the means, with or without the count of rows", {
  panel <- gappy_panel()
  means <- aggregate(cbind(y, x1, ls = log(size)) ~ id + region, as.data.frame(panel), mean)
  means$rows <- as.vector(table(panel$id)[as.character(means$id)])
  means <- means[order(means$id), ]
  for (by_rows in c(FALSE, TRUE)) {
    fit <- fit_between(y ~ x1 + log(size), panel, by_rows = by_rows, errors = se_classical())
    dense <- lm(y ~ x1 + ls, means, weights = if (by_rows) rows)
    expect_equal(unname(coef(fit)), unname(coef(dense)))
    expect_equal(unname(vcov(fit)), unname(vcov(dense)))
    expect_identical(df.residual(fit), df.residual(dense))
    expect_equal(residuals(fit), unname(residuals(dense)))
  }
  clustered <- fit_between(y ~ x1, panel, errors = se_clustered(~region))
  X <- cbind(1, means$x1)
  V <- dense_cr1(X, residuals(lm(y ~ x1, means)), means$region, k_star = 2)
  expect_equal(unname(vcov(clustered)), unname(V))
  expect_error(fit_between(y ~ x1, panel, errors = se_clustered("period")), class = "wavetax_error_clusters")
  expect_output(print(clustered), "40 ids \\(means of|39 ids \\(means of")
})
