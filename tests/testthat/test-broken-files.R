# Files as they arrive broken, in a table of cases: what is in the file and how it is read; the kind of
# its error and words of the message.

written <- function(content, ending = ".csv") {
  file <- tempfile(fileext = ending)
  write <- if (is.raw(content)) writeBin else if (is.function(content)) function(make, to) make(to) else writeLines
  write(content, file)
  file
}
rows <- function(...) c("a,t,x", ...)
even <- rows("1,1,2", "1,2,3", "2,1,4", "2,2,5")
bytes <- function(...) as.raw(unlist(lapply(list(...), function(one) if (is.character(one)) charToRaw(one) else one)))
case <- function(content, ..., ending = ".csv", files = 1) {
  list(content = content, ending = ending, call = list(...), files = files)
}

refused <- list(
  "not_a_table It is empty[.]" = case(character()),
  "not_a_table empty but for spaces" = case(c("", "  ", "\t")),
  "not_a_table a header, but no rows" = case("a,t,x"),
  "not_a_table one column only" = case(c("a", "1", "2")),
  "not_a_table Column 2 has no name" = case(c("a,,x", "1,2,3", "1,3,4")),
  "not_a_table Several columns are called 't'" = case(c("a,t,t", "1,2,3")),
  "not_a_table headings have 3 cells, line 2 has 2" = case(rows("1,2", "1,3,4,5")),
  "not_a_table headings have 3 cells, line 4 has 4" = case(rows("1,1,2", "1,2,3", "1,3,4,5")),
  "not_a_table line 2 has an odd number" = case(rows("1,\"2,3", "1,3,4")),
  "not_a_table headings have 2 cells, line 2 has 4" = case(c("line,year", "Ash, Upper,2014,3")),
  "not_a_table UTF-16" = case(bytes(255, 254, "a", 0, ",", 0)),
  "not_a_table two encodings: UTF-8 in line 2, another in line 3" = case(
    bytes("a,t\n", 0xc3, 0x85, ",1\n", 0xc5, ",2\n")
  ),
  "not_a_table not in UTF-8; give its encoding" = case(bytes("a,t\n", 0xc5, ",1\nb,2\n"), encoding = "UTF-8"),
  "not_a_table It is not text" = case(bytes("a,t,x\n1,1,", 0, "2\n")),
  "not_a_table packed file .zip" = case(bytes("PK", 3, 4, 1:50)),
  "not_a_table packed file .gzip" = case(bytes(0x1f, 0x8b, 8, 1:50)),
  "not_a_table It is a PDF" = case(c("%PDF-1.4", "1 0 obj")),
  "not_a_table web page" = case(c("<!DOCTYPE html>", "<table><tr><td>a</td></tr></table>")),
  "not_a_table It is JSON" = case("[{\"a\":1,\"t\":2},{\"a\":1,\"t\":3}]"),
  "not_a_table not a Parquet file|No leading magic|arrow" = case(bytes(1:200), ending = ".parquet"),
  "not_a_table packed file .zip.*xlsx" = case(bytes("PK", 3, 4, 1:50), ending = ".docx"),
  "argument has no delimiter" = case(even, ending = ".xlsx", delimiter = ";"),
  "not_a_table It is a folder" = case(dir.create),
  "duplicate_keys 1 2 .rows 1 and 3" = case(rows("1,2,1", "1,3,1", "1,2,5")),
  "duplicate_keys Several rows share one a and t" = case(even, files = 2),
  "missing_keys " = case(rows("1,1,2", ",2,3")),
  "key_kind 2001-01-01 10:30" = case(rows("1,2001-01-01 10:30,3", "1,2001-01-02 10:30,3")),
  "key_kind 31/02/2001" = case(rows("1,31/02/2001,3", "1,30/04/2001,3")),
  "key_kind 04/30/2001" = case(rows("1,31/03/2001,3", "1,04/30/2001,3")),
  "key_kind 30/04/01" = case(rows("1,31/03/01,3", "1,30/04/01,3")),
  "key_kind not all dates as" = case(rows("1,31/03/2001,3", "1,30/04/2001,3"), date_format = "%Y"),
  "ambiguous_periods " = case(rows("1,01/02/2001,3", "1,02/03/2001,3")),
  "ambiguous_numbers 1021 or 1.021" = case(rows("1,1,\"1,021\"", "1,2,\"2,500\""), numbers = "x"),
  "not_numbers 2 of 4" = case(rows("1,1,2", "1,2,some", "2,1,few", "2,2,3"), numbers = "x"),
  "layout range = \"A3:C5\"" = case(c("Made up,,", ",,", "a,t,x", "1,1,2", "1,2,3")),
  "layout range = \"A4:C8\"" = case(c("Made,up,", "by,,hand", "in,words,", even, ",,end")),
  "layout Below it: \"Source" = case(rows("1,1,2", "1,2,3", ",,", "Source: none,,")),
  "not_long layout = \"find\"" = case(c("a,x_2001,x_2002", "1,2,3", "2,3,4")),
  "unknown_column Columns are id, t and x" = case(c("id,t,x", "1,1,2")),
  "not_a_table range lies outside" = case(even, range = "K20:L30"),
  "argument upper left" = case(even, range = "D20:A1"),
  "argument has no sheets" = case(even, sheet = "Data"),
  "unknown_column There is no column 'z'" = case(even, numbers = "z"),
  "not_a_table headings|no rows|one column" = case(even, delimiter = ";")
)
workbooks <- list(
  "not_a_table It is no workbook" = case(even, ending = ".xlsx"),
  "not_a_table protected by a password" = case(bytes(0xd0, 0xcf, 0x11, 0xe0, rep(0, 600)), ending = ".xlsx"),
  "not_a_table not a spreadsheet, or is damaged" = case(bytes(0xd0, 0xcf, 0x11, 0xe0, rep(0, 600)), ending = ".xls"),
  "not_a_table old workbook under another ending" = case(bytes(0xd0, 0xcf, 0x11, 0xe0, rep(0, 600))),
  "not_a_table xlsx kind under another ending" = case(bytes("PK", 3, 4, 1:50), ending = ".xls"),
  "not_a_table not a workbook, or is damaged" = case(bytes("PK", 3, 4, 1:50), ending = ".xlsx")
)
sheets <- list(
  "not_a_table copied whole" = function(book, file) writeBin(utils::head(readBin(book, "raw", 1e6), -200), file),
  "not_a_table sheet is empty" = function(book, file) openxlsx::write.xlsx(data.frame(), file),
  "which_sheet sheet = \"notes\"" = function(book, file) {
    one <- data.frame(a = 1:2, t = 1:2, x = 1:2)
    openxlsx::write.xlsx(list(notes = one, more = one), file)
  },
  "layout range = \"A1:C4\"" = function(book, file) {
    table <- openxlsx::loadWorkbook(book)
    openxlsx::writeData(table, 1, "far", startRow = 6000, startCol = 3)
    openxlsx::saveWorkbook(table, file)
  },
  "not_a_table Formulas in it have no values: C3" = function(book, file) {
    table <- openxlsx::loadWorkbook(book)
    openxlsx::writeFormula(table, 1, "A2+1", startRow = 3, startCol = 3)
    openxlsx::saveWorkbook(table, file)
  },
  "not_a_table Unpacked it has 300 MB" = function(book, file) {
    folder <- fresh_folder()
    dir.create(file.path(folder, "xl"))
    writeBin(raw(3e8), file.path(folder, "xl", "workbook.xml"))
    old <- setwd(folder)
    on.exit(setwd(old))
    skip_if(!nzchar(Sys.which("zip")))
    utils::zip(file, "xl/workbook.xml", flags = "-9Xq")
  }
)

expect_broken <- function(cases) {
  for (words in names(cases)) {
    one <- cases[[words]]
    files <- replicate(one$files, written(one$content, one$ending))
    read <- function() suppressWarnings(suppressMessages(rlang::inject(read_panel(files, a, t, !!!one$call))))
    expect_error(read(), sub("^[a-z_]+ ?", "", words), class = paste0("wavetax_error_", sub(" .*", "", words)),
                 label = words)
    unlink(files, recursive = TRUE)
  }
}

test_that("a broken file is refused with its own message", {
  expect_broken(refused)
})

test_that("a broken workbook is refused with its own message", {
  skip_if_not_installed("readxl")
  expect_broken(workbooks)
  skip_if_not_installed("openxlsx")
  table <- data.frame(a = c(1, 1, 2), t = c(1, 2, 1), x = 1:3)
  book <- written(function(file) openxlsx::write.xlsx(table, file), ".xlsx")
  expect_broken(lapply(sheets, function(make) case(function(file) make(book, file), ending = ".xlsx")))
})
