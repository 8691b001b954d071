#' The effects of entities, sorted
#'
#' Question answered: *what is fixed about each entity, once the regressors are taken out, and how sure is it?* Each
#' effect as its deviation from the mean of all, from the least to the most, with its interval; of random effects, which
#' are shrunken to the mean, what they were before stands beside as an open point.
#'
#' @param fit A fit with effects.
#' @param effect Which set, by name; `NULL`: the first.
#' @param names How many of the lowest and highest are named, or the names of those that are.
#' @param level Coverage of the intervals.
#' @param ... Takes nothing; what is misspelt is told.
#' @return A ggplot object.
#' @section Errors:
#' Those of [effect_levels()]; `wavetax_error_unknown_entity`; `wavetax_error_argument`.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' plot_effects(fit_fixed(log(nights) ~ levy + storms, panel))
#' plot_effects(fit_random(log(nights) ~ levy + storms, panel), names = c("Oskavik", "Tarnholm"))
#' @export
plot_effects <- function(fit, effect = NULL, names = 3, level = 0.95, ...) {
  check_own_arguments(..., of = plot_effects, name = "plot_effects()")
  check_is_fit(fit)
  check_level(level)
  levels <- as.data.frame(effect_levels(fit))
  sets <- unique(levels$effect)
  if (is.null(effect)) effect <- sets[1]
  check_choice(effect, sets, "effect")
  rows <- levels[levels$effect == effect, ]
  rows <- rows[order(rows$deviation), ]
  rows$rank <- seq_len(nrow(rows))
  half <- stats::qnorm((1 + level) / 2) * rows$deviation_error
  rows$low <- rows$deviation - half
  rows$high <- rows$deviation + half
  labels <- label_text(rows$group)
  n <- nrow(rows)
  named <- if (is.numeric(names)) {
    check_number(names, "names", 0, whole = TRUE)
    unique(c(seq_len(min(names, n)), rev(n + 1 - seq_len(min(names, n)))))
  } else {
    match(as.character(names), labels)
  }
  if (anyNA(named)) {
    stop_wavetax("unknown_entity", sprintf("There is no %s %s.", effect,
                                           list_words(sQuote(names[is.na(named)], FALSE))),
                 todo = sprintf("There are %s.", list_some(labels, 5)))
  }
  tags <- effect_tags(rows[named, ], labels[named], n, range(c(rows$deviation, rows$low, rows$high), na.rm = TRUE))
  has_errors <- any(is.finite(rows$low))
  random <- method_of(fit)$effects == "random"
  if (random && length(fit$effects) == 1 && is.null(fit$design$weights) && !is_serial(fit)) rows$unshrunken <-
    rows$deviation / shrinkage(fit, rows$rows)
  # Past what the figure can show an even choice of them is drawn.
  rows <- rows[sort(union(along_curve(n), named)), ]
  record <- fit_record(fit)
  outcome <- axis_words(record$outcome, record$labels, record$nouns)
  figure <- ggplot2::ggplot(rows, ggplot2::aes(x = .data$rank, y = .data$deviation)) +
    ggplot2::geom_hline(yintercept = 0, colour = look_shades$grey, linewidth = 0.5) +
    (if (has_errors) ggplot2::geom_linerange(ggplot2::aes(ymin = .data$low, ymax = .data$high),
                                             colour = look_shades$hair,
                                             linewidth = min(0.8, max(0.15, 60 / nrow(rows))), na.rm = TRUE)) +
    ggplot2::geom_point(colour = look_colours[1], size = if (n > 150) 0.5 else 0.9, stroke = 0.2) +
    (if (random && !is.null(rows$unshrunken)) {
      ggplot2::geom_point(ggplot2::aes(y = .data$unshrunken), shape = 21, fill = "white", colour = look_colours[2],
                          size = 1)
    }) +
    ggplot2::geom_segment(data = tags, ggplot2::aes(xend = .data$x, yend = .data$at), colour = look_shades$grey,
                          linewidth = 0.3) +
    ggplot2::geom_label(data = tags, ggplot2::aes(x = .data$x, y = .data$at, label = .data$name, hjust = .data$side),
                        size = letters_of(8), colour = look_shades$ink, fill = "white", label.size = 0,
                        label.padding = ggplot2::unit(1, "pt")) +
    ggplot2::scale_y_continuous(labels = axis_labels, breaks = axis_marks) +
    ggplot2::scale_x_continuous(breaks = function(limits) unique(c(1, setdiff(round(pretty(c(1, n), 4)), 0))),
                                limits = c(0.5, n + 0.5), labels = count_words) +
    ggplot2::labs(x = sprintf("%s, from the least to the most", plural_of(effect)),
                  y = paste("deviation,", outcome)) +
    figure_theme("y")
  what <- if (random) "random effects, shrunken to the mean" else "fixed effects"
  new_figure(figure, sprintf("What is fixed about each %s", effect), sprintf(
    "Deviation from the mean of all%s; %s of %s, %s", if (has_errors) sprintf(", %s percent interval",
                                                                              label_text(100 * level)) else "",
    if (!is.null(rows$unshrunken)) paste0(what, " (open points: before)") else what,
    paste0(count_of(n, effect), if (nrow(rows) < n) sprintf(" (%s drawn)", count_words(nrow(rows)))),
    count_of(fit$n, "row")
  ), 3.4)
}

# Names in a column of their own on either side, level with nothing but each other, so that none lies on an interval.
effect_tags <- function(rows, names, n, range) {
  low <- rows$rank <= n / 2
  step <- diff(range) * 0.075
  at <- rows$deviation
  for (side in c(TRUE, FALSE)) {
    own <- which(low == side)
    own <- own[order(rows$rank[own])]
    at[own] <- if (side) range[1] + (seq_along(own) - 1) * step else range[2] - rev(seq_along(own) - 1) * step
  }
  data.frame(rank = rows$rank, deviation = rows$deviation, name = visible_text(names), at = at,
             x = ifelse(low, n * 0.2, n * 0.8),
             side = ifelse(low, 0, 1))
}
