# One table value for all that prints as a table, and what every writer makes of it.
inside <- asNamespace("wavetax")

tabled_things <- function() {
  panel <- harbour_panel()
  pooled <- fit_pooled(harbour_equation, panel)
  fixed <- fit_fixed(harbour_equation, panel)
  random <- fit_random(harbour_equation, panel)
  list(
    spec = spec_table(pooled, fixed, random, hausman = TRUE), fit = fixed,
    correlated = fit_correlated(log(nights) ~ levy + storms + pier, panel), saved = inside$fit_record(random),
    levels = effect_levels(fixed), variance = variance_parts(random), figures = fit_figures(fixed),
    several = rbind(fit_figures(fixed), fit_figures(random)), errors = compare_errors(fixed),
    collinearity = collinearity(fixed), influence = influence_by(fixed, "coast"), nested = anova(pooled, fixed),
    diagnosis = diagnose(random), appraisal = appraise(harbour_equation, panel),
    variation = panel_variation(panel), groups = panel_variation(panel, by = "coast"), shape = panel_shape(panel),
    test = test_serial(fixed), tests = list(test_serial(fixed), "random?" = test_hausman(fixed, random))
  )
}

test_that("every table is one value as documented, which every format writes", {
  for (name in names(things <- tabled_things())) {
    table <- as_table(things[[name]])
    expect_null(inside$table_fault(table), label = name)
    expect_lte(max(nchar(capture.output(print(table)))), 80)
    for (ending in c("csv", "md", "html", "txt", "tex", "json")) {
      file <- tempfile(fileext = paste0(".", ending))
      write_table(things[[name]], file)
      expect_gt(length(readLines(file)), nrow(table$rows), label = paste(name, ending))
    }
  }
})

test_that("cells are the numbers of the results, not their text", {
  things <- tabled_things()
  spec <- as_table(things$spec)
  at <- match(c("levy", "storms", "fuel"), spec$rows$key)
  expect_identical(spec$cells$fixed$value[at], unname(coef(things$fit)[1:3]))
  expect_identical(spec$cells$fixed$value[at + 1], unname(sqrt(diag(vcov(things$fit)))[1:3]))
  expect_identical(spec$rows$role[at + 1], rep("beneath", 3))
  expect_identical(as_table(things$variance)$cells$percent$value, 100 * things$variance$share)
  levels <- as_table(things$levels, n = 2)
  expect_identical(levels$rows$role, c("span", "row", "row", "span", "row", "row"))
  expect_identical(levels$rows$label[4], "(92 between)")
  expect_identical(levels$cells$level$value[2], max(things$levels$level))
  errors <- as_table(things$errors)
  expect_identical(errors$cells$ratio$value[errors$rows$role == "row"], things$errors$ratio)
  status <- things$diagnosis$status
  expect_identical(as_table(things$diagnosis)$rows$mark, c(status[status != "skipped"], status[status == "skipped"]))
  expect_identical(as_table(things$groups)$rows$label[1], "coast Brindle")
})

test_that("CSV and Markdown hold the cells one by one, and cannot be broken by labels", {
  rows <- inside$table_rows(c("a|b", "=1+1", "<i>", "new\nline"), c("estimate", "beneath", "fact", "span"))
  cells <- inside$bind_cells(inside$number_cells(1234.5, 1, "estimate"), inside$number_cells(-2, 0, "std_error"),
                             inside$count_cells(1e6), inside$empty_cells(1))
  table <- inside$new_panel_table(rows, list(inside$table_column("x \"y\"", cells)), "Title & more",
                                  notes = inside$table_note("A note"))
  write_table(table, csv <- tempfile(fileext = ".csv"))
  back <- utils::read.csv(csv, check.names = FALSE, colClasses = "character")
  expect_identical(back[["x \"y\""]], c("1234.5", "-2", "1000000", ""))
  expect_identical(back$row, c("a|b", "'=1+1", "<i>", "new\\nline"))
  write_table(table, md <- tempfile(fileext = ".md"))
  lines <- readLines(md)
  expect_identical(lines[1], "**Title &amp; more**")
  expect_identical(lines[5:6], c("| a\\|b | 1,234.5 |", "| =1+1 | \u22122 |"))
  expect_identical(lines[7:8], c("| &lt;i&gt; | 1,000,000 |", "| new\\\\nline |  |"))
})

test_that("what is no table is refused with what is", {
  expect_error(as_table(mtcars), class = "wavetax_error_format")
  expect_error(write_table(mtcars, "a.md"), class = "wavetax_error_format")
  levels <- tabled_things()$levels
  for (n in list(0, "a", NA, 1.5, NULL)) expect_error(as_table(levels, n = n), class = "wavetax_error_argument")
  expect_error(as_table(levels, m = 2), "no argument 'm'", class = "wavetax_error_argument")
  expect_error(as_table(variance_parts(fit_random(harbour_equation, harbour_panel())), digits = 3),
               class = "wavetax_error_argument")
  table <- as_table(levels)
  for (part in c("rows", "columns", "cells", "notes", "stub")) {
    broken <- table
    broken[part] <- list(NULL)
    expect_error(print(broken), part, class = "wavetax_error_format")
    expect_error(write_table(broken, "a.md"), class = "wavetax_error_format")
  }
  expect_error(write_table(as_table(tabled_things()$variance), "a.docs"), class = "wavetax_error_format")
})
