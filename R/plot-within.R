#' What within means, in pictures
#'
#' Question answered: *why does the slope change when what is fixed about each entity is taken out?* Three pictures of
#' the
#' outcome and one regressor: all rows and the line through them; some entities with a line of their own; all rows moved
#' to one mean, with the line within entities.
#'
#' The lines are of these two variables alone, so that what is seen is what they are of. Past 100,000 rows the cloud is
#' drawn as counts in cells.
#'
#' @param x A formula such as `log(nights) ~ levy`, or a fit, whose outcome and first slope are drawn.
#' @param data A [panel_frame()]; not of a fit.
#' @param regressor Of a fit, or of a formula with several, the one that is drawn, by name.
#' @param entities Entities that have a line of their own, by name; `NULL` takes `sample` of those seen most often,
#'   their
#'   means of the regressor nearest to evenly spaced ones.
#' @param sample How many.
#' @param steps `TRUE`: a list of three figures, to be shown one after another.
#' @param ... Takes nothing; what is misspelt is told.
#' @return A ggplot object, or a list of three.
#' @section Errors:
#' `wavetax_error_not_a_panel`, `wavetax_error_unknown_term`, `wavetax_error_unknown_entity`, `wavetax_error_argument`;
#' `wavetax_error_slim` of a fit without its rows.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' plot_within(log(nights) ~ levy, panel)
#' @export
plot_within <- function(x, data = NULL, regressor = NULL, entities = NULL, sample = 6, steps = FALSE, ...) {
  check_own_arguments(..., of = plot_within, name = "plot_within()")
  check_flag(steps, "steps")
  check_number(sample, "sample", 0, 1000, whole = TRUE)
  if (!inherits(x, "panel_fit")) {
    check_is_panel(data)
    x <- fit_pooled(x, data, errors = se_classical())
  } else if (!is.null(data)) {
    stop_argument("data", "given with a fit, which has its own", "Leave it out.")
  }
  check_keeps_rows(x, "rows to draw")
  design <- x$design
  index <- design$index
  if (is.null(index)) check_is_panel(NULL)
  names <- names(design$x)
  if (length(names) == 0) stop_argument("x", "an equation without a regressor", "Name one: `log(nights) ~ levy`.")
  if (is.null(regressor)) regressor <- names[1]
  check_choice(regressor, names, "regressor", kind = "unknown_term")
  used <- used_index(design)
  codes <- match(used$entity, unique(used$entity))
  rows <- data.frame(x = design$x[[regressor]], y = design$y, code = codes)
  means <- within_means(rows)
  labels <- label_text(index$entities)[unique(used$entity)]
  shown <- within_entities(entities, sample, labels, means)
  parts <- within_parts(rows, means, shown)
  wording <- list(labels = index$labels, nouns = list(entity = index$entity, period = index$period))
  axis <- function(name) axis_words(name, wording$labels, wording$nouns)
  names_of <- visible_text(labels[shown])
  says <- sprintf("%s and %s, no other regressors, %s of %s", upper_first(axis(design$outcome)), axis(regressor),
                  count_of(nrow(rows), "row"), count_of(length(labels), index$entity))
  lines <- if (length(shown) > 0) paste0("; with lines of their own: ", list_some(names_of, 6))
  titles <- paste(1:3, c("All rows, one line", sprintf("Each %s its own line", index$entity), "All at one mean"))
  if (steps) {
    return(lapply(1:3, function(part) {
      within_figure(part, parts, axis(regressor), axis(design$outcome), titles[part],
                    paste0(says, if (part == 2) lines))
    }))
  }
  within_figure(1:3, parts, axis(regressor), axis(design$outcome), "The same rows, compared in two ways",
                paste0(says, lines),
                titles)
}

within_means <- function(rows) {
  count <- max(rows$code)
  size <- tabulate(rows$code, count)
  list(size = size, x = core_group_sums(rows$x, rows$code, count) / size,
       y = core_group_sums(rows$y, rows$code, count) / size)
}

# By a rule, not by eye: of those seen most often, the means nearest to evenly spaced ones.
within_entities <- function(entities, sample, labels, means) {
  if (!is.null(entities)) {
    at <- match(as.character(entities), labels)
    if (!anyNA(at)) return(at)
    near <- unlist(lapply(as.character(entities)[is.na(at)], near_names, labels))
    stop_wavetax("unknown_entity", sprintf("No rows are of %s.", list_words(sQuote(entities[is.na(at)], FALSE))),
                 todo = if (length(near) > 0) sprintf("Did you mean %s?", list_words(sQuote(near, FALSE))))
  }
  often <- which(means$size == max(means$size))
  if (sample == 0 || max(means$size) < 2) return(integer())
  wanted <- seq(min(means$x[often]), max(means$x[often]), length.out = sample)
  unique(often[vapply(wanted, function(value) which.min(abs(means$x[often] - value)), 1L)])
}

# By part the cloud, the lines, and what is said of them.
within_parts <- function(rows, means, shown) {
  centre <- c(mean(rows$x), mean(rows$y))
  moved <- data.frame(x = rows$x - means$x[rows$code] + centre[1], y = rows$y - means$y[rows$code] + centre[2])
  slope <- function(x, y) {
    spread <- sum((x - mean(x))^2)
    if (spread > 1e-20 * sum(x^2)) sum((x - mean(x)) * (y - mean(y))) / spread else NA_real_
  }
  line <- function(x, y, b, part, group) {
    if (!is.finite(b)) return(NULL)
    ends <- range(x)
    data.frame(part = part, x = ends, y = mean(y) + b * (ends - mean(x)), group = group)
  }
  pooled <- slope(rows$x, rows$y)
  within <- slope(moved$x, moved$y)
  own <- lapply(shown, function(code) {
    at <- rows$code == code
    line(rows$x[at], rows$y[at], slope(rows$x[at], rows$y[at]), 2, paste("own", code))
  })
  tell <- function(b) {
    if (is.finite(b)) paste("slope", gsub("-", "\u2212", format_number(b, 3), fixed = TRUE)) else "no slope"
  }
  list(
    cloud = list(rows[c("x", "y")], rows[c("x", "y")], moved), marked = rows$code %in% shown,
    lines = do.call(rbind, c(list(line(rows$x, rows$y, pooled, 1, "pooled")), own,
                             list(line(moved$x, moved$y, within, 3, "within")))),
    tell = data.frame(part = c(1, 3), label = c(tell(pooled), tell(within)))
  )
}

most_cloud <- 1e5

# Points, or past so many of them their counts in cells.
within_cloud <- function(part, rows) {
  if (nrow(rows) <= most_cloud) return(cbind(part = part, rows, count = 1))
  cells <- 80
  place <- function(v) {
    wide <- diff(range(v))
    if (wide == 0) rep(0, length(v)) else pmin(cells - 1, floor(cells * (v - min(v)) / wide))
  }
  middle <- function(v, at) min(v) + (at + 0.5) * diff(range(v)) / cells
  counts <- tabulate(place(rows$x) * cells + place(rows$y) + 1, cells^2)
  filled <- which(counts > 0)
  data.frame(part = part, x = middle(rows$x, (filled - 1) %/% cells), y = middle(rows$y, (filled - 1) %% cells),
             count = counts[filled])
}

within_figure <- function(which, parts, x, y, title, says, titles = NULL) {
  cloud <- do.call(rbind, lapply(which, function(part) within_cloud(part, parts$cloud[[part]])))
  binned <- any(cloud$count > 1)
  marked <- if (2 %in% which && !binned && any(parts$marked)) cbind(part = 2, parts$cloud[[2]][parts$marked, ])
  lines <- parts$lines[parts$lines$part %in% which, ]
  tell <- parts$tell[parts$tell$part %in% which, ]
  name <- function(data) {
    if (!is.null(titles) && !is.null(data)) data$part <- factor(titles[data$part], titles)
    data
  }
  tell$x <- vapply(tell$part, function(part) min(parts$cloud[[part]]$x), 0)
  tell$y <- rep(max(cloud$y) + 0.06 * diff(range(cloud$y)), nrow(tell))
  lines$colour <- look_colours[ifelse(lines$part == 1, 1, 2)]
  points <- if (binned) {
    list(ggplot2::geom_tile(data = name(cloud), ggplot2::aes(alpha = .data$count), fill = look_shades$cloud),
         ggplot2::scale_alpha_continuous(range = c(0.08, 1), trans = "sqrt", guide = "none"))
  } else {
    list(ggplot2::geom_point(data = name(cloud), colour = look_shades$cloud,
                             alpha = max(0.05, min(0.35, 400 / nrow(cloud))), size = 0.7,
                             stroke = 0))
  }
  figure <- ggplot2::ggplot(mapping = ggplot2::aes(x = .data$x, y = .data$y)) + points +
    (if (!is.null(marked)) ggplot2::geom_point(data = name(marked), colour = look_colours[1], size = 0.9, stroke = 0)) +
    ggplot2::geom_line(data = name(lines), ggplot2::aes(group = .data$group, colour = .data$colour), linewidth = 1) +
    ggplot2::geom_text(data = name(tell), ggplot2::aes(label = .data$label), hjust = 0, size = letters_of(8.3),
                       colour = look_shades$ink) +
    ggplot2::scale_colour_identity() +
    ggplot2::scale_x_continuous(labels = axis_labels, breaks = axis_marks) +
    ggplot2::scale_y_continuous(labels = axis_labels, breaks = axis_marks,
                                expand = ggplot2::expansion(mult = c(0.05, 0.12))) +
    ggplot2::labs(x = x, y = y) + figure_theme("none")
  if (!is.null(titles)) figure <- figure + ggplot2::facet_wrap(~part, nrow = 1, labeller = ggplot2::label_wrap_gen(20))
  new_figure(figure, title, says, 3.1)
}
