# What instruments cost beside the plain fixed effects fit of the same formula, on the same rows in one run: `Rscript
# bench/instrument-speed.R [rows]` (1e7 by default). k = 3, one of them endogenous, two instruments, entities of ten.
# And what memory and the sums by cluster allow: the same as bare loops.
Sys.setenv(PKG_CXXFLAGS = "-O3 -pthread", PKG_LIBS = "-pthread")
suppressPackageStartupMessages(library(wavetax))
Rcpp::sourceCpp("bench/instruments.cpp")
rows <- as.double(c(commandArgs(trailingOnly = TRUE), "1e7")[1])
set.seed(1)
entities <- rows / 10
panel <- data.frame(id = rep(seq_len(entities), each = 10), year = rep(1:10, entities), x1 = rnorm(rows),
                    x2 = rnorm(rows), z1 = rnorm(rows), z2 = rnorm(rows))
shared <- rnorm(rows)
panel$q <- panel$z1 + 0.5 * panel$z2 + shared + rnorm(rows)
panel$y <- panel$x1 + panel$q + shared + rnorm(rows)
rm(shared)
panel <- panel_frame(panel, id, year)
invisible(gc())
seconds <- function(expr) system.time(expr)[["elapsed"]]
least <- function(f, times = 5) min(vapply(seq_len(times), function(i) seconds(f()), 0))
plain <- least(function() fit_fixed(y ~ x1 + x2 + q, panel))
fits <- new.env()
made <- function(method) {
  function() fits[[method]] <- fit_instrumented(y ~ x1 + x2 + q, panel, ~ q, ~ z1 + z2, method = method)
}
fit <- NULL
line <- function(what, time, most) cat(sprintf("| %s | %.2f s | %.2f | %s |\n", what, time, time / plain, most))
cat(sprintf("| %.0e rows, the plain fit %.2f s | seconds | times | at most |\n", rows, plain))
cat("| :-- | --: | --: | --: |\n")
two <- least(made("2sls"))
line("two stages, clustered", two, "")
fit <- fits[["2sls"]]
strength <- least(function() test_strength(fit))
line("its strength", strength, "")
line("both", two + strength, "2")
line("limited information, clustered", least(made("liml")), "no more")
line("moments, clustered, less two stages", least(made("gmm")) - two, "0.4 more")
line("over-identification", least(function() test_overidentification(fit)), "0.3")
line("endogeneity", least(function() test_endogeneity(fit)), "0.3")
line("Anderson and Rubin's set", least(function() confint(fit, "q", method = "anderson-rubin")), "0.3")
line("CR3, clusters of ten rows", least(function() with_errors(fit, se_clustered(type = "CR3")), 3), "3")
columns <- as.list(panel)[c("x1", "x2", "z1", "z2", "q", "y")]
for (loop in c("scores", "products", "solved")) {
  line(sprintf("bare loop: %s", loop), least(function() bare_instruments(columns, 10L, loop)), "")
}
