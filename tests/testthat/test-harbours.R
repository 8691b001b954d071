test_that("the demo world shows what its script says", {
  panel <- harbour_panel()
  pooled <- as.data.frame(fit_pooled(harbour_equation, panel))
  expect_gt(pooled$low[pooled$term == "levy"], 0.05)
  fixed <- as.data.frame(fit_fixed(harbour_equation, panel))
  levy <- fixed[fixed$term == "levy", ]
  expect_lt(abs(levy$estimate + 0.05), 2 * levy$std_error)
  expect_lt(levy$high, 0)
})

test_that("the shipped files hold the same rows", {
  read <- function(file) utils::read.csv(system.file("extdata", file, package = "wavetax"))
  expect_equal(read("harbours.csv"), harbours)
  expect_equal(nrow(read("harbours-wide.csv")), length(unique(harbours$harbour)))
  expect_equal(nrow(read("harbours-raw.csv")), nrow(harbours) + 3)
  skip_if_not_installed("readxl")
  sheet <- system.file("extdata", "harbours.xlsx", package = "wavetax")
  expect_equal(as.data.frame(suppressMessages(read_panel(sheet, harbour, season))), harbours)
})
