# What the remedies for misbehaving disturbances give and cost: bias of rho, spread of slopes, coverage of 95 percent
# intervals, on simulated panels: `Rscript bench/remedies.R [draws]` (400 by default; half an hour on two
# processors) writes docs/remedies.md and docs/remedies.png. A report, not a test.
suppressPackageStartupMessages({
  library(wavetax)
  library(ggplot2)
})

draws <- as.integer(c(commandArgs(trailingOnly = TRUE), "400")[1])
cores <- if (.Platform$OS.type == "unix") parallel::detectCores() else 1L

# A stationary series of variance 1 for each column.
autoregressive <- function(length, columns, rho) {
  x <- matrix(rnorm(length * columns), length)
  for (t in seq_len(length)[-1]) x[t, ] <- rho * x[t - 1, ] + sqrt(1 - rho^2) * x[t, ]
  x
}

# y = x + u_i + e_it: x persistent (.7), e with autocorrelation rho, a share `shocks` of both common to the period, the
# spread of e the exponent of `spread` times a normal number by entity; a fifth missing where gappy.
remedy_panel <- function(N, P, rho = 0, gappy = FALSE, sigma2_u = 0.25, spread = 0, shocks = 0) {
  mixed <- function(rho) {
    sqrt(1 - shocks) * autoregressive(P, N, rho) + sqrt(shocks) * as.vector(autoregressive(P, 1, rho))
  }
  data <- data.frame(id = rep(seq_len(N), each = P), t = rep(seq_len(P), N))
  data$x <- as.vector(mixed(0.7))
  own <- exp(spread * rnorm(N))
  data$y <- data$x + rep(rnorm(N, sd = sqrt(sigma2_u)), each = P) + as.vector(mixed(rho)) * rep(own, each = P)
  if (gappy) data <- data[runif(nrow(data)) > 0.2, ]
  panel_frame(data, id, t)
}

covers <- function(fit) {
  ends <- as.data.frame(fit)
  ends <- ends[ends$term == "x", ]
  ends$low < 1 && 1 < ends$high
}
slope <- function(fit) unname(coef(fit)["x"])
quiet <- function(expr) tryCatch(suppressWarnings(expr), wavetax_error = function(cnd) NULL)

# Rows of numbers over draws, those left out whose fit is refused.
simulate_cell <- function(make, try, seed) {
  blocks <- parallel::mclapply(seq_len(cores), function(core) {
    set.seed(1000 * seed + core)
    replicate(ceiling(draws / cores), tryCatch(try(make()), error = function(cnd) NULL), simplify = FALSE)
  }, mc.cores = cores, mc.set.seed = FALSE)
  do.call(rbind, Filter(Negate(is.null), unlist(blocks, recursive = FALSE)))
}
cells_of <- function(cells, seed, make, try, tell) {
  do.call(rbind, lapply(seq_len(nrow(cells)), function(i) {
    message(sprintf("%s: %d of %d", tell, i, nrow(cells)))
    cell <- cells[i, , drop = FALSE]
    found <- simulate_cell(function() make(cell), try, seed + i)
    mean_of <- colMeans(found, na.rm = TRUE)
    sd_of <- apply(found[, startsWith(colnames(found), "b_"), drop = FALSE], 2, sd, na.rm = TRUE)
    names(sd_of) <- sub("^b_", "sd_", names(sd_of))
    data.frame(cell, as.list(c(mean_of, sd_of)), taken = nrow(found) / (cores * ceiling(draws / cores)),
               row.names = NULL)
  }))
}

# 1. AR(1) with fixed effects.
try_fixed <- function(panel) {
  plain <- fit_fixed(y ~ x, panel)
  by <- function(...) quiet(fit_fixed(y ~ x, panel, serial = serial_ar1(...)))
  corrected <- by()
  c(corrected = corrected$serial$rho, regression = by("regression")$serial$rho,
    autocorrelation = by("autocorrelation")$serial$rho, b_plain = slope(plain), b_ar1 = slope(corrected),
    b_drop = slope(by(first = "drop")), plain_in = covers(plain), ar1_in = covers(corrected),
    low = corrected$serial$low, high = corrected$serial$high)
}
fixed_cells <- rbind(expand.grid(N = c(10, 50), P = c(5, 10, 20), rho = c(0, 0.4, 0.8), gappy = c(FALSE, TRUE)),
                     expand.grid(N = 200, P = 5, rho = c(0.4, 0.8), gappy = c(FALSE, TRUE)),
                     expand.grid(N = 10, P = 60, rho = c(0.4, 0.8), gappy = FALSE))
fixed <- do.call(rbind, lapply(seq_len(nrow(fixed_cells)), function(i) {
  message(sprintf("fixed: %d of %d", i, nrow(fixed_cells)))
  cell <- fixed_cells[i, ]
  found <- as.data.frame(simulate_cell(function() remedy_panel(cell$N, cell$P, cell$rho, cell$gappy), try_fixed, i))
  data.frame(cell, corrected = mean(found$corrected), regression = mean(found$regression),
             autocorrelation = mean(found$autocorrelation),
             rho_in = mean(found$low <= cell$rho & cell$rho <= found$high, na.rm = TRUE),
             spread = sd(found$b_ar1) / sd(found$b_plain), dropped = sd(found$b_drop) / sd(found$b_plain),
             plain_in = mean(found$plain_in), ar1_in = mean(found$ar1_in), row.names = NULL)
}))

# 2. Random effects with AR(1).
try_random <- function(panel) {
  plain <- quiet(fit_random(y ~ x, panel))
  with <- quiet(fit_random(y ~ x, panel, serial = "ar1"))
  c(plain_u = plain$variance$sigma2_u, ar1_u = with$variance$sigma2_u, none = with$variance$sigma2_u == 0,
    ar1_in = covers(with))
}
random <- cells_of(expand.grid(N = c(10, 50), P = c(5, 10, 20), rho = c(0.4, 0.8)), 200, function(cell) {
  remedy_panel(cell$N, cell$P, cell$rho)
}, try_random, "random")

# 3. A variance for each entity.
try_variances <- function(panel) {
  plain <- fit_fixed(y ~ x, panel)
  honest <- fit_gls(y ~ x, panel, variances = "entity", effects = "entity")
  textbook <- fit_gls(y ~ x, panel, variances = "entity", effects = "entity", adjust = FALSE)
  classical <- function(fit) covers(with_errors(fit, se_classical()))
  c(b_plain = slope(plain), b_gls = slope(honest), plain_in = covers(plain), textbook_in = classical(textbook),
    textbook_clustered_in = covers(textbook), honest_in = classical(honest), honest_clustered_in = covers(honest))
}
variances <- cells_of(expand.grid(P = c(5, 10, 20), spread = c(0, 0.6)), 300, function(cell) {
  remedy_panel(50, cell$P, spread = cell$spread)
}, try_variances, "variances")

# 4. Related across entities.
try_across <- function(panel) {
  plain <- fit_pooled(y ~ x, panel)
  honest <- quiet(fit_gls(y ~ x, panel, variances = "entity", across = TRUE))
  textbook <- quiet(fit_gls(y ~ x, panel, variances = "entity", across = TRUE, adjust = FALSE))
  ends <- function(fit) diff(unlist(confint(fit)["x", ]))
  corrected <- with_errors(plain, se_panel_corrected())
  c(b_plain = slope(plain), b_gls = slope(honest), corrected_in = covers(corrected), textbook_in = covers(textbook),
    honest_in = covers(honest), shorter = unname(ends(honest) / ends(corrected)))
}
across_cells <- rbind(expand.grid(P = c(15, 20, 30, 60), gappy = FALSE), expand.grid(P = c(40, 60), gappy = TRUE))
across <- cells_of(across_cells, 400, function(cell) {
  remedy_panel(10, cell$P, gappy = cell$gappy, sigma2_u = 0, spread = 0.5, shocks = 0.5)
}, try_across, "across")

# 5. Least squares with honest errors, under shared shocks and serial correlation.
try_errors <- function(panel) {
  fit <- fit_pooled(y ~ x, panel)
  ar1 <- quiet(fit_pooled(y ~ x, panel, serial = "ar1"))
  under <- function(fit, spec) covers(quiet(with_errors(fit, spec)))
  c(clustered = under(fit, se_clustered()), both = under(fit, se_clustered(~ id + t)),
    driscoll = under(fit, se_driscoll_kraay()), corrected = under(fit, se_panel_corrected()),
    ar1_corrected = under(ar1, se_panel_corrected()))
}
errors <- cells_of(expand.grid(N = c(10, 50), P = c(20, 40), rho = c(0, 0.4)), 500, function(cell) {
  remedy_panel(cell$N, cell$P, cell$rho, sigma2_u = 0, shocks = 0.5)
}, try_errors, "errors")

two <- function(x) formatC(x, format = "f", digits = 2)
percent <- function(x) formatC(100 * x, format = "f", digits = 0)
evenness <- function(gappy) ifelse(gappy, "a fifth missing", "even")
markdown <- function(table, headings) {
  c(paste0("| ", paste(headings, collapse = " | "), " |"), paste0("|", strrep(" --: |", length(headings))),
    do.call(paste, c(list("|"), lapply(table, function(x) paste(x, "|")))), "")
}
lines <- c(
  "# What the remedies give, and what they cost", "",
  sprintf("`bench/remedies.R`, %d draws a cell: a coverage of 95 is known to about %s either way.", draws,
          formatC(196 * sqrt(0.95 * 0.05 / draws), format = "f", digits = 1)),
  "The slope is 1; x is persistent (.7). Spreads are over those of the fit without the remedy; coverages are of",
  "intervals of 95 percent. See `?remedies` for what to make of it.", "",
  "![estimates of rho](remedies.png)", "",
  "## AR(1) with fixed effects", "",
  "What rho is estimated as, how often its interval holds it, and the slope; errors clustered by entity.", "",
  markdown(with(fixed, list(N, P, rho, evenness(gappy), two(corrected), two(autocorrelation), two(regression),
                            percent(rho_in), two(spread), two(dropped), percent(plain_in), percent(ar1_in))),
           c("N", "T", "rho", "rows", "corrected", "autocorrelation", "regression", "interval covers", "spread",
             "first rows dropped", "plain covers", "AR(1) covers")),
  "## AR(1) with random effects", "", "The variance between entities, .25, with and without AR(1).", "",
  markdown(with(random, list(N, P, rho, two(plain_u), two(ar1_u), percent(none), percent(ar1_in))),
           c("N", "T", "rho", "without", "with AR(1)", "set to 0, percent", "covers")),
  "## A variance for each entity", "",
  "50 entities, fixed effects; the logs of their spreads have the standard deviation named.", "",
  markdown(with(variances, list(P, spread, two(sd_gls / sd_plain), percent(plain_in), percent(textbook_in),
                                percent(textbook_clustered_in), percent(honest_in), percent(honest_clustered_in))),
           c("T", "log spread", "spread of slope", "least squares, clustered", "textbook", "textbook, clustered",
             "adjusted", "adjusted, clustered")),
  "## Entities related within periods", "",
  "10 entities, half of the variance of disturbances and regressor common to a period.", "",
  markdown(with(across, list(P, evenness(gappy), two(sd_gls / sd_plain), percent(corrected_in), percent(textbook_in),
                             percent(honest_in), two(shorter))),
           c("T", "rows", "spread of slope", "least squares, panel-corrected", "textbook", "adjusted",
             "length of intervals")),
  sprintf("With a fifth missing and 40 periods %s percent of the panels are refused: fewer periods are",
          percent(1 - across$taken[across$gappy & across$P == 40])),
  "complete than there are entities, and the likelihood of a covariance may then have no maximum.", "",
  "The last column has the length of adjusted intervals over those of least squares with panel-corrected errors.", "",
  "## Least squares with honest errors", "", "Pooled; half of all variance common to a period.", "",
  markdown(with(errors, list(N, P, rho, percent(clustered), percent(both), percent(driscoll), percent(corrected),
                             percent(ar1_corrected))),
           c("N", "T", "rho", "clustered by entity", "by both", "Driscoll-Kraay", "panel-corrected",
             "AR(1), panel-corrected"))
)
writeLines(lines[-length(lines)], "docs/remedies.md")

# rho as each method has it, and the spread of the slope beside that without AR(1).
series <- c(corrected = "rho, corrected", autocorrelation = "rho, autocorrelation", regression = "rho, regression",
            spread = "first rows kept", dropped = "first rows dropped")
some <- fixed[!fixed$gappy & fixed$rho > 0 & fixed$N < 200, ]
drawn <- do.call(rbind, lapply(names(series), function(name) {
  of_rho <- startsWith(series[[name]], "rho")
  data.frame(series = series[[name]], measure = if (of_rho) "mean estimate of rho" else "spread of the slope",
             periods = some$P, cell = sprintf("rho %s, %d entities", some$rho, some$N), value = some[[name]])
}))
drawn$series <- factor(drawn$series, series)
of_rho <- data.frame(measure = "mean estimate of rho", cell = sprintf("rho %s, %d entities", some$rho, some$N),
                     at = some$rho)
lines_at <- rbind(unique(of_rho), data.frame(measure = "spread of the slope", cell = unique(drawn$cell), at = 1))
figure <- ggplot(drawn, aes(periods, value, colour = series)) +
  geom_hline(data = lines_at, aes(yintercept = at), colour = "grey55") + geom_line() + geom_point(size = 2) +
  facet_grid(measure ~ cell, scales = "free_y") + scale_x_log10(breaks = c(5, 10, 20, 60)) +
  scale_colour_manual(values = c("#1b4965", "#c8553d", "#7a9e3f", "#1b4965", "#b08a3e")) +
  labs(x = "periods", y = NULL, colour = NULL, title = "AR(1) with fixed effects: what is estimated, and what it gives",
       subtitle = "Grey: the true rho; the spread of the slope without AR(1)") +
  theme_minimal(base_size = 13) + theme(legend.position = "bottom", panel.grid.minor = element_blank())
ggsave("docs/remedies.png", figure, width = 12.8, height = 8, dpi = 100, bg = "white")
