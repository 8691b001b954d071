#' Residuals in pictures
#'
#' Question answered: *where does the fit go wrong: for which values, periods, entities, rows?*
#'
#' * `"fitted"`, do they bend: residuals against fitted values, their means in ten classes; a bend asks for another
#'   form, a funnel for robust errors.
#' * `"period"`, do periods differ: their mean in each; shocks that all share stand out.
#' * `"autocorrelation"`, are they related over time: correlations by how many periods apart, over pairs of one entity.
#'   The line is what unrelated disturbances would show.
#' * `"entity"`, are spreads alike: entities, by their standard deviations in order; the widest are named.
#' * `"normal"`, are the tails normal: their quantiles against those of a normal law.
#' * `"farthest"`, who lies farthest out: the rows with the largest.
#'
#' Bars are twice the error of a mean or correlation of unrelated disturbances. A cloud past 20,000 rows is a sample.
#' A slide has room for three of the panels.
#'
#' @param fit A fit on a [panel_frame()].
#' @param show Some of those, or `"page"` for all.
#' @param labels How many rows and entities that stand out are named.
#' @param ... Takes nothing; what is misspelt is told.
#' @return A ggplot with a panel for each.
#' @section Errors:
#' `wavetax_error_not_a_panel`; `wavetax_error_argument`; `wavetax_error_slim` of a fit without its rows;
#' `wavetax_error_perfect_fit`.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fixed <- fit_fixed(log(nights) ~ levy + storms, panel)
#' plot_residuals(fixed)
#' plot_residuals(fixed, c("period", "farthest"), labels = 8)
#' @export
plot_residuals <- function(fit, show = "page", labels = 5, ...) {
  check_own_arguments(..., of = plot_residuals, name = "plot_residuals()")
  check_is_fit(fit)
  check_panels(show)
  check_number(labels, "labels", low = 0, high = 50, whole = TRUE)
  sample <- drawn_sample(fit)
  wanted <- if ("page" %in% show) names(residual_panels) else unique(show)
  parts <- lapply(residual_panels[wanted], function(part) part(sample, fit, labels))
  parts <- Filter(function(part) any(part$rows$kind != "zero"), parts)
  if (length(parts) == 0) {
    stop_wavetax("argument", sprintf("Of this fit there is nothing to draw for `show = %s`.",
                                     list_words(dQuote(wanted, FALSE))),
                 todo = "`plot_residuals(fit)` draws all that there is.")
  }
  data <- do.call(rbind, lapply(unname(parts), function(part) cbind(panel = part$title, part$rows)))
  data$panel <- factor(data$panel, vapply(parts, `[[`, "", "title"))
  figure <- residual_layers(data)
  count <- length(parts)
  figure <- figure + facet_page(unname(parts), if (count == 4) 2 else min(count, 3))
  attr(figure, "narrow") <- list(facet = facet_page(unname(parts), min(count, 2)),
                                 height = 0.9 + 1.8 * ceiling(count / 2))
  title <- fit_title(fit)
  outcome <- variable_phrase(fit$design$outcome, unlist(fit$design$index$labels), NULL)[["label"]]
  new_figure(
    figure, sprintf("Residuals: %s%s, %s", lower_case(substr(title, 1, 1)), substring(title, 2), outcome),
    residual_says(sample, data, names(parts)), 0.7 + 2 * ceiling(count / 3)
  )
}

check_panels <- function(show) {
  known <- c("page", names(residual_panels))
  if (!is.character(show) || length(show) == 0) return(check_choice(show, known, "show"))
  for (one in show) check_choice(one, known, "show")
}

# The residuals that tests take, with what pictures need beside.
drawn_sample <- function(fit) {
  sample <- residual_sample(fit)
  index <- fit$design$index
  codes <- kept_rows(used_index(fit$design)$entity, sample$keep)
  sample$fitted <- kept_rows(fit$design$y - transformed_residuals(fit), sample$keep)
  sample$labels <- visible_text(shortened(label_text(index$entities)[sort(unique(codes))]))
  sample
}

# Long names leave no room to draw.
shortened <- function(x, most = 24) ifelse(nchar(x, "width") > most, paste0(strtrim(x, most - 1), "\u2026"), x)

residual_layers <- function(data) {
  of <- function(kind) data[data$kind == kind, ]
  bars <- function(kind, ...) {
    ggplot2::geom_segment(data = of(kind), ggplot2::aes(x = .data$low, xend = .data$high, y = .data$low_y,
                                                        yend = .data$high_y), linewidth = 0.6, ...)
  }
  dots <- of("dot")
  ggplot2::ggplot(data, ggplot2::aes(x = .data$x, y = .data$y)) +
    bars("zero", colour = look_shades$grey) +
    ggplot2::geom_point(data = dots, colour = look_shades$cloud, alpha = point_alpha(nrow(dots)),
                        size = if (nrow(dots) < 200) 1.2 else 0.7, stroke = 0) +
    bars("line", colour = look_colours[2]) +
    bars("bar", colour = look_colours[1]) +
    ggplot2::geom_point(data = of("point"), colour = look_colours[1], size = 0.9) +
    ggplot2::geom_text(data = of("label"), ggplot2::aes(label = .data$label), hjust = 0, vjust = 1, lineheight = 1,
                       size = letters_of(7.5), colour = look_shades$grey) +
    ggplot2::scale_x_continuous(breaks = few_marks, labels = axis_labels,
                                guide = ggplot2::guide_axis(check.overlap = TRUE)) +
    ggplot2::scale_y_continuous(breaks = few_marks, labels = axis_labels, expand = ggplot2::expansion(mult = 0.08)) +
    ggplot2::labs(x = NULL, y = NULL) +
    figure_theme("none") +
    ggplot2::theme(panel.spacing = ggplot2::unit(11, "pt"),
                   strip.text = ggplot2::element_text(margin = ggplot2::margin(3, 0, 3, 0)))
}

residual_says <- function(sample, data, shown) {
  drawn <- sum(data$kind == "dot")
  bars <- intersect(c("fitted", "period", "autocorrelation"), shown)
  says <- c(
    sprintf("%s, %s", count_of(length(sample$e), "row"), count_of(length(sample$labels), sample$noun)),
    if (drawn > 0 && drawn < length(sample$e)) sprintf("the cloud is %s of them", count_words(drawn)),
    if (length(bars) > 0) "bars: twice the error",
    if ("autocorrelation" %in% shown) "the line over time: what unrelated disturbances would show",
    left_out_note(sample)
  )
  paste(sub("[.]$", "", says), collapse = "; ")
}

point_alpha <- function(n) max(0.08, min(0.5, 500 / max(1, n)))

few_marks <- function(limits) {
  marks <- pretty(limits, 3)
  marks <- marks[marks >= limits[1] & marks <= limits[2]]
  if (length(marks) >= 2) marks else axis_marks(limits)
}

# Rows to draw: `kind` "dot" of a cloud, "point", "label" at (x, y), or "bar", "line", "zero" from (low, low_y) to
# (high, high_y); an infinite end is the panel's.
drawn_rows <- function(kind, x = NA_real_, y = NA_real_, low = x, high = x, low_y = y, high_y = y, label = "") {
  if (length(x) == 0) return(NULL)
  data.frame(kind = kind, x = x, y = y, low = low, high = high, low_y = low_y, high_y = high_y, label = label)
}

level_at <- function(y) drawn_rows("zero", low = -Inf, high = Inf, low_y = y, high_y = y)

# Points with bars of twice their error.
with_bars <- function(x, y, error) {
  rbind(drawn_rows("bar", x, y, low_y = y - 2 * error, high_y = y + 2 * error), drawn_rows("point", x, y))
}

# Means of groups, standard deviations about these, and their errors.
group_means <- function(x, codes, count) {
  size <- tabulate(codes, count)
  mean <- core_group_sums(x, codes, count) / size
  spread <- sqrt(pmax(core_group_sums(x^2, codes, count) / size - mean^2, 0))
  list(mean = mean, spread = spread, error = spread / sqrt(pmax(size - 1, 1)), size = size)
}

# At most so many points of a cloud are drawn, and of a curve; which is said of a cloud.
most_points <- 20000
most_of_curve <- 2000

along_curve <- function(n) if (n > most_of_curve) unique(round(seq(1, n, length.out = most_of_curve))) else seq_len(n)

# Each gives list(title, x, y: the axes' names, rows, x_marks, y_marks: see facet_page()).
residual_panels <- list(
  fitted = function(sample, fit, labels) {
    n <- length(sample$e)
    use <- if (n > most_points) sort(with_own_seed(1, sample.int(n, most_points))) else seq_len(n)
    classes <- max(1, min(10, n %/% 10))
    class <- integer(n)
    class[order(sample$fitted)] <- ceiling(seq_len(n) / n * classes)
    means <- group_means(sample$e, class, classes)
    outcome <- variable_phrase(fit$design$outcome, unlist(fit$design$index$labels), NULL)[["label"]]
    list(title = "Do they bend?", x = paste("fitted,", visible_text(outcome)), y = "residual", rows = rbind(
      level_at(0), drawn_rows("dot", sample$fitted[use], sample$e[use]),
      with_bars(group_means(sample$fitted, class, classes)$mean, means$mean, means$error)
    ))
  },
  period = function(sample, fit, labels) {
    index <- fit$design$index
    ticks <- sort(unique(sample$clock))
    means <- group_means(sample$e, match(sample$clock, ticks), length(ticks))
    marks <- ticks[seq(1, length(ticks), by = max(1, (length(ticks) - 1) %/% 2))]
    list(title = sprintf("Do %s differ?", plural_of(index$period)), x = index$period, y = "mean residual",
         rows = rbind(level_at(0), with_bars(ticks, means$mean, means$error)),
         x_marks = list(breaks = marks, labels = tick_labels(marks, index)))
  },
  autocorrelation = function(sample, fit, labels) {
    lags <- seq_len(min(8, max(0, max(sample$clock) - min(sample$clock))))
    total <- mean(sample$e^2)
    related <- lapply(lags, function(lag) {
      pairs <- core_lag_pairs(sample$entity, sample$clock, lag)
      count <- length(pairs$now)
      if (count < 3) return(NULL)
      data.frame(lag = lag, r = sum(sample$e[pairs$now] * sample$e[pairs$before]) / count / total,
                 error = 1 / sqrt(count))
    })
    related <- do.call(rbind, related)
    # Means that were taken out leave unrelated disturbances slightly against each other.
    unrelated <- if (has_entity_effects(fit)) -1 / (mean(tabulate(sample$entity)) - 1) else 0
    list(title = "Related over time?", x = paste(plural_of(sample$moment), "apart"), y = "correlation",
         rows = rbind(level_at(unrelated), if (!is.null(related)) with_bars(related$lag, related$r, related$error)),
         x_marks = list(breaks = intersect(related$lag, c(1, 4, 8)), labels = ggplot2::waiver()))
  },
  entity = function(sample, fit, labels) {
    own <- group_means(sample$e, sample$entity, max(sample$entity))
    use <- which(own$size >= 2)
    if (length(use) < 2) return(list(rows = NULL))
    use <- use[order(own$spread[use])]
    named <- utils::tail(use, min(labels, 3, length(use) - 1))
    curve <- along_curve(length(use))
    list(title = "Are spreads alike?", x = sprintf("%s, in order", sample$nouns),
         y = "sd of residuals", rows = rbind(
           drawn_rows("point", curve, own$spread[use[curve]]),
           if (length(named) > 0) drawn_rows("label", 1, max(own$spread[use]), label = paste(
             c("widest:", sample$labels[rev(named)]), collapse = "\n"
           ))
         ), x_marks = list(breaks = c(1, length(use)), labels = count_words(c(1, length(use)))))
  },
  normal = function(sample, fit, labels) {
    e <- sort(sample$e / sqrt(mean(sample$e^2)))
    use <- along_curve(length(e))
    x <- stats::qnorm((use - 0.5) / length(e))
    list(title = "Are the tails normal?", x = "normal quantile", y = "residual / its spread", rows = rbind(
      drawn_rows("line", 0, 0, min(x), max(x), min(x), max(x)), drawn_rows("point", x, e[use])
    ))
  },
  farthest = function(sample, fit, labels) {
    far <- utils::head(order(-abs(sample$e)), labels)
    at <- rev(seq_along(far))
    names <- paste(sample$labels[sample$entity[far]], tick_labels(sample$clock[far], fit$design$index),
                   sep = if (length(far) > 5) " " else "\n")
    list(title = "Who lies farthest out?", x = "residual", y = "", rows = if (length(far) > 0) rbind(
      drawn_rows("zero", low = 0, high = 0, low_y = -Inf, high_y = Inf),
      drawn_rows("bar", 0, at, low = pmin(0, sample$e[far]), high = pmax(0, sample$e[far])),
      drawn_rows("point", sample$e[far], at)
    ), y_marks = list(breaks = at, labels = names))
  }
)
