shipped_raw <- function() {
  as.data.frame(data.table::fread(
    system.file("extdata", "harbours-raw.csv", package = "wavetax"), encoding = "UTF-8"
  ))
}
rows_of <- function(found, kind) sort(unlist(found$rows[found$kind == kind]))

test_that("every fault of the shipped raw file is found with its rows, and nothing else", {
  raw <- shipped_raw()
  found <- panel_problems(raw, harbour, season)
  expect_setequal(found$kind[found$weight != "note"], c(
    "missing keys", "repeated rows", "repeated keys", "one name two ways", "text among numbers",
    "decimal commas"
  ))
  expect_identical(rows_of(found, "missing keys"), c(404L, 643L))
  expect_identical(rows_of(found, "repeated rows"), c(88L, 203L, 204L, 205L))
  expect_identical(rows_of(found, "repeated keys"), c(517L, 518L))
  expect_identical(raw$harbour[rows_of(found, "one name two ways")], "Oskav\u00edk")
  expect_identical(raw$nights[rows_of(found, "text among numbers")], c("n/a", "n/a"))
  expect_identical(rows_of(found, "decimal commas"), 120:122)
})

test_that("the clean demo data raise no alarm", {
  expect_identical(unique(panel_problems(harbours, harbour, season)$weight), "note")
})

test_that("each fault planted in clean data is found where it was planted", {
  planted <- function(change, kind, rows) {
    found <- panel_problems(change(harbours), harbour, season)
    expect_true(all(rows %in% rows_of(found, kind)), label = kind)
  }
  set_cell <- function(column, row, value) {
    function(data) {
      data[[column]][row] <- value
      data
    }
  }
  planted(set_cell("season", 30, 20155), "far period", 30)
  planted(set_cell("harbour", 9:12, "Brellidun"), "one name two ways", 9:12)
  planted(set_cell("harbour", 9:12, "BRELLIDUNE "), "one name two ways", 9:12)
  planted(set_cell("levy", 44, 9500), "far value", 44)
  planted(set_cell("pier", 12, harbours$pier[13]), "neighbour's value", 12)
  planted(function(data) transform(data, levy = as.character(levy)), "numbers as text", 1:5)
  planted(function(data) rbind(data, replace(data[1, ], "harbour", "Total")), "total row", 1047)
  planted(function(data) rbind(data, replace(data[1, ], seq_along(data), NA)), "blank rows", 1047)
  header <- function(data) {
    data[] <- lapply(data, as.character)
    rbind(data[1:100, ], names(data), data[101:1046, ])
  }
  planted(header, "header repeated", 101)
  planted(function(data) rbind(data, replace(data[1, ], "harbour", "Newquoy")), "seen once", 1047)
  kinds <- panel_problems(transform(harbours, a = NA, b = 1, c = levy), harbour, season)$kind
  expect_true(all(c("empty column", "constant column", "same column twice") %in% kinds))
  wide <- utils::read.csv(system.file("extdata", "harbours-wide.csv", package = "wavetax"))
  expect_identical(panel_problems(wide, harbour, season)$kind, "periods as columns")
  mixed <- transform(harbours, season = replace(as.character(season), 7, "twelve"))
  expect_identical(rows_of(panel_problems(mixed, harbour, season), "unread periods"), 7L)
  dates <- transform(harbours, season = replace(paste0(season, "-07-01"), 9, "01/07/2017"))
  expect_identical(rows_of(panel_problems(dates, harbour, season), "unread periods"), 9L)
})

test_that("repairs do what is named, keep a log, and the log as code does the same", {
  raw <- shipped_raw()
  found <- panel_problems(raw, harbour, season)
  mended <- panel_repair(raw, found, names = c("Oskav\u00edk" = "Oskavik"), numbers = c("nights", "levy"),
                         drop = "missing keys", repeated = "last")
  expect_s3_class(panel_frame(mended, harbour, season), "panel_frame")
  log <- repair_log(mended)
  expect_identical(sort(log$row), c(57L, 88L, 120L, 121L, 122L, 203L, 313L, 404L, 517L, 541L, 643L))
  data <- raw
  eval(parse(text = capture.output(print(log, code = TRUE))))
  expect_equal(data, mended, ignore_attr = TRUE)
  expect_error(panel_repair(raw, found, names = c(Nowhere = "x")), class = "wavetax_error_repair")
  expect_identical(nrow(panel_repair(raw, found)), nrow(raw))
})

test_that("values near 0 of a column that comes near 0 everywhere raise no alarm", {
  set.seed(2)
  panel <- data.frame(id = rep(1:2000, each = 10), t = rep(1:10, 2000), x = rexp(20000) + 1e-9)
  expect_false("far value" %in% panel_problems(panel, id, t)$kind)
  panel$x[77] <- 1e6 * panel$x[77]
  expect_identical(rows_of(panel_problems(panel, id, t), "far value"), 77L)
})
