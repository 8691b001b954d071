# Files as people have them: each of inst/extdata/untidy/ hides one panel, and is read to it cell by cell.
skip_if_not_installed("readxl")
untidy <- function(...) system.file("extdata", "untidy", c(...), package = "wavetax")
truth <- utils::read.csv(system.file("extdata", "untidy", "truth.csv", package = "wavetax"))
quietly <- function(expr) suppressWarnings(suppressMessages(expr))

# `panel` has the truth's values; `years` are its periods in the order of 2014 to 2018.
expect_truth <- function(panel, periods = 2014:2018, period = "year", missing = list(), spell = identity) {
  expect_s3_class(panel, "panel_frame")
  wanted <- truth
  wanted$year <- periods[match(truth$year, 2014:2018)]
  at <- match(paste(spell(wanted$line), format(wanted$year)), paste(panel$line, format(panel[[period]])))
  expect_false(anyNA(at))
  expect_identical(nrow(panel), nrow(truth))
  for (variable in intersect(names(panel), setdiff(names(truth), c("line", "year")))) {
    expected <- as.double(wanted[[variable]])
    expected[missing[[variable]]] <- NA
    expect_identical(as.double(panel[[variable]])[at], expected, label = variable)
  }
}
read <- function(files, ..., period = "year") quietly(read_panel(untidy(files), line, !!period, ...))

test_that("numbers: thousands, currency, percent, words for missing, codes", {
  panel <- read("numbers.csv", percent = "share")
  expect_truth(panel, missing = list(crew = c(4, 20)))
  expect_type(panel$code, "character")
  expect_message(read_panel(untidy("numbers.csv"), line, year), "the share 0.909, or the number 90.9")
})

test_that("numbers: decimal commas and points between thousands, which one column leaves open", {
  accents <- function(x) sub("Corrie", "C\u00f4rrie", x)
  expect_truth(read("continental.csv", decimal = ","), spell = accents)
  expect_message(open <- read_panel(untidy("continental.csv"), line, year), "\"1.178\" is 1178 or 1.178")
  expect_type(open$passengers, "character")
  expect_type(open$fare, "double")
})

test_that("periods: dates, months, quarters, years that run into the next", {
  ends <- as.Date(c("2014-01-31", "2014-02-28", "2014-03-31", "2014-04-30", "2014-05-31"))
  expect_truth(read("dates.csv"), ends)
  expect_truth(read("months.csv"), c("Nov 2013", "Dec 2013", "Jan 2014", "Feb 2014", "Mar 2014"))
  expect_truth(read("month-numbers.csv"), c(201311, 201312, 201401, 201402, 201403))
  expect_truth(read("quarters.csv"), c("Q3 2013", "Q4 2013", "Q1 2014", "Q2 2014", "Q3 2014"))
  expect_truth(read("fiscal.csv"), c("2014/15", "2015/16", "2016/17", "2017/18", "2018/19"))
  for (file in c("dates.csv", "months.csv", "month-numbers.csv", "quarters.csv", "fiscal.csv")) {
    panel <- read(file)
    expect_true(panel_shape(panel)$balanced, label = file)
    expect_identical(sum(is.na(with(panel, past(fare)))), 6L, label = file)
  }
})

test_that("layouts: periods across, indicators in rows, entities across, one file an indicator", {
  for (file in c("wide.csv", "indicators.csv", "series.csv")) expect_truth(read(file, layout = "find"))
  across <- quietly(panel_to_long(untidy("across.csv"), line, year, value = fare))
  expect_truth(across)
  indicators <- as.data.frame(read(c("one-fare.csv", "one-passengers.csv")))
  names(indicators) <- sub("one-", "", names(indicators))
  expect_truth(panel_frame(indicators, line, year))
  expect_error(read("wide.csv"), "layout = \"find\"", class = "wavetax_error_not_long")
  expect_error(read("series.csv"), "`series`", class = "wavetax_error_not_long")
  expect_error(read("indicators.csv"), "range = \"A3:G15\"", class = "wavetax_error_layout")
})

test_that("workbooks: notes and titles, two rows of headings, merged cells, a sheet a year", {
  months <- as.Date(sprintf("2014-%02d-01", 1:5))
  expect_error(read("titled.xlsx", period = "month"), "sheet = \"Figures\", range = \"B4:G34\"",
               class = "wavetax_error_layout")
  expect_truth(read("titled.xlsx", period = "month", sheet = "Figures", range = "B4:G34"), months, "month")
  expect_truth(read("titled.xlsx", period = "month", layout = "find"), months, "month")
  expect_truth(read("headings.xlsx", layout = "find"))
  expect_truth(quietly(panel_to_long(untidy("headings.xlsx"), line, year, range = "A3:P10", header = 2)))
  expect_truth(read("merged.xlsx", merged = "fill"))
  expect_error(read("merged.xlsx"), class = "wavetax_error_missing_keys")
  expect_truth(read("by-year.xlsx", sheet = "*"))
  expect_error(read("by-year.xlsx"), "Season 2014", class = "wavetax_error_which_sheet")
})

test_that("faults are found and repaired, and the keys of another table are matched once tidied", {
  file <- untidy("faults.csv")
  found <- panel_problems(file, line, year)
  expect_true(all(c("total row", "blank rows", "repeated rows", "one name two ways") %in% found$kind))
  mended <- quietly(panel_repair(file, found, names = "tidy", numbers = c("passengers", "fare"),
                                 drop = c("total row", "blank rows"), repeated = "first"))
  panel <- quietly(panel_frame(mended, line, year))
  expect_identical(sort(unique(panel$line)), sort(unique(truth$line)))
  expect_identical(panel$fare, truth$fare)
  expect_identical(panel$passengers, as.double(truth$passengers))
  expect_error(quietly(panel_join(panel, untidy("lines.csv"))), "by = c\\(line = \"name\"\\)",
               class = "wavetax_error_no_common_key")
  joined <- quietly(panel_join(panel, untidy("lines.csv"), by = c(line = "name"), match = "tidy"))
  expect_identical(joined$opened[match(unique(truth$line), joined$line)], c(1921L, 1934L, 1950L, 1961L, 1903L, NA))
  expect_identical(join_report(joined)$matched[1:6], c("tidy", "tidy", "exact", "tidy", "tidy", "none"))
  expect_message(panel_join(panel, untidy("lines.csv"), by = c(line = "name"), match = "tidy"), "\"DUNHOLM\"")
})
