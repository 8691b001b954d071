test_that("whatever it is given, every function answers or ends in a typed error", {
  skip_on_cran()
  expect_identical(fuzz(2000, seed = 1), NULL)
})
