# Do the tests tell the truth? Rejection rates at 5 percent under the null, and under stated alternatives, for every
# test: `Rscript bench/size.R [draws]` (400 by default; about half an hour on two processors) writes docs/size.md. A
# report, not a test.
suppressPackageStartupMessages(library(wavetax))

draws <- as.integer(c(commandArgs(trailingOnly = TRUE), "400")[1])
cores <- if (.Platform$OS.type == "unix") parallel::detectCores() else 1L

# N entities over their periods. Uneven: late entrants, gaps, a quarter of the rows missing. `component`: the spread of
# the entities' level. `alternative` names what is wrong.
make_panel <- function(N, spans, uneven, skewed, component = 1, alternative = "") {
  n <- N * spans
  draw <- function(n) if (skewed) (rchisq(n, 3) - 3) / sqrt(6) else rnorm(n)
  id <- rep(seq_len(N), each = spans)
  t <- rep(seq_len(spans), N)
  u <- rnorm(N)
  e <- matrix(draw(n), spans)
  if (alternative == "serial") for (s in seq_len(spans)[-1]) e[s, ] <- 0.3 * e[s - 1, ] + sqrt(1 - 0.09) * e[s, ]
  if (alternative == "spread") e <- e * rep(exp(0.4 * rnorm(N)), each = spans)
  x1 <- rnorm(n) + 0.5 * rnorm(N)[id]
  x2 <- rnorm(n)
  e <- as.vector(e)
  if (alternative == "with x") e <- e * sqrt(0.5 + 0.5 * x1^2 / 1.25)
  if (alternative == "shocks") e <- e + 0.4 * rnorm(spans)[t] * rep(sample(c(-1, 1, 1), N, TRUE), each = spans)
  if (alternative == "related") x1 <- x1 + 0.3 * u[id]
  y <- x1 - x2 + (if (alternative == "form") 0.15 * x1^2 else 0) + component * u[id] + e
  data <- data.frame(id, t, x1, x2, y)
  if (uneven) {
    late <- pmin(spans - 3, rgeom(N, 2 / spans))
    data <- data[data$t > late[data$id] & (runif(n) < 0.85), ]
  }
  panel_frame(data, id, t)
}

classical <- se_classical()
quiet <- function(fit) suppressWarnings(fit)
p_of <- function(expr) tryCatch(unname(suppressWarnings(expr)$p.value), wavetax_error = function(cnd) NA_real_)

# p of each test, on panels without and with a component. Draws start elsewhere each time.
all_tests <- function(a, b) {
  eq <- y ~ x1 + x2
  seed <- sample.int(1e6, 1)
  pooled <- fit_pooled(eq, a, errors = classical)
  clustered <- quiet(fit_fixed(eq, b))
  fixed <- with_errors(clustered, classical)
  random <- quiet(fit_random(eq, b, errors = classical))
  both <- quiet(fit_fixed(eq, b, "both", errors = classical))
  c(
    "effects, F" = p_of(test_effects(quiet(fit_fixed(eq, a, errors = classical)))),
    "component, one-sided" = p_of(test_random_effects(pooled, draws = if (length(unique(a$id)) < 30) 99, seed = seed)),
    "component, both" = p_of(test_random_effects(pooled, "both", draws = 99, seed = seed)),
    "Hausman" = p_of(test_hausman(fixed, random)), "Mundlak, CR3" = p_of(test_mundlak(random)),
    "serial, corrected (fixed)" = p_of(test_serial(fixed)), "serial, corrected (two-way)" = p_of(test_serial(both)),
    "serial, corrected (pooled)" = p_of(test_serial(pooled)),
    "serial, corrected, lags 1 to 2" = if (max(b$t) > 5) p_of(test_serial(fixed, lag = 1:2)) else NA,
    "serial, differences" = p_of(test_serial(fixed, "differences")),
    "serial, differences by regression" = p_of(test_serial(fixed, form = "regression")),
    "serial, within" = p_of(test_serial(fixed, "within")), "serial, lm" = p_of(test_serial(fixed, "lm")),
    "serial, Durbin-Watson" = p_of(test_serial(fixed, "durbin-watson", draws = 99, seed = seed)),
    "serial, Breusch-Godfrey" = p_of(test_serial(pooled, "breusch-godfrey")),
      "serial, conditional" = p_of(test_serial(random,
                                                                                                    "conditional")),
    "serial, joint" = p_of(test_serial(pooled, "joint")),
    "variance, entities (fixed)" = p_of(test_variance(fixed)),
    "variance, entities (pooled)" = p_of(test_variance(pooled)),
    "variance, Bartlett" = p_of(test_variance(fixed, "bartlett")), "variance, Wald" = p_of(test_variance(fixed,
                                                                                                         "wald")),
    "variance, Koenker" = p_of(test_variance(fixed, "koenker")), "variance, White" = p_of(test_variance(fixed,
                                                                                                        "white")),
    "cross-section, CD" = p_of(test_cross_section(fixed)),
    "cross-section, moments" = p_of(test_cross_section(both, seed = seed)),
    "normality, residuals" = p_of(test_normality(fixed, draws = 99, seed = seed)),
    "normality, effects" = p_of(test_normality(random, "effects", draws = 99, seed = seed)),
    "form, classical" = p_of(test_form(fixed)), "form, CR3" = p_of(test_form(clustered))
  )
}

rates <- function(make, seed, draws) {
  blocks <- parallel::mclapply(seq_len(cores), function(core) {
    set.seed(1000 * seed + core)
    replicate(ceiling(draws / cores), {
      pair <- make()
      all_tests(pair[[1]], pair[[2]])
    })
  }, mc.cores = cores, mc.set.seed = FALSE)
  p <- do.call(cbind, blocks)
  out <- rowMeans(p < 0.05, na.rm = TRUE)
  out[rowMeans(is.na(p)) > 0.5] <- NA
  out
}

percent <- function(x) ifelse(is.na(x), "", formatC(100 * x, format = "f", digits = 1))
table_of <- function(columns) {
  tests <- names(columns[[1]])
  cells <- vapply(columns, function(one) percent(one[tests]), character(length(tests)))
  row <- function(cells) paste0("| ", paste(cells, collapse = " | "), " |")
  c(row(c("test", names(columns))), paste0("| :-- |", strrep(" --: |", length(columns))),
    vapply(seq_along(tests), function(i) row(c(tests[i], cells[i, ])), ""))
}

cells <- expand.grid(spans = c(5, 10, 30), N = c(20, 100, 500))
kinds <- expand.grid(uneven = c(FALSE, TRUE), skewed = c(FALSE, TRUE))
text <- c(
  "# Do the tests tell the truth?", "",
  sprintf("How often, in percent, a true null is rejected at 5 percent: `bench/size.R`, %s draws a cell (a", draws),
  sprintf("quarter with 500 entities), so that a rate of 5 is known to about %.1f either way. The model has two",
          196 * sqrt(0.05 * 0.95 / draws)),
  "regressors; entities have a level of their own, except in tests of pooled residuals and of whether there is one.",
  "Simulated p values take 99 draws. Empty: refused."
)
for (k in seq_len(nrow(kinds))) {
  columns <- lapply(seq_len(nrow(cells)), function(c) {
    cell <- cells[c, ]
    message(sprintf("kind %d of 4, N = %d, T = %d", k, cell$N, cell$spans))
    panel <- function(component) make_panel(cell$N, cell$spans, kinds$uneven[k], kinds$skewed[k], component)
    rates(function() list(panel(0), panel(1)), 10 * k + c, if (cell$N == 500) max(100, draws %/% 4) else draws)
  })
  names(columns) <- sprintf("N %d, T %d", cells$N, cells$spans)
  text <- c(text, "", sprintf("## %s, %s disturbances", if (kinds$uneven[k]) "Uneven, with gaps" else "Balanced",
                              if (kinds$skewed[k]) "skewed" else "normal"), "", table_of(columns))
}
# True nulls after other effects, under variances that differ between entities, rise over time, or triple in a period.
further_fits <- list(
  "one-way" = function(p) fit_fixed(y ~ x1 + x2, p),
  "own trends" = function(p) fit_fixed(y ~ x1 + x2, p, ~ id + id:trend(t)),
  "firms with movers" = function(p) fit_fixed(y ~ x1 + x2, p, ~ id + firm),
  "both" = function(p) fit_fixed(y ~ x1 + x2, p, "both"),
  "period dummies in the formula" = function(p) fit_fixed(y ~ x1 + x2 + factor(t), p),
  "own trends and periods" = function(p) fit_fixed(y ~ x1 + x2, p, ~ id + id:trend(t) + t),
  "firms with movers, and periods" = function(p) fit_fixed(y ~ x1 + x2, p, ~ id + firm + t),
  "region by period" = function(p) fit_fixed(y ~ x1 + x2, p, ~ id + region:t),
  "random, both" = function(p) fit_random(y ~ x1 + x2, p, "both", errors = classical)
)
further_spreads <- list(
  "one variance" = function(id, t) 1, "by entity" = function(id, t) exp(rnorm(max(id), sd = 0.5))[id],
  "rising" = function(id, t) 0.5 + 1.5 * t / max(t), "one period tripled" = function(id, t) ifelse(t == 3, 3, 1)
)
further_draws <- max(200, draws %/% 2)
# Periods differ in level where the fit takes that out.
without_periods <- c("one-way", "own trends", "firms with movers")
further_panel <- function(N, spans, spread, periods) {
  id <- rep(seq_len(N), each = spans)
  t <- rep(seq_len(spans), N)
  firm <- (id + (runif(N * spans) < 0.1) * sample(20, N * spans, TRUE)) %% max(4, N %/% 5)
  x1 <- rnorm(N * spans) + 0.5 * rnorm(N)[id]
  x2 <- rnorm(N * spans)
  y <- x1 - x2 + rnorm(N)[id] + periods * rnorm(spans)[t] + rnorm(N * spans) * spread(id, t)
  panel_frame(data.frame(id, t, firm, region = id %% 4, x1, x2, y), id, t)
}
further_tests <- function(fit, seed) {
  c("corrected" = p_of(test_serial(fit)), "differences" = p_of(test_serial(fit, "differences")),
    "within" = p_of(test_serial(fit, "within")),
    "Durbin-Watson" = p_of(test_serial(fit, "durbin-watson", draws = 99, seed = seed)),
    "cross-section, default" = p_of(test_cross_section(fit, seed = seed)))
}
further <- unlist(lapply(names(further_fits), function(name) {
  message("after ", name)
  unlist(lapply(list(c(20, 6), c(60, 6)), function(size) {
    columns <- lapply(further_spreads, function(spread) {
      blocks <- parallel::mclapply(seq_len(cores), function(core) {
        set.seed(77 * core + size[1])
        replicate(ceiling(further_draws / cores), {
          fit <- quiet(further_fits[[name]](further_panel(size[1], size[2], spread, !name %in% without_periods)))
          further_tests(fit, sample.int(1e6, 1))
        })
      }, mc.cores = cores, mc.set.seed = FALSE)
      p <- do.call(cbind, blocks)
      out <- rowMeans(p < 0.05, na.rm = TRUE)
      replace(out, rowMeans(is.na(p)) > 0.5, NA)
    })
    c("", sprintf("### %s, N %d, T %d", name, size[1], size[2]), "", table_of(columns))
  }))
}))
alternatives <- c("serial", "spread", "with x", "shocks", "related", "form")
power <- lapply(alternatives, function(alternative) {
  message("alternative: ", alternative)
  panel <- function(component) make_panel(100, 10, TRUE, FALSE, component, alternative)
  rates(function() list(panel(0), panel(1)), 100 + match(alternative, alternatives), draws)
})
names(power) <- alternatives
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
  table_of(power), "", readLines("bench/size-words.md")
)
writeLines(text, "docs/size.md")
