# Figures of what methods find of panels whose truth is known.

#' Figures of a laboratory
#'
#' Question answered: *where do the estimates fall, and how often is the truth rejected?*
#'
#' @param x A result of [monte_carlo()].
#' @param show `"estimates"`: their distribution, a line an estimator, beside the truth; `"size"`: how often the
#'   truth is rejected (of tests: their null), with the interval that the number of draws leaves open (Wilson 1927),
#'   beside what is promised. Several designs have a panel each.
#' @param term The coefficient to draw; `NULL`: the first.
#' @param ... Takes nothing.
#' @return A ggplot.
#' @section Errors:
#' `wavetax_error_unknown_term`, `wavetax_error_argument`.
#' @references Wilson, E. B. (1927), Probable inference, the law of succession, and statistical inference, *Journal of
#'   the American Statistical Association* 22, 209-212.
#' @examples
#' design <- simulate_panel(30, 6, related = 0.6)
#' found <- monte_carlo(design, list(fit_pooled(y ~ x, design), fit_fixed(y ~ x, design)), draws = 40)
#' plot(found)
#' plot(found, "size")
#' @export
plot.monte_carlo <- function(x, show = c("estimates", "size"), term = NULL, ...) {
  check_no_dots(..., of = list(call = plot.monte_carlo, name = "plot()", hidden = "x"))
  terms <- unique(stats::na.omit(x$table$term))
  if (missing(show) && length(terms) == 0) show <- "size"
  show <- check_one_of(show, c("estimates", "size"), "show")
  if (is.null(term)) term <- if (length(terms) == 0) NA_character_ else terms[1] else
    check_choice(term, terms, "term", kind = "unknown_term")
  if (show == "size") return(plot_sizes(x, term))
  if (is.na(term)) stop_argument("show", "\"estimates\" of tests, which have none", "Draw `plot(x, \"size\")`.")
  plot_found(x, term)
}

# A curve for each estimator, the first on top: what its estimates are, whatever errors stand beside.
plot_found <- function(x, term) {
  draws <- x$draws[!is.na(x$draws$term) & x$draws$term == term & is.finite(x$draws$estimate), ]
  draws <- draws[!duplicated(draws[c("design", "draw", "estimator")]), ]
  table <- x$table[!is.na(x$table$term) & x$table$term == term, ]
  names <- unique(draws$estimator)
  groups <- split(draws, list(factor(draws$estimator, names), factor(draws$design, unique(draws$design))), drop = TRUE)
  curves <- lapply(groups, function(own) estimate_curve(own, length(names) - match(own$estimator[1], names)))
  curves <- do.call(rbind, curves)
  means <- do.call(rbind, lapply(groups, function(own) {
    data.frame(design = own$design[1], estimator = own$estimator[1], mean = mean(own$estimate),
               place = length(names) - match(own$estimator[1], names))
  }))
  truth <- unique(table[c("design", "truth")])
  truth <- truth[!is.na(truth$truth), ]
  figure <- ggplot2::ggplot(means) +
    ggplot2::geom_ribbon(data = curves, ggplot2::aes(x = .data$at, ymin = .data$place, ymax = .data$top,
                                                     group = .data$place), fill = look_shades$pale, alpha = 0.55) +
    ggplot2::geom_line(data = curves, ggplot2::aes(x = .data$at, y = .data$top, group = .data$place),
                       colour = estimate_ink, linewidth = 0.4) +
    ggplot2::geom_vline(data = truth, ggplot2::aes(xintercept = .data$truth), colour = look_colours[2]) +
    ggplot2::geom_point(ggplot2::aes(x = .data$mean, y = .data$place), colour = estimate_ink, size = 1.8) +
    ggplot2::scale_x_continuous(breaks = axis_marks, labels = axis_labels) +
    ggplot2::scale_y_continuous(breaks = rev(seq_along(names)) - 1, labels = visible_text(names),
                                expand = ggplot2::expansion(mult = c(0.04, 0.06))) +
    ggplot2::labs(x = sprintf("estimates of the slope of %s", term), y = NULL) +
    figure_theme("x") + design_panels(means$design)
  says <- sprintf("%s; point: their mean%s", draws_words(x), if (nrow(truth) > 0) "; line: the truth" else "")
  new_figure(figure, sprintf("Where the estimates of the slope of %s fall", term), says,
             laboratory_height(length(names), means$design))
}

# One scale for all curves of a panel would hide the narrow ones' neighbours: each is as high as its row.
estimate_curve <- function(own, place) {
  if (nrow(own) < 3 || diff(range(own$estimate)) == 0) {
    return(data.frame(design = own$design[1], place = place, at = range(own$estimate), top = place))
  }
  curve <- stats::density(own$estimate, n = 256)
  data.frame(design = own$design[1], place = place, at = curve$x, top = place + 0.82 * curve$y / max(curve$y))
}

plot_sizes <- function(x, term) {
  data <- x$table
  part <- data[if (is.na(term)) is.na(data$term) else is.na(data$term) | data$term == term, ]
  part$rate <- ifelse(is.na(part$term), part$rejected, part$size)
  part$label <- laboratory_labels(part)
  part <- part[is.finite(part$rate), ]
  if (nrow(part) == 0) {
    stop_argument("show", "\"size\" of numbers without intervals", "Draw `plot(x, \"estimates\")`.")
  }
  names <- unique(part$label)
  part$place <- length(names) - match(part$label, names)
  ends <- wilson_ends(part$rate, part$draws)
  part$low <- ends$low
  part$high <- ends$high
  promised <- 1 - x$level
  figure <- ggplot2::ggplot(part, ggplot2::aes(y = .data$place)) +
    ggplot2::geom_vline(xintercept = 100 * promised, colour = look_colours[2]) +
    ggplot2::geom_segment(ggplot2::aes(x = 100 * .data$low, xend = 100 * .data$high, yend = .data$place),
                          colour = look_shades$pale, linewidth = 1.6) +
    ggplot2::geom_point(ggplot2::aes(x = 100 * .data$rate), colour = estimate_ink, size = 1.8) +
    ggplot2::scale_x_continuous(limits = c(0, NA), breaks = axis_marks, labels = axis_labels) +
    ggplot2::scale_y_continuous(breaks = rev(seq_along(names)) - 1, labels = visible_text(names),
                                expand = ggplot2::expansion(add = 0.6)) +
    ggplot2::labs(x = "percent of the draws", y = NULL) +
    figure_theme("x") + design_panels(part$design)
  rejected <- if (is.na(term)) "a null" else sprintf("the true slope of %s", term)
  new_figure(figure, sprintf("How often %s is rejected at %s percent", rejected, percent_words(promised)), sprintf(
    "%s; bar: what that many draws leave open; line: %s percent", draws_words(x), percent_words(promised)
  ), laboratory_height(length(names), part$design))
}

draws_words <- function(x) paste0(count_of(x$asked, "draw"), if (length(x$designs) > 1) " of each design")

# Values of a share that its estimate does not reject at 95 percent.
wilson_ends <- function(share, n) {
  z <- stats::qnorm(0.975)
  middle <- (share + z^2 / (2 * n)) / (1 + z^2 / n)
  half <- z / (1 + z^2 / n) * sqrt(share * (1 - share) / n + z^2 / (4 * n^2))
  list(low = pmax(middle - half, 0), high = pmin(middle + half, 1))
}

design_panels <- function(design) {
  designs <- unique(design)
  if (length(designs) < 2) return(NULL)
  ggplot2::facet_wrap(ggplot2::vars(factor(.data$design, designs)), ncol = if (length(designs) > 4) 3 else 2,
                      labeller = ggplot2::label_wrap_gen(28))
}

laboratory_height <- function(rows, design) {
  designs <- length(unique(design))
  down <- if (designs < 2) 1 else ceiling(designs / if (designs > 4) 3 else 2)
  min(9, max(2.6, 1.1 + down * (0.45 + 0.34 * rows)))
}
