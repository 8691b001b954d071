test_that("columns and order of rows stay, and the caller's data are not changed", {
  before <- harbours[sample(nrow(harbours)), ]
  copy <- data.frame(before)
  panel <- panel_frame(before, "harbour", season)
  expect_identical(lapply(panel, identity), lapply(before, identity))
  expect_identical(before, copy)
  expect_s3_class(panel, "panel_frame")
})

test_that("the clock has the largest step that meets every period", {
  clock <- function(period) panel_shape(panel_frame(data.frame(id = 1, t = period), id, t))
  expect_equal(clock(c(2010, 2016, 2012))[c("step", "gap_cells")], list(step = 2, gap_cells = 0L))
  expect_equal(clock(c(2010, 2016, 2012))$absent, data.frame(after = "2012", before = "2016", steps = 1L))
  months <- as.Date(c("2020-01-31", "2020-02-29", "2020-03-31", "2020-05-31"))
  expect_equal(clock(months)[c("step", "unit", "gap_cells")], list(step = 1, unit = "month", gap_cells = 0L))
  expect_output(print(clock(months)), "No id has a row between 2020-03-31 and 2020-05-31 \\(1 step")
  quarters <- as.Date(c("2020-01-01", "2020-04-01", "2020-07-01"))
  expect_equal(clock(quarters)[c("step", "gap_cells")], list(step = 3, gap_cells = 0L))
  weeks <- as.Date("2020-01-06") + c(0, 7, 21)
  expect_equal(clock(weeks)[c("step", "unit")], list(step = 7, unit = "day"))
})

test_that("calendar periods as text run on their own clocks", {
  clock <- function(x, ...) attr(panel_frame(data.frame(id = 1, t = x), id, t, ...), "panel")
  quarters <- clock(c("2014Q4", "2015-Q2", "2015Q1"))
  expect_identical(quarters$clock, c(1L, 3L, 2L))
  expect_identical(quarters$periods, c("2014Q4", "2015Q1", "2015-Q2"))
  expect_identical(clock(c("Dec 2014", "Mar 2015", "Jan 2015"))$clock, c(1L, 4L, 2L))
  expect_identical(clock(c("2014-12", "2015-01"))$clock, 1:2)
  # 2020 has 53 ISO weeks
  expect_identical(clock(c("2020-W52", "2020-W53", "2021-W01"))$clock, 1:3)
  expect_identical(clock(factor(c("2014", "2012", "2018")))$clock, c(2L, 1L, 4L))
  stages <- c("before", "during", "after")
  expect_identical(clock(c("after", "before"), periods = stages)$clock, c(3L, 1L))
  expect_error(clock(c("2014Q1", "2014-02")), "2014-02|2014Q1", class = "wavetax_error_key_kind")
  expect_error(clock(c("after", "afer"), periods = stages), "afer", class = "wavetax_error_key_kind")
})

test_that("the shape of the demo panel is what its script made", {
  shape <- panel_shape(harbour_panel())
  expect_equal(
    shape[c("rows", "entities", "periods", "balanced", "late", "early", "gap_entities", "gap_cells")],
    list(rows = 1046L, entities = 96L, periods = 12L, balanced = FALSE, late = 13L, early = 13L,
         gap_entities = 7L, gap_cells = 11L)
  )
  full <- expand.grid(id = c("b", "a"), t = 1:3, stringsAsFactors = TRUE)
  expect_true(panel_shape(panel_frame(full, id, t))$balanced)
})

test_that("subsets are panel frames while the keys are there, and plain otherwise", {
  panel <- harbour_panel()
  some <- panel[panel$coast == "Ember" & panel$season > 2014, c("season", "harbour", "levy")]
  expect_s3_class(some, "panel_frame")
  expect_lt(panel_shape(some)$entities, 96)
  expect_identical(class(panel[, c("harbour", "levy")]), "data.frame")
  expect_identical(class(panel[c("season", "levy")]), "data.frame")
  expect_warning(twice <- panel[c(1, 1, 2), ], class = "wavetax_warning_no_panel")
  expect_identical(class(twice), "data.frame")
  panel$levy <- NULL
  expect_s3_class(panel, "panel_frame")
  panel$season <- NULL
  expect_identical(class(panel), "data.frame")
})

test_that("a key changed afterwards is noticed", {
  panel <- harbour_panel()
  panel$harbour[2] <- panel$harbour[14]
  panel$season[2] <- panel$season[14]
  expect_error(panel_shape(panel), class = "wavetax_error_duplicate_keys")
})

test_that("bad keys are refused with what, where and what next", {
  data <- data.frame(id = c("Oskavik", "Oskavik", "Tarnholm"), year = c(2014, 2014, 2015), y = 1:3)
  expect_error(panel_frame(data, id, year), "Oskavik 2014 \\(rows 1 and 2\\)",
               class = "wavetax_error_duplicate_keys")
  expect_error(panel_frame(data, idd, year), "mean 'id'", class = "wavetax_error_unknown_column")
  expect_error(panel_frame(data[0, ], id, year), class = "wavetax_error_empty_data")
  expect_error(panel_frame(data, y, id), "Tarnholm", class = "wavetax_error_key_kind")
  expect_error(panel_frame(transform(data, year = year + 0.5), id, year), class = "wavetax_error_key_kind")
  data$id[2] <- NA
  expect_error(panel_frame(data, id, year), "row 2", class = "wavetax_error_missing_keys")
})

test_that("a column is set by name in every way that R has", {
  panel <- harbour_panel()
  panel[["twice"]] <- 2 * panel$levy
  panel$thrice <- 3 * panel$levy
  expect_s3_class(panel, "panel_frame")
  expect_identical(panel[["thrice"]] - panel[["twice"]], panel$thrice - panel$twice)
  panel[[3, "twice"]] <- 0
  expect_identical(panel$twice[3], 0)
})
