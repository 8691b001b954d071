# Do the tests tell the truth? Rejection rates at 5 percent under the null, and under stated alternatives, for every
# test: `Rscript bench/size.R [draws]` (400 by default; an hour on two processors) writes docs/size.md. A report, not a
# test.
suppressPackageStartupMessages(library(wavetax))
source("bench/tabulated.R")

draws <- as.integer(c(commandArgs(trailingOnly = TRUE), "400")[1])
# Fewer for a trial of the script alone.
few_draws <- min(25, draws)
classical <- se_classical()
equation <- y ~ x1 + x2
# Where p comes from draws, these start elsewhere in each panel.
next_seed <- function() sample.int(1e6, 1)
all_taken <- function(...) {
  Filter(Negate(is.null), lapply(rlang::enquos(...), function(one) taken(rlang::eval_tidy(one))))
}

# Of panels without a level of the entities, and of panels with one.
tests_without <- function(panel) {
  pooled <- fit_pooled(equation, panel, errors = classical)
  few <- length(unique(panel$entity)) < 30
  all_taken(
    "effects, F" = test_effects(fit_fixed(equation, panel, errors = classical)),
    "component, one-sided" = test_random_effects(pooled, draws = if (few) 99, seed = next_seed()),
    "component, both" = test_random_effects(pooled, "both", draws = 99, seed = next_seed()),
    "serial, corrected (pooled)" = test_serial(pooled),
    "serial, Breusch-Godfrey" = test_serial(pooled, "breusch-godfrey"), "serial, joint" = test_serial(pooled, "joint"),
    "variance, entities (pooled)" = test_variance(pooled)
  )
}
tests_with <- function(panel) {
  clustered <- fit_fixed(equation, panel)
  fixed <- with_errors(clustered, classical)
  random <- fit_random(equation, panel, errors = classical)
  both <- fit_fixed(equation, panel, "both", errors = classical)
  all_taken(
    "Hausman" = test_hausman(fixed, random), "Mundlak, CR3" = test_mundlak(random),
    "serial, corrected (fixed)" = test_serial(fixed), "serial, corrected (two-way)" = test_serial(both),
    "serial, corrected, lags 1 to 2" = if (max(panel$period) > 5) test_serial(fixed, lag = 1:2),
    "serial, differences" = test_serial(fixed, "differences"),
    "serial, differences by regression" = test_serial(fixed, form = "regression"),
    "serial, within" = test_serial(fixed, "within"), "serial, lm" = test_serial(fixed, "lm"),
    "serial, Durbin-Watson" = test_serial(fixed, "durbin-watson", draws = 99, seed = next_seed()),
    "serial, conditional" = test_serial(random, "conditional"), "variance, entities (fixed)" = test_variance(fixed),
    "variance, Bartlett" = test_variance(fixed, "bartlett"), "variance, Wald" = test_variance(fixed, "wald"),
    "variance, Koenker" = test_variance(fixed, "koenker"), "variance, White" = test_variance(fixed, "white"),
    "cross-section, CD" = test_cross_section(fixed),
    "cross-section, moments" = test_cross_section(both, seed = next_seed()),
    "normality, residuals" = test_normality(fixed, draws = 99, seed = next_seed()),
    "normality, effects" = test_normality(random, "effects", draws = 99, seed = next_seed()),
    "form, classical" = test_form(fixed), "form, CR3" = test_form(clustered)
  )
}
order_of_tests <- c(
  "effects, F", "component, one-sided", "component, both", "Hausman", "Mundlak, CR3", "serial, corrected (fixed)",
  "serial, corrected (two-way)", "serial, corrected (pooled)", "serial, corrected, lags 1 to 2", "serial, differences",
  "serial, differences by regression", "serial, within", "serial, lm", "serial, Durbin-Watson",
  "serial, Breusch-Godfrey", "serial, conditional", "serial, joint", "variance, entities (fixed)",
  "variance, entities (pooled)", "variance, Bartlett", "variance, Wald", "variance, Koenker", "variance, White",
  "cross-section, CD", "cross-section, moments", "normality, residuals", "normality, effects", "form, classical",
  "form, CR3"
)

# Rates by test, `make(effect)` giving the design.
rates_of_tests <- function(make, seed, draws) {
  of <- function(effect, tests) {
    found <- monte_carlo(make(effect), list(t = tests), draws = draws, seed = seed, cores = cores)$table
    found$rejected[found$refused > draws / 2] <- NA
    stats::setNames(found$rejected, sub("^t, ", "", found$estimator))
  }
  c(of(0, tests_without), of(1, tests_with))
}
table_of <- function(columns, tests) {
  cells <- vapply(columns, function(one) percent(one[tests]), character(length(tests)))
  row <- function(cells) paste0("| ", paste(cells, collapse = " | "), " |")
  c(row(c("test", names(columns))), paste0("| :-- |", strrep(" --: |", length(columns))),
    vapply(seq_along(tests), function(i) row(c(tests[i], cells[i, ])), ""))
}

# Two regressors of slopes 1 and -1; uneven: late entrants and gaps, a quarter of the rows missing.
slopes <- c(x1 = 1, x2 = -1)
cells <- expand.grid(spans = c(5, 10, 30), N = c(20, 100, 500))
kinds <- expand.grid(uneven = c(FALSE, TRUE), skewed = c(FALSE, TRUE))
text <- c(
  "# Do the tests tell the truth?", "",
  sprintf("How often, in percent, a true null is rejected at 5 percent: `bench/size.R`, %s draws a cell (a", draws),
  sprintf("quarter with 500 entities), so that a rate of 5 is known to about %.1f either way. The model has two",
          196 * sqrt(0.05 * 0.95 / draws)),
  "regressors; entities have a level of their own, except in tests of pooled residuals and of whether there is one.",
  "Simulated p values take 99 draws. Empty: refused. Ask it of your own design: `?monte_carlo`."
)
for (k in seq_len(nrow(kinds))) {
  columns <- lapply(seq_len(nrow(cells)), function(c) {
    cell <- cells[c, ]
    message(sprintf("kind %d of 4, N = %d, T = %d", k, cell$N, cell$spans))
    rates_of_tests(function(effect) {
      simulate_panel(cell$N, cell$spans, effect, slopes, unbalanced = if (kinds$uneven[k]) 0.25 else 0,
                     law = if (kinds$skewed[k]) "skewed" else "normal")
    }, 10 * k + c, if (cell$N == 500) max(few_draws, draws %/% 4) else draws)
  })
  names(columns) <- sprintf("N %d, T %d", cells$N, cells$spans)
  text <- c(text, "", sprintf("## %s, %s disturbances", if (kinds$uneven[k]) "Uneven, with gaps" else "Balanced",
                              if (kinds$skewed[k]) "skewed" else "normal"), "", table_of(columns, order_of_tests))
}

# True nulls after other effects, under variances that differ between entities, rise over time, or triple in a period.
further_fits <- list(
  "one-way" = function(p) fit_fixed(equation, p),
  "own trends" = function(p) fit_fixed(equation, p, ~ entity + entity:trend(period)),
  "firms with movers" = function(p) fit_fixed(equation, p, ~ entity + firm),
  "both" = function(p) fit_fixed(equation, p, "both"),
  "period dummies in the formula" = function(p) fit_fixed(y ~ x1 + x2 + factor(period), p),
  "own trends and periods" = function(p) fit_fixed(equation, p, ~ entity + entity:trend(period) + period),
  "firms with movers, and periods" = function(p) fit_fixed(equation, p, ~ entity + firm + period),
  "region by period" = function(p) fit_fixed(equation, p, ~ entity + region:period),
  "random, both" = function(p) fit_random(equation, p, "both", errors = classical)
)
further_spreads <- list(
  "one variance" = function(entity, period) 1,
  "by entity" = function(entity, period) exp(rnorm(max(entity), sd = 0.5))[entity],
  "rising" = function(entity, period) 0.5 + 1.5 * period / max(period),
  "one period tripled" = function(entity, period) ifelse(period == 3, 3, 1)
)
further_draws <- if (draws < 100) draws else max(200, draws %/% 2)
# Periods differ in level where the fit takes that out.
without_periods <- c("one-way", "own trends", "firms with movers")
further_design <- function(N, spans, spread, periods) {
  function() {
    panel <- simulate_panel(N, spans, slope = slopes, disturbance = 0)
    n <- nrow(panel)
    panel$firm <- (panel$entity + (runif(n) < 0.1) * sample(20, n, TRUE)) %% max(4, N %/% 5)
    panel$region <- panel$entity %% 4
    panel$y <- panel$y + periods * rnorm(spans)[panel$period] + rnorm(n) * spread(panel$entity, panel$period)
    panel
  }
}
tests_after <- function(fit) {
  function(panel) {
    made <- fit(panel)
    all_taken("corrected" = test_serial(made), "differences" = test_serial(made, "differences"),
              "within" = test_serial(made, "within"),
              "Durbin-Watson" = test_serial(made, "durbin-watson", draws = 99, seed = next_seed()),
              "cross-section, default" = test_cross_section(made, seed = next_seed()))
  }
}
further <- unlist(lapply(names(further_fits), function(name) {
  message("after ", name)
  unlist(lapply(c(20, 60), function(N) {
    columns <- lapply(further_spreads, function(spread) {
      found <- monte_carlo(further_design(N, 6, spread, !name %in% without_periods),
                           list(t = tests_after(further_fits[[name]])), draws = further_draws, seed = 77 + N,
                           cores = cores)$table
      found$rejected[found$refused > further_draws / 2] <- NA
      stats::setNames(found$rejected, sub("^t, ", "", found$estimator))
    })
    tests <- c("corrected", "differences", "within", "Durbin-Watson", "cross-section, default")
    c("", sprintf("### %s, N %d, T 6", name, N), "", table_of(columns, tests))
  }))
}))

# What each test finds that is its own, and how it reacts to what is not.
alternatives <- list(
  serial = function(effect) alternative(effect, serial = c(0.3, 0)),
  spread = function(effect) alternative(effect, spread = 0.4),
  "with x" = function(effect) {
    changed(effect, function(panel, e) e * sqrt(0.5 + 0.5 * panel$x1^2))
  },
  shocks = function(effect) {
    changed(effect, function(panel, e) {
      signs <- sample(c(-1, 1, 1), max(panel$entity), TRUE)
      e + 0.4 * rnorm(max(panel$period))[panel$period] * signs[panel$entity]
    })
  },
  related = function(effect) alternative(effect, related = c(0.3, 0)),
  form = function(effect) changed(effect, function(panel, e) e + 0.15 * panel$x1^2)
)
alternative <- function(effect, ...) simulate_panel(100, 10, effect, slopes, unbalanced = 0.25, ...)
# Panels whose disturbances another function makes of normal ones.
changed <- function(effect, of) {
  function() {
    panel <- simulate_panel(100, 10, effect, slopes, unbalanced = 0.25, disturbance = 0)
    panel$y <- panel$y + of(panel, rnorm(nrow(panel)))
    panel
  }
}
power <- lapply(names(alternatives), function(name) {
  message("alternative: ", name)
  rates_of_tests(alternatives[[name]], 100 + match(name, names(alternatives)), draws)
})
names(power) <- names(alternatives)
text <- c(
  text, "", "## After other effects", "",
  strwrap(sprintf(paste(
    "True nulls of fits with further sets of effects, trends, movers (a tenth of the rows in another firm),",
    "dummies and two-way random effects, %d draws a cell, under four patterns of variances. Empty: refused, as",
    "true nulls would be rejected far too often. Durbin and Watson's p comes from draws of one variance. The test",
    "of shared shocks assumes one law for all rows."
  ), further_draws), 118),
  further, "", "## What they find: 100 entities, 10 periods, uneven, normal", "",
  "serial: autocorrelation 0.3; spread: log standard deviations of entities vary by 0.4; with x: variance moves with a",
  "regressor's square; shocks: a common shock of 0.4, of either sign by entity; related: a regressor moves with the",
  "entity's level; form: a square is left out. Tests of other assumptions show here how they react to what is not",
  "theirs.",
  "",
  table_of(power, order_of_tests), "", readLines("bench/size-words.md")
)
writeLines(text, "docs/size.md")
