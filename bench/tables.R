# Seconds of a table of 12 fits with 60 terms each, in every format, and of figures on a million rows:
# `Rscript bench/tables.R`. Medians of three.
suppressPackageStartupMessages(library(wavetax))
took <- function(task) stats::median(replicate(3, system.time(task())[[3]]))
panel <- panel_frame(harbours, harbour, season)
fit <- fit_pooled(log(nights) ~ (levy + storms + fuel + pennant) * factor(season), panel)
fits <- stats::setNames(rep(list(fit), 12), paste("model", letters[1:12]))
table <- spec_table(fits)
cat(sprintf("spec_table()  %.2f\nprint         %.2f\n", took(function() spec_table(fits)),
            took(function() utils::capture.output(print(table)))))
for (ending in c("html", "tex", "md", "csv", "json", "xlsx", "docx")) {
  file <- tempfile(fileext = paste0(".", ending))
  cat(sprintf("%-13s %.2f\n", ending, took(function() write_table(table, file))))
}
set.seed(1)
large <- data.frame(id = rep(seq_len(1e5), each = 10), t = rep(1:10, 1e5), x = stats::rnorm(1e6))
large$y <- large$x + stats::rnorm(1e5)[large$id] + stats::rnorm(1e6)
large <- panel_frame(large, id, t)
fixed <- fit_fixed(y ~ x, large)
file <- tempfile(fileext = ".png")
figures <- list(
  within = function() plot_within(y ~ x, large), effects = function() plot_effects(fixed),
  estimates = function() plot_estimates(fixed), residuals = function() plot_residuals(fixed),
  presence = function() plot_presence(large), paths = function() plot_paths(large, x)
)
for (name in names(figures)) cat(sprintf("%-13s %.2f\n", name, took(function() save_figure(figures[[name]](), file))))
