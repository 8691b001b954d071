# What is told of regressors, effects and clusters is true of the columns, whatever they are called.

panel <- harbour_panel()

test_that("a focus that is a product is its coefficient, a column in products its finite change", {
  eq <- log(nights) ~ levy * sheltered + fuel
  for (focus in c("levy:sheltered", "sheltered:levy")) {
    chosen <- appraise(eq, panel, focus = focus)
    own <- as.data.frame(chosen$fit)
    ends <- own[own$term == "levy:sheltered", c("low", "high")]
    expect_equal(unname(chosen$interval), unlist(ends, use.names = FALSE))
    expect_identical(chosen$kind, "varying")
  }
  # Between harbours the mean of the product moves with what is fixed; within them a part of the change is gone.
  fixed <- appraise(eq, panel, focus = "sheltered")
  b <- coef(fixed$fit)
  by_levy <- b[["levy:sheltered"]] + b[["mean(levy:sheltered)"]]
  expect_equal(fixed$estimate, b[["sheltered"]] + mean(panel$levy) * by_levy)
  gone <- fixed$choices$candidate %in% c("fixed", "two-way")
  expect_identical(is.na(fixed$choices$estimate), gone)
  expect_match(fixed$recommendation, "Between harbours, sheltered at 1", all = FALSE)
  logged <- appraise(log(nights) ~ log(levy) * storms, panel, focus = "log(levy)")
  b <- coef(logged$fit)
  expect_equal(logged$estimate, log(1.01) * (b[["log(levy)"]] + mean(panel$storms) * b[["log(levy):storms"]]))
  expect_identical(appraise(log(nights) ~ levy + I(levy^2), panel, focus = "I(levy^2)")$estimate,
                   coef(fit_fixed(log(nights) ~ levy + I(levy^2), panel, "both"))[["I(levy^2)"]])
})

test_that("what is made of the outcome, or comes after it, is told and promises no interval", {
  made <- transform(panel, before = past(nights), twice = 2 * nights, logged = past(log(nights)), other = past(levy))
  cases <- list(
    past = list(log(nights) ~ past(log(nights)) + levy, log(nights) ~ levy + log(before),
                log(nights) ~ before:storms + levy,
                nights ~ levy + I(past(nights)^2), log(nights) ~ logged + levy),
    now = list(log(nights) ~ levy + twice, log(nights) ~ levy + I(nights / berths),
               log(nights) ~ levy + entity_mean(nights)),
    later = list(log(nights) ~ levy + ahead(levy))
  )
  for (kind in names(cases)) for (eq in cases[[kind]]) {
    fit <- fit_fixed(eq, made)
    expect_identical(fit$of_outcome$kind, kind, label = deparse1(eq))
    expect_identical(appraise(eq, made, focus = "levy")$standing, "none", label = deparse1(eq))
  }
  lagged <- fit_fixed(cases$past[[1]], made)
  told <- "fit_dynamic\\(\\)"
  expect_output(print(lagged), told)
  expect_output(print(spec_table(lagged)), told)
  expect_match(test_serial(lagged)$cautions, told, all = FALSE)
  expect_match(in_words(lagged)$words, "Biased, as the outcome's own past", all = TRUE)
  plain <- list(log(nights) ~ levy + storms + other, log(nights) ~ levy + factor(coast), log(nights / berths) ~ berths)
  for (eq in plain) {
    expect_identical(nrow(fit_random(eq, made)$of_outcome), 0L)
  }
})

test_that("dummies are known by what they span", {
  made <- transform(panel, year = season - 2000)
  both <- fit_fixed(log(nights) ~ levy, made, "both")
  row <- function(other, hide, label) {
    table <- as.data.frame(spec_table(both, other, hide = hide), layout = "printed")
    unlist(table[table$row == label, 3:4], use.names = FALSE)
  }
  halves <- fit_fixed(log(nights) ~ levy + factor(season > 2015), made)
  expect_identical(row(halves, ~ factor(season > 2015), "season effects"), c("fixed", "none"))
  renamed <- fit_fixed(log(nights) ~ levy + factor(year), made)
  expect_identical(row(renamed, ~ factor(year), "season effects"), c("yes", "yes"))
  expect_identical(row(fit_fixed(log(nights) ~ levy + season, made), ~ season, "season effects"), c("fixed", "none"))
})

test_that("random effects with AR(1) by maximum likelihood are at the top of the whole likelihood", {
  drawn <- gappy_panel()
  ask <- function(rho) {
    suppressWarnings(fit_random(y ~ x1, drawn, variance = "maximum-likelihood", serial = serial_ar1(rho)))
  }
  top <- ask("maximum-likelihood")
  near <- vapply(top$serial$rho + c(-1e-4, 1e-4, -0.05, 0.05), function(rho) as.numeric(logLik(ask(rho))), 0)
  expect_true(all(near <= as.numeric(logLik(top)) + 1e-9))
})

test_that("words fit what they are of", {
  alone <- rbind(as.data.frame(harbours), transform(as.data.frame(harbours)[1, ], harbour = "Lone"))
  lone <- panel_frame(alone, harbour, season)
  expect_output(print(fit_fixed(log(nights) ~ levy, lone)), "1 harbour appears once and tells nothing")
  expect_false(any(grepl("tells nothing", capture.output(print(fit_random(log(nights) ~ levy, lone))))))
  expect_output(print(fit_fixed(log(nights) ~ levy, panel, ~ harbour:trend(season))), "no levels\\s+beside\\s+them")
  levels <- fit_fixed(log(nights) ~ levy, panel, ~ harbour + coast:trend(season))
  expect_false(any(grepl("no levels", capture.output(print(levels)))))
  expect_identical(capture.output(print(slim(levels))), capture.output(print(levels)))
  expect_identical(reading_of(0.06, c("a", "b", "c")), "The null is not rejected at 5 percent: c")
  expect_match(as_table(test_mundlak(fit_random(log(nights) ~ levy, panel)))$rows$label, "mean of levy")
  few <- spec_table(fit_fixed(log(nights) ~ levy, panel), facts = list("rows"))
  expect_output(print(few), "Standard errors clustered")
  aside <- spec_table(fit_fixed(log(nights) ~ levy, panel), constant = TRUE)
  expect_identical(as.data.frame(aside)$term, c("(Intercept)", "levy"))
  fixed <- fit_fixed(log(nights) ~ levy, panel)
  expect_equal(fit_figures(fixed)$constant, mean(log(panel$nights)) - mean(panel$levy) * coef(fixed)[[1]])
})

test_that("an altered fit is one typed error, and no consumer ends R", {
  fits <- list(fit_fixed(log(nights) ~ levy, panel), fit_fixed(log(nights) ~ levy, panel, "both"),
               fit_random(log(nights) ~ levy, panel), fit_fixed(log(nights) ~ levy, panel, serial = "ar1"))
  under <- function(errors) function(x) with_errors(x, errors)
  consumers <- list(under(se_clustered(season, "CR2")), under(se_robust("HC3")),
                    under(se_bootstrap(draws = 9, seed = 1)),
                    test_serial, print, residuals, spec_table)
  for (fit in fits) for (bad in c(99999L, -3L, NA)) {
    altered <- fit
    altered$effects[[1]]$groups$codes[5] <- bad
    altered$transform$layers[[1]]$groups$codes[5] <- bad
    file <- tempfile()
    saveRDS(altered, file)
    for (one in list(altered, readRDS(file))) for (consumer in consumers) {
      expect_error(suppressWarnings(consumer(one)), "altered or damaged", class = "wavetax_error_altered_fit")
    }
  }
  kept <- fits[[1]]
  kept$effects <- kept$effects
  expect_equal(residuals(kept), residuals(fits[[1]]))
})

test_that("what is misspelt is told as that, by every function", {
  fit <- fit_fixed(log(nights) ~ levy, panel)
  refused <- function(call, words = "has no argument") expect_error(call, words, class = "wavetax_error_argument")
  refused(spec_table(fit, lables = c(levy = "x")), "Did you mean 'labels'")
  refused(spec_table(fit, stars = TRUE))
  refused(spec_table(fit, errors = se_robust()), "with_errors")
  refused(plot_estimates(fit, term = "levy"), "Did you mean 'terms'")
  refused(panel_frame(harbours, harbour, season, coast), "one entity and one period")
  refused(panel_shape(panel, foo = 1))
  refused(panel_variation(panel, stats = "mean"))
  expect_error(spec_table(lm(nights ~ levy, harbours)), "of class lm", class = "wavetax_error_not_a_fit")
  expect_error(panel_repair("a.csv", harbour, season), "second", class = "wavetax_error_repair")
  takes_none <- Filter(function(name) {
    f <- getExportedValue("wavetax", name)
    is.function(f) && !"..." %in% names(formals(f))
  }, getNamespaceExports("wavetax"))
  expect_setequal(takes_none, c("past", "ahead", "change", "entity_mean", "period_mean", "against", "month_of",
                                "quarter_of", "year_of", "table_figures"))
  # A coefficient goes before a variable of its name.
  levy <- -0.05
  expect_identical(confint(fit, levy), confint(fit, "levy"))
  expect_identical(as.data.frame(spec_table(fit, terms = c(Tax = "levy")))$term, "levy")
  expect_identical(as.data.frame(spec_table(fit, terms = levy))$term, "levy")
  expect_identical(test_joint(fit, levy)$p.value, test_joint(fit, "levy")$p.value)
})

test_that("predictions of a logged outcome on its own scale", {
  fit <- fit_fixed(log(nights) ~ levy + storms, panel)
  expect_message(own <- predict(fit, scale = "outcome"), "mean of exp of the residuals")
  expect_equal(unname(own), unname(exp(fitted(fit)) * mean(exp(residuals(fit)))))
  s <- exp(residuals(fit))
  G <- 96
  error <- sqrt(G / (G - 1) * sum(tapply(s - mean(s), panel$harbour, sum)^2)) / length(s)
  told <- suppressMessages(predict(fit, scale = "outcome", interval = "confidence"))
  plain <- predict(fit, se.fit = TRUE)
  half <- qt(0.975, plain$df) * sqrt(plain$se.fit^2 + (error / mean(s))^2)
  expect_equal(told$high, unname(exp(plain$fit + half) * mean(s)))
  expect_error(predict(fit_fixed(nights ~ levy, panel), scale = "outcome"), class = "wavetax_error_argument")
  expect_identical(year_of(c("2014Q3", "2015Q1")), 2014:2015)
  expect_identical(year_of(201403), 2014L)
})

test_that("sheets by a name that is a number, entities by how many rows they have", {
  skip_if_not_installed("openxlsx")
  skip_if_not_installed("readxl")
  columns <- as.data.frame(harbours)[c("harbour", "season", "nights")]
  sheets <- c(list(Cover = data.frame(note = "made up")), split(columns, ifelse(columns$season < 2015, "2016", "2")))
  book <- file.path(fresh_folder(), "book.xlsx")
  openxlsx::write.xlsx(sheets, book)
  read <- function(sheet) suppressMessages(read_panel(book, harbour, season, sheet = sheet))
  expect_identical(nrow(read("2016")), sum(columns$season < 2015))
  expect_identical(nrow(read("2")), sum(columns$season >= 2015))
  expect_identical(nrow(read(2016)), sum(columns$season < 2015))
  expect_identical(nrow(read(c("2016", "2"))), nrow(columns))
  expect_error(read("*"), "The sheet \"Cover\"", class = "wavetax_error_not_a_table")
  expect_identical(nrow(suppressMessages(panel_balance(panel, "entities", least = 12))),
                   nrow(suppressMessages(panel_balance(panel, "entities"))))
})
