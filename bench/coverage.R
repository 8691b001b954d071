# Do errors hold their size? Rejection rates of true nulls at 5 percent on simulated panels, for each kind of errors:
# `Rscript bench/coverage.R [draws]` (2,000 by default; half an hour on two processors) writes docs/coverage.md and
# docs/coverage.png. A report, not a test.
suppressPackageStartupMessages({
  library(wavetax)
  library(ggplot2)
})
source("bench/tabulated.R")

draws <- as.integer(c(commandArgs(trailingOnly = TRUE), "2000")[1])

# G entities, which are the clusters, seen 10 times each, or from 2 to 60 times; regressors and disturbances
# correlated over time, the spread of disturbances differs between entities. Nothing acts on y.
cluster_design <- function(G, uneven, rho) {
  simulate_panel(G, if (uneven) pmax(2, round(60 * (seq_len(G) / G)^4)) else 10, slope = numeric(5), serial = rho,
                 spread = 0.4)
}
# 20 entities; with shocks half of the variance of all series is common to a period.
period_design <- function(periods, shocks, rho) {
  simulate_panel(20, periods, slope = numeric(2), serial = rho, shared = if (shocks) 0.5 else 0)
}

cluster_errors <- list(
  "HC1" = se_robust("HC1"), "CR1, t(G - 1)" = se_clustered(),
  "CR2, Satterthwaite" = se_clustered(type = "CR2", df = "satterthwaite"), "CR3, t(G - 1)" = se_clustered(type = "CR3"),
  "wild" = se_bootstrap(draws = 199), "pairs" = se_bootstrap(scheme = "pairs", draws = 199)
)
period_errors <- list(
  "clustered by entity" = se_clustered(), "by entity and period" = se_clustered(~ entity + period),
  "Newey-West" = se_newey_west(), "Driscoll-Kraay" = se_driscoll_kraay()
)

# One fixed effects fit under each kind of errors, with the tests of several coefficients that it takes.
under_each <- function(formula, errors, joint) {
  function(panel) {
    fit <- fit_fixed(formula, panel, errors = se_classical())
    lapply(errors, function(spec) {
      under <- with_errors(fit, spec)
      tests <- if (spec$kind != "bootstrap") lapply(joint, function(terms) taken(test_joint(under, terms)))
      c(list(one = under), Filter(Negate(is.null), tests))
    })
  }
}
by_clusters <- rates_of_cells(
  expand.grid(G = c(6, 10, 20, 50, 200), uneven = c(FALSE, TRUE), rho = c(0, 0.5, 0.9)), cluster_design,
  list(fixed = under_each(y ~ x1 + x2 + x3 + x4 + x5, cluster_errors, list(two = c("x1", "x2"), five = NULL))), draws
)
by_periods <- rates_of_cells(
  expand.grid(periods = c(5, 10, 30, 100), shocks = c(FALSE, TRUE), rho = c(0, 0.5, 0.9)), period_design,
  list(fixed = under_each(y ~ x1 + x2, period_errors, list(two = NULL))), draws
)

# "fixed, CR3, t(G - 1), two" is of the errors "CR3, t(G - 1)" and of "two" coefficients; of one the first is told.
parted <- function(rates) {
  rates <- rates[is.na(rates$term) | rates$term == "x1", ]
  rates$errors <- sub("^fixed, (.*), [a-z]+$", "\\1", rates$estimator)
  rates$of <- sub("^.*, ", "", rates$estimator)
  rates
}
by_clusters <- parted(by_clusters)
by_periods <- parted(by_periods)
by_clusters$uneven <- ifelse(by_clusters$uneven, "2 to 60 rows", "10 rows each")
by_periods$shocks <- ifelse(by_periods$shocks, "common", "none")
section <- function(title, rates, keys, headings, of) {
  c("", title, "", wide_table(rates[rates$of == of, ], keys, headings, "errors"))
}
cluster_keys <- c("G", "uneven", "rho")
period_keys <- c("periods", "shocks", "rho")
text <- c(
  "# Do standard errors hold their size?", "",
  sprintf("How often, in percent, a true null is rejected at 5 percent: `bench/coverage.R`, %s draws a cell,",
          format(draws, big.mark = ",")),
  sprintf("so that a rate of 5 is known to about %.1f either way. Fixed effects by entity; regressors and",
          196 * sqrt(0.05 * 0.95 / draws)),
  "disturbances have autocorrelation rho. Bootstraps have 199 draws. Ask it of your own design: `?monte_carlo`.", "",
  "![rejection rates](coverage.png)",
  section("## Clusters: one coefficient", by_clusters, cluster_keys, c("clusters", "sizes", "rho"), "one"),
  section("## Clusters: two coefficients together", by_clusters, cluster_keys, c("clusters", "sizes", "rho"), "two"),
  section("## Clusters: five coefficients together", by_clusters, cluster_keys, c("clusters", "sizes", "rho"), "five"),
  section("## Periods: one coefficient, 20 entities", by_periods, period_keys, c("periods", "shocks", "rho"), "one"),
  section("## Periods: two coefficients together", by_periods, period_keys, c("periods", "shocks", "rho"), "two"),
  "", readLines("bench/coverage-words.md")
)
writeLines(text, "docs/coverage.md")

shown <- by_clusters[by_clusters$errors != "pairs" & by_clusters$of == "one", ]
shown$panel <- paste("autocorrelation", shown$rho)
figure <- ggplot(shown, aes(G, 100 * rate, colour = errors)) +
  geom_hline(yintercept = 5, colour = "grey60") + geom_line() + geom_point() +
  facet_grid(uneven ~ panel) + scale_x_log10(breaks = unique(shown$G)) +
  scale_colour_viridis_d(end = 0.85) + coord_cartesian(ylim = c(0, 40)) +
  labs(x = "clusters", y = "rejected, percent (5 is right)", colour = NULL,
       title = "How often a true null is rejected at 5 percent") +
  theme_minimal(base_size = 13) + theme(legend.position = "bottom", panel.grid.minor = element_blank())
ggsave("docs/coverage.png", figure, width = 12.8, height = 8, dpi = 100, bg = "white")
