# Figures of influence and of an appraisal.

#' Figures of influence and of an appraisal
#'
#' Question answered: *which entities move the slope, and by which path was the model chosen?*
#'
#' @param x A result of [influence_by()] or [appraise()].
#' @param term The coefficient to draw; `NULL`: the first slope.
#' @param labels How many groups are named.
#' @param ... Takes nothing.
#' @return A ggplot.
#' @section Errors:
#' `wavetax_error_unknown_term`, `wavetax_error_argument`.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' plot(influence_by(fit_fixed(log(nights) ~ levy + storms, panel)))
#' plot(appraise(log(nights) ~ levy + storms, panel))
#' @name plot_guidance
NULL

#' @rdname plot_guidance
#' @export
plot.influence <- function(x, term = NULL, labels = 3, ...) {
  check_no_dots(..., of = list(call = plot.influence, name = "plot()", hidden = "x"))
  terms <- setdiff(unique(x$term), constant_term)
  if (is.null(term)) term <- terms[1]
  check_choice(term, terms, "term", kind = "unknown_term")
  check_number(labels, "labels", low = 0, high = 50, whole = TRUE)
  estimates <- attr(x, "estimates")
  row <- estimates[match(term, estimates$term), ]
  part <- x[x$term == term & is.finite(x$without), ]
  part <- part[order(part$without), ]
  part$place <- seq_len(nrow(part))
  named <- order(-abs(part$change))[seq_len(min(labels, nrow(part)))]
  part$label <- replace(rep("", nrow(part)), named, label_text(part$group[named]))
  # Names stand away from the estimate with all.
  part$side <- ifelse(part$without < row$estimate, 1.12, -0.12)
  part$label_at <- part$place
  for (side in unique(part$side)) {
    own <- intersect(named, which(part$side == side))
    part$label_at[own] <- spread_apart(part$place[own], 0.045 * nrow(part))
  }
  near <- isTRUE(row$low - (row$high - row$low) / 2 < 0 && row$high + (row$high - row$low) / 2 > 0)
  figure <- ggplot2::ggplot(part, ggplot2::aes(x = .data$without, y = .data$place)) +
    ggplot2::annotate("rect", xmin = row$low, xmax = row$high, ymin = -Inf, ymax = Inf, fill = estimate_ink,
                      alpha = 0.08) +
    ggplot2::geom_vline(xintercept = row$estimate, colour = estimate_ink) +
    (if (near) ggplot2::geom_vline(xintercept = 0, colour = "grey60", linetype = "22")) +
    ggplot2::geom_point(colour = estimate_ink, size = 1.8, alpha = 0.7) +
    ggplot2::geom_text(ggplot2::aes(y = .data$label_at, label = visible_text(.data$label), hjust = .data$side),
                       size = letters_of(8),
                       colour = "grey15") +
    ggplot2::scale_x_continuous(expand = ggplot2::expansion(mult = c(0.14, 0.14)), breaks = axis_marks,
                                labels = axis_labels) +
    ggplot2::scale_y_continuous(breaks = NULL) +
    ggplot2::labs(x = sprintf("slope of %s without one %s", term, attr(x, "by")),
                  y = sprintf("%s, in order", plural_of(attr(x, "by")))) +
    figure_theme("x")
  new_figure(figure, sprintf("Which %s moves the slope of %s", attr(x, "by"), term), sprintf(
    "A point each of %s; the line is the estimate with all, the band its interval", count_of(nrow(part), attr(x, "by"))
  ), 4)
}

#' @rdname plot_guidance
#' @export
plot.appraisal <- function(x, ...) {
  check_no_dots(..., of = list(call = plot.appraisal, name = "plot()", hidden = "x"))
  path <- x$path
  n <- nrow(path)
  path$y <- rev(seq_len(n))
  path$yes <- path$answer == "yes"
  path$kind <- ifelse(path$step %in% c("kind", "model", "errors"), "choice", ifelse(path$yes, "yes", "no"))
  wrap <- function(text, width) {
    vapply(text, function(one) paste(strwrap(one, width), collapse = "\n"), "", USE.NAMES = FALSE)
  }
  answers <- ifelse(is.na(path$p_value), upper_first(path$answer), sprintf("%s, %s", upper_first(path$answer),
                                                                          vapply(path$p_value, p_words, "")))
  boxes <- rbind(
    data.frame(x = 0, y = path$y, text = wrap(path$question, 34), kind = path$kind, face = "bold"),
    data.frame(x = 1.05, y = path$y, text = wrap(answers, 22), kind = path$kind, face = "plain"),
    data.frame(x = 1.75, y = path$y, text = wrap(upper_first(visible_text(path$follows)), 56), kind = path$kind,
               face = "plain")
  )
  fills <- c(yes = "#dbe8ee", no = "#f3f6f7", choice = "#f3e3da")
  chosen <- which(path$kind == "choice")
  figure <- ggplot2::ggplot(path) +
    ggplot2::geom_rect(ggplot2::aes(xmin = -0.06, xmax = 3.45, ymin = .data$y - 0.4, ymax = .data$y + 0.4,
                                    fill = .data$kind)) +
    ggplot2::geom_segment(data = path[utils::head(chosen, -1), ], ggplot2::aes(x = 0.12, xend = 0.12, y = .data$y - 0.4,
                                                          yend = .data$y - 0.6),
                          colour = estimate_ink, linewidth = 0.7,
                          arrow = ggplot2::arrow(length = ggplot2::unit(5, "pt"), type = "closed")) +
    ggplot2::geom_text(data = boxes, ggplot2::aes(x = .data$x, y = .data$y, label = .data$text, fontface = .data$face),
                       hjust = 0, size = letters_of(6.8), lineheight = 0.95, colour = "grey10") +
    ggplot2::scale_fill_manual(values = fills, guide = "none") +
    ggplot2::coord_cartesian(xlim = c(-0.06, 3.45), ylim = c(0.5, n + 0.5), expand = FALSE) +
    ggplot2::labs(x = NULL, y = NULL) +
    figure_theme("none") +
    ggplot2::theme(axis.text = ggplot2::element_blank(), axis.text.y = ggplot2::element_blank(),
                   axis.ticks = ggplot2::element_blank(), panel.grid = ggplot2::element_blank())
  new_figure(figure, sprintf("How the model of %s was chosen", x$fit$design$outcome), appraisal_subtitle(x), 0.8 +
             0.52 * n)
}

appraisal_subtitle <- function(x) {
  sprintf("%s: %s. The tests below are shown, and choose nothing", x$focus,
          interval_text(x$estimate, x$interval[["low"]], x$interval[["high"]],
                        if (is.null(x$errors$row$std_error)) NA_real_ else x$errors$row$std_error, x$level))
}
