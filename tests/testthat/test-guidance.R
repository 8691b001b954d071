# diagnose(), appraise(), in_words(), influence and their figures, as users meet them.

test_that("a diagnosis has every question in order, what was skipped with the reason, and says what to do", {
  panel <- harbour_panel()
  found <- diagnose(fit_fixed(harbour_equation, panel))
  expect_identical(found$question[1], "do the effects of harbour matter?")
  expect_identical(found$status[found$question == "are disturbances of one harbour related over time?"], "found")
  expect_match(attr(found, "advice"), "effects = \"both\"", all = FALSE)
  classical <- diagnose(fit_pooled(harbour_equation, panel, errors = se_classical()))
  expect_match(attr(classical, "advice"), "Use fixed effects", all = FALSE)
  expect_match(attr(classical, "advice"), "se_clustered\\(~ harbour\\)", all = FALSE)
  between <- diagnose(fit_between(harbour_equation, panel))
  expect_match(between$says[between$status == "skipped"], "no periods", all = FALSE)
  expect_output(print(between), "Not tested")
  plain <- diagnose(fit_pooled(log(nights) ~ levy, as.data.frame(panel)))
  expect_identical(sum(plain$status != "skipped"), 3L)
  perfect <- panel_frame(data.frame(id = rep(1:4, 5), t = rep(1:5, each = 4), x = 1:20, y = 2 * (1:20)), id, t)
  all_skipped <- suppressWarnings(diagnose(fit_pooled(y ~ x, perfect, errors = se_classical())))
  expect_match(all_skipped$says[all_skipped$status == "skipped"], "fits every row", all = FALSE)
})

test_that("the path leads to fixed effects for the levy, and says that nothing tells of the pier", {
  panel <- harbour_panel()
  chosen <- appraise(log(nights) ~ levy + storms + pier, panel, focus = "levy")
  expect_identical(chosen$fit$method, "fixed")
  expect_identical(chosen$path$answer[chosen$path$step == "mundlak"], "yes")
  expect_match(chosen$recommendation[1], "^Use fixed effects of harbours and seasons, errors clustered by harbour")
  expect_match(chosen$caveats, "chosen by tests", all = FALSE)
  expect_equal(chosen$choices$estimate[2], unname(coef(fit_fixed(log(nights) ~ levy + storms + pier, panel))["levy"]))
  pier <- appraise(log(nights) ~ levy + storms + pier, panel, focus = "pier")
  expect_identical(appraise(log(nights) ~ levy + storms + pier, panel, focus = pier)$focus, "pier")
  expect_identical(appraise(log(nights) ~ levy + log(fuel), panel, focus = ~ log(fuel))$focus, "log(fuel)")
  expect_match(pier$recommendation[1], "No model here tells the effect of pier")
  expect_identical(pier$fit$method, "correlated")
  expect_true(is.na(pier$choices$estimate[2]))
  expect_error(appraise(log(nights) ~ levy, panel, focus = "no such"), class = "wavetax_error_unknown_term")
  expect_error(appraise(log(nights) ~ levy, as.data.frame(panel)), class = "wavetax_error_not_a_panel")
  panel$nothing <- 0
  expect_error(fit_random(nothing ~ levy, panel, variance = "maximum-likelihood"),
               class = "wavetax_error_negative_variance")
  nothing <- fit_fixed(nothing ~ levy + I(levy^2), panel, errors = se_classical())
  expect_s3_class(in_words(nothing), "in_words")
  expect_error(test_serial(nothing), class = "wavetax_error")
  expect_s3_class(ggplot2::ggplot_build(plot(influence_by(nothing)))$plot, "ggplot")
})

test_that("where nothing is wrong random effects are recommended, few entities get errors for few clusters", {
  set.seed(5)
  data <- data.frame(id = rep(1:60, each = 6), t = 1:6, x = rnorm(360))
  data$fixed <- rnorm(60)[data$id]
  data$y <- data$x + data$fixed + rnorm(60)[data$id] + rnorm(360)
  chosen <- appraise(y ~ x + fixed, panel_frame(data, id, t))
  expect_identical(chosen$fit$method, "random")
  also <- appraise(y ~ x + fixed, panel_frame(data, id, t), focus = "fixed")
  expect_identical(also$fit$method, "random")
  expect_match(also$recommendation[1], "does not vary within")
  few <- appraise(y ~ x, panel_frame(data[data$id <= 12, ], id, t))
  expect_identical(few$fit$errors$type, "CR2")
  expect_match(few$caveats, "12 ids are few|12 values of id are few", all = FALSE)
  none <- data
  none$y <- none$x + rnorm(360)
  expect_identical(appraise(y ~ x, panel_frame(none, id, t))$fit$method, "pooled")
  one <- appraise(y ~ x, panel_frame(data[data$t <= 2, ], id, t))
  expect_s3_class(one, "appraisal")
  expect_output(print(one), "Not known")
})

test_that("coefficients are put into sentences that suit how they are written", {
  panel <- harbour_panel()
  words <- function(fit, term) in_words(fit, term)$words
  fit <- fit_fixed(log(nights) ~ levy + log(fuel) + pennant + coast:storms, panel)
  b <- coef(fit)
  expect_match(words(fit, "levy"),
               sprintf("^Within a harbour, a season with one more of levy has %s percent fewer nights",
                                           format_number(100 * (1 - exp(b[["levy"]])), 2)))
  expect_match(words(fit, "log(fuel)"), "1 percent more fuel has 0.3. percent fewer nights")
  expect_match(words(fit, "pennant"), "a season with pennant has .* percent more nights")
  square <- fit_pooled(nights ~ levy + I(levy^2) + coast, panel)
  b <- coef(square)
  turn <- format_number(-b[["levy"]] / (2 * b[["I(levy^2)"]]), 2)
  expect_match(words(square, "I(levy^2)"), sprintf("it turns at %s", turn), fixed = TRUE)
  expect_match(words(square, "coastEmber"), "with coast Ember, not Brindle, has")
  expect_match(words(fit_correlated(log(nights) ~ levy + pier, panel), "pier"),
               "^Between harbours, a harbour with one more")
  expect_match(words(fit_fixed(nights ~ past(levy, 2), panel), "past(levy, 2)"), "levy 2 seasons before")
  expect_match(words(fit_pooled(nights ~ levy * storms, panel), "levy:storms"), "slope of levy changes by")
})

test_that("figures are drawn of each part and of a page, and refuse what they do not know", {
  panel <- harbour_panel()
  fit <- fit_fixed(harbour_equation, panel)
  for (show in c("page", "fitted", "period", "entity", "autocorrelation", "normal")) {
    expect_s3_class(ggplot2::ggplot_build(plot_residuals(fit, show))$plot, "ggplot")
  }
  expect_s3_class(ggplot2::ggplot_build(plot(influence_by(fit), term = "storms"))$plot, "ggplot")
  expect_s3_class(ggplot2::ggplot_build(plot(appraise(harbour_equation, panel)))$plot, "ggplot")
  expect_error(plot_residuals(fit, "all"), class = "wavetax_error_argument")
  expect_error(plot(influence_by(fit), term = "no"), class = "wavetax_error_unknown_term")
  expect_error(plot_residuals(fit_pooled(nights ~ levy, as.data.frame(panel))), class = "wavetax_error_not_a_panel")
})

test_that("a reading keeps to its level and never says accept; several tests bind", {
  panel <- harbour_panel()
  fit <- fit_fixed(harbour_equation, panel)
  p <- test_form(fit)$p.value
  expect_match(test_form(fit, level = 0.1)$reading, "not rejected at 10 percent")
  joint <- test_joint(fit, "levy = -0.052")
  high <- test_joint(fit, "levy = -0.052", level = min(0.49, joint$p.value + 0.01))
  expect_match(high$reading, if (joint$p.value < 0.48) "is rejected" else "not rejected")
  all <- lapply(list(test_serial(fit), test_form(fit), test_variance(fit), test_cross_section(fit), test_effects(fit)),
                function(t) {
    expect_s3_class(t, c("panel_test", "htest"), exact = TRUE)
    expect_false(any(grepl("accept", unlist(t[c("reading", "null", "alternative", "notes", "cautions", "question")]))))
    as.data.frame(t)
  })
  expect_identical(dim(do.call(rbind, all)), c(5L, 11L))
  expect_error(test_form(fit, level = 0.95), "small share", class = "wavetax_error_level")
  expect_error(test_form(fit, draws = 3), class = "wavetax_error_argument")
})

test_that("simulated p values are those of draws under the null, seeded, and leave the session's stream alone", {
  panel <- gappy_panel(25, 6, seed = 3)
  fit <- fit_fixed(y ~ x1, panel)
  set.seed(1)
  before <- .Random.seed
  a <- test_serial(fit, draws = 99, seed = 2)
  expect_identical(.Random.seed, before)
  expect_identical(a$p.value, test_serial(fit, draws = 99, seed = 2)$p.value)
  expect_lt(abs(a$p.value - a$simulated$asymptotic), 0.2)
  random <- suppressWarnings(fit_random(y ~ x1, panel))
  for (test in list(test_mundlak(random, draws = 39), test_hausman(fit, random, draws = 39),
                    test_variance(fit, draws = 39),
                    test_cross_section(fit, draws = 39), test_form(fit, draws = 39), test_normality(fit, draws = 39))) {
    expect_true(test$p.value %in% ((1:40) / 40))
  }
})

test_that("true nulls are rejected about as often as is said: a few cells of the size bench", {
  p <- vapply(1:120, function(seed) {
    set.seed(seed)
    data <- data.frame(id = rep(1:30, each = 6), t = 1:6, x = rnorm(180))
    data$y <- data$x + rnorm(30)[data$id] + rnorm(180)
    panel <- panel_frame(data[runif(180) < 0.85, ], id, t)
    fixed <- fit_fixed(y ~ x, panel)
    random <- suppressWarnings(fit_random(y ~ x, panel))
    c(test_serial(fixed)$p.value, test_serial(fixed, "lm")$p.value, test_serial(random)$p.value,
      test_mundlak(random)$p.value,
      test_variance(fixed)$p.value, test_cross_section(fixed)$p.value, test_form(fixed)$p.value)
  }, numeric(7))
  rates <- rowMeans(p < 0.1)
  expect_true(all(rates > 0.02 & rates < 0.2), info = paste(round(rates, 3), collapse = " "))
})
