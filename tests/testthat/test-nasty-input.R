# What people get wrong, in a table of cases: the call, the kind of its error, words of the message.

expect_refused <- function(cases) {
  for (words in names(cases)) {
    kind <- sub(" .*", "", words)
    expect_error(cases[[words]](), sub("^[a-z_]+ ?", "", words), class = paste0("wavetax_error_", kind))
  }
}

test_that("formulas that would mean another thing are refused with what to write", {
  panel <- harbour_panel()
  fit <- function(formula) function() fit_fixed(formula, panel)
  odd <- transform(panel, price = paste0(round(levy), ",5"), share = paste0(round(levy), "%"), dear = paste("$", levy))
  of <- function(formula) function() fit_pooled(formula, odd)
  expect_refused(list(
    "row_order past\\(levy\\)" = fit(log(nights) ~ lag(levy)),
    "row_order change\\(log\\(nights\\)\\)" = fit(diff(log(nights)) ~ levy),
    "row_order runs along the rows" = fit(log(nights) ~ stats::lag(levy, 1)),
    "row_order ahead\\(levy\\)" = fit(log(nights) ~ I(lead(levy))),
    "row_order cumsum" = fit(log(nights) ~ past(cumsum(levy))),
    "formula I\\(levy\\^2\\)" = fit(log(nights) ~ levy + levy^2),
    "formula effects = ~ harbour" = fit(log(nights) ~ levy | harbour),
    "formula no function `pst" = fit(log(nights) ~ pst(levy)),
    "formula among its own" = fit(log(nights) ~ levy + log(nights)),
    "formula highest power" = fit(log(nights) ~ (levy + storms)^1e9),
    "operator reaches beyond" = fit(log(nights) ~ past(levy, 0:1000000)),
    "operator reaches beyond the panel, which has 12" = fit(log(nights) ~ past(levy, 0:12)),
    "text_numbers price" = of(log(nights) ~ price), "text_numbers share" = of(log(nights) ~ share),
    "text_numbers dear" = of(log(nights) ~ dear), "text_levels 95 dummies" = of(log(nights) ~ harbour),
    "formula swapped" = function() fit_fixed(panel, log(nights) ~ levy),
    "effects effects = \"both\"" = function() fit_fixed(log(nights) ~ levy, panel, "two-way"),
    "effects effects = ~ harbour . season" = function() fit_fixed(log(nights) ~ levy, panel, effects = 3),
    "argument No data" = function() fit_fixed(log(nights) ~ levy)
  ))
})

test_that("long sums are walked, not nested; deep ones are refused", {
  n <- 700
  data <- as.data.frame(matrix(rnorm(n * 600), n))
  data$y <- rnorm(n)
  long <- stats::reformulate(paste0("V", 1:600), "y")
  fit <- fit_pooled(long, data)
  expect_equal(unname(coef(fit)), unname(stats::.lm.fit(cbind(1, as.matrix(data[1:600])), data$y)$coefficients),
               tolerance = 1e-7)
  expect_length(coef(update(fit_pooled(y ~ ., data[c(1:3, 601)]), . ~ . - V1)), 3)
  deep <- quote(V1)
  for (level in 1:500) deep <- call("log", deep)
  expect_error(fit_pooled(rlang::new_formula(quote(y), deep), data), "nested too deeply",
               class = "wavetax_error_formula")
})

test_that("columns are named bare, quoted or by a formula, everywhere", {
  panel <- harbour_panel()
  eq <- log(nights) ~ levy
  same <- function(...) for (other in list(...)[-1]) expect_equal(vcov(other), vcov(list(...)[[1]]))
  same(fit_fixed(eq, panel, weights = ~berths), fit_fixed(eq, panel, weights = "berths"),
       fit_fixed(eq, panel, weights = berths))
  same(fit_fixed(eq, panel, rows = ~ season > 2012), fit_fixed(eq, panel, rows = season > 2012))
  same(fit_fixed(eq, panel, effects = ~coast), fit_fixed(eq, panel, effects = "coast"),
       fit_fixed(eq, panel, effects = coast))
  fit <- fit_fixed(eq, panel)
  same(with_errors(fit, se_clustered(~coast)), with_errors(fit, se_clustered("coast")),
       with_errors(fit, se_clustered(coast)))
  by <- "coast"
  same(with_errors(fit, se_clustered(by)), with_errors(fit, se_clustered(coast)))
  expect_identical(names(fit_each(eq, panel, coast)), names(fit_each(eq, panel, by = "coast")))
})

test_that("arguments that are not known or of the wrong kind are typed errors on every generic", {
  panel <- harbour_panel()
  fit <- fit_fixed(log(nights) ~ levy, panel)
  expect_refused(list(
    "level 0.95" = function() confint(fit, level = 95), "level between 0 and 1" = function() confint(fit, level = -1),
    "level 2 values" = function() confint(fit, level = c(0.9, 0.95)),
    "unknown_term 'levvy'" = function() confint(fit, "levvy"), "unknown_term 7" = function() confint(fit, 7),
    "argument with_errors" = function() vcov(fit, type = "HC1"),
    "argument mean 'newdata'" = function() predict(fit, newdta = harbours),
    "argument residuals" = function() residuals(fit, kind = "both"),
    "kind text in the new data" = function() predict(fit, transform(harbours, levy = "dear")),
    "nothing_to_compare fit_random" = function() test_hausman(fit),
    "argument mean 'effects'" = function() update(fit, efects = "both"),
    "not_a_fit list of fits" = function() test_serial(list(fit, fit))
  ))
  expect_identical(colnames(confint(fit)), c("2.5 %", "97.5 %"))
})

test_that("update() keeps errors that were set, and works wherever the fit was made", {
  panel <- harbour_panel()
  fit <- with_errors(fit_fixed(log(nights) ~ levy, panel), se_clustered(~coast))
  expect_identical(update(fit, . ~ . + storms)$errors$label, "clustered by coast")
  expect_identical(update(fit, errors = se_classical())$errors$label, "classical")
  made <- lapply(c("levy", "fuel"), function(name) {
    own <- stats::reformulate(c(name, "storms"), "log(nights)")
    fit_fixed(own, panel)
  })
  expect_identical(names(coef(update(made[[1]], . ~ . - storms))), "levy")
  expect_equal(coef(eval(made[[2]]$call)), coef(made[[2]]))
  each <- fit_each(log(nights) ~ levy + storms, panel, ~coast, all = TRUE)
  expect_lt(update(each$Ember, . ~ . - storms)$n, nrow(panel) / 2)
})

test_that("blank text and NaN are missing groups, infinity is none; trends are finite", {
  data <- harbours
  data$coast[c(3, 8)] <- c("", "  ")
  data$depth <- data$pier
  data$depth[c(4, 9)] <- NaN
  panel <- panel_frame(data, harbour, season)
  expect_identical(fit_fixed(log(nights) ~ levy, panel, ~ coast + season)$design$missing$by_variable, c(coast = 2L))
  expect_identical(fit_fixed(log(nights) ~ levy, panel, ~ coast:season)$n, nrow(data) - 2L)
  expect_identical(fit_fixed(log(nights) ~ levy, panel, ~depth)$n, nrow(data) - 2L)
  expect_error(with_errors(fit_fixed(log(nights) ~ levy, panel), se_clustered(coast)), "missing in 2 rows",
               class = "wavetax_error_clusters")
  expect_error(fit_fixed(log(nights) ~ levy, panel, ~ harbour + harbour:trend(depth)),
               class = "wavetax_error_not_finite")
  data$depth[4] <- Inf
  expect_error(fit_fixed(log(nights) ~ levy, panel_frame(data, harbour, season), ~depth),
               class = "wavetax_error_key_kind")
  data$pier[1] <- -Inf
  expect_error(panel_frame(data, pier, season), "infinite in 1 row", class = "wavetax_error_key_kind")
})

test_that("whole numbers of 64 bits are numbers, and keys, with holes", {
  bits <- function(v) {
    if (is.na(v)) return(readBin(as.raw(c(rep(0, 7), 128)), "double"))
    low <- v %% 2^32
    readBin(writeBin(as.integer(c(if (low >= 2^31) low - 2^32 else low, v %/% 2^32)), raw()), "double")
  }
  as64 <- function(x) structure(vapply(x, bits, 0), class = "integer64")
  data <- as.data.frame(gappy_panel())
  plain <- transform(data, big = round(1e6 * x1)^2)
  plain$big[4] <- NA
  wide <- plain
  wide$big <- as64(plain$big)
  wide$id <- as64(plain$id + 2^33)
  a <- fit_fixed(y ~ big, panel_frame(plain, id, year))
  b <- fit_fixed(y ~ big, panel_frame(wide, id, year))
  expect_equal(coef(a), coef(b))
  expect_identical(a$n, b$n)
})

test_that("a stray period costs no table over the time between, and is a finding", {
  data <- data.frame(id = rep(1:4, each = 3), t = c(1, 2, 2e9, 1, 2, 3, 1, 2, 3, 1, 2, 3), x = rnorm(12), y = rnorm(12))
  panel <- panel_frame(data, id, t)
  expect_output(print(panel_shape(panel)), "2000000000")
  expect_equal(fit_fixed(y ~ x + period_mean(x), panel, errors = se_classical())$n, 12)
  expect_s3_class(plot_presence(panel), "ggplot")
  expect_true("far period" %in% panel_problems(data, id, t)$kind)
  data$t[3] <- 2^40
  expect_error(panel_frame(data, id, t), "too far", class = "wavetax_error_key_kind")
})

test_that("months as whole numbers are one step apart, and that is said", {
  data <- data.frame(id = rep(1:3, each = 4), m = c(201811, 201812, 201901, 201902), x = 1:12)
  expect_message(panel <- panel_frame(data, id, m), "read as months", class = "wavetax_message_periods")
  expect_equal(with(panel, past(x))[3], 2)
  expect_identical(panel_shape(panel)$gap_cells, 0L)
})

test_that("predictions for groups that the fit has not seen; residuals in the rows of the data", {
  panel <- gappy_panel()
  panel$x1[5] <- NA
  new <- data.frame(id = c(1, 999), year = c(2050, 2001), x1 = 0, x2 = 0)
  two <- fit_fixed(y ~ x1 + x2, panel, "both")
  known <- effect_levels(two)
  suppressWarnings(expect_warning(out <- predict(two, new), "average effect of a year",
                                  class = "wavetax_warning_unknown_effect"))
  expect_equal(out[1], two$coefficients$estimate[1] + known$deviation[known$effect == "id" & known$group == 1])
  expect_true(is.na(out[2]))
  random <- fit_random(y ~ x1 + x2, panel)
  expect_warning(out <- predict(random, new, interval = "prediction"), class = "wavetax_warning_unknown_effect")
  expect_equal(out$fit[2], coef(random)[["(Intercept)"]])
  expect_gt(diff(unlist(out[2, 2:3])), diff(unlist(out[1, 2:3])))
  with_se <- suppressWarnings(predict(random, new, se.fit = TRUE))
  expect_named(with_se, c("fit", "se.fit", "df", "residual.scale"))
  panel$e <- residuals(random, pad = TRUE)
  expect_identical(which(is.na(panel$e)), 5L)
  expect_equal(panel$e[-5] + fitted(random), panel$y[-5])
})

test_that("printed text follows one rule whatever the session's options, and labels cannot turn or hide it", {
  panel <- harbour_panel()
  fit <- fit_fixed(log(nights) ~ levy + storms, panel)
  things <- list(fit, effect_levels(fit), fit_figures(fit), spec_table(fit), panel, panel_shape(panel),
                 test_serial(fit))
  show <- function() unlist(lapply(things, function(one) utils::capture.output(print(one))))
  plain <- show()
  old <- options(OutDec = ",", digits = 3, scipen = -20, max.print = 5)
  on.exit(options(old))
  expect_identical(show(), plain)
  csv <- table_csv(as_table(spec_table(fit)))
  options(old)
  expect_identical(csv, table_csv(as_table(spec_table(fit))))
  expect_true(any(grepl("\"-0.0434\"", csv)))
  nasty <- panel
  nasty$coast[nasty$coast == "Ember"] <- "Em\u001b[31m\u202eber | <b>*x*\n=1+1"
  nasty$levels <- nasty$coast
  bad <- fit_pooled(log(nights) ~ levy + levels, nasty)
  printed <- paste(utils::capture.output(print(bad)), collapse = "\n")
  expect_false(grepl("\u001b|\u202e", printed))
  expect_match(printed, "Em<U+001B>[31m<U+202E>ber", fixed = TRUE)
  table <- table_markdown(as_table(spec_table(bad)))
  expect_length(unique(lengths(regmatches(table[3:12], gregexpr("(?<!\\\\)[|]", table[3:12], perl = TRUE)))), 1)
  expect_false(any(grepl("<b>", table, fixed = TRUE)))
  wide <- as_table(spec_table("=cmd()" = bad))
  expect_match(table_csv(wide)[1], "\"'=cmd()\"", fixed = TRUE)
})

test_that("words are plurals of words, and names are left alone", {
  data <- data.frame(Province = rep(1:20, each = 3), t = 1:3, x = rnorm(60))
  expect_output(print(panel_frame(data, Province, t)), "20 Provinces, 3 values of t")
})
