# How often tests of instrumented fits reject what is true, on simulated panels: `Rscript bench/instruments.R [draws]`
# (1000 by default; a quarter of an hour on two processors) writes docs/instruments.md. A report, not a test.
suppressPackageStartupMessages(library(wavetax))

draws <- as.integer(c(commandArgs(trailingOnly = TRUE), "1000")[1])
cores <- if (.Platform$OS.type == "unix") parallel::detectCores() else 1L

autoregressive <- function(length, columns, rho) {
  x <- matrix(rnorm(length * columns), length)
  for (t in seq_len(length)[-1]) x[t, ] <- rho * x[t - 1, ] + sqrt(1 - rho^2) * x[t, ]
  x
}

# y = q + u_i + e, q = pi (z1 + ... + zl) + v; e and v correlated by `answer`, all with autocorrelation .7, spreads that
# differ between entities; `strength` is about the effective F; where uneven a fifth is missing.
instrument_panel <- function(N, P, l, strength, answer = 0.6, uneven = FALSE) {
  own <- rep(exp(0.4 * rnorm(N)), each = P)
  series <- function() as.vector(autoregressive(P, N, 0.7))
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

p_of <- function(fit, spec = NULL) {
  if (!is.null(spec)) fit <- with_errors(fit, spec)
  row <- as.data.frame(fit)
  # The truth is 1; p of a wild bootstrap is of 0, so that its interval is asked.
  row <- row[row$term == "q", ]
  row$low > 1 || row$high < 1
}
holds <- function(set) any(set$low <= 1 & 1 <= set$high)

try_panel <- function(panel, l, few) {
  by <- stats::as.formula(paste("~", paste0("z", seq_len(l), collapse = " + ")))
  fit <- fit_instrumented(y ~ q, panel, ~ q, by)
  out <- c(
    least_squares = p_of(fit_fixed(y ~ q, panel)), classical = p_of(fit, se_classical()), cr1 = p_of(fit),
    cr3 = p_of(fit, se_clustered(type = "CR3")),
    wild = if (few) p_of(fit, se_bootstrap(draws = 199)) else NA,
    set = !holds(confint(fit, "q", method = "anderson-rubin")), effective = unname(test_strength(fit)$statistic),
    called_strong = test_strength(fit)$p.value < 0.05
  )
  if (l == 1) return(c(out, liml = NA, gmm = NA, gmm_cr3 = NA, J = NA))
  moments <- update(fit, method = "gmm")
  c(out, liml = p_of(update(fit, method = "liml")), gmm = p_of(moments),
    gmm_cr3 = p_of(moments, se_clustered(type = "CR3")), J = test_overidentification(fit)$p.value < 0.05)
}

simulate_cell <- function(make, try, seed) {
  blocks <- parallel::mclapply(seq_len(cores), function(core) {
    set.seed(1000 * seed + core)
    replicate(ceiling(draws / cores), tryCatch(try(make()), wavetax_error = function(cnd) NULL), simplify = FALSE)
  }, mc.cores = cores, mc.set.seed = FALSE)
  found <- do.call(rbind, Filter(Negate(is.null), unlist(blocks, recursive = FALSE)))
  c(colMeans(found), median_f = stats::median(found[, "effective"]))
}

cells <- expand.grid(N = c(20, 50, 200), P = c(5, 20), l = c(1, 3), strength = c(3, 30), uneven = FALSE)
cells <- rbind(cells, expand.grid(N = 50, P = 5, l = c(1, 3), strength = c(3, 30), uneven = TRUE))
sizes <- do.call(rbind, lapply(seq_len(nrow(cells)), function(i) {
  cell <- cells[i, ]
  message(sprintf("%d of %d", i, nrow(cells)))
  make <- function() instrument_panel(cell$N, cell$P, cell$l, cell$strength, uneven = cell$uneven)
  data.frame(cell, t(simulate_cell(make, function(panel) try_panel(panel, cell$l, cell$N == 20 && cell$P == 5), i)),
             row.names = NULL)
}))

# The test of endogeneity where nothing answers back.
exogenous_cells <- expand.grid(N = c(20, 50, 200), P = c(5, 20), l = c(1, 3))
exogenous <- do.call(rbind, lapply(seq_len(nrow(exogenous_cells)), function(i) {
  cell <- exogenous_cells[i, ]
  message(sprintf("exogenous: %d of %d", i, nrow(exogenous_cells)))
  by <- stats::as.formula(paste("~", paste0("z", seq_len(cell$l), collapse = " + ")))
  one <- function(panel) {
    fit <- fit_instrumented(y ~ q, panel, ~ q, by)
    under <- function(spec) test_endogeneity(with_errors(fit, spec))$p.value < 0.05
    c(cr3 = under(se_clustered()), both = under(se_clustered(~ id + t)), classical = under(se_classical()),
      effective = 0)
  }
  found <- simulate_cell(function() instrument_panel(cell$N, cell$P, cell$l, 30, answer = 0), one, 500 + i)
  data.frame(cell, t(found), row.names = NULL)
}))

percent <- function(x) ifelse(is.na(x), "", formatC(100 * x, format = "f", digits = 0))
markdown <- function(table, headings) {
  c(paste0("| ", paste(headings, collapse = " | "), " |"), paste0("|", strrep(" --: |", length(headings))),
    do.call(paste, c(list("|"), lapply(table, function(x) paste(x, "|")))), "")
}
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
    percent(called_strong), percent(least_squares), percent(classical), percent(cr1), percent(cr3), percent(wild),
    percent(liml), percent(gmm), percent(gmm_cr3), percent(set), percent(J)
  )), c("N", "T", "l", "median effective F", "rows", "called strong", "least squares", "classical", "CR1", "CR3",
        "wild", "limited information, CR1", "moments, CR1", "moments, CR3", "Anderson-Rubin", "over-identification")),
  "Least squares is biased, and rejects the truth the oftener the more rows there are. Where instruments are weak CR1",
  "rejects too often with several of them, CR3, the wild bootstrap and limited information less; the set keeps its",
  "size whatever the strength.", "",
  "## Endogeneity, where nothing answers back", "",
  "Instruments of an effective F of about 30.", "",
  markdown(with(exogenous, list(N, P, l, percent(cr3), percent(both), percent(classical))),
           c("N", "T", "l", "CR3", "clustered by entity and period, CR1", "classical"))
)
writeLines(lines[-length(lines)], "docs/instruments.md")
