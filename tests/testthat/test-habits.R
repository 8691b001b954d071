# What R users take for granted of a model, against lm() on the same rows with dummies for effects.
rows <- with_names <- harbours[harbours$harbour %in% unique(harbours$harbour)[1:30], ]
rows$w <- 1 + rows$storms
row.names(with_names) <- paste0("row", seq_len(nrow(rows)))
thin <- panel_frame(rows, harbour, season)
twins <- list(
  pooled = list(fit_pooled(log(nights) ~ levy + coast + storms, thin), lm(log(nights) ~ levy + coast + storms, rows)),
  weighted = list(fit_pooled(log(nights) ~ levy + coast, thin, weights = w),
                  lm(log(nights) ~ levy + coast, rows, weights = w)),
  offset = list(fit_pooled(log(nights) ~ levy + offset(storms / 10), thin),
                lm(log(nights) ~ levy + offset(storms / 10), rows)),
  fixed = list(fit_fixed(log(nights) ~ levy + storms, thin), lm(log(nights) ~ harbour + levy + storms, rows)),
  two_way = list(fit_fixed(log(nights) ~ levy + storms, thin, effects = "both", weights = w),
                 lm(log(nights) ~ harbour + factor(season) + levy + storms, rows, weights = w))
)

test_that("leverages, standardized residuals and changes without a row are those of lm() with dummies", {
  for (name in names(twins)) {
    fit <- twins[[name]][[1]]
    like <- twins[[name]][[2]]
    shared <- names(coef(fit))
    hat <- unname(hatvalues(like))
    expect_equal(hatvalues(fit), hat, label = name)
    told <- hat < 1 - 1e-6
    for (measure in list(rstandard, rstudent, cooks.distance)) {
      expect_equal(measure(fit)[told], unname(measure(like))[told], label = name)
    }
    expect_equal(unname(dfbeta(fit)[told, shared]), unname(dfbeta(like)[told, shared]), label = name)
    expect_equal(unname(dfbetas(fit)[told, shared]), unname(dfbetas(like)[told, shared]), label = name)
    expect_equal(influence(fit)$sigma[told], unname(influence(like)$sigma)[told], label = name)
    expect_equal(influence(fit)$wt.res, unname(influence(like)$wt.res), label = name)
    alone <- !told
    expect_true(all(is.nan(rstandard(fit)[alone])) && all(dfbeta(fit)[alone, ] == 0))
  }
  random <- fit_random(log(nights) ~ levy + storms, thin)
  x <- model.matrix(random, type = "swept")
  y <- residuals(random, type = "transformed") + drop(x %*% coef(random))
  expect_equal(hatvalues(random), unname(hatvalues(lm(y ~ 0 + x))))
  expect_equal(unname(dfbeta(random)), unname(dfbeta(lm(y ~ 0 + x))))
})

test_that("terms in turn, less or more, criteria and searches are those of lm()", {
  same <- function(a, b) expect_equal(as.matrix(a), as.matrix(b), ignore_attr = TRUE)
  for (name in c("pooled", "weighted", "offset")) {
    both <- twins[[name]]
    same(anova(both[[1]]), anova(both[[2]]))
    same(drop1(both[[1]], test = "F"), drop1(both[[2]], test = "F"))
    same(add1(both[[1]], ~ . + fuel, test = "F"), add1(both[[2]], ~ . + fuel, test = "F"))
    expect_equal(extractAIC(both[[1]], k = 3), extractAIC(both[[2]], k = 3))
  }
  same(anova(twins$fixed[[1]]), anova(twins$fixed[[2]])[-1, ])
  expect_equal(extractAIC(twins$two_way[[1]]), extractAIC(twins$two_way[[2]]))
  panel <- thin
  fit <- fit_pooled(log(nights) ~ levy + storms + fuel, panel)
  expect_message(chosen <- step(fit, trace = 0), class = "wavetax_message_step")
  expect_identical(labels(chosen), labels(step(lm(log(nights) ~ levy + storms + fuel, rows), trace = 0)))
  random <- fit_random(log(nights) ~ levy + storms, panel)
  expect_identical(names(drop1(random)), c("Df", "AIC"))
  expect_error(anova(random), class = "wavetax_error_not_nested")
  expect_error(drop1(random, test = "F"), class = "wavetax_error_not_nested")
  expect_error(drop1(fit, ~fuel_of_no_term), class = "wavetax_error_unknown_term")
  expect_error(add1(fit), class = "wavetax_error_argument")
})

test_that("names of rows and terms, missing rows, frames, summaries and intervals are as lm() has them", {
  with_names$levy[c(4, 9)] <- NA
  fit <- fit_pooled(log(nights) ~ levy + storms, panel_frame(with_names, harbour, season))
  like <- lm(log(nights) ~ levy + storms, with_names)
  for (of in list(residuals, fitted, predict, hatvalues, case.names, na.action, variable.names, labels, family,
                  function(model) model.response(model.frame(model)), function(model) row.names(model.frame(model)),
                  function(model) predict(model, with_names[3:5, ]), function(model) row.names(dfbeta(model)))) {
    expect_equal(of(fit), of(like), ignore_attr = c("family", "class"))
  }
  for (type in c("response", "working", "pearson", "deviance")) {
    expect_equal(residuals(twins$weighted[[1]], type), unname(residuals(twins$weighted[[2]], type)), label = type)
  }
  classical <- with_errors(fit, se_classical())
  expect_equal(coef(summary(classical)), coef(summary(like)))
  expect_equal(vcov(summary(classical)), vcov(summary(like)))
  expect_equal(summary(fit)$sigma, summary(like)$sigma)
  expect_equal(summary(fit)$r.squared, summary(like)$r.squared)
  expect_equal(confint(classical, -1, level = 0.999), confint(like, -1, level = 0.999))
  expect_equal(confint(classical, c(FALSE, TRUE, FALSE)), confint(like)[2, , drop = FALSE])
  expect_error(confint(fit, c(-1, 2)), class = "wavetax_error_unknown_term")
  double <- fit_pooled(log(nights) ~ levy + I(2 * levy), thin)
  expect_equal(alias(double)$Complete, matrix(c(0, 2), 1, dimnames = list("I(2 * levy)", c("(Intercept)", "levy"))))
  expect_identical(head(fit, 1)$term, "(Intercept)")
})

test_that("an offset is added with the coefficient 1, in every model and on new rows", {
  both <- twins$offset
  expect_equal(coef(both[[1]]), coef(both[[2]]))
  expect_equal(fitted(both[[1]]), unname(fitted(both[[2]])))
  expect_equal(predict(both[[1]], rows[7:9, ]), unname(predict(both[[2]], rows[7:9, ])))
  expect_equal(predict(slim(both[[1]]), rows[7:9, ], effects = FALSE), unname(predict(both[[2]], rows[7:9, ])))
  for (model in list(fit_fixed, fit_random, fit_between, fit_difference)) {
    added <- model(log(nights) ~ levy + offset(storms / 10), thin)
    taken <- model(I(log(nights) - storms / 10) ~ levy, thin)
    expect_equal(coef(added), coef(taken))
    expect_equal(fitted(added) + residuals(added), fitted(taken) + residuals(taken) + added$design$offset)
  }
  expect_identical(labels(update(both[[1]], . ~ . - levy)), character())
  added <- fit_fixed(log(nights) ~ levy + offset(storms / 10), thin)
  taken <- fit_fixed(I(log(nights) - storms / 10) ~ levy, thin)
  for (test in list(test_form, test_serial, test_variance, function(fit) test_effects(fit, draws = 99))) {
    expect_equal(test(added)[c("statistic", "p.value")], test(taken)[c("statistic", "p.value")])
  }
  expect_output(print(both[[1]]), "Added with the coefficient 1: storms/10", fixed = TRUE)
})

test_that("outcomes are simulated with the variances of the fit", {
  random <- twins$fixed[[1]]
  draws <- simulate(random, 200, seed = 1)
  expect_identical(draws, simulate(random, 200, seed = 1))
  expect_equal(mean(apply(as.matrix(draws) - fitted(random), 1, var)), sigma(random)^2, tolerance = 0.05)
  random <- fit_random(log(nights) ~ levy, thin)
  draws <- as.matrix(simulate(random, 300, seed = 2)) - predict(random, effects = FALSE)
  expect_equal(mean(apply(draws, 1, var)), sum(unlist(random$variance[c("sigma2", "sigma2_e")])), tolerance = 0.1)
  expect_error(simulate(fit_difference(log(nights) ~ levy, thin)), class = "wavetax_error_not_of_fits")
})

test_that("generics of tidy tables give the columns and numbers that they have elsewhere", {
  skip_if_not_installed("generics")
  fit <- twins$fixed[[1]]
  own <- as.data.frame(fit, level = 0.9)
  tidied <- as.data.frame(generics::tidy(fit, conf.int = TRUE, conf.level = 0.9))
  expect_identical(names(tidied), c("term", "estimate", "std.error", "statistic", "p.value", "conf.low", "conf.high"))
  expect_equal(unname(as.list(tidied)), unname(as.list(own)))
  glanced <- generics::glance(twins$pooled[[1]])
  like <- summary(twins$pooled[[2]])
  expect_equal(unlist(glanced[c("r.squared", "adj.r.squared", "sigma", "statistic")]),
               unlist(like[c("r.squared", "adj.r.squared", "sigma", "fstatistic")])[1:4], ignore_attr = TRUE)
  expect_equal(unlist(glanced[c("logLik", "AIC", "BIC", "deviance", "df.residual", "nobs")]), vapply(
    list(logLik, AIC, BIC, deviance, df.residual, nobs), function(of) as.numeric(of(twins$pooled[[2]])), 0
  ), ignore_attr = TRUE)
  with_names$levy[c(4, 9)] <- NA
  panel <- panel_frame(with_names, harbour, season)
  holed <- fit_fixed(log(nights) ~ levy, panel)
  added <- as.data.frame(generics::augment(holed, data = panel))
  expect_identical(which(is.na(added$.resid)), c(4L, 9L))
  expect_equal(added$.std.resid[-c(4, 9)], unname(rstandard(holed)))
  expect_equal(added$.cooksd[-c(4, 9)], unname(cooks.distance(holed)))
  expect_identical(names(ggplot2::fortify(holed))[1:3], c("log(nights)", "levy", ".fitted"))
  expect_equal(generics::augment(holed, newdata = rows[1:2, ])$.fitted, predict(holed, rows[1:2, ]))
  expect_error(generics::augment(holed, data = rows[1:2, ]), class = "wavetax_error_different_rows")
  test <- test_serial(fit)
  expect_equal(unlist(generics::tidy(test)[c("statistic", "p.value")]), c(test$statistic, test$p.value),
               ignore_attr = TRUE)
  expect_s3_class(ggplot2::autoplot(panel), "ggplot")
})

test_that("operators of formulas are known by their full names and without the package attached", {
  panel <- harbour_panel()
  bare <- fit_fixed(log(nights) ~ past(storms, 1:2) + against(coast, "Ember"):storms, panel, rows = past(levy) > 5)
  full <- fit_fixed(log(nights) ~ wavetax::past(storms, 1:2) + wavetax::against(coast, "Ember"):storms, panel,
                    rows = wavetax::past(levy) > 5)
  expect_identical(coef(full), coef(bare))
  expect_error(fit_pooled(log(nights) ~ wavetax::past(levy), harbours), class = "wavetax_error_not_a_panel")
  alone <- evalq(~ past(storms) + against(coast, "Ember"):storms, new.env(parent = baseenv()))
  outside <- stats::update(alone, log(nights) ~ .)
  environment(outside) <- baseenv()
  expect_length(coef(fit_fixed(outside, panel)), 6)
})

test_that("columns are named by one rule, by hand, in variables and in functions of one's own", {
  who <- "harbour"
  panel <- panel_frame(harbours, harbour, season)
  own <- function(data, key, when) panel_frame(data, {{ key }}, {{ when }})
  inner <- function(key) panel_frame(harbours, key, season)
  for (one in list(panel_frame(harbours, who, "season"), panel_frame(harbours, !!who, ~season), inner("harbour"),
                   own(harbours, harbour, "season"), own(harbours, who, season),
                   panel_frame(harbours, all_of(who), .data$season), panel_frame(harbours, .data[[who]], season))) {
    expect_identical(one, panel)
  }
  many <- c("levy", "storms")
  plain <- panel_variation(panel, levy, storms)
  for (one in list(panel_variation(panel, many), panel_variation(panel, all_of(many)),
                   panel_variation(panel, c(levy, storms)))) {
    expect_identical(as.data.frame(one), as.data.frame(plain))
  }
  coast <- "pier"
  expect_identical(as.data.frame(panel_variation(panel, levy, by = coast)),
                   as.data.frame(panel_variation(panel, levy, by = "coast")))
  wrong <- "harbor"
  expect_error(panel_frame(harbours, wrong, season), "mean 'harbour'", class = "wavetax_error_unknown_column")
  expect_error(panel_frame(harbours, time, season), "no column 'time'", class = "wavetax_error_unknown_column")
  expect_error(panel_frame(harbours, all_of(many), season), class = "wavetax_error_unknown_column")
})

test_that("arguments of other functions are told what does it here", {
  panel <- harbour_panel()
  refused <- function(call, words) expect_error(call, words, fixed = TRUE, class = "wavetax_error_argument")
  refused(fit_fixed(nights ~ levy, panel, subset = season > 2012), "`rows = season > 2012`")
  refused(fit_pooled(nights ~ levy, panel, cluster = ~harbour), "se_clustered(harbour)")
  refused(fit_random(nights ~ levy, panel, na.action = na.omit), "na.action(fit)")
  refused(fit_difference(nights ~ levy, panel, family = "normal"), "no family")
  refused(fit_between(nights ~ levy, panel, index = "harbour"), "panel_frame(data, entity, period)")
  refused(fit_correlated(nights ~ levy, panel, contrasts = NULL), "against(coast")
  refused(panel_frame(harbours, index = c("harbour", "season")), "panel_frame(data, entity, period)")
  refused(fit_pooled(nights ~ levy, panel, NULL, NULL, NULL, "rows", 1), "1 argument too many")
  refused(update(fit_pooled(nights ~ levy, panel), cluster = ~harbour), "se_clustered(harbour)")
})

test_that("a fit made in a function keeps what its formula names, and no more", {
  make <- function() {
    rest <- stats::rnorm(1e5)
    power <- 2
    raised <- function(x) x^power
    fit_fixed(log(nights) ~ raised(levy) + I(storms^power), harbour_panel(), weights = storms + power)
  }
  fit <- make()
  expect_setequal(ls(environment(formula(fit))), c("power", "raised"))
  expect_lt(length(serialize(slim(fit)$call, NULL)), 1e5)
  expect_equal(predict(fit, harbours[3:4, ]), fitted(fit)[3:4])
  expect_identical(coef(update(fit, . ~ . + fuel))[1:2], coef(fit_fixed(
    log(nights) ~ I(levy^2) + I(storms^2) + fuel, harbour_panel(), weights = storms + 2
  ))[1:2], ignore_attr = TRUE)
})

test_that("what is read back in a session without the package loads it", {
  skip_if_not_installed("callr")
  fit <- fit_fixed(log(nights) ~ levy + past(storms), harbour_panel())
  things <- list(fit = fit, table = spec_table(fit), test = test_serial(fit), value = as_table(fit),
                 panel = harbour_panel())
  folder <- fresh_folder()
  for (name in names(things)) saveRDS(things[[name]], file.path(folder, name))
  read <- callr::r(function(folder, names) {
    lapply(names, function(name) {
      thing <- readRDS(file.path(folder, name))
      utils::capture.output(print(thing))
    })
  }, list(folder, names(things)))
  expect_identical(read, unname(lapply(things, function(thing) capture.output(print(thing)))))
  again <- callr::r(function(file) {
    fit <- readRDS(file)
    list(stats::coef(stats::update(fit, . ~ . + fuel)), stats::residuals(fit)[1:3], stats::vcov(fit))
  }, list(file.path(folder, "fit")))
  expect_equal(again, list(coef(update(fit, . ~ . + fuel)), residuals(fit)[1:3], vcov(fit)))
})

test_that("what a fit does not answer it refuses in our words", {
  fit <- twins$fixed[[1]]
  for (ask in list(effects, proj, qr, kappa, profile, dummy.coef, function(x) x["levy"], lm.influence, termplot,
                   function(x) expand.model.frame(x, ~ fuel))) {
    expect_error(ask(fit), class = "wavetax_error_not_of_fits")
  }
})

test_that("verbs keep the panel, or say that it is none any more and how to declare it again", {
  panel <- harbour_panel()
  expect_identical(panel[, "levy"], harbours$levy)
  expect_identical(panel[3:4, "levy"], harbours$levy[3:4])
  expect_message(part <- panel[, "levy", drop = FALSE], "Without `harbour` and `season`",
                 class = "wavetax_message_no_panel")
  expect_identical(class(part), "data.frame")
  expect_no_message(panel_variation(panel, levy, show = c("range", "missing", "correlations")))
  beside <- cbind(panel, index = seq_len(nrow(panel)))
  expect_s3_class(beside, "panel_frame")
  expect_identical(names(beside), c(names(panel), "index"))
  expect_message(panel$season <- NULL, class = "wavetax_message_no_panel")
  expect_identical(class(panel), "data.frame")
  skip_if_not_installed("dplyr")
  panel <- harbour_panel()
  own <- transform(panel, before = past(levy), usual = entity_mean(levy))
  expect_identical(dplyr::mutate(panel, before = past(levy), usual = wavetax::entity_mean(levy)), own)
  expect_identical(dplyr::filter(panel, past(levy) > 15)$nights, own$nights[which(own$before > 15)])
  expect_identical(dplyr::transmute(panel, rise = change(levy))$rise, panel$levy - own$before)
  expect_error(past(panel$levy), class = "wavetax_error_not_a_panel")
  expect_warning(dplyr::mutate(panel, before = dplyr::lag(levy)), "`past(levy)`", fixed = TRUE,
                 class = "wavetax_warning_row_order")
  expect_message(grouped <- dplyr::group_by(panel, coast), "panel_frame(data, harbour, season)", fixed = TRUE)
  expect_silent(dplyr::mutate(grouped, before = dplyr::lag(levy)))
  expect_silent(dplyr::count(panel, coast))
  expect_s3_class(dplyr::rename(panel, port = harbour), "panel_frame")
})

# A call that R users write, and that `lm()` answers alike: coefficients by name, errors, fitted values, predictions.
same_as_lm <- list(
  n ~ 1, n ~ levy, n ~ levy * storms, n ~ (levy + storms + fuel)^2, n ~ levy:storms, n ~ levy %in% storms,
  n ~ levy - 1, n ~ 0 + levy + coast, n ~ coast, n ~ factor(season), n ~ factor(z > 10), n ~ coast * levy,
  n ~ coast / levy, n ~ coast:levy, n ~ coast + coast:levy, n ~ levy + I(levy^2), n ~ poly(levy, 2),
  n ~ poly(levy, 3, raw = TRUE), log(n) ~ log(levy), sqrt(n) ~ sqrt(storms), I(n / 100) ~ exp(-fuel),
  log(n) - fuel ~ levy, n ~ scale(levy), n ~ cut(levy, c(0, 8, 12, 100)), n ~ ifelse(levy > 10, 1, 0), n ~ calm,
  n ~ calm * coast, n ~ calm:levy, n ~ size, n ~ rank, n ~ relevel(part, "Ember"), n ~ C(part, contr.sum),
  n ~ factor(coast, levels = sort(unique(coast), decreasing = TRUE)),
  n ~ factor(coast, levels = c("Ember", "Tallow", "Vesper", "Brindle", "Quillon")), n ~ day, n ~ when, n ~ span,
  n ~ I(as.numeric(day)), n ~ months(day), n ~ m, n ~ cbind(levy, storms), n ~ pmax(levy, 10), n ~ splines::ns(levy, 3),
  n ~ splines::bs(levy, df = 4), n ~ stats::poly(levy, 2), n ~ interaction(coast, calm), n ~ as.factor(coast),
  n ~ levy + offset(fuel), n ~ offset(2 * fuel) + storms, n ~ levy + storms - storms, n ~ levy + levy,
  n ~ levy + I(2 * levy), n ~ (coast + calm)^2 - coast:calm, n ~ storms %/% 3, n ~ I(storms > 5 & levy < 10),
  n ~ factor(rescues > 0):storms, n ~ I(coast == "Ember"), n ~ levy > 10, n ~ log1p(storms), n ~ I(1 / levy),
  n ~ substr(coast, 1, 1)
)

test_that("formulas mean what they mean to lm()", {
  data <- harbours
  data$day <- as.Date("2009-01-01") + (data$season - 2009) * 365 + seq_len(nrow(data)) %% 31
  data$when <- as.POSIXct(data$day, tz = "UTC")
  data$span <- data$day - as.Date("2009-01-01")
  data <- transform(data, calm = storms < 5, z = round(levy), n = log(nights),
                    size = cut(berths, c(0, 20, 40, 60, Inf)), part = factor(coast, levels = rev(sort(unique(coast)))))
  data$rank <- factor(data$size, ordered = TRUE)
  data$m <- cbind(u = data$levy, v = data$storms)
  panel <- panel_frame(data, harbour, season)
  new <- c(5, 900, 17)
  for (formula in same_as_lm) {
    label <- deparse1(formula)
    ours <- suppressMessages(fit_pooled(formula, panel, errors = se_classical()))
    theirs <- lm(formula, data)
    kept <- names(coef(theirs))[!is.na(coef(theirs))]
    expect_equal(coef(ours)[kept], coef(theirs)[kept], tolerance = 1e-7, label = label)
    expect_length(coef(ours), length(kept))
    expect_equal(diag(vcov(ours))[kept], diag(vcov(theirs))[kept], tolerance = 1e-7, label = label)
    expect_equal(fitted(ours), fitted(theirs), label = label, ignore_attr = TRUE)
    expect_equal(predict(ours, panel[new, ]), suppressWarnings(predict(theirs, data[new, ])), label = label,
                 ignore_attr = TRUE)
  }
  expect_error(fit_pooled(n ~ factor(coast, levels = sorted(coast)), panel), class = "wavetax_error_formula")
  dated <- fit_pooled(n ~ day, panel)
  expect_error(predict(dated, transform(data[new, ], day = 3)), "of class Date in the fit",
               class = "wavetax_error_kind")
  weeks <- transform(data[new, ], span = as.difftime(as.numeric(span) / 7, units = "weeks"))
  spans <- fit_pooled(n ~ span, panel)
  expect_equal(predict(spans, weeks), fitted(spans)[new], ignore_attr = TRUE)
  constant <- fit_pooled(n ~ 1, panel, errors = se_classical())
  expect_equal(predict(constant, data[new, ], interval = "prediction"),
               as.data.frame(predict(lm(n ~ 1, data), data[new, ], interval = "prediction")), ignore_attr = TRUE)
})

test_that("seasons of quarters, months and dates", {
  expect_identical(quarter_of(c("Q3 2014", NA, "Q1 2015")), c(3L, NA, 1L))
  expect_identical(quarter_of(factor(c("Mar 2014", "Dec 2014"))), c(1L, 4L))
  expect_identical(month_of(c(201403, 201412)), c(3L, 12L))
  expect_identical(month_of(20140315), 3L)
  expect_identical(month_of(as.Date(c("2014-01-31", NA))), c(1L, NA))
  expect_identical(month_of(as.POSIXct("2014-12-01", tz = "Pacific/Auckland")), 12L)
  for (x in list(2014, c("2014", "2015"), TRUE, "spring", list(1))) {
    expect_error(quarter_of(x), class = "wavetax_error_operator")
  }
  expect_error(month_of("2014Q3"), "Quarters have none", class = "wavetax_error_operator")
})
