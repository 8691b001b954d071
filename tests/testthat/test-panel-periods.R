# Periods as people write them: their unit, and that they stand one step apart.
test_that("every form is read on its calendar", {
  cases <- list(
    year = c("2014", "2015"), year = c("FY2014", "FY2015"), year = c("2014/15", "2015/16"), year = c("1999-00",
                                                                                                     "2000-01"),
    year = c("2014 [YR2014]", "2015 [YR2015]"), "half-year" = c("2014H2", "2015H1"), "half-year" = c("H2 2014",
                                                                                                     "H1 2015"),
    quarter = c("2014Q4", "2015Q1"), quarter = c("Q4 2014", "Q1 2015"), quarter = c("4Q2014", "1Q2015"),
    month = c("2014-12", "2015-01"), month = c("2014m12", "2015m1"), month = c("Dec 2014", "Jan 2015"),
    month = c("September 2014", "October 2014"), month = c("12/2014", "01/2015"), month = c("201412", "201501"),
    week = c("2014-W52", "2015-W01"), month = c("2014-12-31", "2015-01-31"), month = c("31/12/2014", "31/01/2015"),
    month = c("12/31/2014", "01/31/2015"), day = c("31 Dec 2014", "1 Jan 2015"), day = c("Dec 31, 2014", "Jan 1, 2015"),
    day = c("20141231", "20150101"), day = c("2014-12-31T00:00:00Z", "2015-01-01T00:00:00Z")
  )
  for (i in seq_along(cases)) {
    panel <- suppressMessages(panel_frame(data.frame(id = 1, t = cases[[i]], x = c(1, 2)), id, t))
    shape <- panel_shape(panel)
    expect_identical(if (is.null(shape$unit)) "year" else shape$unit, names(cases)[i], label = cases[[i]][1])
    expect_identical(c(shape$step, with(panel, past(x))), c(1, NA, 1), label = cases[[i]][1])
  }
})

test_that("what fits two ways is asked for, what fits none is named", {
  periods <- function(t) suppressMessages(panel_frame(data.frame(id = seq_along(t), t = t), id, t))
  expect_error(periods(c("01/02/2001", "02/03/2001")), "1 February or 2 January.*%d/%m/%Y",
               class = "wavetax_error_ambiguous_periods")
  expect_error(periods(c("31/03/2001", "04/30/2001", "30/06/2001")), "04/30/2001", class = "wavetax_error_key_kind")
  expect_error(periods(c("Mar 2001", "Marble 2001")), "Marble", class = "wavetax_error_key_kind")
  expect_error(periods("30 Feb 2001"), class = "wavetax_error_key_kind")
  expect_identical(panel_shape(periods(as.POSIXct(c("2001-01-31", "2001-02-28"), tz = "UTC")))$unit, "month")
  expect_error(periods(as.POSIXct("2001-01-31 10:30", tz = "UTC")), "times of day", class = "wavetax_error_key_kind")
})
