quietly <- function(expr) suppressMessages(expr)
as_file <- function(lines, extension = ".csv") {
  file <- tempfile(fileext = extension)
  if (is.raw(lines)) writeBin(lines, file) else writeLines(lines, file, useBytes = TRUE)
  file
}

test_that("written panels read back with keys, kinds and order", {
  data <- harbours[sample(nrow(harbours), 300), ]
  data$day <- as.Date("2020-01-01") + seq_len(300)
  data$levy[4] <- NA
  rownames(data) <- NULL
  formats <- c(".csv", ".tsv", if (requireNamespace("openxlsx", quietly = TRUE)) ".xlsx",
               if (requireNamespace("nanoparquet", quietly = TRUE)) ".parquet")
  for (extension in formats) {
    file <- tempfile(fileext = extension)
    write_panel(panel_frame(data, harbour, season), file)
    back <- quietly(read_panel(file, harbour, season))
    same <- as.data.frame(back)
    same$day <- as.Date(same$day)
    expect_equal(same, data, ignore_attr = TRUE, tolerance = 1e-12, label = extension)
  }
  expect_error(write_panel(data, "x.docx"), class = "wavetax_error_format")
})

test_that("text is read in its encoding, delimiter and decimal mark", {
  rows <- c("name;year;tax", "\u00c5vik;2014;1,5", "\u00c5vik;2015;2,5")
  utf8 <- quietly(read_panel(as_file(enc2utf8(rows)), name, year, decimal = ","))
  mark <- as.raw(c(0xef, 0xbb, 0xbf))
  with_mark <- as_file(c(mark, charToRaw(paste(enc2utf8(rows), collapse = "\n"))))
  marked <- quietly(read_panel(with_mark, name, year, decimal = ","))
  latin <- quietly(read_panel(as_file(iconv(rows, "UTF-8", "latin1")), name, year, decimal = ","))
  for (panel in list(utf8, marked, latin)) {
    expect_identical(enc2utf8(panel$name), rep("\u00c5vik", 2))
    expect_identical(panel$tax, c(1.5, 2.5))
  }
})

test_that("columns with cells that are no numbers stay text until told, and lost cells are listed", {
  file <- as_file(c("id,year,x", "a,2014,\"1.200,5\"", "a,2015,about 3", "a,2016,n/a", "b,2014,7",
                    sprintf("c,%d,8", 2001:2009)))
  expect_type(quietly(read_panel(file, id, year))$x, "character")
  expect_message(read_panel(file, id, year), "`x` stays text: 1 cell is no number, \"about 3\"",
                 class = "wavetax_message_numbers")
  expect_warning(panel <- quietly(read_panel(file, id, year, numbers = "x")), "row 2",
                 class = "wavetax_warning_not_numbers")
  expect_identical(panel$x, c(1200.5, NA, NA, 7, rep(8, 9)))
})

test_that("keys that are not named are proposed, not taken", {
  file <- system.file("extdata", "harbours.csv", package = "wavetax")
  expect_error(quietly(read_panel(file)), "`harbour`.*`season`", class = "wavetax_error_keys_not_named")
})

test_that("files that are no tables are refused in words", {
  refused <- function(file, words, kind = "not_a_table", ...) {
    expect_error(quietly(read_panel(file, a, b, ...)), words, class = paste0("wavetax_error_", kind))
  }
  refused(as_file(character()), "empty|could not")
  refused(as_file("a,b,c"), "no rows")
  refused(as_file(as.raw(c(1, 2, 0, 255, 3))), "not text")
  refused(as_file(c("a,a,b", "1,2,3")), "Several columns are called 'a'")
  refused(as_file(as.raw(c(0x50, 0x4b, 3, 4, 9, 9)), ".xlsx"), "damaged|package")
  refused(tempfile(), "no file", "no_file")
  if (requireNamespace("openxlsx", quietly = TRUE) && requireNamespace("readxl", quietly = TRUE)) {
    book <- tempfile(fileext = ".xlsx")
    openxlsx::write.xlsx(list(first = data.frame(a = 1:2, b = 3:4)), book)
    refused(book, "Sheets are \"first\"", "no_sheet", sheet = "second")
  }
})

test_that("mutated files give a panel or a typed error, never another", {
  expect_identical(read_broken(500, seed = 11), character())
})
