# x of the same entity k periods before, by a join on the keys.
joined <- function(data, x, k) {
  data[[x]][match(paste(data$id, data$year - k), paste(data$id, data$year))]
}

test_that("shifts equal a join on the keys: gaps, any order, sparse clocks", {
  panel <- gappy_panel()
  sparse <- panel
  sparse$year <- sparse$year * 1e6 + (sparse$id == 1)
  for (case in list(list(panel, 1), list(panel[order(panel$id, panel$year), ], 1), list(sparse, 1e6))) {
    data <- case[[1]]
    for (k in 0:3 * case[[2]]) {
      expect_identical(with(data, past(x1, k)), joined(data, "x1", k))
      expect_identical(with(data, ahead(kind, k)), joined(data, "kind", -k))
      expect_equal(with(data, change(x2, k)), data$x2 - joined(data, "x2", k))
    }
  }
  nested <- within(panel, d <- x1 - past(x1))
  expect_equal(with(panel, past(change(x1), 2)), joined(nested, "d", 2))
})

test_that("means are over the rows that have the value", {
  panel <- gappy_panel()
  panel$x1[1:10] <- NA
  by_hand <- ave(panel$x1, panel$id, FUN = function(v) mean(v, na.rm = TRUE))
  expect_equal(with(panel, entity_mean(x1)), replace(by_hand, is.nan(by_hand), NA))
  expect_equal(with(panel, period_mean(x2)), ave(panel$x2, panel$year))
})

test_that("in formulas they see the whole panel, several lags at once, and expand by name", {
  panel <- gappy_panel(keep = 0.9)
  data <- as.data.frame(panel)
  data$l1 <- joined(data, "x1", 1)
  data$l2 <- joined(data, "x1", 2)
  fit <- fit_pooled(y ~ past(x1, 0:2):region + x2, panel, rows = ~ year > 2004)
  base <- lm(y ~ (x1 + l1 + l2):region + x2, data[data$year > 2004, ])
  expect_equal(sort(unname(coef(fit))), sort(unname(coef(base))))
  expect_named(coef(fit_pooled(y ~ past(x1, 0:1), panel)), c("(Intercept)", "x1", "past(x1, 1)"))
  known <- predict(fit_fixed(y ~ past(x1), panel), panel)
  expect_identical(is.na(known), is.na(joined(data, "x1", 1)))
  west <- fit_pooled(y ~ against(region, "west"), panel)
  expect_equal(coef(west)[[1]], mean(panel$y[panel$region == "west"]))
})

test_that("transform() and within() know them, and keep the panel", {
  panel <- gappy_panel()
  one <- transform(panel, before = past(x1))
  two <- within(panel, before <- past(x1))
  expect_identical(one$before, two$before)
  expect_s3_class(one, "panel_frame")
  expect_error(transform(panel, past(x1)), "transform\\(panel, new = past\\(x1\\)\\)",
               class = "wavetax_error_unnamed")
  expect_s3_class(merge(panel, data.frame(region = "north", tax = 1)), "panel_frame")
})

test_that("what cannot be shifted is refused", {
  panel <- gappy_panel()
  refused <- function(formula, words, kind = "operator", data = panel) {
    expect_error(fit_pooled(formula, data), words, class = paste0("wavetax_error_", kind))
  }
  refused(y ~ past(x1, -1), "ahead")
  refused(y ~ past(x1, 99), "beyond the panel")
  refused(y ~ past(1), "1 value")
  refused(y ~ against(kind, "zz"), "not a category")
  refused(y ~ past(x1), "panel_frame", "not_a_panel", as.data.frame(panel))
  expect_error(fit_pooled(y ~ x1, panel, rows = ~ year > 3000), class = "wavetax_error_no_rows")
})
