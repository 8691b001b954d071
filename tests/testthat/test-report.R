# Reports: every sentence under snapshot, every number that of the fits, in each format.
skip_if_not_installed("jsonlite")

labelled_panel <- function(labels = c(nights = "Berth nights sold", levy = "Wave tax, crowns a metre")) {
  panel_labels(harbour_panel(), labels)
}
chosen <- appraise(harbour_equation, labelled_panel(), focus = "levy")
without_figures <- c("question", "data", "models", "tests", "recommendation", "limits", "appendix")

written <- function(x, ending, ...) {
  file <- file.path(fresh_folder(), paste0("report.", ending))
  write_report(x, file, ...)
  file
}

# Numbers of a text, as they are read.
numbers_in <- function(text) {
  text <- gsub("\u2212", "-", gsub(",", "", text, fixed = TRUE), fixed = TRUE)
  as.numeric(regmatches(text, gregexpr("-?[0-9]+[.][0-9]+", text))[[1]])
}

test_that("every sentence of the demo report is under snapshot", {
  file <- written(chosen, "md", author = c("A. Harbourmaster", "B. Pilot"), date = "1 March 2026")
  lines <- sub("wavetax [0-9.]+ and R [0-9.]+", "wavetax VERSION and R VERSION", readLines(file, encoding = "UTF-8"))
  expect_snapshot(writeLines(lines))
  figures <- file.path(dirname(file), "report-figures", sprintf("figure-%d.png", 1:4))
  expect_true(all(file.exists(figures)))
})

test_that("each kind of question and model is reported as what it is", {
  panel <- labelled_panel()
  panel$national <- cos(panel$season)
  berths <- log(nights) ~ levy + log(berths)
  weak <- fit_instrumented(berths, panel, ~ log(berths), ~ past(relief), "both")
  cases <- list(
    "common to all" = appraise(log(nights) ~ national + storms, panel, focus = "national"),
    "fixed over time" = appraise(log(nights) ~ levy + pier, panel, focus = "pier"),
    "strong instruments" = update(weak, instruments = ~ relief + past(relief)), "weak instruments" = weak,
    differences = fit_difference(harbour_equation, panel), between = fit_between(harbour_equation, panel),
    "random effects" = fit_random(harbour_equation, panel),
    "variances of harbours" = fit_gls(harbour_equation, panel, variances = "entity", effects = "entity")
  )
  parts <- c("question", "data", "models", "tests", "recommendation", "limits")
  expect_snapshot(for (name in names(cases)) {
    lines <- readLines(written(cases[[name]], "md", parts = parts), encoding = "UTF-8")
    writeLines(c(strrep("=", 20), name, grep("^(\\||$)", lines, invert = TRUE, value = TRUE)))
  })
  # With weak instruments the interval of the estimate does not answer.
  set <- confint(weak, "log(berths)", method = "anderson-rubin")
  report <- report_of(weak, NULL, NULL, NULL, "question")
  expect_null(report$answer$strip)
  expect_match(report$answer$words, format_number(set$low, 3), fixed = TRUE)
  expect_false(any(grepl("season 20", readLines(written(cases[[2]], "md", parts = "models")))))
})

test_that("the numbers of a page and of a Word file are those of the fits, and both are the same twice", {
  skip_if_not_installed("xml2")
  fit <- chosen$fit
  page <- written(chosen, "html", parts = without_figures)
  expect_identical(readLines(page), readLines(written(chosen, "html", parts = without_figures)))
  doc <- xml2::read_html(page)
  words <- function(path) xml2::xml_text(xml2::xml_find_all(doc, path))
  expect_identical(words("//h1"), "Does wave tax change berth nights sold?")
  answer <- in_words(fit, "levy")
  expect_match(words("//section[@class='answer']/p"), answer$words, fixed = TRUE)
  percent <- 100 * (exp(coef(fit)[["levy"]]) - 1)
  expect_equal(answer$estimate, percent, tolerance = 1e-10)
  # The interval is drawn to scale.
  bar <- xml2::xml_find_first(doc, "//line[@class='bar']")
  at <- as.numeric(xml2::xml_attr(bar, c("x1", "x2")[1]))
  ends <- c(at, as.numeric(xml2::xml_attr(bar, "x2")))
  zero <- as.numeric(xml2::xml_attr(xml2::xml_find_first(doc, "//line[@class='zero']"), "x1"))
  dot <- as.numeric(xml2::xml_attr(xml2::xml_find_first(doc, "//circle"), "cx"))
  expect_equal((dot - ends[1]) / (zero - ends[1]), (answer$estimate - answer$low) / (0 - answer$low), tolerance = 0.01)
  expect_equal((ends[2] - ends[1]) / (zero - ends[1]), (answer$high - answer$low) / (0 - answer$low), tolerance = 0.01)
  # The last column of the table of models is the recommended fit.
  row <- words("//section[@id='models']//tr[th[starts-with(., 'Wave tax')]]/td")
  expect_equal(numbers_in(row[4]), coef(fit)[["levy"]], tolerance = 2e-3)
  others <- with_errors(chosen$fits$pooled, se_clustered(~ harbour))
  below <- words("//section[@id='models']//tr[@class='below'][1]/td")
  expect_equal(numbers_in(below[1]), sqrt(diag(vcov(others)))[["levy"]], tolerance = 1e-2)
  # Contents lead to what is there, and every figure tells what it shows.
  links <- sub("#", "", xml2::xml_attr(xml2::xml_find_all(doc, "//nav//a"), "href"))
  expect_identical(links, xml2::xml_attr(xml2::xml_find_all(doc, "//section[@id]"), "id"))
  skip_if_not_installed("officer")
  skip_if_not_installed("flextable")
  file <- written(chosen, "docx", parts = without_figures)
  expect_identical(unname(tools::md5sum(file)), unname(tools::md5sum(written(chosen, "docx", parts = without_figures))))
  inside <- officer::docx_summary(officer::read_docx(file))
  expect_identical(inside$text[inside$style_name %in% "heading 2"],
                   unname(wavetax:::part_headings[without_figures]))
  levy <- which(inside$text == "Wave tax")
  cells <- inside[inside$doc_index == inside$doc_index[levy[1]] & inside$row_id == inside$row_id[levy[1]], ]
  expect_equal(numbers_in(cells$text[5]), coef(fit)[["levy"]], tolerance = 2e-3)
})

test_that("labels are text wherever they stand", {
  odd <- c(nights = "<script>alert(1)</script> & nights", levy = "`tax` | \\textbf{x} #1 $y$ _z_", storms = "a\tb\nc")
  x <- appraise(harbour_equation, labelled_panel(odd), focus = "levy")
  page <- readLines(written(x, "html", parts = without_figures))
  expect_false(any(grepl("<script", page, fixed = TRUE)))
  expect_true(any(grepl("&lt;script&gt;", page, fixed = TRUE)))
  expect_true(any(grepl("\\|", readLines(written(x, "md", parts = without_figures)), fixed = TRUE)))
  skip_if(!nzchar(Sys.which("pdflatex")))
  expect_true(file.exists(written(x, "pdf", parts = without_figures)))
})

test_that("reports are of fits, lists, diagnoses and single results, and say what is missing", {
  panel <- harbour_panel()
  pooled <- fit_pooled(harbour_equation, panel)
  fixed <- fit_fixed(harbour_equation, panel)
  random <- fit_random(harbour_equation, panel)
  text <- function(...) paste(readLines(written(..., ending = "md"), encoding = "UTF-8"), collapse = "\n")
  some <- c("question", "models", "tests", "recommendation", "limits", "appendix")
  one <- text(fixed, parts = some)
  expect_match(one, "Does levy change nights?", fixed = TRUE)
  expect_match(one, in_words(fixed, "levy")$words, fixed = TRUE)
  expect_match(one, "fit_fixed(formula = harbour_equation, data = panel)", fixed = TRUE)
  several <- text(list(pooled = pooled, fixed = fixed, test_hausman(fixed, random)), parts = c("models", "tests"))
  expect_match(several, "\\| pooled \\| fixed \\|")
  expect_match(several, test_hausman(fixed, random)$reading, fixed = TRUE)
  expect_match(text(diagnose(fixed), parts = "tests"), "what the data say", fixed = TRUE)
  alone <- text(test_hausman(fixed, random))
  expect_match(alone, "^# Hausman test: fixed effects against random effects")
  expect_match(alone, "207.6 on 3 df", fixed = TRUE)
  expect_match(text(spec_table(pooled, fixed)), "R-squared", fixed = TRUE)
  kept <- text(slim(fixed), parts = c("data", "models", "robustness"))
  expect_match(kept, "Left out: the fit keeps no rows", fixed = TRUE)
  # An appendix of what was used and nothing else.
  expect_match(text(fixed, parts = "appendix"), "Clustered errors", fixed = TRUE)
  expect_no_match(text(fixed, parts = "appendix"), "Random effects|Newey|Hausman")
})

test_that("what cannot be reported is refused in words", {
  folder <- fresh_folder()
  expect_error(write_report(chosen, file.path(folder, "a.doc")), class = "wavetax_error_format")
  expect_error(write_report(chosen), class = "wavetax_error_argument")
  expect_error(write_report(chosen, file.path(folder, "none", "a.html"), parts = "limits"),
               class = "wavetax_error_cannot_write")
  for (wrong in list(list(), list(1), 1, NULL, "a", mean)) {
    expect_error(write_report(wrong, file.path(folder, "a.md")), class = "wavetax_error")
  }
  for (wrong in list("nothing", NA, 1, character())) {
    expect_error(write_report(chosen, file.path(folder, "a.md"), parts = wrong), class = "wavetax_error")
  }
  expect_error(write_report(replace(chosen, "fit", list(NULL)), file.path(folder, "a.md")),
               class = "wavetax_error_report")
  expect_identical(list.files(folder), character())
})
