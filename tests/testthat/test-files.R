# Files are read as they stand, and written whole or not at all.

write_csv <- function(lines) {
  file <- tempfile(fileext = ".csv")
  writeLines(lines, file)
  file
}
read_quietly <- function(...) suppressMessages(read_panel(...))

test_that("ids, codes and quotes are read as they stand and come back the same", {
  file <- write_csv(c(
    "id,code,t,name,x", "9007199254740992,007,1,\"Joe \"\"Big\"\" Ltd\",1.5", "9007199254740993,07,1,\"a,b\",2",
    "12345678901234567890,7,1,\" lead\",3", "5,12,1,\"NA\",4"
  ))
  panel <- read_quietly(file, id, t)
  expect_identical(panel$id, c("9007199254740992", "9007199254740993", "12345678901234567890", "5"))
  expect_identical(panel$code, c("007", "07", "7", "12"))
  expect_identical(panel$name, c("Joe \"Big\" Ltd", "a,b", " lead", "NA"))
  again <- tempfile(fileext = ".csv")
  write_panel(panel, again)
  expect_identical(as.data.frame(read_quietly(again, id, t)), as.data.frame(panel))
  ordinary <- write_csv(c("id,t,x", "3000000000,1,1", "4000000000,1,2"))
  expect_identical(read_quietly(ordinary, id, t)$id, c(3e9, 4e9))
})

test_that("line breaks inside quotes, marks and broken quotes in a file read in pieces", {
  n <- 500000
  set.seed(3)
  x <- round(rnorm(n), 3)
  data <- data.frame(id = rep_len(1:50, n), note = "two\nlines, \"quoted\"", x = x, y = round(x + rnorm(n), 3))
  file <- tempfile(fileext = ".csv")
  data.table::fwrite(data, file, quote = TRUE, qmethod = "double")
  expect_gt(file.size(file), 1.7e7)
  expect_equal(coef(fit_fixed(y ~ x, file, ~id)), coef(fit_fixed(y ~ x, data, ~id)), tolerance = 1e-10)
  marked <- tempfile(fileext = ".csv")
  writeBin(c(as.raw(c(0xef, 0xbb, 0xbf)), charToRaw("id,\"x\ny\",z\n1,2,3\n1,3,5\n2,1,1\n2,7,2\n3,4,4")), marked)
  expect_equal(fit_pooled(z ~ id, marked)$n, 5)
  open <- write_csv(c("id,x,y", "1,\"2,3", "1,3,4"))
  broken <- write_csv(c("id,x,y", "1,2", "1,3,4,5,6", "2,\"1,1"))
  for (bad in list(open, broken)) {
    expect_error(fit_pooled(y ~ x, bad), class = "wavetax_error_not_a_table")
  }
  bytes <- tempfile(fileext = ".csv")
  writeBin(as.raw(c(charToRaw("a,b\n1,2\n"), 0, 0, 255, 10)), bytes)
  expect_error(fit_pooled(b ~ a, bytes), class = "wavetax_error")
})

test_that("commas are decimal or thousands marks as the whole column tells, else it is asked", {
  read <- function(x, ...) {
    file <- tempfile(fileext = ".csv")
    write_panel(data.frame(id = seq_along(x), t = 1, x = x), file)
    suppressMessages(suppressWarnings(read_panel(file, id, t, numbers = "x", ...)$x))
  }
  expect_equal(read(c("932", "1,021", "3,5")), c(932, 1.021, 3.5))
  expect_equal(read(c("932", "1,234,567", "2,000")), c(932, 1234567, 2000))
  expect_equal(read(c("932", "1,021", "845")), c(932, 1021, 845))
  expect_error(read(c("1,932", "1,021", "4500")), "1932 or 1.932", class = "wavetax_error_ambiguous_numbers")
  expect_equal(read(c("932", "1,021"), thousands = ","), c(932, 1021))
  expect_equal(read(c("932", "1,021"), decimal = ","), c(932, 1.021))
  data <- data.frame(id = 1:13, t = 1, x = c(1:10, "12 or so", "2", "n/a"))
  found <- panel_problems(data, id, t)
  expect_warning(mended <- panel_repair(data, found, numbers = "x"), "1 cell", class = "wavetax_warning_not_numbers")
  expect_identical(repair_log(mended)$row[repair_log(mended)$action == "became missing"], c(11L, 13L))
  data$x[2:3] <- c("some", "few")
  expect_error(panel_repair(data, found, numbers = "x"), "3 of 13", class = "wavetax_error_not_numbers")
})

test_that("a join that matches nothing is an error, and wide tables hold what was asked for", {
  panel <- harbour_panel()
  expect_error(panel_join(panel, data.frame(season = 1909:1911, rate = 1)), class = "wavetax_error_no_match")
  expect_message(wide <- panel_to_wide(panel, c("levy", "fuel")), "storms", class = "wavetax_message_left_out")
  expect_setequal(unique(sub("_[0-9]+$", "", names(wide))), c("harbour", "coast", "pier", "sheltered", "levy", "fuel"))
})

test_that("a file keeps its mode and a link stays one; what a killed run left is cleared", {
  folder <- fresh_folder()
  file <- file.path(folder, "t.csv")
  write_panel(harbours, file)
  Sys.chmod(file, "600")
  link <- file.path(folder, "link.csv")
  skip_if_not(suppressWarnings(file.symlink(file, link)))
  left <- file.path(folder, ".wavetax-partial-99999999-abc.csv")
  file.create(left)
  write_panel(harbours[1:10, ], link)
  expect_identical(Sys.readlink(link), file)
  expect_identical(format(file.info(file)$mode), "600")
  expect_identical(nrow(utils::read.csv(file)), 10L)
  expect_false(file.exists(left))
  expect_error(write_fits(fit_pooled(log(nights) ~ levy, harbours), file = file), "End the name in .json",
               class = "wavetax_error_format")
})

test_that("a write that fails leaves the old file whole and nothing beside it", {
  folder <- fresh_folder()
  file <- file.path(folder, "t.png")
  writeLines("old", file)
  expect_error(write_whole_file(file, function(path) writeLines("half", path)), "end is missing",
               class = "wavetax_error_cannot_write")
  expect_error(write_whole_file(file, function(path) file.create(path)), "Nothing arrived",
               class = "wavetax_error_cannot_write")
  expect_error(write_whole_file(file, function(path) warning("No space left on device")), "No space",
               class = "wavetax_error_cannot_write")
  expect_identical(readLines(file), "old")
  expect_length(list.files(folder, "partial", all.files = TRUE), 0)
})

test_that("every field of saved fits is checked when it is read", {
  file <- tempfile(fileext = ".json")
  write_fits(fit_correlated(log(nights) ~ levy + storms, harbour_panel()), file = file)
  content <- jsonlite::read_json(file)
  fields <- names(content$fits[[1]])
  broken <- function(change) {
    odd <- tempfile(fileext = ".json")
    jsonlite::write_json(change(content), odd, auto_unbox = TRUE, null = "null", digits = NA)
    odd
  }
  for (field in setdiff(fields, c("variance", "figures"))) {
    for (value in list(list(list(1)), "odd", TRUE)) {
      text <- c("outcome", "formula", "title", "sample", "errors_words", "effects_kind")
      if (identical(value, "odd") && field %in% text) next
      file <- broken(function(x) {
        x$fits[[1]][[field]] <- value
        x
      })
      result <- tryCatch(utils::capture.output(print(read_fits(file)[[1]])),
                         wavetax_error_not_fits = function(cnd) "typed")
      expect_identical(result, "typed", label = paste(field, class(value)))
    }
  }
  odd <- list(list(version = 99), list(version = "b"), list(fits = NULL), list(fits = "text"))
  for (change in c(function(x) "text", lapply(odd, function(one) function(x) utils::modifyList(x, one)))) {
    expect_error(read_fits(broken(change)), class = "wavetax_error_not_fits")
  }
})

test_that("forked workers end: a child has one thread", {
  skip_on_os("windows")
  n <- 60000
  data <- data.frame(id = rep(seq_len(n / 10), each = 10), x = rnorm(n), y = rnorm(n))
  first <- coef(fit_fixed(y ~ x, data, ~id))
  job <- parallel::mcparallel(coef(fit_fixed(y ~ x, data, ~id)))
  result <- parallel::mccollect(job, wait = FALSE, timeout = 30)
  if (is.null(result)) tools::pskill(job$pid)
  expect_identical(result[[1]], first)
})
