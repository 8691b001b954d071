# The laboratory: panels whose truth is known, and what methods find of them.

test_that("a simulated panel is made as its page says", {
  p <- simulate_panel(4000, 6, effect = 2, slope = c(a = 0.5, b = -1), related = c(0.6, 0), serial = c(0.5, 0.2),
                      spread = 0.5, disturbance = 3, seed = 4)
  truth <- panel_truth(p)
  u <- truth$effects[p$entity]
  e <- p$y - 0.5 * p$a + p$b - u
  mean_of <- function(x) ave(x, p$entity)
  lagged <- function(x) past(x, 1)
  expect_equal(sd(truth$effects), 2, tolerance = 0.03)
  expect_equal(c(var(p$a), var(p$b)), c(1, 1), tolerance = 0.03)
  # One half of a regressor's variance is the entity's level: what rows far apart share.
  far <- function(x) cov(x[p$period == 1], x[p$period == 6])
  expect_equal(c(far(p$a), far(p$b)), c(0.5, 0.5), tolerance = 0.06)
  expect_equal(cor(p$a, u), 0.6 * sqrt(0.5), tolerance = 0.06)
  expect_lt(abs(cor(p$b, u)), 0.03)
  expect_equal(var(e), 9, tolerance = 0.05)
  expect_equal(sd(log(tapply(e^2, p$entity, mean))) > sd(log(tapply((p$a - mean_of(p$a))^2, p$entity, mean))), TRUE)
  first <- p$period < 6
  expect_equal(cor(e[first], e[p$period > 1]), 0.5, tolerance = 0.05)
  moving <- function(x, lag) cov(x[p$period == 1], x[p$period == 1 + lag])
  expect_equal(moving(p$a, 1) - moving(p$a, 5), 0.5 * (0.2 - 0.2^5), tolerance = 0.25)
})

test_that("shared, uneven and single cases are as they are asked for", {
  common <- simulate_panel(400, 30, effect = 0, slope = c(x = 0), shared = c(0.5, 0), seed = 2)
  between <- var(tapply(common$y, common$period, mean))
  expect_gt(between, 0.2)
  expect_lt(var(tapply(common$x, common$period, mean)), 0.02)
  missing <- simulate_panel(2000, 10, unbalanced = 0.4, seed = 1)
  expect_equal(nrow(missing) / 20000, 0.6, tolerance = 0.02)
  expect_identical(length(unique(missing$entity)), 2000L)
  late <- tapply(missing$period, missing$entity, min)
  expect_gt(mean(late[seq(1, 2000, 2)]), mean(late[seq(2, 2000, 2)]) + 2)
  sizes <- simulate_panel(3, c(1, 4, 9))
  expect_identical(as.vector(table(sizes$entity)), c(1L, 4L, 9L))
  expect_identical(dim(simulate_panel(1, 1)), c(1L, 4L))
  # What one argument says changes nothing else.
  one <- simulate_panel(20, 5, seed = 3)
  other <- simulate_panel(20, 5, slope = 3, seed = 3)
  expect_equal(other$y - one$y, 2 * one$x)
  # Without a seed it goes on with the session's random numbers.
  expect_false(identical(simulate_panel(20, 5)$y, simulate_panel(20, 5)$y))
  laws <- vapply(c("normal", "skewed", "heavy"), function(law) {
    e <- simulate_panel(5000, 4, effect = 0, slope = 0, law = law, seed = 5)$y
    c(mean(e), var(e), mean(e^3), mean(e^4))
  }, numeric(4))
  expect_equal(laws[1:2, ], rbind(rep(0, 3), rep(1, 3)), tolerance = 0.05, ignore_attr = TRUE)
  expect_equal(unname(laws[3, "skewed"]), sqrt(8 / 3), tolerance = 0.15)
  expect_gt(laws[4, "heavy"], 5)
})

test_that("the truth stays with the panel, and the session's random numbers are left alone", {
  p <- simulate_panel(5, 4, slope = c(levy = -0.05))
  expect_identical(panel_truth(p[p$period > 1, ])$slope, c(levy = -0.05))
  p$z <- 1
  expect_identical(panel_truth(p)$slope, c(levy = -0.05))
  expect_null(panel_truth(panel_frame(harbours, harbour, season)))
  set.seed(1)
  before <- .Random.seed
  p <- simulate_panel(5, 4, seed = 1)
  monte_carlo(p, fit_pooled(y ~ x, p), draws = 3)
  expect_identical(.Random.seed, before)
})

test_that("what is found of draws is what a loop over their seeds finds", {
  design <- simulate_panel(12, 5, related = 0.6, serial = 0.5, spread = 0.3, unbalanced = 0.1, seed = 2)
  estimators <- list(pooled = fit_pooled(y ~ x, design), fixed = function(panel) fit_fixed(y ~ x, panel))
  errors <- list(classical = se_classical(), CR3 = se_clustered(type = "CR3"))
  found <- monte_carlo(design, estimators, draws = 30, seed = 9, errors = errors, level = 0.9)
  shared <- monte_carlo(design, estimators, draws = 30, seed = 9, cores = 2, errors = errors, level = 0.9)
  expect_identical(shared, found)
  seeds <- unique(found$draws$seed)
  expect_length(seeds, 30)
  by_hand <- t(vapply(seeds, function(seed) {
    fit <- fit_fixed(y ~ x, simulate_panel(12, 5, related = 0.6, serial = 0.5, spread = 0.3, unbalanced = 0.1,
                                           seed = seed), errors = se_clustered(type = "CR3"))
    ends <- confint(fit, "x", level = 0.9)
    unlist(c(coef(fit)["x"], sqrt(vcov(fit)["x", "x"]), unlist(ends), as.data.frame(fit)$p_value[1]))
  }, numeric(5)))
  row <- found$table[found$table$estimator == "fixed" & found$table$errors == "CR3", ]
  holds <- by_hand[, 3] <= 1 & 1 <= by_hand[, 4]
  expect_equal(unlist(row[c("truth", "mean", "bias", "spread", "std_error", "coverage", "size", "rejected",
                            "bias_error")], use.names = FALSE),
               c(1, mean(by_hand[, 1]), mean(by_hand[, 1]) - 1, sd(by_hand[, 1]), sqrt(mean(by_hand[, 2]^2)),
                 mean(holds), mean(!holds), mean(by_hand[, 5] < 0.1), sd(by_hand[, 1]) / sqrt(30)), tolerance = 1e-10)
  expect_identical(row$draws, 30L)
  expect_identical(as.data.frame(found), found$table)
})

test_that("the theory holds: pooling is biased by the related level, within is not and holds its size", {
  design <- simulate_panel(60, 10, related = 0.6, serial = 0.8)
  found <- monte_carlo(design, list(pooled = fit_pooled(y ~ x, design), within = fit_fixed(y ~ x, design)), draws = 300,
                       errors = list(classical = se_classical(), clustered = se_clustered()))$table
  at <- function(estimator, errors) found[found$estimator == estimator & found$errors == errors, ]
  expect_equal(at("pooled", "clustered")$bias, sqrt(0.5) * 0.6, tolerance = 0.06)
  expect_lt(abs(at("within", "clustered")$bias), 4 * at("within", "clustered")$bias_error)
  expect_lt(at("within", "clustered")$size, 0.10)
  expect_gt(at("within", "classical")$size, 0.08)
  expect_gt(at("pooled", "clustered")$size, 0.8)
})

test_that("tests, numbers and lists are results too; refusals are counted and told", {
  design <- simulate_panel(10, 4, related = 0.5)
  calls <- 0
  found <- monte_carlo(design, list(
    hausman = function(panel) test_hausman(fit_fixed(y ~ x, panel), fit_random(y ~ x, panel)),
    both = function(panel) list(pooled = fit_pooled(y ~ x, panel), count = c(rows = nrow(panel))),
    steps = function(panel) spec_ladder(y ~ 1, panel, steps = list(~ x, "entity")),
    seldom = function(panel) if (panel$y[1] > 0) fit_pooled(y ~ x, panel[1:2, ]) else fit_pooled(y ~ x, panel)
  ), draws = 40, truth = c(x = 1, rows = 40))
  table <- found$table
  expect_identical(table$estimator, c("hausman", "both, pooled", "both, count", "steps, + x", "steps, + entity effects",
                                      "seldom"))
  expect_equal(table$mean[3], 40)
  expect_equal(table$bias[3], 0)
  expect_true(is.na(table$coverage[1]) && !is.na(table$rejected[1]))
  p <- found$draws$p_value[found$draws$estimator == "hausman"]
  expect_equal(table$rejected[1], mean(p < 0.05))
  expect_identical(table$draws[6] + table$refused[6], 40L)
  expect_gt(table$refused[6], 0)
  expect_snapshot(print(found))
})

test_that("an estimator of several results that is refused in the first draw is not given up", {
  design <- simulate_panel(10, 4, seed = 1)
  draw <- 0
  found <- monte_carlo(design, list(two = function(panel) {
    draw <<- draw + 1
    fit <- fit_pooled(y ~ x, if (draw == 1) panel[1:2, ] else panel)
    list(plain = fit, robust = with_errors(fit, se_robust()))
  }), draws = 25)
  expect_identical(found$table$estimator, c("two, plain", "two, robust"))
  expect_identical(found$table$draws, c(24L, 24L))
  expect_identical(found$table$refused, c(1L, 1L))
})

test_that("a design of one's own: outcomes simulated of a fit", {
  panel <- panel_frame(harbours, harbour, season)
  panel$sold <- log(panel$nights)
  fit <- fit_fixed(sold ~ levy + storms, panel, errors = se_classical())
  design <- function() {
    panel$sold <- simulate(fit)[[1]]
    panel
  }
  found <- monte_carlo(design, list(fixed = fit), draws = 60, truth = coef(fit)["levy"])
  expect_equal(found$table$std_error, sqrt(vcov(fit)["levy", "levy"]), tolerance = 0.02)
  expect_equal(found$table$spread, found$table$std_error, tolerance = 0.3)
})

test_that("bad input is told in words", {
  p <- simulate_panel(8, 4, seed = 1)
  fit <- fit_fixed(y ~ x, p)
  table <- list(
    quote(simulate_panel(0)), quote(simulate_panel(2.5)), quote(simulate_panel(3, c(2, 2))),
    quote(simulate_panel(3, 0)), quote(simulate_panel(1e6, 1e4)), quote(simulate_panel(slope = c("(Intercept)" = 1))),
    quote(simulate_panel(slope = "x")), quote(simulate_panel(slope = c(y = 1))), quote(simulate_panel(slope = NA)),
    quote(simulate_panel(related = 2)), quote(simulate_panel(related = c(0, 0))), quote(simulate_panel(serial = 1)),
    quote(simulate_panel(serial = c(0, 0, 0))), quote(simulate_panel(shared = -1)),
    quote(simulate_panel(unbalanced = 1)),
    quote(simulate_panel(spread = NULL)), quote(simulate_panel(seed = -1)), quote(simulate_panel(effect = Inf)),
    quote(panel_truth(3)), quote(monte_carlo()), quote(monte_carlo(p)), quote(monte_carlo(harbours, fit)),
    quote(monte_carlo(list(), fit)), quote(monte_carlo(list(p, function() p), fit)), quote(monte_carlo(p, 3)),
    quote(monte_carlo(p, list())), quote(monte_carlo(p, list(a = fit, a = fit))),
    quote(monte_carlo(p, list(function(d) fit, function(d) fit))), quote(monte_carlo(p, fit, draws = 1)),
    quote(monte_carlo(p, fit, cores = 0)), quote(monte_carlo(p, fit, errors = "robust")),
    quote(monte_carlo(p, fit, truth = 1)), quote(monte_carlo(p, fit, truth = c(z = 1), draws = 2)),
    quote(monte_carlo(p, fit, terms = "z", draws = 2)), quote(monte_carlo(p, list(a = function(d) "no"), draws = 2)),
    quote(monte_carlo(p, list(a = function(d) no_such_thing), draws = 2)),
    quote(monte_carlo(p, list(a = function(d) fit_fixed(y ~ gone, d)), draws = 2)),
    quote(monte_carlo(function() stop("no data"), fit, draws = 2)), quote(monte_carlo(function() 3, fit, draws = 2)),
    quote(monte_carlo(function() simulate_panel(5, 5, seed = 1), fit)),
    quote(simulate_panel(law = "cauchy")),
    quote(plot(monte_carlo(p, fit, draws = 3), "path")), quote(plot(monte_carlo(p, fit, draws = 3), term = "z"))
  )
  expect_snapshot({
    for (case in table) {
      cat(deparse1(case), "\n")
      said <- tryCatch(eval(case), error = function(cnd) cnd)
      cat(if (inherits(said, "wavetax_error")) paste0("  ", class(said)[1], ": ") else "  NOT TYPED ",
          cli::ansi_strip(conditionMessage(said)), "\n\n", sep = "")
    }
  })
})

test_that("a laboratory is printed, drawn and tabulated", {
  designs <- list(simulate_panel(8, 6, serial = 0.7), simulate_panel(24, 6, serial = 0.7, spread = 0.5))
  found <- monte_carlo(designs, list(fixed = function(panel) fit_fixed(y ~ x, panel)), draws = 40,
                       errors = list(classical = se_classical(), clustered = se_clustered()))
  expect_identical(unique(found$table$design), c("entities 8, spread 0", "entities 24, spread 0.5"))
  expect_snapshot({
    print(simulate_panel(12, 5, slope = c(levy = -0.05, storms = 1), related = 0.5, shared = c(0.5, 0),
                         unbalanced = 0.2, seed = 1))
    print(panel_truth(designs[[2]]))
    print(found)
  })
  sizes <- plot(found, "size")
  expect_equal(ggplot2::layer_data(sizes, 3)$x, 100 * found$table$size)
  bars <- ggplot2::layer_data(sizes, 2)
  open <- mapply(function(share, n) 100 * prop.test(share * n, n, correct = FALSE)$conf.int, found$table$size, 40)
  expect_equal(rbind(bars$x, bars$xend), suppressWarnings(open), ignore_attr = TRUE)
  estimates <- plot(found)
  means <- tapply(found$draws$estimate, found$draws$design, mean)[unique(found$table$design)]
  expect_equal(ggplot2::layer_data(estimates, 4)$x, as.vector(means))
  file <- tempfile(fileext = ".md")
  write_table(found, file)
  expect_match(readLines(file), "truth held, %", all = FALSE)
})
