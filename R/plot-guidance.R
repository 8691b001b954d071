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
                      alpha = 0.08, na.rm = TRUE) +
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
  path$kind <- ifelse(path$step %in% c("kind", "model", "errors"), "choice", ifelse(path$answer == "yes", "yes", "no"))
  told <- ifelse(is.na(path$p_value), "", paste(",", vapply(path$p_value, p_words, "")))
  path$answer <- paste0(upper_first(path$answer), told)
  wide <- path_drawing(path, as.list(path[c("question", "answer", "follows")]), c(122, 80, 216))
  figure <- ggplot2::ggplot(path) + wide$layers + wide$coordinates +
    ggplot2::scale_fill_manual(values = c(yes = "#dbe8ee", no = "#f3f6f7", choice = "#f3e3da"), guide = "none") +
    ggplot2::labs(x = NULL, y = NULL) +
    figure_theme("none") +
    ggplot2::theme(axis.text = ggplot2::element_blank(), axis.text.y = ggplot2::element_blank(),
                   axis.ticks = ggplot2::element_blank(), panel.grid = ggplot2::element_blank())
  attr(figure, "narrow") <- path_drawing(path, list(
    path$question, paste(path$answer, upper_first(path$follows), sep = ". ")
  ), 205)
  new_figure(figure, sprintf("How the model of %s was chosen", x$fit$design$outcome), appraisal_subtitle(x),
             wide$height)
}

# Points of the path's letters and between its columns of text, lines between steps.
path_points <- 7
path_between <- 8
path_gap <- 0.9

# A box for each step with its texts side by side, the first one bold, each as wide as its room (points); of one room
# below each other. Boxes are as high as the longest asks for: places are counted in lines.
path_drawing <- function(path, texts, rooms) {
  stacked <- length(rooms) == 1
  texts <- Map(function(text, room, bold) {
    vapply(visible_text(upper_first(text)), broken_text, "", room, path_points, bold, USE.NAMES = FALSE)
  }, texts, rooms, seq_along(texts) == 1)
  lines <- lapply(texts, function(text) lengths(strsplit(text, "\n", fixed = TRUE)))
  high <- 1 + if (stacked) Reduce(`+`, lines) else do.call(pmax, lines)
  path$foot <- -cumsum(high + path_gap)
  path$top <- path$foot + high
  left <- if (stacked) c(0, 0) else cumsum(c(0, rooms[-3] + path_between))
  middle <- (path$top + path$foot) / 2
  y <- if (stacked) list(middle + lines[[2]] / 2, middle - lines[[1]] / 2) else rep(list(middle), 3)
  words <- data.frame(x = rep(left, each = nrow(path)), y = unlist(y), text = unlist(texts),
                      face = rep(ifelse(seq_along(texts) == 1, "bold", "plain"), each = nrow(path)))
  edges <- c(-8, sum(rooms + path_between))
  chosen <- utils::head(which(path$kind == "choice"), -1)
  list(height = 0.8 - min(path$foot) * path_points * 1.25 / 72, layers = list(
    ggplot2::geom_rect(data = path, ggplot2::aes(xmin = edges[1], xmax = edges[2], ymin = .data$foot,
                                                 ymax = .data$top, fill = .data$kind)),
    ggplot2::geom_segment(data = path[chosen, ],
                          ggplot2::aes(x = 15, xend = 15, y = .data$foot, yend = .data$foot - path_gap),
                          colour = estimate_ink, linewidth = 0.7,
                          arrow = ggplot2::arrow(length = ggplot2::unit(4, "pt"), type = "closed")),
    ggplot2::geom_text(data = words, ggplot2::aes(x = .data$x, y = .data$y, label = .data$text, fontface = .data$face),
                       hjust = 0, size = letters_of(path_points), lineheight = 1, colour = look_shades$ink)
  ), coordinates = ggplot2::coord_cartesian(xlim = edges, ylim = c(min(path$foot), 0), expand = FALSE))
}

appraisal_subtitle <- function(x) {
  sprintf("%s: %s. The tests below are shown, and choose nothing", x$focus,
          interval_text(x$estimate, x$interval[["low"]], x$interval[["high"]],
                        if (is.null(x$errors$row$std_error)) NA_real_ else x$errors$row$std_error, x$level))
}
