# Every format read back and compared cell by cell with the table value.
inside <- asNamespace("wavetax")

hostile <- c("a<b & c", "x_1 % 2", "C:\\temp $5 | #1", "line\nbreak", "=1+1", "\u202eright to left", "[x] *y* `z`",
             "~^{}\"'",
             strrep("long ", 60))

value_with <- function(labels) {
  n <- length(labels)
  rows <- inside$table_rows(labels, c("estimate", "beneath", rep("fact", n - 2)), key = seq_len(n))
  cells <- inside$bind_cells(inside$number_cells(-1234.5, 1, "estimate"), inside$number_cells(0.25, 3, "std_error"),
                             inside$p_cells(0.0001), inside$count_cells(1e6), inside$number_cells(-0.001, 0, upper = 3),
                             inside$number_cells(1, 2, "interval", 2), inside$word_cells("yes & no"),
                             inside$empty_cells(n - 7))
  inside$new_panel_table(rows, list(inside$table_column("one <head>", cells, "a"),
                                    inside$table_column("two", inside$empty_cells(n), "b", over = "over_1")),
                         "Title: 100 % & more", stub = "stub", notes = inside$table_note("A note, _not_ markup"),
                         says = "Said under the title")
}

plain <- function(x) gsub("\u2212", "-", trimws(x))

# The words of the cells, a column a matrix column, as the layout has them.
expected_words <- function(table) {
  look <- inside$table_layout(table)
  plain(vapply(look$cells, function(cell) paste0(cell$words, cell$mark), character(nrow(look$lines))))
}

document_of <- function(file) {
  folder <- fresh_folder()
  utils::unzip(file, "word/document.xml", exdir = folder)
  file.path(folder, "word", "document.xml")
}

read_back <- list(
  html = function(file, n) {
    rows <- xml2::xml_find_all(xml2::read_html(file), "//tbody/tr[td]")
    t(vapply(rows, function(row) xml2::xml_text(xml2::xml_find_all(row, "td")), character(n)))
  },
  docx = function(file, n) {
    space <- c(w = "http://schemas.openxmlformats.org/wordprocessingml/2006/main")
    rows <- xml2::xml_find_all(xml2::read_xml(document_of(file)), "//w:tbl/w:tr", space)
    cells <- lapply(rows, function(row) xml2::xml_text(xml2::xml_find_all(row, "w:tc", space)))
    cells <- cells[lengths(cells) >= n + 1]
    t(vapply(utils::tail(cells, -1), identity, cells[[1]]))
  },
  md = function(file, n) {
    lines <- grep("^\\|", readLines(file, encoding = "UTF-8"), value = TRUE)[-(1:2)]
    cells <- strsplit(gsub("\\\\\\|", "\u0001", lines), "|", fixed = TRUE)
    t(vapply(cells, function(cell) gsub("\\\\(.)", "\\1", cell[2 + seq_len(n)]), character(n)))
  },
  csv = function(file, n) as.matrix(utils::read.csv(file, colClasses = "character", check.names = FALSE)[-1])
)

test_that("the same numbers stand in every format", {
  skip_if_not_installed("xml2")
  fits <- list(pooled = fit_pooled(log(nights) ~ levy + storms + factor(season), harbour_panel()),
               fixed = fit_fixed(log(nights) ~ levy + storms, harbour_panel()))
  table <- as_table(spec_table(fits, marks = c("+" = 0.05)))
  words <- expected_words(table)
  part <- inside$table_layout(table)$lines$kind == "part"
  write_table(table, file <- tempfile(fileext = ".html"))
  expect_identical(plain(read_back$html(file, 2)), unname(words[!part, ]), ignore_attr = TRUE)
  whole <- vapply(table$cells, inside$cells_as_text, character(nrow(table$rows)))
  write_table(table, file <- tempfile(fileext = ".md"))
  expect_identical(plain(read_back$md(file, 2)), unname(whole), ignore_attr = TRUE)
  write_table(table, file <- tempfile(fileext = ".csv"))
  expect_identical(unname(read_back$csv(file, 2)), gsub(",", "", unname(whole)), ignore_attr = TRUE)
  write_table(table, file <- tempfile(fileext = ".txt"))
  text <- paste(readLines(file, encoding = "UTF-8"), collapse = "\n")
  for (word in setdiff(c(whole), "")) expect_match(text, word, fixed = TRUE)
  write_table(table, file <- tempfile(fileext = ".json"))
  expect_equal(as_table(read_table_file(file))$cells, table$cells)
})

test_that("Word and spreadsheet files hold the cells, and are the same byte for byte", {
  skip_if_not_installed("xml2")
  for (package in c("officer", "flextable", "openxlsx", "readxl")) skip_if_not_installed(package)
  table <- spec_table(pooled = fit_pooled(log(nights) ~ levy + storms, harbour_panel()),
                      fixed = fit_fixed(log(nights) ~ levy + storms, harbour_panel()))
  words <- expected_words(as_table(table))
  write_table(table, docx <- tempfile(fileext = ".docx"))
  cells <- read_back$docx(docx, 2)
  expect_identical(plain(cells[, 2:3]), unname(words))
  write_table(table, again <- tempfile(fileext = ".docx"))
  expect_identical(unname(tools::md5sum(again)), unname(tools::md5sum(docx)))
  write_table(table, xlsx <- tempfile(fileext = ".xlsx"))
  write_table(table, again <- tempfile(fileext = ".xlsx"))
  expect_identical(unname(tools::md5sum(again)), unname(tools::md5sum(xlsx)))
  sheet <- as.data.frame(suppressMessages(readxl::read_excel(xlsx, col_names = FALSE)))
  value <- as_table(table)$cells$fixed$value
  shown <- as.numeric(sheet[[3]][match("levy", sheet[[1]]) + 0:3])
  expect_equal(shown, value[1:4])
  write_table(table[2], xlsx, append = TRUE)
  expect_identical(readxl::excel_sheets(xlsx)[1], "Specifications of log(nights)")
  expect_length(readxl::excel_sheets(xlsx), 2)
  write_table(list(Second = table), docx, append = TRUE)
  text <- paste(readLines(document_of(docx), warn = FALSE), collapse = "")
  expect_length(gregexpr("<w:tbl[ >]", text)[[1]], 2)
  expect_no_match(text, "body 1")
})

test_that("LaTeX compiles, and reads as the table", {
  table <- spec_table(pooled = fit_pooled(log(nights) ~ levy, harbour_panel()),
                      fixed = fit_fixed(log(nights) ~ levy, harbour_panel()))
  write_table(list(table, value_with(hostile)), file <- file.path(fresh_folder(), "t.tex"), fragment = FALSE)
  write_table(table[1], file, append = TRUE)
  lines <- readLines(file)
  expect_identical(sum(lines == "\\begin{tabular}{@{}lrr@{}}"), 1L)
  expect_identical(utils::tail(lines, 1), "\\end{document}")
  skip_if(Sys.which("pdflatex") == "" || Sys.which("pdftotext") == "")
  old <- setwd(dirname(file))
  on.exit(setwd(old))
  out <- suppressWarnings(system2("pdflatex", c("-interaction=nonstopmode", "t.tex"), stdout = TRUE))
  expect_false(any(startsWith(out, "!")))
  system2("pdftotext", c("-layout", "t.pdf", "t.txt"))
  text <- plain(paste(readLines("t.txt", encoding = "UTF-8", warn = FALSE), collapse = "\n"))
  for (word in c("0.1236", "-0.0428", "1,046", "-1,234.5", "<0.001", "a<b & c", "$5", "100 % & more", "=1+1")) {
    expect_match(text, word, fixed = TRUE)
  }
})

test_that("labels stay harmless in every format", {
  table <- value_with(hostile)
  for (ending in c("html", "md", "txt", "csv", "tex", "json",
                   if (rlang::is_installed(c("officer", "flextable"))) "docx",
                   if (rlang::is_installed("openxlsx")) "xlsx")) {
    expect_silent(write_table(table, tempfile(fileext = paste0(".", ending))))
  }
  write_table(table, file <- tempfile(fileext = ".html"))
  html <- paste(readLines(file, encoding = "UTF-8"), collapse = "\n")
  expect_match(html, "a&lt;b &amp; c", fixed = TRUE)
  expect_match(html, "&lt;U+202E&gt;right to left", fixed = TRUE)
  expect_no_match(html, "<head>\">", fixed = TRUE)
  write_table(table, file <- tempfile(fileext = ".json"))
  expect_equal(read_table_file(file)$rows$label, hostile)
  skip_if_not_installed("readxl")
  write_table(table, file <- tempfile(fileext = ".xlsx"))
  sheet <- as.data.frame(suppressMessages(readxl::read_excel(file, col_names = FALSE)))
  expect_true("=1+1" %in% sheet[[1]])
})

test_that("what a format does not take is said, and so is what is no table file", {
  table <- value_with(hostile)
  expect_error(write_table(list(table, table), "a.csv"), "one table", class = "wavetax_error_format")
  expect_error(write_table(table, "a.csv", append = TRUE), "docx", class = "wavetax_error_argument")
  expect_error(write_table(table, "a.docx", fragment = TRUE), "tex", class = "wavetax_error_argument")
  writeLines("no zip", broken <- tempfile(fileext = ".docx"))
  skip_if_not_installed("officer")
  expect_error(write_table(table, broken, append = TRUE), class = "wavetax_error_cannot_write")
  expect_identical(readLines(broken), "no zip")
  for (text in c("{", "[1]", "{\"format\":\"other\"}", "{\"format\":\"wavetax table\",\"version\":9}",
                 "{\"format\":\"wavetax table\",\"version\":1,\"table\":{\"stub\":\"\"}}")) {
    writeLines(text, file <- tempfile(fileext = ".json"))
    expect_error(read_table_file(file), class = "wavetax_error_not_a_table_file")
  }
})

test_that("the rows of tables are kept together in documents of any size, and of the tables before nothing is changed",
          {
  row <- function(word) {
    sprintf("<w:tr>stray<w:tc><w:p><w:pPr><w:pStyle w:val=\"a\"/></w:pPr>%s</w:p></w:tc></w:tr>", word)
  }
  table <- function(word) paste0("<w:tbl>", row(word), row(word), "</w:tbl>")
  text <- paste0("<w:document>", table("old"), strrep("<w:p/>", 2e5), table("new"), "<w:p/>", table("last"),
                 "</w:document>")
  kept <- inside$keep_rows_together(text, 1)
  expect_identical(substr(kept, nchar(kept) - 12, nchar(kept)), "</w:document>")
  expect_identical(lengths(regmatches(kept, gregexpr("<w:keepNext/>", kept, fixed = TRUE))), 4L)
  expect_identical(lengths(regmatches(kept, gregexpr("stray", kept, fixed = TRUE))), 2L)
  expect_match(kept, "<w:pStyle w:val=\"a\"/><w:keepNext/></w:pPr>new", fixed = TRUE)
  long <- inside$keep_rows_together(paste0("<w:tbl>", strrep(row("term"), 50), "</w:tbl>"), 0)
  expect_identical(lengths(regmatches(long, gregexpr("<w:keepNext/>", long, fixed = TRUE))), 25L)
})
