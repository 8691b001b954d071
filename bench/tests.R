# Tests and guidance beside what they are measured against, in one run: `Rscript bench/tests.R`. Medians of some rounds,
# in turn.
suppressPackageStartupMessages(library(wavetax))

source("bench/turns.R")

cat("| measured | ours | beside | ratio | at most |\n| :-- | --: | --: | --: | --: |\n")
set.seed(1)
n <- 1e6
data <- data.frame(id = rep(seq_len(1e5), each = 10), t = rep(1:10, 1e5), x1 = rnorm(n), x2 = rnorm(n), x3 = rnorm(n))
data$y <- data$x1 - data$x2 + rnorm(n)
panel <- panel_frame(data, id, t)
eq <- y ~ x1 + x2 + x3
in_turn("appraise(), 1e6 rows, 1e5 entities, against one fixed effects fit", function() appraise(eq, panel),
        function() fit_fixed(eq, panel), "25", 5)
long <- data.frame(id = rep(1:2000, each = 50), t = rep(1:50, 2000), x = rnorm(1e5), y = rnorm(1e5))
pooled <- fit_pooled(y ~ x, panel_frame(long, id, t))
residuals <- matrix(residuals(pooled), 50)
in_turn("test_cross_section(), 2,000 entities by 50 periods, against cor()", function() test_cross_section(pooled),
        function() stats::cor(residuals), "3", 5)
small <- panel_frame(harbours[harbours$coast == "Ember", ], harbour, season)
fixed <- fit_fixed(log(nights) ~ levy + storms + fuel, small)
took <- stats::median(replicate(5, seconds(function() diagnose(fixed))))
cat(sprintf("| diagnose(), %d rows | %.3f s | | | 0.3 s |\n", nobs(fixed), took))
