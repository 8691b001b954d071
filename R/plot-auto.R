# What ggplot2's autoplot() draws.

#' @rawNamespace S3method(ggplot2::autoplot, panel_fit)
autoplot.panel_fit <- function(object, ...) plot_estimates(object, ...)

#' @rawNamespace S3method(ggplot2::autoplot, panel_frame)
autoplot.panel_frame <- function(object, ...) plot_presence(object, ...)

#' @rawNamespace S3method(ggplot2::autoplot, influence)
autoplot.influence <- function(object, ...) plot.influence(object, ...)

#' @rawNamespace S3method(ggplot2::autoplot, appraisal)
autoplot.appraisal <- function(object, ...) plot.appraisal(object, ...)
