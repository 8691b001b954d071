# How often tests of instrumented fits reject what is true, on simulated panels: `Rscript bench/instruments.R [draws]`
# (1000 by default; a quarter of an hour on two processors) writes docs/instruments.md. A report, not a test.
suppressPackageStartupMessages(library(wavetax))

source("bench/tabulated.R")

draws <- as.integer(c(commandArgs(trailingOnly = TRUE), "1000")[1])

# y = q + u_i + e, q = pi (z1 + ... + zl) + v; e and v correlated by `answer`, all with autocorrelation .7, spreads that
# differ between entities; `strength` is about the effective F; where uneven a fifth is missing.
instrument_design <- function(N, P, l, strength, answer = 0.6, uneven = FALSE) {
  series <- function() {
    x <- matrix(rnorm(P * N), P)
    for (t in seq_len(P)[-1]) x[t, ] <- 0.7 * x[t - 1, ] + sqrt(1 - 0.49) * x[t, ]
    as.vector(x)
  }
  function() {
    own <- rep(exp(0.4 * rnorm(N)), each = P)
    v <- series() * own
    e <- answer * v + sqrt(1 - answer^2) * series() * own
    Z <- matrix(replicate(l, series()), N * P)
    # What is left within an entity of a series, and what its products with another one have.
    apart <- diag(P) - 1 / P
    within <- apart %*% 0.7^abs(outer(seq_len(P), seq_len(P), "-")) %*% apart
    pi <- sqrt(strength * mean(own^2) * sum(within^2) / (N * sum(diag(within))^2))
    data <- data.frame(id = rep(seq_len(N), each = P), t = rep(seq_len(P), N), z = Z)
    names(data)[-(1:2)] <- paste0("z", seq_len(l))
    data$q <- pi * rowSums(Z) + v
    data$y <- data$q + rep(rnorm(N), each = P) + e
    if (uneven) data <- data[runif(nrow(data)) > 0.2, ]
    panel_frame(data, id, t)
  }
}

instrumented <- function(panel) {
  by <- stats::as.formula(paste("~", paste(grep("^z", names(panel), value = TRUE), collapse = " + ")))
  fit_instrumented(y ~ q, panel, ~ q, by)
}
holds <- function(set) any(set$low <= 1 & 1 <= set$high)
few <- function(panel) length(unique(panel$id)) == 20 && max(panel$t) == 5

# Fits by name, whose sizes are told, and shares.
try_panel <- function(panel) {
  fit <- instrumented(panel)
  strength <- test_strength(fit)
  fits <- list(
    least_squares = fit_fixed(y ~ q, panel), classical = with_errors(fit, se_classical()), cr1 = fit,
    cr3 = with_errors(fit, se_clustered(type = "CR3")),
    share = c(set = !holds(confint(fit, "q", method = "anderson-rubin")), effective = unname(strength$statistic),
              called_strong = strength$p.value < 0.05)
  )
  if (few(panel)) fits$wild <- with_errors(fit, se_bootstrap(draws = 199))
  if (!"z2" %in% names(panel)) return(fits)
  moments <- update(fit, method = "gmm")
  c(fits, list(liml = update(fit, method = "liml"), gmm = moments,
               gmm_cr3 = with_errors(moments, se_clustered(type = "CR3")), J = test_overidentification(fit)))
}
kinds <- c("least_squares", "classical", "cr1", "cr3", "wild", "set", "called_strong", "liml", "gmm", "gmm_cr3", "J")

# Sizes by kind of one design, and the median of the effective F.
sizes_of <- function(design, seed) {
  found <- monte_carlo(design, list(t = try_panel), draws = draws, seed = seed, cores = cores,
                       truth = c(q = 1, set = 0, effective = 0, called_strong = 0))
  table <- found$table
  kind <- ifelse(table$estimator == "t, share", table$term, sub("^t, ", "", table$estimator))
  rate <- ifelse(is.na(table$term), table$rejected, ifelse(table$term == "q", table$size, table$mean))
  effective <- found$draws$estimate[found$draws$term %in% "effective"]
  c(stats::setNames(rate[match(kinds, kind)], kinds), median_f = stats::median(effective))
}

cells <- expand.grid(N = c(20, 50, 200), P = c(5, 20), l = c(1, 3), strength = c(3, 30), uneven = FALSE)
cells <- rbind(cells, expand.grid(N = 50, P = 5, l = c(1, 3), strength = c(3, 30), uneven = TRUE))
sizes <- do.call(rbind, lapply(seq_len(nrow(cells)), function(i) {
  message(sprintf("%d of %d", i, nrow(cells)))
  cell <- cells[i, ]
  design <- instrument_design(cell$N, cell$P, cell$l, cell$strength, uneven = cell$uneven)
  data.frame(cell, t(sizes_of(design, i)), row.names = NULL)
}))

# The test of endogeneity where nothing answers back.
exogenous_cells <- expand.grid(N = c(20, 50, 200), P = c(5, 20), l = c(1, 3))
exogenous <- do.call(rbind, lapply(seq_len(nrow(exogenous_cells)), function(i) {
  cell <- exogenous_cells[i, ]
  message(sprintf("exogenous: %d of %d", i, nrow(exogenous_cells)))
  under <- list(cr3 = se_clustered(), both = se_clustered(~ id + t), classical = se_classical())
  found <- monte_carlo(instrument_design(cell$N, cell$P, cell$l, 30, answer = 0), list(t = function(panel) {
    fit <- instrumented(panel)
    lapply(under, function(spec) test_endogeneity(with_errors(fit, spec)))
  }), draws = draws, seed = 500 + i, cores = cores)$table
  data.frame(cell, t(stats::setNames(found$rejected, sub("^t, ", "", found$estimator))), row.names = NULL)
}))

percent0 <- function(x) percent(x, 0)
lines <- c(
  "# How often instrumented fits reject what is true", "",
  sprintf("`bench/instruments.R`, %d draws a cell, in percent at 5: a size of 5 is known to about %s either way.",
          draws, formatC(196 * sqrt(0.95 * 0.05 / draws), format = "f", digits = 1)),
  "One regressor answers to the outcome (correlation .6) and is instrumented by l variables; effects of N entities are",
  "swept out, T periods; disturbances and instruments have autocorrelation .7 and entities spreads of their own.",
  "Errors are clustered by entity but in the column classical.", "",
  "## The slope, the set and over-identification", "",
  markdown(with(sizes, list(
    N, P, l, formatC(median_f, format = "f", digits = 1), ifelse(uneven, "a fifth missing", "even"),
    percent0(called_strong), percent0(least_squares), percent0(classical), percent0(cr1), percent0(cr3), percent0(wild),
    percent0(liml), percent0(gmm), percent0(gmm_cr3), percent0(set), percent0(J)
  )), c("N", "T", "l", "median effective F", "rows", "called strong", "least squares", "classical", "CR1", "CR3",
        "wild", "limited information, CR1", "moments, CR1", "moments, CR3", "Anderson-Rubin", "over-identification")),
  "",
  "Least squares is biased, and rejects the truth the oftener the more rows there are. Where instruments are weak CR1",
  "rejects too often with several of them, CR3, the wild bootstrap and limited information less; the set keeps its",
  "size whatever the strength.", "",
  "## Endogeneity, where nothing answers back", "",
  "Instruments of an effective F of about 30.", "",
  markdown(with(exogenous, list(N, P, l, percent0(cr3), percent0(both), percent0(classical))),
           c("N", "T", "l", "CR3", "clustered by entity and period, CR1", "classical"))
)
writeLines(lines, "docs/instruments.md")
