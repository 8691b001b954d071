# What R's own generics answer of results that are shown whole: summary() is the result itself; plot() draws it where
# there is a figure, and else says which function draws it.

#' @export
summary.panel_test <- function(object, ...) object

#' @export
summary.spec_table <- function(object, ...) object

#' @export
summary.appraisal <- function(object, ...) object

#' @export
summary.diagnosis <- function(object, ...) object

#' @export
summary.influence <- function(object, ...) object

#' @export
summary.in_words <- function(object, ...) object

#' @export
summary.panel_shape <- function(object, ...) object

#' @export
summary.panel_variation <- function(object, ...) object

#' @export
summary.effect_levels <- function(object, ...) object

#' @export
summary.variance_parts <- function(object, ...) object

#' @export
summary.fit_figures <- function(object, ...) object

#' @export
summary.errors_comparison <- function(object, ...) object

#' @export
summary.collinearity <- function(object, ...) object

#' @export
summary.panel_problems <- function(object, ...) object

#' @export
summary.panel_table <- function(object, ...) object

#' @export
summary.fit_record <- function(object, ...) object

stop_no_plot <- function(what, todo) {
  stop_wavetax("no_plot", sprintf("%s has no figure of its own.", what), todo = todo)
}

#' @export
plot.spec_table <- function(x, ...) {
  check_whole_spec(x)
  plot_estimates(x$records, ...)
}

#' @export
plot.panel_test <- function(x, ...) {
  stop_no_plot("A test", "`plot_residuals(fit)` draws what tests of residuals look at.")
}

#' @export
plot.panel_shape <- function(x, ...) {
  stop_no_plot("The shape of a panel", "`plot_presence(panel)` draws who is seen when.")
}

#' @export
plot.panel_variation <- function(x, ...) {
  stop_no_plot("This description", "`plot_paths(panel, variable)` draws a variable over time.")
}

#' @export
plot.panel_problems <- function(x, ...) {
  stop_no_plot("A list of findings", "`plot_presence(panel)` draws gaps; `panel_repair()` mends.")
}

#' @export
plot.effect_levels <- function(x, ...) stop_no_plot("A list of effects", "`plot_effects(fit)` draws them.")

#' @export
plot.diagnosis <- function(x, ...) stop_no_plot("A diagnosis", "`plot_residuals(fit)` draws what its tests look at.")

#' @export
plot.fit_figures <- function(x, ...) stop_no_plot("A list of figures of fit", "`plot_residuals(fit)` draws the fit.")

#' @export
plot.panel_table <- function(x, ...) stop_no_plot("A table", "`plot_estimates(fits)` draws estimates.")

#' @export
plot.in_words <- function(x, ...) stop_no_plot("A list of sentences", "`plot_estimates(fit)` draws what they say.")

#' @export
plot.errors_comparison <- function(x, ...) {
  stop_no_plot("A comparison of errors", "`plot_estimates(list(a = fit, b = with_errors(fit, ...)))` draws intervals.")
}

#' @export
plot.panel_fit_summary <- function(x, ...) plot_estimates(x$fit, ...)

#' @export
as.data.frame.panel_fit_summary <- function(x, row.names = NULL, optional = FALSE, ...) as.data.frame(x$fit, ...)

#' @export
as.data.frame.appraisal <- function(x, row.names = NULL, optional = FALSE, ...) x$choices

#' @export
as.data.frame.panel_table <- function(x, row.names = NULL, optional = FALSE, ...) printed_cells(x)
