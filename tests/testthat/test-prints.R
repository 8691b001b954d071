# What users read, kept as snapshots: a change of a word is seen in review.
test_that("fits, tests and tables print as they did", {
  panel <- harbour_panel()
  eq <- harbour_equation
  fixed <- fit_fixed(eq, panel)
  random <- fit_random(eq, panel)
  expect_snapshot({
    fit_pooled(eq, panel, weights = ~berths, rows = ~ season > 2012)
    fit_fixed(log(nights) ~ levy + storms + pier, panel, effects = "both")
    summary(random)
    fit_random(eq, panel, effects = "both")
    fit_between(eq, panel)
    fit_difference(eq, panel)
    fit_correlated(log(nights) ~ levy + storms + pier, panel)
    with_errors(fixed, se_clustered(coast))
    test_hausman(fixed, random)
    test_serial(fixed)
    anova(fit_pooled(eq, panel), fixed)
    spec_table(fixed, random, beneath = "interval", hausman = TRUE)
    effect_levels(fixed)
    variance_parts(random)
    fit_figures(fixed)
    fit_each(log(nights) ~ levy, panel, by = coast)$Ember
  })
})

test_that("panels and refusals print as they did", {
  panel <- harbour_panel()
  expect_snapshot({
    panel_shape(panel)
    panel_variation(panel)
  })
  expect_snapshot(error = TRUE, fit_fixed(log(nights) ~ levi, panel))
  expect_snapshot(error = TRUE, fit_fixed(log(nights) ~ pier, panel))
  expect_snapshot(error = TRUE, panel_frame(rbind(harbours, harbours[1:3, ]), harbour, season))
  swapped <- list(fit_random(log(nights) ~ levy, panel), fit_fixed(log(nights) ~ levy, panel))
  expect_snapshot(error = TRUE, test_hausman(swapped[[1]], swapped[[2]]))
})

test_that("a table writes as it did", {
  panel <- harbour_panel()
  table <- spec_table(pooled = fit_pooled(harbour_equation, panel), fixed = fit_fixed(harbour_equation, panel))
  written <- function(ending) {
    file <- tempfile(fileext = ending)
    write_table(table, file)
    cat(readLines(file), sep = "\n")
  }
  expect_snapshot(written(".csv"))
  expect_snapshot(written(".md"))
  expect_snapshot(written(".html"))
})

test_that("the faults of a file print as they did", {
  skip_if_not(l10n_info()[["UTF-8"]])
  raw <- data.table::fread(system.file("extdata", "harbours-raw.csv", package = "wavetax"), data.table = FALSE,
                           encoding = "UTF-8")
  expect_snapshot(panel_problems(raw, harbour, season))
})

test_that("guidance prints as it did", {
  panel <- harbour_panel()
  eq <- log(nights) ~ levy + storms + pier
  expect_snapshot({
    appraise(eq, panel)
    appraise(eq, panel, focus = "pier")
    appraise(log(nights) ~ levy + season, panel, focus = season)
    appraise(log(nights) ~ levy, panel, unrelated = TRUE)
    diagnose(fit_fixed(log(nights) ~ levy + storms, panel, "both"))
    diagnose(fit_pooled(log(nights) ~ levy + storms, panel, errors = se_classical()))
    in_words(fit_fixed(log(nights) ~ levy + I(levy^2) + coast:storms + pennant, panel))
    compare_errors(fit_fixed(log(nights) ~ levy + storms, panel), "levy")
    test_serial(fit_fixed(log(nights) ~ levy, panel, ~ harbour + harbour:trend(season)), lag = 1:2)
    test_cross_section(fit_fixed(log(nights) ~ levy + factor(season), panel))
    panel_shape(panel_frame(data.frame(id = rep(1:3, 3), t = rep(c(1, 2, 4), each = 3)), id, t))
  })
})

test_that("remedies print as they did", {
  panel <- harbour_panel()
  eq <- harbour_equation
  fixed <- fit_fixed(eq, panel, serial = "ar1")
  gls <- fit_gls(eq, panel, variances = "entity", effects = "entity")
  few <- panel[panel$harbour %in% unique(panel$harbour)[1:4], ]
  expect_snapshot({
    fixed
    fit_random(eq, panel, serial = serial_ar1(first = "drop"))
    gls
    fit_gls(log(nights) ~ levy, few, variances = "entity", across = TRUE, serial = "ar1")
    suppressWarnings(fit_gls(eq, panel, serial = "ar1-own", effects = "entity"))
    fit_fixed(eq, panel, weights = ~ variance_of(coast))
    with_errors(fit_fixed(eq, panel), se_panel_corrected())
    test_serial(fixed)
    test_hausman(fixed, fit_random(eq, panel, serial = "ar1"))
    test_effects(fixed)
    in_words(fixed, "levy")
    compare_errors(fixed, "levy")
    spec_table(plain = fit_fixed(eq, panel), ar1 = fixed, weighted = gls, terms = "levy")
    influence_by(fixed)
  })
})
