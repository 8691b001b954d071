# The guided choice: the kind of the focus chooses, its errors cover, and what is promised is said.

made_panel <- function(N = 20, spans = 8, seed = 1, x = function(id, t) rnorm(length(id)), y = function(x, id, t) x) {
  set.seed(seed)
  data <- expand.grid(t = seq_len(spans), id = seq_len(N))
  data$x <- x(data$id, data$t)
  data$y <- y(data$x, data$id, data$t) + rnorm(nrow(data))
  panel_frame(data, id, t)
}

test_that("what varies in the focus decides the model, its errors are those of the rule, whatever tests say", {
  panel <- harbour_panel()
  levy <- appraise(log(nights) ~ levy + storms + pier, panel, focus = "levy")
  expect_identical(levy[c("kind", "standing")], list(kind = "varying", standing = "interval"))
  both <- fit_fixed(log(nights) ~ levy + storms + pier, panel, "both",
                    errors = se_clustered(~ harbour, "CR2", df = "satterthwaite"))
  expect_equal(levy$interval, c(low = confint(both)["levy", 1], high = confint(both)["levy", 2]))
  expect_equal(levy$estimate, coef(both)[["levy"]])
  expect_identical(levy$fit$errors$label, "clustered by harbour")
  expect_identical(levy$path$step[1:3], c("kind", "model", "errors"))
  expect_match(levy$caveats, "taken out whatever the tests say", all = FALSE)
  expect_match(levy$caveats, "which no test establishes, random effects would give", all = FALSE)
  pier <- appraise(log(nights) ~ levy + storms + pier, panel, focus = pier)
  expect_identical(pier[c("kind", "standing")], list(kind = "fixed", standing = "comparison"))
  expect_match(pier$recommendation[1], "No model here tells the effect of pier")
  expect_identical(pier$fit$method, "correlated")
  season <- appraise(log(nights) ~ levy + season, panel, focus = ~ season)
  expect_identical(season[c("kind", "standing")], list(kind = "common", standing = "interval"))
  by_season <- fit_fixed(log(nights) ~ levy + season, panel,
                         errors = se_clustered(~ season, "CR2", df = "satterthwaite"))
  expect_equal(unname(season$interval), unname(confint(by_season)["season", ]))
  expect_match(season$caveats, "12 seasons stand behind this interval, not 1,046 rows", all = FALSE)
  claimed <- appraise(log(nights) ~ levy, panel, unrelated = TRUE)
  expect_identical(claimed$fit$method, "random")
  expect_match(claimed$recommendation, "rests on your claim", all = FALSE)
  expect_match(claimed$caveats, "speaks against it", all = FALSE)
  nothing <- made_panel()
  expect_identical(appraise(y ~ x, nothing)$model, "two-way")
  expect_match(appraise(y ~ x, nothing)$caveats, "by tests on the same data would have given pooled", all = FALSE)
})

test_that("shocks shared within periods that go with the focus widen it, from 20 periods on by their persistence", {
  shared <- function(spans, rho, seed = 4) {
    shock <- function() as.vector(stats::arima.sim(list(ar = rho), spans))
    set.seed(seed)
    loading <- 1 + rnorm(20)
    a <- shock()
    b <- shock()
    made_panel(20, spans, 4, function(id, t) rnorm(length(id)) + loading[id] * a[t],
               function(x, id, t) x + loading[id] * b[t])
  }
  panel <- shared(8, 0.01)
  found <- appraise(y ~ x, panel)
  expect_true(found$errors$shared)
  expect_identical(names(found$fit$errors$clusters), "t")
  under <- confint(fit_fixed(y ~ x, panel, "both", errors = se_clustered(~ t, "CR2", df = "satterthwaite")))
  expect_equal(unname(found$interval), unname(under["x", ]))
  panel <- shared(25, 0.9, 13)
  found <- appraise(y ~ x, panel)
  fit <- fit_fixed(y ~ x, panel, "both", errors = se_clustered(~ t, "CR2", df = "satterthwaite"))
  s <- rowsum(residuals(fit) * model.matrix(fit, "swept")[, "x"], panel$t)[, 1]
  first <- sum(s[-1] * s[-25]) / sum(s^2)
  r <- min(0.9, first + (1 + 3 * first) / 25)
  expect_gt(r, 0)
  expect_equal(unname(diff(found$interval)), unname(diff(confint(fit)["x", ])) * sqrt((1 + r) / (1 - r)))
  expect_match(found$fit$errors$label, "widened")
})

test_that("no interval is given where none holds, and it is said why", {
  treated <- function(count) made_panel(12, 6, 2, function(id, t) (id <= count & t > 3) + 0)
  one <- appraise(y ~ x, treated(1))
  expect_identical(one$standing, "none")
  expect_identical(unname(one$interval), c(NA_real_, NA_real_))
  expect_match(one$recommendation, "Only one id tells about x: no interval", all = FALSE)
  expect_match(appraise(y ~ x, treated(2))$caveats, "Few ids carry it", all = FALSE)
  few <- made_panel(3, 8)
  expect_match(appraise(y ~ x, few)$recommendation, "at least 4 are needed", all = FALSE)
  short <- made_panel(10, 2, 3, function(id, t) t + 0)
  expect_identical(appraise(y ~ x, short)$standing, "none")
  series <- appraise(y ~ x, made_panel(1, 30))
  expect_identical(series$standing, "none")
  expect_identical(series$fit$errors$label, "Newey-West within id")
  expect_match(series$recommendation, "se_newey_west", all = FALSE)
  groups <- made_panel(20, 8, 5, function(id, t) rnorm(32)[(id %% 4) * 8 + t])
  expect_match(appraise(y ~ x, groups)$caveats, "4 paths of x .*cluster by them", all = FALSE)
})

test_that("a focus in several terms is its finite change; names, dates and wrong ones", {
  panel <- harbour_panel()
  square <- appraise(log(nights) ~ levy + I(levy^2), panel, focus = "levy")
  b <- coef(square$fit)
  m <- mean(square$fit$design$x$levy)
  expect_equal(square$estimate, b[["levy"]] + b[["I(levy^2)"]] * ((m + 1)^2 - m^2))
  product <- appraise(log(nights) ~ levy * coast, panel, focus = "levy")
  b <- coef(product$fit)
  shares <- table(panel$coast[!is.na(panel$nights) & !is.na(panel$levy)])
  shares <- shares / sum(shares)
  at <- paste0("levy:coast", names(shares)[-1])
  expect_equal(product$estimate, b[["levy"]] + sum(shares[-1] * b[at]), tolerance = 1e-3)
  expect_length(grep("for coast", product$recommendation), 5)
  expect_identical(appraise(log(nights) ~ levy + log(fuel), panel, focus = ~ log(fuel))$focus, "log(fuel)")
  dated <- as.data.frame(panel)
  dated$day <- as.Date(paste0(dated$season, "-03-01"))
  plain <- appraise(log(nights) ~ levy, panel)
  expect_equal(appraise(log(nights) ~ levy, panel_frame(dated, harbour, day))$interval, plain$interval)
  expect_error(appraise(log(nights) ~ levy, panel, focus = "no such"), class = "wavetax_error_unknown_term")
  expect_error(appraise(log(nights) ~ levy, as.data.frame(panel)), class = "wavetax_error_not_a_panel")
  expect_error(appraise(log(nights) ~ levy, panel, unrelated = NA), class = "wavetax_error_argument")
  expect_output(print(plain), "they choose nothing")
})

test_that("its intervals hold the truth about as often as they say, where a choice by tests does not", {
  nearly_fixed <- function(seed) {
    set.seed(seed)
    own <- rnorm(20)
    made_panel(20, 5, seed, function(id, t) own[id] + 0.2 * rnorm(length(id)),
               function(x, id, t) x + 0.4 * own[id] + rnorm(20)[id])
  }
  held <- vapply(1:60, function(seed) {
    found <- appraise(y ~ x, nearly_fixed(seed))
    tests <- found$choices[found$choices$role == "by tests", ]
    other <- if (nrow(tests) == 0) found$interval else c(tests$low, tests$high)
    c(found$interval[[1]] <= 1 && found$interval[[2]] >= 1, other[[1]] <= 1 && other[[2]] >= 1)
  }, c(TRUE, TRUE))
  expect_gt(mean(held[1, ]), 0.85)
  expect_lt(mean(held[2, ]), mean(held[1, ]))
})
