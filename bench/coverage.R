# Do errors hold their size? Rejection rates of true nulls at 5 percent on simulated panels, for each kind of errors:
# `Rscript bench/coverage.R [draws]` (2,000 by default; half an hour on two processors) writes docs/coverage.md and
# docs/coverage.png. A report, not a test.
suppressPackageStartupMessages({
  library(wavetax)
  library(ggplot2)
})

draws <- as.integer(c(commandArgs(trailingOnly = TRUE), "2000")[1])
cores <- if (.Platform$OS.type == "unix") parallel::detectCores() else 1L

# A stationary series of variance 1 for each column.
autoregressive <- function(length, columns, rho) {
  x <- matrix(rnorm(length * columns), length)
  for (t in seq_len(length)[-1]) x[t, ] <- rho * x[t - 1, ] + sqrt(1 - rho^2) * x[t, ]
  x
}

# G entities, which are the clusters, seen 10 times each, or from 2 to 60 times; regressors and disturbances
# correlated over time, disturbances twice as wide in every third entity.
cluster_panel <- function(G, uneven, rho) {
  sizes <- if (uneven) pmax(2, round(60 * (seq_len(G) / G)^4)) else rep(10, G)
  longest <- max(sizes)
  of <- function() as.vector(autoregressive(longest, G, rho))
  seen <- as.vector(outer(seq_len(longest), sizes, `<=`))
  data <- data.frame(
    id = rep(seq_len(G), each = longest), t = rep(seq_len(longest), G),
    y = of() * (1 + rep(seq_len(G) %% 3 == 0, each = longest)), x1 = of(), x2 = of(), x3 = of(), x4 = of(), x5 = of()
  )
  panel_frame(data[seen, ], id, t)
}

# 20 entities; with `shocks` half of the variance of all series is common to a period.
period_panel <- function(periods, shocks, rho) {
  entities <- 20
  of <- function() {
    common <- rep(autoregressive(periods, 1, rho), entities)
    own <- as.vector(autoregressive(periods, entities, rho))
    if (shocks) sqrt(0.5) * (common + own) else own
  }
  data <- data.frame(id = rep(seq_len(entities), each = periods), t = rep(seq_len(periods), entities), y = of(),
                     x1 = of(), x2 = of())
  panel_frame(data, id, t)
}

p_single <- function(fit) as.data.frame(fit)$p_value[1]
p_joint <- function(fit, terms) {
  tryCatch(test_joint(fit, terms)$p.value, wavetax_error = function(cnd) NA_real_)
}

cluster_errors <- list(
  "HC1" = se_robust("HC1"), "CR1, t(G - 1)" = se_clustered(),
  "CR2, Satterthwaite" = se_clustered(type = "CR2", df = "satterthwaite"), "CR3, t(G - 1)" = se_clustered(type = "CR3"),
  "wild" = se_bootstrap(draws = 199), "pairs" = se_bootstrap(scheme = "pairs", draws = 199)
)
period_errors <- list(
  "clustered by entity" = se_clustered(), "by entity and period" = se_clustered(~ id + t),
  "Newey-West" = se_newey_west(), "Driscoll-Kraay" = se_driscoll_kraay()
)

# p values of one panel: a row a kind of errors.
try_clusters <- function(panel) {
  fit <- suppressWarnings(fit_fixed(y ~ x1 + x2 + x3 + x4 + x5, panel, errors = se_classical()))
  t(vapply(cluster_errors, function(spec) {
    under <- with_errors(fit, spec)
    joint <- !spec$kind %in% c("bootstrap")
    c(single = p_single(under), two = if (joint) p_joint(under, c("x1", "x2")) else NA,
      five = if (joint) p_joint(under, NULL) else NA)
  }, numeric(3)))
}
try_periods <- function(panel) {
  fit <- fit_fixed(y ~ x1 + x2, panel, errors = se_classical())
  t(vapply(period_errors, function(spec) {
    under <- with_errors(fit, spec)
    c(single = p_single(under), two = p_joint(under, NULL), five = NA)
  }, numeric(3)))
}

rates <- function(make, try, seed) {
  blocks <- parallel::mclapply(seq_len(cores), function(core) {
    set.seed(1000 * seed + core)
    replicate(ceiling(draws / cores), try(make()), simplify = FALSE)
  }, mc.cores = cores, mc.set.seed = FALSE)
  p <- simplify2array(unlist(blocks, recursive = FALSE))
  out <- apply(p < 0.05, 1:2, mean, na.rm = TRUE)
  out[apply(is.na(p), 1:2, mean) > 0.5] <- NA
  data.frame(errors = rownames(out), out)
}

clusters <- expand.grid(G = c(6, 10, 20, 50, 200), uneven = c(FALSE, TRUE), rho = c(0, 0.5, 0.9))
by_clusters <- do.call(rbind, lapply(seq_len(nrow(clusters)), function(i) {
  cell <- clusters[i, ]
  message(sprintf("%d of %d cells of clusters", i, nrow(clusters)))
  cbind(cell, rates(function() cluster_panel(cell$G, cell$uneven, cell$rho), try_clusters, i), row.names = NULL)
}))
periods <- expand.grid(periods = c(5, 10, 30, 100), shocks = c(FALSE, TRUE), rho = c(0, 0.5, 0.9))
by_periods <- do.call(rbind, lapply(seq_len(nrow(periods)), function(i) {
  cell <- periods[i, ]
  message(sprintf("%d of %d cells of periods", i, nrow(periods)))
  make <- function() period_panel(cell$periods, cell$shocks, cell$rho)
  cbind(cell, rates(make, try_periods, 100 + i), row.names = NULL)
}))

percent <- function(x) ifelse(is.na(x), "", formatC(100 * x, format = "f", digits = 1))
markdown <- function(table, headings) {
  c(paste0("| ", paste(headings, collapse = " | "), " |"), paste0("|", strrep(" --: |", length(headings))),
    do.call(paste, c(list("|"), lapply(table, function(x) paste(x, "|")))))
}
wide <- function(data, keys, what) {
  kinds <- unique(data$errors)
  first <- data[data$errors == kinds[1], keys]
  for (kind in kinds) first[[kind]] <- percent(data[[what]][data$errors == kind])
  first
}
worded <- function(data, flag, words) {
  data[[flag]] <- ifelse(data[[flag]], words[2], words[1])
  data
}
by_clusters <- worded(by_clusters, "uneven", c("10 rows each", "2 to 60 rows"))
by_periods <- worded(by_periods, "shocks", c("none", "common"))
section <- function(title, data, keys, headings, what) {
  table <- wide(data, keys, what)
  table <- table[rowSums(table[-seq_along(keys)] != "") > 0, , drop = FALSE]
  table <- table[, colSums(table != "") > 0, drop = FALSE]
  c("", title, "", markdown(table, c(headings, names(table)[-seq_along(keys)])))
}
cluster_keys <- c("G", "uneven", "rho")
period_keys <- c("periods", "shocks", "rho")
text <- c(
  "# Do standard errors hold their size?", "",
  sprintf("How often, in percent, a true null is rejected at 5 percent: `bench/coverage.R`, %s draws a cell,",
          format(draws, big.mark = ",")),
  sprintf("so that a rate of 5 is known to about %.1f either way. Fixed effects by entity; regressors and",
          196 * sqrt(0.05 * 0.95 / draws)),
  "disturbances have autocorrelation rho. Bootstraps have 199 draws.", "", "![rejection rates](coverage.png)",
  section("## Clusters: one coefficient", by_clusters, cluster_keys, c("clusters", "sizes", "rho"), "single"),
  section("## Clusters: two coefficients together", by_clusters, cluster_keys, c("clusters", "sizes", "rho"), "two"),
  section("## Clusters: five coefficients together", by_clusters, cluster_keys, c("clusters", "sizes", "rho"), "five"),
  section("## Periods: one coefficient, 20 entities", by_periods, period_keys, c("periods", "shocks", "rho"), "single"),
  section("## Periods: two coefficients together", by_periods, period_keys, c("periods", "shocks", "rho"), "two"),
  "", readLines("bench/coverage-words.md")
)
writeLines(text, "docs/coverage.md")

shown <- by_clusters[by_clusters$errors != "pairs", ]
shown$panel <- paste("autocorrelation", shown$rho)
figure <- ggplot(shown, aes(G, 100 * single, colour = errors)) +
  geom_hline(yintercept = 5, colour = "grey60") + geom_line() + geom_point() +
  facet_grid(uneven ~ panel) + scale_x_log10(breaks = unique(shown$G)) +
  scale_colour_viridis_d(end = 0.85) + coord_cartesian(ylim = c(0, 40)) +
  labs(x = "clusters", y = "rejected, percent (5 is right)", colour = NULL,
       title = "How often a true null is rejected at 5 percent") +
  theme_minimal(base_size = 13) + theme(legend.position = "bottom", panel.grid.minor = element_blank())
ggsave("docs/coverage.png", figure, width = 12.8, height = 8, dpi = 100, bg = "white")
