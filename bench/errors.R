# Covariances of the coefficients beside the fit they belong to, in one run: `Rscript bench/errors.R`. Each kind and the
# fit in turn, three times after one that is not counted: medians, and the median of the ratios.
suppressPackageStartupMessages(library(wavetax))

source("bench/turns.R")
panel_of <- function(entities, periods, seed = 1) {
  set.seed(seed)
  n <- entities * periods
  data <- data.frame(id = rep(seq_len(entities), each = periods), t = rep(seq_len(periods), entities),
                     x1 = rnorm(n), x2 = rnorm(n), x3 = rnorm(n))
  data$y <- data$x1 - data$x2 + rnorm(n)
  panel_frame(data, id, t)
}
eq <- y ~ x1 + x2 + x3

cat("| errors | they | the fit | ratio | at most |\n| :-- | --: | --: | --: | --: |\n")
panel <- panel_of(1e6, 10)
one <- function() fit_fixed(eq, panel, errors = se_classical())
fit <- one()
under <- function(...) function() suppressWarnings(with_errors(fit, ...))
in_turn("1e7 rows, entity effects: clustered by entity", under(se_clustered()), one, "0.3")
in_turn("clustered by entity and period", under(se_clustered(~ id + t)), one, "0.8")
in_turn("HC1", under(se_robust("HC1")), one, "0.2")
in_turn("HC3", under(se_robust("HC3")), one, "0.4")
in_turn("Driscoll-Kraay", under(se_driscoll_kraay()), one, "0.4")
two <- function() fit_fixed(eq, panel, "both", errors = se_classical())
fit <- two()
in_turn("1e7 rows, effects of both: clustered by entity", under(se_clustered()), two, "")
in_turn("HC3", under(se_robust("HC3")), two, "3")
rm(panel, fit)
panel <- panel_of(1e5, 10)
fit <- one()
in_turn("1e6 rows, 1e5 clusters of 10: CR2 with Satterthwaite's df",
        under(se_clustered(type = "CR2", df = "satterthwaite")),
        one, "5", 7)

set.seed(2)
data <- data.frame(g = rep_len(1:50, 1e5), y = rnorm(1e5))
for (name in paste0("x", 1:5)) data[[name]] <- rnorm(1e5)
drawn <- y ~ x1 + x2 + x3 + x4 + x5
pooled <- function() fit_pooled(drawn, data, errors = se_classical())
fit <- pooled()
scores <- matrix(rnorm(5e5), 1e5)
draws <- function() with_errors(fit, se_bootstrap(~g, draws = 9999))
at_most <- 3 * median(replicate(5, seconds(pooled))) + 20 * median(replicate(5, seconds(function() crossprod(scores))))
took <- median(replicate(5, seconds(draws)))
cat(sprintf("| wild bootstrap, 9,999 draws, 1e5 rows, 50 clusters, 5 coefficients | %.2f s | | | 2 s, and %.2f s |\n",
            took,
            at_most))
