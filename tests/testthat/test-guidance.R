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

test_that("figures are drawn of each part and of a page, and refuse what they do not know", {
  panel <- harbour_panel()
  fit <- fit_fixed(harbour_equation, panel)
  for (show in c("page", "fitted", "period", "entity", "autocorrelation", "normal")) {
    expect_s3_class(ggplot2::ggplot_build(plot_residuals(fit, show))$plot, "ggplot")
  }
  expect_s3_class(ggplot2::ggplot_build(plot(influence_by(fit), term = "storms"))$plot, "ggplot")
  path <- plot(appraise(harbour_equation, panel))
  # In a column too each text has its lines within its box.
  for (drawn in list(path, wavetax:::with_heads(path, 3.4, 8))) {
    boxes <- ggplot2::layer_data(drawn, 1)
    words <- ggplot2::layer_data(drawn, 3)
    half <- lengths(strsplit(words$label, "\n", fixed = TRUE)) / 2
    box <- boxes[vapply(words$y, function(y) which(boxes$ymin < y & boxes$ymax > y), 1L), ]
    expect_true(all(words$y + half < box$ymax & words$y - half > box$ymin))
  }
  question <- words$fontface == "bold"
  expect_true(all(words$y[question] > words$y[!question]))
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
