#' The coefficient of interest across specifications
#'
#' Question answered: *how far does the answer depend on the model, and how sure is
#' each?* A point and an interval for each fit, with the numbers beside them; of a
#' single fit, one for each of its coefficients.
#'
#' @param ... Fits, named or not, or one list of them, as for [spec_table()].
#' @param term The coefficient, by name; `"constant"` is the constant. `NULL`: the first slope that all fits have;
#'   with a single fit all its slopes.
#' @param level Coverage of the intervals, from t with each fit's own degrees of
#'   freedom.
#' @return A ggplot object.
#' @section Errors:
#' `wavetax_error_not_a_fit`; `wavetax_error_unknown_term` when no fit has the term.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' pooled <- fit_pooled(log(nights) ~ levy + storms + fuel, panel)
#' fixed <- fit_fixed(log(nights) ~ levy + storms + fuel, panel)
#' random <- fit_random(log(nights) ~ levy + storms + fuel, panel)
#' plot_estimates(pooled, fixed, random, term = "levy")
#' @export
plot_estimates <- function(..., term = NULL, level = 0.95) {
  if (!is.null(term)) check_text(term, "term", "Name one coefficient in quotes.", kind = "unknown_term")
  if (identical(term, "constant")) term <- "(Intercept)"
  given <- collect_fits(rlang::enquos(...))
  fits <- lapply(given, fit_record)
  check_level(level)
  alone <- length(fits) == 1 && is.null(term)
  if (is.null(term) && !alone) term <- first_common_slope(fits)
  rows <- do.call(rbind, lapply(names(fits), function(model) {
    fit <- fits[[model]]
    table <- interval_table(fit, given[[model]], level, if (!is.null(term)) term == "(Intercept)" else FALSE)
    table <- table[if (alone) table$term != "(Intercept)" else table$term == term, ]
    if (nrow(table) == 0) return(NULL)
    cbind(table, row = if (alone) labelled(table$term, fit$labels) else model, errors = fit$errors$label)
  }))
  check_any_rows(rows, term, fits)
  outcome <- list_words(unique(vapply(fits, `[[`, "", "outcome")))
  what <- if (identical(term, "(Intercept)")) "The constant" else
    paste("Slope of", labelled(term, do.call(c, unname(lapply(fits, `[[`, "labels")))))
  draw_estimates(
    rows, title = if (alone) paste("What moves", outcome) else sprintf("%s, outcome %s", what, outcome),
    subtitle = sprintf("Estimate and %s percent interval; errors %s", label_text(100 * level),
                       errors_shown(unique(rows$errors)))
  )
}

errors_shown <- function(labels) if (length(labels) <= 2) list_words(labels) else sprintf("of %d kinds", length(labels))

# Coefficients with their interval at another level than the record's. Errors may bring intervals of their own.
interval_table <- function(record, fit, level, aside = FALSE) {
  table <- if (aside) record$coefficients else as.data.frame(record)
  if (abs(level - 0.95) < 1e-12) return(table)
  if (startsWith(record$errors$label, "wild")) {
    if (inherits(fit, "fit_record")) {
      stop_wavetax("level", "A saved fit under a wild bootstrap has its intervals at 95 percent only.",
                   todo = "Use `level = 0.95`, or the fit itself.")
    }
    own <- coefficient_table(fit, match(table$term, kept_terms(fit)), level)
    table[c("low", "high")] <- own[c("low", "high")]
    return(table)
  }
  df <- if (aside) record$errors$df else record$errors$df[!record$coefficients$aside]
  half <- stats::qt((1 + level) / 2, df) * table$std_error
  table$low <- table$estimate - half
  table$high <- table$estimate + half
  table
}

first_common_slope <- function(fits) {
  slopes <- lapply(fits, function(fit) setdiff(fit$coefficients$term, "(Intercept)"))
  common <- Reduce(intersect, slopes)
  if (length(common) > 0) return(common[1])
  unlist(slopes)[1]
}

check_any_rows <- function(rows, term, fits) {
  if (!is.null(rows)) return(invisible())
  known <- unique(unlist(lapply(fits, function(fit) as.data.frame(fit)$term)))
  stop_wavetax(
    "unknown_term", sprintf("No fit has a coefficient %s.", sQuote(term, FALSE)),
    todo = sprintf("Coefficients are %s.", list_some(known, 8))
  )
}

estimate_ink <- "#17404f"

# The numbers stand beside the figure, at the height of their line.
draw_estimates <- function(rows, title, subtitle) {
  rows$row <- factor(rows$row, levels = rev(unique(rows$row)))
  rows$place <- as.integer(rows$row)
  places <- rep(max(estimate_decimals(rows$estimate, rows$std_error)), nrow(rows))
  label <- sprintf(
    "%s  (%s to %s)", format_number(rows$estimate, decimals = places),
    format_number(rows$low, decimals = places), format_number(rows$high, decimals = places)
  )
  ggplot2::ggplot(rows, ggplot2::aes(x = .data$estimate, y = .data$place)) +
    ggplot2::geom_vline(xintercept = 0, colour = "grey60", linetype = "22") +
    ggplot2::geom_segment(
      ggplot2::aes(x = .data$low, xend = .data$high, yend = .data$place),
      colour = estimate_ink, linewidth = 1.1, lineend = "round", na.rm = TRUE
    ) +
    ggplot2::geom_point(size = 3.4, shape = 21, fill = "white", colour = estimate_ink, stroke = 1.3) +
    ggplot2::scale_x_continuous(expand = ggplot2::expansion(mult = 0.08), breaks = axis_marks, labels = axis_labels) +
    ggplot2::scale_y_continuous(
      breaks = rows$place, labels = visible_text(as.character(rows$row)),
      expand = ggplot2::expansion(add = 0.6), sec.axis = ggplot2::dup_axis(labels = label)
    ) +
    ggplot2::labs(title = visible_text(title), subtitle = visible_text(subtitle), x = NULL, y = NULL) +
    figure_theme()
}

# At least three round numbers inside the limits.
axis_marks <- function(limits) {
  for (wanted in 5:12) {
    marks <- pretty(limits, wanted)
    marks <- marks[marks >= limits[1] & marks <= limits[2]]
    if (length(marks) >= 3) break
  }
  marks
}

axis_labels <- function(x) {
  x <- zapsmall(x)
  apart <- min(diff(sort(unique(x[is.finite(x)]))), Inf)
  format_number(x, decimals = if (is.finite(apart)) decimals_for(apart,
                                                                 1) + (signif(apart, 1) != signif(apart, 2)) else 2)
}

figure_theme <- function() {
  ggplot2::theme_minimal(base_size = 13) +
    ggplot2::theme(
      panel.grid.major.y = ggplot2::element_blank(), panel.grid.minor = ggplot2::element_blank(),
      panel.grid.major.x = ggplot2::element_line(colour = "grey92"),
      plot.title.position = "plot", plot.title = ggplot2::element_text(face = "bold"),
      plot.subtitle = ggplot2::element_text(colour = "grey35"),
      axis.text.y = ggplot2::element_text(size = 12, colour = "grey10"),
      axis.text.y.right = ggplot2::element_text(size = 11, colour = "grey20", hjust = 0),
      plot.background = ggplot2::element_rect(fill = "white", colour = NA)
    )
}

#' @rdname plot_estimates
#' @param x A fit.
#' @export
plot.panel_fit <- function(x, ...) plot_estimates(x, ...)
