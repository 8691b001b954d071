# What users read of instruments: prints, tables, sentences, refusals, the command line.
berths <- function(...) {
  fit_instrumented(log(nights) ~ levy + storms + log(berths), harbour_panel(), endogenous = ~ log(berths), ...)
}

test_that("a fit says what is instrumented by what, how strongly, and what to read", {
  expect_snapshot({
    berths(instruments = ~ relief, effects = "both")
    berths(instruments = ~ past(relief), effects = "both")
    berths(instruments = ~ relief + past(relief) + pier, method = "liml")
    berths(instruments = ~ relief, model = "random")
    berths(instruments = ~ relief, model = "difference", effects = "period")
    update(berths(instruments = ~ relief + past(relief) + past(storms)), endogenous = ~ log(berths) + storms)
    summary(berths(instruments = ~ relief))
  })
})

test_that("tests, sets, tables and sentences of instruments are in words", {
  strong <- berths(instruments = ~ relief, effects = "both")
  weak <- update(strong, instruments = ~ past(relief))
  over <- update(strong, instruments = ~ relief + past(relief))
  expect_snapshot({
    test_strength(strong)
    test_strength(weak)
    test_overidentification(over)
    test_endogeneity(strong)
    confint(weak, "log(berths)", method = "anderson-rubin")
    spec_table(strong, weak, over, terms = "log(berths)")
    in_words(weak, "log(berths)")
    first_stage(strong)
  })
  drawn <- ggplot2::layer_data(plot_estimates(strong, weak, terms = "log(berths)"), 2)
  set <- confint(weak, method = "anderson-rubin")
  expect_equal(unlist(drawn[c("x", "xend")]), c(x = set$low, xend = set$high))
  expect_match(plot_estimates(weak)$labels$subtitle, "whatever the strength")
  pieces <- function(low, high) asNamespace("wavetax")$pieces_words(data.frame(low = low, high = high))
  expect_identical(pieces(-Inf, Inf), "any value, the data say nothing")
  expect_identical(pieces(numeric(), numeric()), "no value, the instruments disagree")
  expect_identical(pieces(c(-Inf, 2), c(-1, Inf)), "all values but -1.00 to 2.00")
  expect_identical(pieces(c(-Inf, 2), c(-1, 3)), "up to -1.00 and 2.00 to 3.00")
  expect_identical(pieces(c(1, 5), c(2, Inf)), "1.00 to 2.00 and from 5.00 on")
  expect_identical(names(confint(weak, method = "anderson-rubin")), c("low", "high"))
  # Ends that lie close are told apart.
  gap <- data.frame(low = c(-Inf, 3.64123), high = c(3.62789, Inf))
  expect_identical(asNamespace("wavetax")$set_decimals(gap, weak), 3)
  # What is set against what goes by the model.
  against <- function(...) sub(", .*", "", in_words(berths(instruments = ~ relief, ...), "levy")$words)
  expect_identical(against(model = "random"), "Within and between harbours alike")
  expect_identical(against(model = "difference"), "From one season to the next")
  expect_identical(against(model = "pooled"), "Between any two rows")
  expect_match(in_words(berths(instruments = ~ relief, model = "difference", effects = "period"), "levy")$words,
               "^From one season to the next, set against others of the same season, one more")
})

test_that("what is made of an endogenous regressor is told, and products are named in any order", {
  p <- harbour_panel()
  notes <- function(formula, ...) fit_instrumented(formula, p, ...)$notes
  expect_match(notes(log(nights) ~ levy * log(berths), ~ log(berths), ~ relief), paste0(
    "^levy:log\\(berths\\) is made of berths, which is endogenous, and taken as exogenous: name it"
  ))
  expect_match(notes(log(nights) ~ levy + berths, ~ berths, ~ relief + I(berths^2)),
               "^I\\(berths\\^2\\) is made of berths, .* and used as an instrument")
  expect_null(notes(log(nights) ~ levy + past(berths) + berths, ~ berths, ~ relief + past(berths, 2)))
  both <- fit_instrumented(log(nights) ~ levy * log(berths), p, ~ log(berths) + levy:log(berths),
                           ~ relief + relief:levy)
  expect_identical(both$instrumented$endogenous, c("log(berths)", "levy:log(berths)"))
  expect_null(both$notes)
  expect_error(fit_instrumented(log(nights) ~ levy + storms:levy + berths, p, ~ berths, ~ relief + levy:storms),
               class = "wavetax_error_instruments")
})

test_that("first stages rest on the rows of the fit, whatever else the endogenous column does there", {
  p <- harbour_panel()
  p$some <- replace(p$storms, seq(1, nrow(p), 17), NA)
  fit <- fit_instrumented(log(nights) ~ levy + some + past(levy), p, ~ levy, ~ past(storms) + fuel)
  stage <- first_stage(fit)$levy
  expect_identical(stage$n, fit$n)
  expect_identical(stage$design$missing, fit$design$missing)
  expect_equal(unname(unlist(test_joint(stage, c("past(storms)", "fuel"))[c("statistic", "p.value")])),
               c(test_strength(fit)$table$f, test_strength(fit)$table$p_value))
})

test_that("between strong and weak the set stands beside the estimate", {
  d <- instrumented_sample()
  d$big <- d$q1 > 0
  fit <- fit_instrumented(y ~ x1 + big, panel_frame(d, id, year), ~ big, ~ z1 + f)
  found <- test_strength(fit)
  expect_true(found$statistic < found$table$critical && found$statistic > 12)
  expect_output(print(fit), "middling (11.8 to 25.4): read the set beside the", fixed = TRUE)
  expect_output(print(fit), "not rejected, whatever the strength: 1.42 to 3.80", fixed = TRUE)
  expect_match(found$reading, "the instruments are middling")
  expect_match(in_words(fit) |> print() |> capture.output() |> paste(collapse = " "), "enough +for the set")
  expect_match(found$notes[2], "With 20 clusters the critical value is passed somewhat too often")
  expect_length(test_strength(berths(instruments = ~ relief))$notes, 1)
})

test_that("what instruments do not have is refused with what to use", {
  fit <- berths(instruments = ~ relief)
  plain <- fit_fixed(log(nights) ~ levy + log(berths), harbour_panel())
  expect_snapshot(error = TRUE, logLik(fit))
  expect_snapshot(error = TRUE, test_hausman(fit, plain))
  expect_snapshot(error = TRUE, test_effects(fit))
  expect_snapshot(error = TRUE, test_serial(fit))
  expect_snapshot(error = TRUE, diagnose(fit))
  expect_snapshot(error = TRUE, test_strength(plain))
  expect_snapshot(error = TRUE, test_overidentification(fit))
  expect_snapshot(error = TRUE, confint(fit, "levy", method = "anderson-rubin"))
  expect_snapshot(error = TRUE, update(fit, weights = ~ berths, model = "random"))
  expect_snapshot(error = TRUE, update(fit, weights = ~ berths, model = "difference"))
  expect_snapshot(error = TRUE, update(fit, model = "difference", effects = "both"))
  expect_snapshot(error = TRUE, update(fit, model = "random", effects = "both"))
  expect_snapshot(error = TRUE, update(fit, variance = "amemiya"))
  expect_snapshot(error = TRUE, update(fit, instruments = ~ pier))
  expect_snapshot(error = TRUE, berths())
  expect_snapshot(error = TRUE, update(fit, instruments = ~ coast))
  expect_snapshot(error = TRUE, update(fit, model = c("fixed", "random")))
  expect_snapshot(error = TRUE, with_errors(fit, se_clustered(df = "satterthwaite")))
  for (call in list(quote(test_variance(fit)), quote(test_cross_section(fit)), quote(test_normality(fit)),
                    quote(test_form(fit)), quote(test_random_effects(fit)), quote(anova(fit)), quote(drop1(fit)),
                    quote(hatvalues(fit)), quote(collinearity(fit)), quote(simulate(fit)), quote(AIC(fit)),
                    quote(test_joint(fit, "levy", draws = 99)), quote(test_mundlak(fit)))) {
    expect_error(eval(call), class = "wavetax_error_method")
  }
  figures <- fit_figures(fit)
  expect_true(all(is.na(figures[c("r2_within", "log_lik", "aic", "bic", "f")])))
})

test_that("an instrumented fit is saved, slimmed, updated and predicts as others do", {
  fit <- berths(instruments = ~ past(relief), effects = "both")
  file <- tempfile(fileext = ".json")
  write_fits(list(a = fit), file = file)
  expect_identical(format(as_table(read_fits(file)$a)), format(as_table(fit)))
  expect_identical(capture.output(print(slim(fit))), capture.output(print(fit)))
  # Under other errors a slim fit does not tell the strength under those it had.
  other <- with_errors(slim(fit), se_classical())
  expect_false(any(grepl("effective F 5.51", capture.output(print(other)), fixed = TRUE)))
  saveRDS(fit, file)
  expect_equal(residuals(readRDS(file)), residuals(fit))
  expect_equal(coef(update(fit, . ~ . - storms)),
               coef(fit_instrumented(log(nights) ~ levy + log(berths), harbour_panel(), ~ log(berths), ~ past(relief),
                                     "both")))
  expect_equal(predict(fit), fitted(fit))
  expect_equal(unname(fitted(fit) + residuals(fit)), unname(stats::model.frame(fit)[[1]]))
  # The variance of a prediction is that of its contrast.
  one <- fit_instrumented(log(nights) ~ levy + log(berths), harbour_panel(), ~ log(berths), ~ relief + past(relief))
  for (fit in list(one, update(one, model = "pooled"), update(one, method = "liml"))) {
    x <- c(1, 12, log(40))
    V <- fit$errors$covariance
    at <- predict(fit, data.frame(harbour = "x", season = 2015, levy = 12, berths = 40), effects = FALSE, se.fit = TRUE)
    expect_equal(unname(at$se.fit), sqrt(drop(x %*% V %*% x)), tolerance = 1e-8)
  }
})
