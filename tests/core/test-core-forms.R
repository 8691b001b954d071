test_that("a quadratic form is that of the inverse, whatever the units", {
  M <- crossprod(matrix(c(2, 1, 0, -1, 3, 1, 0, 1, 1), 3))
  d <- c(1, -2, 0.5)
  form <- core_quadratic_form(d, M, sqrt(diag(M)))
  expect_equal(form$value, sum(d * solve(M, d)))
  expect_equal(form$rank, 3)
  units <- c(1e-7, 1, 1e7)
  scaled <- core_quadratic_form(d * units, M * outer(units, units), sqrt(diag(M)) * units)
  expect_equal(scaled[c("value", "rank")], form[c("value", "rank")], tolerance = 1e-8)
})

test_that("a negative part is left out and told", {
  form <- core_quadratic_form(c(1, 1), diag(c(2, -1)), c(1, 1))
  expect_identical(form$definite, FALSE)
  expect_equal(form[c("value", "rank")], list(value = 0.5, rank = 1L))
})

test_that("groups are nested in clusters when none is cut", {
  groups <- core_groups(c(1L, 1L, 2L, 3L))
  expect_true(core_is_nested(groups, core_groups(c(1L, 1L, 1L, 2L))))
  expect_false(core_is_nested(groups, core_groups(c(1L, 2L, 1L, 2L))))
})
