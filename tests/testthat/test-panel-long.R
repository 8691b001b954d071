quietly <- function(expr) suppressMessages(expr)

test_that("wide and long are inverse, also unbalanced", {
  wide <- utils::read.csv(system.file("extdata", "harbours-wide.csv", package = "wavetax"))
  long <- quietly(panel_to_long(wide, harbour, period = "season"))
  expect_identical(nrow(long), nrow(harbours))
  expect_equal(panel_to_wide(long), wide[names(panel_to_wide(long))])
  again <- quietly(panel_to_long(panel_to_wide(long), harbour, period = "season"))
  expect_equal(as.data.frame(again), as.data.frame(long), ignore_attr = TRUE)
  key <- paste(harbours$harbour, harbours$season)
  expect_equal(long$levy, harbours$levy[match(paste(long$harbour, long$season), key)])
})

test_that("found and periods are found however they are written", {
  long <- function(...) {
    quietly(panel_to_long(data.frame(id = 1:2, ..., check.names = FALSE), id, period = "t"))
  }
  expect_identical(long(`2009.tax` = 1:2, `2010.tax` = 3:4)$tax, c(1L, 3L, 2L, 4L))
  expect_identical(long(tax2009 = 1:2, tax2010 = 3:4, size = 5:6)$size, c(5L, 5L, 6L, 6L))
  expect_identical(long(tax_2014Q4 = 1:2, tax_2015Q1 = 3:4)$t, c("2014Q4", "2015Q1", "2014Q4", "2015Q1"))
  own <- quietly(panel_to_long(data.frame(id = 1, tax.before = 2, tax.after = 3), id, period = "t",
                               pattern = "^(?<variable>[a-z]+)\\.(?<period>.*)$",
                               periods = c("before", "after")))
  expect_identical(own$tax, c(2, 3))
  expect_error(long(a = 1:2, b = 3:4), class = "wavetax_error_no_period_columns")
  expect_error(long(x_2009 = c("a", "b"), x_2010 = 1:2), class = "wavetax_error_mixed_kinds")
  expect_error(quietly(panel_to_long(data.frame(id = 1, x_2009 = 1:2, x_2010 = 1:2), id)),
               class = "wavetax_error_duplicate_keys")
})

test_that("indicators in rows become columns, and one without a name is refused", {
  data <- data.frame(id = c("a", "a", "b"), series = c("x", "y", "x"), `2001` = 1:3, `2002` = 4:6, check.names = FALSE)
  long <- quietly(panel_to_long(data, id, t))
  expect_identical(as.data.frame(long), data.frame(
    id = rep(c("a", "b"), each = 2), t = rep(2001:2002, 2), x = c(1L, 4L, 3L, 6L), y = c(2L, 5L, NA, NA)
  ))
  data$series[2] <- NA
  expect_error(quietly(panel_to_long(data, id, t, indicator = series)), class = "wavetax_error_missing_keys")
  expect_error(quietly(panel_to_long(transform(data, series = c("id", "y", "id"), check.names = FALSE), id, t)),
               class = "wavetax_error_name_taken")
})

test_that("what is written wide is read back for every clock", {
  for (t in list(1:2, c(-1L, 1L), c("2001Q4", "2002Q1"), c("Mar 2001", "Apr 2001"), c("FY2001", "FY2002"),
                 c("2001/02", "2002/03"), c("2014-W52", "2015-W01"), as.Date(c("2001-01-31", "2001-02-28")))) {
    panel <- quietly(panel_frame(data.frame(id = c(1L, 1L, 2L, 2L), t = t[c(1, 2, 1, 2)], x = c(1.5, 2, 3, 4)), id, t))
    again <- quietly(panel_to_long(panel_to_wide(panel), id, t))
    expect_equal(as.data.frame(again), as.data.frame(panel), ignore_attr = TRUE, label = format(t[1]))
  }
  stages <- c("before", "after")
  labels <- panel_frame(data.frame(id = c(1, 1), t = stages, x = 1:2), id, t, periods = stages)
  wide <- panel_to_wide(labels)
  expect_identical(quietly(panel_to_long(wide, id, t, periods = stages))$x, 1:2)
})

test_that("months by name and number are found in headings", {
  wide <- data.frame(id = c("a", "b"), nights_Mar2014 = 1:2, nights_Apr2014 = c(3.5, NA), summar2014 = 7)
  long <- quietly(panel_to_long(wide, id, period = "month", empty = TRUE))
  expect_identical(long$nights, c(1, 3.5, 2, NA))
  expect_identical(with(long, past(nights)), c(NA, 1, NA, 2))
  names(wide)[2:3] <- c("nights_2014_03", "nights_2014_04")
  expect_identical(quietly(panel_to_long(wide, id, period = "month", empty = TRUE))$nights, long$nights)
})

test_that("balancing fills the grid, keeps whole entities, or finds the block", {
  panel <- gappy_panel(N = 20, periods = 5, keep = 0.8)
  full <- quietly(panel_balance(panel, "fill"))
  expect_identical(nrow(full), 100L)
  expect_equal(sum(!is.na(full$y)), nrow(panel))
  expect_false(anyNA(full$region))
  whole <- quietly(panel_balance(panel, "entities"))
  expect_true(all(table(whole$id) == 5))
  block <- quietly(panel_balance(panel, "block"))
  expect_gte(nrow(block), nrow(whole))
  expect_true(panel_shape(block)$balanced)
})

test_that("joins bring in columns and never multiply rows", {
  panel <- harbour_panel()
  rates <- data.frame(season = c(2009:2019, 2030), rate = 1:12)
  expect_message(joined <- panel_join(panel, rates), "not 2020")
  expect_identical(joined$rate, match(panel$season, rates$season))
  expect_identical(joined$levy, panel$levy)
  expect_error(panel_join(panel, rbind(rates, rates)), class = "wavetax_error_duplicate_keys")
  expect_error(panel_join(panel, data.frame(x = 1)), class = "wavetax_error_no_common_key")
  expect_error(panel_join(panel, data.frame(season = 1, levy = 1)), class = "wavetax_error_name_taken")
})

test_that("keys of other names and spellings are joined, and what did not match is listed", {
  panel <- harbour_panel()
  coasts <- data.frame(name = c("EMBER", "Tallow ", "Nowhere"), warm = 1:3)
  expect_error(quietly(panel_join(panel, coasts, by = c(coast = "name"))), "tidy", class = "wavetax_error_no_match")
  joined <- quietly(panel_join(panel, coasts, by = c(coast = "name"), match = "tidy"))
  expect_identical(joined$warm, match(panel$coast, c("Ember", "Tallow")))
  report <- join_report(joined)
  expect_identical(report$matched[match(c("Ember", "Vesper", "Nowhere"), report$key)], c("tidy", "none", "none"))
  dates <- data.frame(season = as.Date(paste0(2009:2020, "-01-01")), rate = 1:12)
  expect_identical(quietly(panel_join(panel, dates, match = "tidy"))$rate, panel$season - 2008L)
  expect_error(quietly(panel_join(panel, rbind(coasts, c("ember", 9)), by = c(coast = "name"), match = "tidy")),
               class = "wavetax_error_ambiguous_match")
  again <- quietly(panel_join(joined, data.frame(season = 2009:2020, warm = 1), replace = TRUE))
  expect_identical(unique(again$warm), 1)
})

test_that("labels are kept, and tables use them", {
  panel <- panel_labels(harbour_panel(), c(levy = "Wave tax", storms = "Storm days"))
  expect_identical(panel_labels(panel[panel$season > 2012, ]), panel_labels(panel))
  expect_identical(panel_labels(quietly(panel_to_long(panel_to_wide(panel), harbour, season))), panel_labels(panel))
  table <- spec_table(fit_fixed(log(nights) ~ levy + storms, panel), labels = c(storms = "Days of storm"))
  expect_identical(as.data.frame(table, layout = "printed")$row[c(1, 3)], c("Wave tax", "Days of storm"))
  expect_identical(as.data.frame(table)$term, c("levy", "storms"))
})

test_that("variation is told between and within, and in words", {
  panel <- gappy_panel()
  panel$price <- sin(panel$year)
  numbers <- as.data.frame(panel_variation(panel, x1, size, price))
  within <- panel$x1 - ave(panel$x1, panel$id)
  expect_equal(numbers$sd_between[1], sd(tapply(panel$x1, panel$id, mean)))
  expect_equal(numbers$sd_within[1], sd(within))
  expect_equal(numbers$sd[1], sd(panel$x1))
  expect_equal(numbers$share_within[1:2], c(sum(within^2) / sum((panel$x1 - mean(panel$x1))^2), 0))
  expect_identical(numbers$varies[2:3], c("never varies within an id", "the same for all ids in a year"))
  by <- as.data.frame(panel_variation(panel, x1, by = region))
  expect_equal(by$mean[by$group == "west"], mean(panel$x1[panel$region == "west"]))
  moves <- panel_variation(panel, kind)$transitions$kind
  before <- with(panel, past(kind))
  expect_equal(sum(moves), sum(!is.na(before)))
  shown <- panel_variation(panel, x1, size, show = c("range", "correlations", "missing"))
  expect_equal(shown$correlations$within[1, 1], 1)
  expect_equal(shown$correlations$between[1, 2],
               cor(tapply(panel$x1, panel$id, mean), tapply(panel$size, panel$id, mean)))
  expect_equal(unlist(shown$numbers[1, c("q1", "median", "q3")], use.names = FALSE),
               quantile(panel$x1, c(0.25, 0.5, 0.75), names = FALSE))
  expect_equal(moves["a", "b"], sum(before == "a" & panel$kind == "b", na.rm = TRUE))
})

test_that("the descriptive table has the statistics asked for, weighted, also of a fit's own rows", {
  panel <- gappy_panel()
  panel$w <- seq_len(nrow(panel)) %% 4
  told <- panel_variation(panel, x1, statistics = c("max", "spread" = "sd", "q1", "sd_within"), weights = w)
  table <- as_table(told)
  expect_identical(table$columns$head, c("maximum", "spread", "lower quartile", "deviation within"))
  x <- rep(panel$x1, panel$w)
  n <- sum(panel$w > 0)
  expect_equal(told$numbers$mean, mean(x))
  expect_equal(told$numbers$sd, sqrt(n / (n - 1) * mean((x - mean(x))^2)))
  expect_equal(told$numbers$q1, unname(quantile(x, 0.25, type = 1)))
  means <- tapply(x, rep(panel$id, panel$w), mean)
  expect_equal(told$numbers$sd_between, sd(means))
  even <- transform(panel, w = 3)
  expect_equal(panel_variation(even, x1, weights = "w")$numbers, panel_variation(panel, x1)$numbers)
  fit <- fit_fixed(log(abs(x1) + 1) ~ past(x2), panel)
  own <- panel_variation(fit)$numbers
  expect_identical(own$variable, c("log(abs(x1) + 1)", "past(x2)"))
  expect_identical(own$rows, rep(nobs(fit), 2L), ignore_attr = TRUE)
  expect_equal(own$sd_within[2], {
    frame <- model.frame(fit)
    keys <- panel$id[!is.na(with(panel, past(x2)))]
    sd(frame[["past(x2)"]] - ave(frame[["past(x2)"]], keys))
  })
  expect_error(panel_variation(panel, x1, statistics = "mode"), class = "wavetax_error_argument")
  expect_error(panel_variation(transform(panel, w = -w), x1, weights = w), class = "wavetax_error_weights")
})

test_that("presence is drawn for few and for thousands of entities, paths break at gaps", {
  expect_equal(nrow(ggplot2::layer_data(plot_presence(harbour_panel()))), 1046 + 11)
  by_kind <- plot_presence(harbour_panel(), lines = 50)
  high <- with(by_kind$data, tapply(foot - top, seen, sum))
  expect_equal(high[c("0", "1")], c("0" = 11, "1" = 1046), ignore_attr = TRUE)
  labels <- ggplot2::ggplot_build(by_kind)$layout$panel_params[[1]]$y$get_labels()
  expect_setequal(labels, paste0(c("all seasons  ", "leave early  ", "enter late  ", "late and early  ",
                                   "with a gap  "), c(65, 11, 11, 2, 7)))
  keys <- expand.grid(id = 1:3000, t = 1:4)
  late <- plot_presence(panel_frame(keys[-(1:3), ], id, t))
  expect_true("enter late  3" %in% ggplot2::ggplot_build(late)$layout$panel_params[[1]]$y$get_labels())
  many <- late$data
  expect_equal(sort(many$foot - many$top), c(400, 403, 403, 403))
  expect_equal(many$seen, rep(1, 4))
  rows <- data.frame(id = rep(1:2, c(1000, 999)), t = c(1:1000, setdiff(1:1000, 501)))
  long <- plot_presence(panel_frame(rows, id, t))$data
  expect_equal(sort(long$seen)[1:2], c(2 / 3, 1))
  alone <- plot_presence(panel_frame(data.frame(id = 1:300, t = 1), id, t))$data
  expect_equal(unlist(alone[c("top", "foot", "seen")]), c(top = 0.5, foot = 300.5, seen = 1))
  paths <- ggplot2::layer_data(plot_paths(harbour_panel(), levy, entities = "Fennosey"), 3)
  expect_identical(length(unique(paths$group)), 2L)
  shares <- plot_paths(harbour_panel(), pennant)
  expect_equal(ggplot2::layer_data(shares, 1)$y, with(harbours, as.vector(tapply(pennant, season, mean))))
  steps <- plot_paths(harbour_panel(), pennant, entities = "Fennosey")
  expect_s3_class(steps$layers[[2]]$geom, "GeomStep")
  expect_error(plot_paths(harbour_panel(), levy, entities = "Fennosay"), "Fennosey",
               class = "wavetax_error_unknown_entity")
})

test_that("the shape of variables, and of a fit, is of their rows, and says of how many", {
  panel <- harbour_panel()
  panel$survey <- replace(panel$levy, panel$season %% 2 == 0 | panel$harbour == "Fennosey", NA)
  part <- panel_shape(panel, levy, survey)
  kept <- panel_shape(panel_frame(as.data.frame(panel)[!is.na(panel$survey), ], harbour, season))
  expect_identical(unclass(part)[-1], unclass(kept)[-1])
  expect_output(print(part), sprintf("%d of 1,046", kept$rows), fixed = TRUE)
  expect_output(print(part), "1 harbour has[[:space:]]+none")
  fit <- fit_fixed(log(nights) ~ past(levy), panel)
  expect_identical(panel_shape(fit)$rows, nobs(fit))
  expect_identical(panel_shape(fit)$chosen$rows, 1046L)
  expect_match(plot_presence(fit)$labels$subtitle, "The rows that the fit uses", fixed = TRUE)
  expect_equal(sum(plot_presence(panel, survey)$data$seen), part$rows)
  expect_error(panel_shape(panel, nothing), class = "wavetax_error_unknown_column")
  panel$empty <- NA_real_
  expect_error(panel_shape(panel, empty), class = "wavetax_error_no_rows")
  expect_error(panel_shape(harbours), class = "wavetax_error_not_a_panel")
})
