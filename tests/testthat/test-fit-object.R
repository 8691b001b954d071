every_fit <- function(panel, ...) {
  eq <- y ~ x1 + x2 + size + kind
  list(
    pooled = fit_pooled(eq, panel, ...), between = fit_between(y ~ x1 + x2, panel, ...),
    fixed = fit_fixed(eq, panel, ...), both = fit_fixed(eq, panel, "both", ...),
    several = fit_fixed(y ~ x1 + x2, panel, ~ id + region:year, ...),
    trends = fit_fixed(y ~ x1 + x2, panel, ~ id:trend(year), ...),
    random = fit_random(eq, panel, ...), random_both = fit_random(eq, panel, "both", ...),
    difference = fit_difference(y ~ x1 + x2 + size, panel, ...), correlated = fit_correlated(eq, panel, ...),
    without = fit_pooled(y ~ x1 + x2 - 1, panel, ...), random_without = fit_random(y ~ x1 - 1, panel, ...),
    classical = fit_fixed(eq, panel, errors = se_classical(), ...)
  )
}

test_that("every method's fit is as documented, also when a regressor is dropped or rows are weighted", {
  panel <- gappy_panel()
  panel$both <- panel$x1 - 2 * panel$x2
  fits <- c(every_fit(panel), list(
    fit_pooled(y ~ x1 + x2 + both, panel, weights = ~w), fit_fixed(y ~ x1 + x2 + both + size, panel, weights = ~w),
    fit_fixed(y ~ x1 + x2 + both, panel, "both", weights = ~w),
    fit_between(y ~ x1, panel, weights = ~w, by_rows = TRUE),
    fit_random(y ~ x1 + both + x2, panel, variance = "maximum-likelihood", weights = ~w),
    fit_correlated(y ~ x1 + x2 + both, panel), with_errors(fit_fixed(y ~ x1, panel, "both"), se_clustered(region))
  ))
  for (fit in fits) expect_s3_class(wavetax:::validate_panel_fit(fit), "panel_fit")
  dropped <- fit_fixed(y ~ x1 + x2 + both + size, panel)$coefficients
  expect_identical(dropped$status, c("kept", "kept", "kept", "dropped", "dropped"))
  expect_equal(dropped$combination[[4]], c(x1 = 1, x2 = -2), tolerance = 1e-8)
  expect_match(dropped$reason[5], "does not vary within ids")
  broken <- fits[[1]]
  broken$scale <- 2 * broken$scale
  expect_error(wavetax:::validate_panel_fit(broken), "`scale`")
})

test_that("a slim fit says all that the fit said, and refuses by name what needs its rows", {
  panel <- gappy_panel()
  whole <- every_fit(panel)
  small <- every_fit(panel, keep = "nothing")
  for (method in names(whole)) {
    fit <- whole[[method]]
    expect_s3_class(wavetax:::validate_panel_fit(small[[method]]), "panel_fit")
    expect_identical(capture.output(print(summary(small[[method]]))), capture.output(print(summary(fit))),
                     info = method)
    expect_identical(slim(fit)$errors, small[[method]]$errors)
    expect_identical(fit_figures(small[[method]]), fit_figures(fit))
    expect_equal(vcov(with_errors(small[[method]], se_classical())), vcov(with_errors(fit, se_classical())))
  }
  expect_identical(capture.output(print(spec_table(small))), capture.output(print(spec_table(whole))))
  new <- head(as.data.frame(panel), 3)
  expect_identical(predict(small$random, new, interval = "prediction"),
                   predict(whole$random, new, interval = "prediction"))
  expect_identical(effect_levels(small$fixed), effect_levels(whole$fixed))
  weighted <- fit_fixed(y ~ x1 + x2, panel, weights = ~w)
  expect_identical(effect_levels(slim(weighted)), effect_levels(weighted))
  expect_identical(predict(slim(weighted), new, interval = "prediction"),
                   predict(weighted, new, interval = "prediction"))
  for (call in list(residuals, fitted, predict, model.matrix, test_serial,
                    function(fit) with_errors(fit, se_clustered(region)),
                    function(fit) test_hausman(fit, whole$random), function(fit) update(fit, . ~ . - x2))) {
    expect_error(call(small$fixed), class = "wavetax_error_slim")
  }
  expect_identical(coef(update(small$fixed, data = panel)), coef(whole$fixed))
  expect_error(fit_pooled(y ~ x1, panel, keep = "all"), class = "wavetax_error_argument")
  written <- function(fit) length(serialize(fit, NULL))
  expect_lt(written(small$pooled), 0.5 * written(whole$pooled))
  # Neither does it keep rows in what its functions were made within: ten times the rows are no more bytes.
  saved <- function(periods) {
    panel <- gappy_panel(periods = periods)
    panel$y <- panel$y + 5 * match(panel$region, c("north", "east", "far"), 0)
    fits <- list(
      fit_pooled(y ~ x1, panel), fit_between(y ~ x1, panel), fit_fixed(y ~ x1, panel),
      fit_fixed(y ~ x1, panel, ~ id + kind), fit_random(y ~ x1, panel),
      fit_random(y ~ x1, panel, ~ id + region), fit_difference(y ~ x1, panel),
      fit_correlated(y ~ x1, panel)
    )
    vapply(fits, function(fit) length(serialize(slim(fit), NULL)), 0)
  }
  expect_lt(max(abs(saved(80) - saved(8))), 1000)
})

test_that("a fit that was written takes along the columns that it uses, and its rows are made again of them", {
  panel <- gappy_panel()
  panel$other <- panel$x1^2
  rownames(panel) <- paste0("row", seq_len(nrow(panel)))
  again <- function(x) unserialize(serialize(x, NULL))
  fits <- c(every_fit(panel), list(
    weighted = fit_fixed(y ~ x1 + past(x2) + offset(x2), panel, "both", weights = ~w, rows = ~ year > 2002),
    plain = fit_pooled(y ~ x1, as.data.frame(panel), weights = ~w)
  ))
  for (name in names(fits)) {
    fit <- fits[[name]]
    read <- again(fit)
    expect_identical(read$design[c("y", "x", "weights", "rows", "offset")],
                     fit$design[c("y", "x", "weights", "rows", "offset")], label = name)
    expect_identical(read$transform, fit$transform, label = name)
    expect_identical(read$effects, fit$effects, label = name)
    expect_identical(residuals(read), residuals(fit), label = name)
    expect_identical(capture.output(print(read)), capture.output(print(fit)), label = name)
    expect_identical(vcov(with_errors(read, se_robust())), vcov(with_errors(fit, se_robust())), label = name)
  }
  # Columns of a large table that the fit does not use stay behind, and come back with the data.
  n <- 3e5
  big <- panel_frame(data.frame(id = rep(seq_len(n / 10), each = 10), year = 1:10, y = sin(1:n), x = cos((1:n)^2),
                                group = rep(1:30, each = n / 30), a = 1, b = 2, c = 3), id, year)
  fit <- fit_fixed(y ~ x, big)
  size <- function(x) length(serialize(x, NULL))
  used <- size(as.list(big[c("id", "year", "y", "x")]))
  expect_lt(size(fit), 1.2 * used)
  expect_lt(size(list(fit, fit_pooled(y ~ x, big), with_errors(fit, se_classical()))), 1.3 * used)
  expect_error(with_errors(again(fit), se_clustered(group)), "update\\(fit, data = panel\\)",
               class = "wavetax_error_unknown_column")
  expect_identical(again(with_errors(fit, se_clustered(group)))$design$data$group, big$group)
  expect_identical(coef(update(again(fit), . ~ . + c, data = big)), coef(fit_fixed(y ~ x + c, big)))
  gone <- fit
  gone$notes <- "own"
  expect_identical(gone[["notes"]], "own")
  expect_identical(list(fit$coef, fit$des, fit$none), list(fit$coefficients, fit$design, NULL))
  expect_identical(gone$design, fit$design)
  gone$design <- fit$design
  expect_identical(gone$effects, fit$effects)
  expect_identical(vcov(gone), vcov(fit))
})

test_that("a fit that names what another session may not have takes its rows along", {
  panel <- gappy_panel()
  again <- function(x) unserialize(serialize(x, NULL))
  assign("own_square", function(x) x^2, globalenv())
  formula <- y ~ own_square(x1)
  environment(formula) <- globalenv()
  fit <- fit_fixed(formula, panel)
  read <- again(fit)
  rm("own_square", envir = globalenv())
  expect_identical(residuals(read), residuals(fit))
  expect_identical(capture.output(print(read)), capture.output(print(fit)))
  before <- options(contrasts = c("contr.sum", "contr.poly"))
  summed <- fit_pooled(y ~ factor(kind) + x1, panel)
  options(before)
  expect_identical(again(summed)$design$x, summed$design$x)
})
