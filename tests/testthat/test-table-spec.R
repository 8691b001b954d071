three_fits <- function() {
  panel <- harbour_panel()
  list(
    pooled = fit_pooled(harbour_equation, panel),
    fixed = fit_fixed(update(harbour_equation, . ~ . + pier), panel),
    random = fit_random(harbour_equation, panel)
  )
}

test_that("the table holds what the fits say, in 80 columns", {
  fits <- three_fits()
  table <- spec_table(fits, hausman = FALSE)
  long <- as.data.frame(table)
  expect_equal(long$estimate[long$model == "fixed" & long$term == "levy"], coef(fits$fixed)[["levy"]])
  lines <- capture.output(print(table))
  expect_lte(max(nchar(lines)), 80)
  printed <- function(pattern) expect_match(lines, pattern, all = FALSE)
  printed("levy +0\\.12\\d+ +-0\\.04\\d+ +-0\\.01\\d+")
  printed("harbour effects +none +fixed +random")
  printed("clusters +96 harbours")
  printed("rows +1,046 +1,046 +1,046")
  printed("Dropped in fixed: pier \\(does not vary within harbours\\)")
})

test_that("many fits are set in blocks, and names come from the variables", {
  fits <- three_fits()
  my_choice <- fits$fixed
  table <- spec_table(my_choice, fits, fits, other = fits$pooled, beneath = "interval", terms = "levy")
  again <- c("pooled", "fixed", "random")
  expect_identical(table$models, c("my_choice", again, paste(again, 1), "other"))
  lines <- capture.output(print(table))
  expect_lte(max(nchar(lines)), 80)
  expect_equal(sum(grepl("^levy", lines)), 4)
})

test_that("Hausman's p stands where it is asked for", {
  fits <- three_fits()
  fits$fixed <- fit_fixed(harbour_equation, harbour_panel())
  expect_output(print(spec_table(fits, hausman = TRUE)), "Hausman p +<0.001")
  expect_error(spec_table(fits["pooled"], hausman = TRUE), class = "wavetax_error_nothing_to_compare")
})

test_that("files hold the cells: CSV, Markdown, HTML", {
  table <- spec_table(three_fits())
  folder <- fresh_folder()
  paths <- file.path(folder, paste0("t.", c("csv", "md", "html")))
  for (path in paths) write_table(table, path)
  csv <- utils::read.csv(paths[1], check.names = FALSE, colClasses = "character")
  cells <- as.data.frame(table, layout = "printed")
  expect_identical(csv$fixed[csv$row == "levy"], trimws(cells$fixed[cells$row == "levy"]))
  expect_identical(csv$pooled[csv$row == "rows"], "1046")
  expect_match(readLines(paths[2]), "^\\| levy \\| 0\\.12", all = FALSE)
  expect_match(readLines(paths[3]), "<th scope=\"row\">harbour effects</th>", all = FALSE)
  expect_setequal(list.files(folder), basename(paths))
})

test_that("what cannot be tabled or written is refused", {
  fits <- three_fits()
  expect_error(spec_table(fits, lm(nights ~ levy, harbours)), class = "wavetax_error_not_a_fit")
  expect_error(spec_table(fits, terms = "levi"), class = "wavetax_error_unknown_term")
  expect_error(write_table(spec_table(fits), "table.xyz"), class = "wavetax_error_format")
  expect_error(write_table(spec_table(fits), "no/such/folder/t.md"), class = "wavetax_error_cannot_write")
})

test_that("the figure has a point and an interval for each fit", {
  fits <- three_fits()
  figure <- plot_estimates(fits, term = "levy")
  expect_s3_class(figure, "ggplot")
  drawn <- ggplot2::layer_data(figure, 2)
  expect_equal(sort(drawn$x), sort(unname(vapply(fits, function(f) confint(f, "levy")[1], 1))))
  expect_error(plot_estimates(fits, term = "levi"), class = "wavetax_error_unknown_term")
})
