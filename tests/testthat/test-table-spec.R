inside_cells <- function(cells) asNamespace("wavetax")$cells_as_text(cells)

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
  figure <- plot_estimates(fits, terms = "levy")
  expect_s3_class(figure, "ggplot")
  drawn <- ggplot2::layer_data(figure, 2)
  expect_equal(sort(drawn$x), sort(unname(vapply(fits, function(f) confint(f, "levy")[1], 1))))
  expect_error(plot_estimates(fits, terms = "levi"), class = "wavetax_error_unknown_term")
})

test_that("terms are said in words, in prints and tables alike", {
  panel <- suppressMessages(panel_labels(harbour_panel(), c(levy = "Wave tax, crowns a metre", nights = "Nights sold")))
  fit <- fit_pooled(log(nights) ~ levy + I(levy^2) + log(levy) + past(levy, 2) + change(storms) + levy:storms +
                      against(factor(coast), "Ember") + I(sheltered == 1) + entity_mean(fuel), panel)
  words <- function(labels) {
    table <- as_table(spec_table(fit, labels = labels, beneath = NULL))
    paste0(table$rows$label, ifelse(nzchar(table$rows$unit), paste0(" | ", table$rows$unit), ""))
  }
  plain <- words(FALSE)
  expect_true(all(c("levy", "levy squared", "log(levy)", "levy, 2 seasons before", "change of storms",
                    "levy \u00d7 storms",
                    "coast (against Ember)", "Tallow", "I(sheltered == 1)", "mean of fuel by harbour",
                      "constant") %in% plain))
  labelled <- words(NULL)
  expect_true(all(c("Wave tax | crowns a metre", "Wave tax squared | crowns a metre",
                    "log of Wave tax | crowns a metre",
                    "Wave tax, 2 seasons before | crowns a metre", "Wave tax \u00d7 storms") %in% labelled))
  expect_match(as_table(spec_table(fit))$says[1], "Outcome: log of Nights sold", fixed = TRUE)
  expect_output(print(fit), "coast \\(against Ember\\)\n +Brindle")
})

test_that("what is hidden has a row that swept effects share", {
  panel <- harbour_panel()
  eq <- log(nights) ~ levy + storms
  table <- spec_table(plain = fit_pooled(eq, panel), dummies = fit_pooled(update(eq, . ~ . + factor(season)), panel),
                      swept = fit_fixed(eq, panel, effects = "both"), drawn = fit_random(eq, panel, effects = "both"),
                      hide = ~ factor(season))
  expect_false(any(grepl("season", table$terms)))
  row <- table$facts[table$facts$label == "season effects", ]
  expect_identical(row$text, c("no", "yes", "yes", "yes"))
  expect_match(as_table(table)$notes$text, "Season: 11 dummies in the second column, swept out in the third",
               all = FALSE)
  alone <- spec_table(table["dummies"], hide = c("factor(season)", "stor*"))
  expect_identical(alone$terms, c("levy", "(Intercept)"))
  expect_identical(alone$facts$label[1:2], c("season dummies", "stor*"))
  expect_error(spec_table(table, hide = ~ coast), class = "wavetax_error_unknown_term")
  expect_error(spec_table(table, hide = 3), class = "wavetax_error_argument")
})

test_that("terms are chosen by name, term, variable and pattern, and named", {
  fit <- fit_pooled(log(nights) ~ levy + past(levy, 1:2) + factor(season), harbour_panel())
  table <- spec_table(fit, terms = c("past(levy*", "Tax" = "levy", "constant"))
  expect_identical(table$terms, c("past(levy, 1)", "past(levy, 2)", "levy", "(Intercept)"))
  expect_identical(table$phrases$label[3], "Tax")
  expect_length(spec_table(fit, terms = "season")$terms, 9)
  expect_identical(spec_table(fit, terms = "factor(season)")$terms, spec_table(fit, terms = "season")$terms)
  expect_error(spec_table(fit, terms = "levi"), "Did you mean 'levy'", class = "wavetax_error_unknown_term")
})

test_that("what stands beneath, signs and decimals are those asked for", {
  fits <- three_fits()
  both <- as_table(spec_table(fits, beneath = c("statistic", "interval"), terms = "levy", decimals = 2))
  expect_identical(both$rows$label[1:3], c("levy", "t", "95% interval"))
  shown <- inside_cells(both$cells$fixed)[1:3]
  reference <- as.data.frame(fits$fixed)[1, ]
  expect_identical(shown, c(sprintf("%.2f", reference$estimate), sprintf("%.2f", reference$statistic),
                            sprintf("%.2f to %.2f", reference$low, reference$high)))
  beside <- as_table(spec_table(fits, beside = TRUE))
  expect_identical(beside$columns$over[1:2], c("pooled", "pooled"))
  expect_identical(beside$cells[["fixed:std_error"]]$value[1], sqrt(vcov(fits$fixed)["levy", "levy"]))
  expect_false("beneath" %in% as_table(spec_table(fits, beneath = NULL))$rows$role)
  marked <- as_table(spec_table(fits, marks = c(o = 0.5, x = 0.01)))
  expect_identical(marked$cells$fixed$text[1], "x")
  expect_match(marked$notes$text, "o for p below 0.5 and x for p below 0.01", all = FALSE)
  for (bad in list(list(beneath = "t"), list(marks = 0.05), list(decimals = -1), list(over = 1:3), list(title = NA),
                   list(over = list(A = 9)))) {
    expect_error(as_table(do.call(spec_table, c(list(fits), bad))), class = "wavetax_error_argument",
                 label = names(bad))
  }
})

test_that("facts are chosen, computed and added", {
  fits <- three_fits()
  table <- spec_table(fits, facts = list("rows", "Mean" = "outcome_mean", "df_effects",
                                         "Mundlak p" = function(fit) test_mundlak(fit)$p.value))
  expect_identical(unique(table$facts$label), c("rows", "Mean", "degrees of freedom of the effects", "Mundlak p"))
  expect_equal(table$facts$value[table$facts$label == "Mean"], rep(mean(log(harbours$nights)), 3))
  p <- table$facts[table$facts$label == "Mundlak p", ]
  expect_equal(p$value[3], test_mundlak(fits$random)$p.value, ignore_attr = TRUE)
  expect_identical(p$kind, c("empty", "p", "p"))
  expect_match(as_table(table)$notes$text, "No Mundlak p in pooled: ", all = FALSE)
  more <- add_facts(table, Sample = c(random = "late", pooled = "all"), Built = c(TRUE, FALSE, NA), Count = 1:3)
  own <- more$facts[more$facts$about == "own", ]
  expect_identical(own$text[1:6], c("all", "", "late", "yes", "no", ""))
  expect_identical(own$value[7:9], c(1, 2, 3))
  expect_error(add_facts(table, Sample = 1:2), class = "wavetax_error_fact")
  expect_error(spec_table(fits, facts = "outcome_men"), "outcome_mean", class = "wavetax_error_fact")
  expect_setequal(intersect(names(fit_figures(fits$fixed)), table_figures()$figure),
                  setdiff(names(fit_figures(fits$fixed)), c("df_exact", "f_df2", "iterations", "achieved")))
})

test_that("a table is kept, added to, chosen from and read back", {
  fits <- three_fits()
  table <- spec_table(fits["fixed"], terms = "levy", title = "Kept", facts = c("rows", "errors"))
  more <- spec_table(table, new = fits$random)
  expect_identical(more$models, c("fixed", "new"))
  expect_identical(more$terms, "levy")
  expect_identical(as_table(c(table, spec_table(fits["pooled"])))$title, "Kept")
  expect_identical(more[c("new", "fixed")]$models, c("new", "fixed"))
  expect_error(more["old"], class = "wavetax_error_argument")
  file <- tempfile(fileext = ".json")
  write_table(spec_table(fits, hide = "fuel", over = list(A = 1:2), marks = c(z = 0.05), hausman = FALSE), file)
  back <- read_table_file(file)
  expect_identical(capture.output(print(back)),
                   capture.output(print(spec_table(fits, hide = "fuel", over = list(A = 1:2), marks = c(z = 0.05)))))
  expect_identical(spec_table(back, late = fits$fixed)$models, c(names(fits), "late"))
})

test_that("heads of fits without a name say what tells them apart", {
  panel <- harbour_panel()
  fixed <- function(...) fit_fixed(log(nights) ~ levy, panel, ...)
  expect_identical(spec_table(list(fixed(), fixed(effects = "both")))$heads, c("fixed", "fixed, two-way"))
  expect_identical(spec_table(list(fixed(), fixed(rows = season > 2014)))$heads, c("fixed", "fixed, season > 2014"))
  expect_identical(spec_table(list(fixed(), fixed(errors = se_robust("HC1"))))$heads,
                   c("fixed, clustered", "fixed, robust HC1"))
  nested <- spec_table(list(North = list(a = fixed(), b = fixed()), South = list(a = fixed(), b = fixed())))
  expect_identical(as_table(nested)$columns$over, c("North", "North", "South", "South"))
  expect_identical(nested$heads, c("a", "b", "a", "b"))
  expect_error(spec_table(fixed(), simpleError("no")), class = "wavetax_error_not_a_fit")
})

test_that("what would mislead side by side is told once", {
  panel <- harbour_panel()
  table <- spec_table(fit_pooled(log(nights) ~ levy, panel), fit_pooled(rescues ~ past(levy), panel))
  notes <- as_table(table)$notes$text
  expect_match(notes, "The outcomes differ between columns", all = FALSE)
  expect_match(notes, "different rows, 943 to 1,046 rows, as some are incomplete", all = FALSE)
  expect_identical(nrow(as_table(spec_table(fit_pooled(log(nights) ~ levy, panel)))$notes), 0L)
})

test_that("an interaction is hidden in any order of its parts, and what is seen once is told", {
  panel <- harbour_panel()
  fit <- fit_pooled(log(nights) ~ levy + levy:storms, panel)
  for (hide in list(~ levy:storms, ~ storms:levy)) {
    expect_false("levy:storms" %in% spec_table(list(fit), hide = hide)$terms)
  }
  thin <- panel_frame(harbours[-(2:12), ], harbour, season)
  fixed <- fit_fixed(log(nights) ~ levy, thin)
  told <- "1 harbour appears once and tells nothing about the slopes"
  notes <- function(...) as_table(spec_table(list(...), hausman = FALSE))$notes$text
  expect_true(told %in% notes(fixed, fixed))
  expect_true(paste(told, "(b)") %in% notes(a = fit_pooled(log(nights) ~ levy, thin), b = fixed))
  file <- tempfile(fileext = ".json")
  write_table(spec_table(list(fixed)), file)
  expect_identical(capture.output(print(read_table_file(file))), capture.output(print(spec_table(list(fixed)))))
})

test_that("long questions of tests are broken, and stay beside their numbers within the width", {
  fixed <- fit_fixed(log(nights) ~ levy, harbour_panel())
  random <- fit_random(log(nights) ~ levy, harbour_panel())
  lines <- capture.output(print(as_table(list(test_hausman(fixed, random), test_serial(fixed)))))
  expect_lte(max(nchar(lines)), 80)
  expect_length(grep("^question +statistic +df +p$", lines), 1)
  expect_match(lines, "^May random effects be used, .* 1 +<0.001$", all = FALSE)
  fits <- list(test_joint(random, "levy"))
  names(fits) <- "Does the wave tax move the nights at all?"
  lines <- capture.output(print(as_table(fits)))
  expect_match(lines, "^Does the wave tax move the nights at all[?] +[0-9]", all = FALSE)
})
