# The one reader of numbers: what the cells of a column mean together. NULL is a question, a text the
# kind of error of a column that is asked for.
read_cells <- function(cells, ...) {
  file <- tempfile(fileext = ".csv")
  write_panel(data.frame(id = seq_along(cells), t = 1, x = cells), file)
  suppressWarnings(suppressMessages(read_panel(file, id, t, numbers = "x", missing = "", ...)$x))
}

cases <- list(
  list(c("932", "1,021", "845"), c(932, 1021, 845)),
  list(c("1,021", "2,300"), NULL), list(c("1,021", "1500"), NULL), list(c("9.5", "9,512"), NULL),
  list(c("1,021", "1500"), c(1.021, 1500), decimal = ","), list(c("1,021", "1500"), c(1021, 1500), thousands = ","),
  list(c("1,021", "932"), c(1021, 932), decimal = "."),
  list(c("3,5", "1,021"), c(3.5, 1.021)), list(c("1.234.567", "3,5"), c(1234567, 3.5)),
  list(c("1,234.5", "2"), c(1234.5, 2)), list(c("1.234,5", "2"), c(1234.5, 2)), list(c("1 234", "1,5"), c(1234, 1.5)),
  list(c("1,234", "1.234"), NULL), list(c("3,5", "1,234,567"), NULL), list(c("1,234,567", "1.234.567"), NULL),
  list(c("9.5", "9,5", "10,"), c(9.5, 9.5, 10)), list(c("0,125", "1,021"), c(0.125, 1.021)),
  list(c("1\u202f234", "2\u00a0345", "1 000"), c(1234, 2345, 1000)), list(c("1'234", "1\u2019234.5"), c(1234, 1234.5)),
  list(c("12,34,567", "1,00,000"), c(1234567, 1e5)),
  list(c("12.3%", "0.1 %"), NULL), list(c("12.3%", "0.1 %"), c(0.123, 0.001), percent = "share"),
  list(c("12.3%", "0.1 %"), c(12.3, 0.1), percent = "number"), list(c("12%", "0.5"), NULL, percent = "share"),
  list(c("$5", "$ 1,200.50", "-$3"), c(5, 1200.5, -3)), list(c("5 EUR", "EUR 6"), c(5, 6)), list(c("kr. 5", "6 kr"),
                                                                                                 c(5, 6)),
  list(c("\u20ac5", "$6"), NULL), list(c("\u20ac1.021", "\u20ac932"), NULL),
  list(c("(5)", "5-", "\u22125", "+5", "($1,200)"), c(-5, -5, -5, 5, -1200)),
  list(c("5E3", "2e-2", "1.5e+300"), c(5000, 0.02, 1.5e300)),
  list(c("1", "n/a", "..", "-", "Not available"), c(1, NA, NA, NA, NA)),
  list(c("00157", "12"), "codes"), list(c("123456789012345", "12"), "codes"),
  list(c(1:10, "about 3"), c(1:10, NA)), list(c(1:5, "about 3"), "not_numbers"), list(c("a", "b", "c"), "not_numbers")
)

test_that("a column's cells are read together, or asked for", {
  for (case in cases) {
    read <- function() do.call(read_cells, c(case[1], case[-(1:2)]))
    label <- paste(case[[1]], collapse = " ")
    if (is.null(case[[2]]) || is.character(case[[2]])) {
      kind <- if (is.null(case[[2]])) "ambiguous_numbers" else case[[2]]
      expect_error(read(), class = paste0("wavetax_error_", kind), label = label)
    } else {
      expect_identical(as.double(read()), as.double(case[[2]]), label = label)
    }
  }
})

test_that("without being asked for, what can be read in one way is read and told, the rest stays text", {
  file <- tempfile(fileext = ".csv")
  data <- data.frame(id = 1:3, t = 1, sales = c("1,021", "932", "n/a"), share = c("5%", "6%", "7%"),
                     code = c("007", "008", "009"), name = c("a", "b", "c"))
  write_panel(data, file)
  expect_message(panel <- read_panel(file, id, t), paste0(
    "`sales` is read with commas between thousands.*`share` stays text: it has percent signs.*",
    "0.05, or the number 5.*`code` stays text: \"007\""
  ), class = "wavetax_message_numbers")
  expect_identical(vapply(panel, typeof, ""), c(id = "integer", t = "integer", sales = "double", share = "character",
                                                code = "character", name = "character"))
  expect_type(suppressMessages(read_panel(file, id, t, text = "sales"))$sales, "character")
})

test_that("every number is the nearest double to what is written", {
  set.seed(4)
  written <- c(vapply(sample(1:17, 400, TRUE), function(digits) {
    trimws(format(stats::rnorm(1) * 10^sample(-30:30, 1), digits = digits, scientific = digits %% 2 == 0, nsmall = 1))
  }, ""), "0.1", "4.9e-324", "1.7976931348623157e308", "9007199254740993.0")
  expect_identical(read_cells(c(written, "x"))[seq_along(written)], as.numeric(written))
})
