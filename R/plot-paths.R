#' A variable over time
#'
#' Question answered: *how did it move, for these entities and for all?* The band holds the
#' middle half of the entities of each period, the heavy line their mean; thin lines are
#' entities, broken at their gaps and named at their ends: those named, or a sample. Of a column of 0 and 1 the heavy
#' line is the share of 1; there is no band, and entities go in steps, in panels or where they are named.
#'
#' @param data A [panel_frame()].
#' @param variable A column of numbers, bare or quoted.
#' @param entities Entities to draw by name; `NULL` samples them.
#' @param sample How many are sampled (the same ones every time).
#' @param panels `TRUE` draws a small panel for each entity.
#' @param ... Takes nothing; what is misspelt is told.
#' @return A ggplot object.
#' @section Errors:
#' `wavetax_error_not_a_panel`, `wavetax_error_unknown_column`,
#' `wavetax_error_unknown_entity`, `wavetax_error_outcome` when the column is no numbers.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' plot_paths(panel, levy, entities = c("Oskavik", "Tarnholm"))
#' plot_paths(panel, levy, sample = 6, panels = TRUE)
#' @export
plot_paths <- function(data, variable, entities = NULL, sample = 12, panels = FALSE, ...) {
  check_own_arguments(..., of = plot_paths, name = "plot_paths()")
  check_is_panel(data)
  check_flag(panels, "panels")
  check_number(sample, "sample", 1, whole = TRUE)
  index <- panel_index(data)
  name <- column_name(rlang::enquo(variable), data, "drawn")
  x <- data[[name]]
  if (is.factor(x) || !(is.numeric(x) || is.logical(x))) {
    stop_wavetax("outcome", sprintf("`%s` is %s; a path is drawn of numbers.", name, kind_words(x)),
                 todo = sprintf("How it goes over time is told by `panel_variation(panel, %s)`.", code_argument(name)))
  }
  if (!any(is.finite(x))) {
    stop_wavetax("outcome", sprintf("`%s` has no value to draw.", name),
                 todo = "`panel_variation(panel)` tells what is missing.")
  }
  two <- all(x %in% c(0, 1, NA))
  chosen <- if (two && is.null(entities) && !panels) integer() else chosen_entities(entities, sample, index)
  bands <- path_bands(as.double(x), index)
  paths <- path_lines(as.double(x), index, chosen)
  figure <- ggplot2::ggplot(mapping = ggplot2::aes(x = .data$tick)) +
    (if (!two) {
      ggplot2::geom_ribbon(data = bands, ggplot2::aes(ymin = .data$low, ymax = .data$high, group = .data$run),
                           fill = look_shades$faint)
    }) +
    (if (nrow(bands) > 1) {
      ggplot2::geom_line(data = bands, ggplot2::aes(y = .data$mean, group = .data$run), colour = estimate_ink,
                         linewidth = if (panels) 0.6 else 1.3)
    } else {
      ggplot2::geom_point(data = bands, ggplot2::aes(y = .data$mean), colour = estimate_ink, size = 2)
    }) +
    path_layers(paths, panels, two) +
    ggplot2::scale_x_continuous(
      breaks = thinned(presence_breaks(index), panels), labels = function(at) tick_labels(at, index),
      expand = ggplot2::expansion(mult = c(0.03, if (panels || length(chosen) == 0) 0.03 else 0.2))
    ) +
    ggplot2::scale_y_continuous(labels = axis_labels) +
    ggplot2::expand_limits(y = if (two) c(0, 1)) +
    ggplot2::labs(x = index$period, y = axis_words(name, index$labels)) +
    figure_theme("y")
  if (panels) figure <- figure + ggplot2::facet_wrap(ggplot2::vars(.data$entity))
  phrase <- variable_phrase(name, index$labels, NULL)[["label"]]
  new_figure(figure, sprintf("%s by %s", upper_first(phrase), index$period),
             paths_says(index, sum(is.finite(x)), length(chosen), is.null(entities), panels, two),
             if (panels) 1.2 + 1.1 * ceiling(length(chosen) / 4) else 3.6)
}

paths_says <- function(index, rows, shown, sampled, panels, two) {
  all <- plural_of(index$entity)
  thin <- if (sampled) sprintf("%s of them", count_words(shown)) else if (shown == 1) paste("one", index$entity) else
    sprintf("%s %s, named", count_words(shown), all)
  paste(c(
    sprintf(if (two) "%s: share of all %s with 1" else "%s: mean of all %s", if (panels) "Dark" else "Heavy", all),
    if (!two) "band: their middle half",
    if (shown > 0) sprintf("%s: %s", if (panels) "red" else "thin", thin),
    count_of(rows, "row")
  ), collapse = "; ")
}

# A line for each entity, in a colour of its own and with its name at its end; in small panels,
# which have titles, one colour does.
path_layers <- function(paths, panels, steps) {
  line <- if (steps) function(...) ggplot2::geom_step(..., direction = "mid") else ggplot2::geom_line
  lines <- function(...) {
    list(
      line(data = paths[!paths$alone, ], ggplot2::aes(y = .data$value, group = .data$run, ...),
           linewidth = if (panels) 0.8 else 0.6),
      ggplot2::geom_point(data = paths[paths$alone, ], ggplot2::aes(y = .data$value, ...), size = 1)
    )
  }
  names <- unique(paths$entity)
  if (panels || length(names) == 0) return(c(lines(colour = "one"), list(path_colours("one"))))
  ends <- paths[!duplicated(paths$entity, fromLast = TRUE), ]
  ends$place <- spread_apart(ends$value, 0.05 * diff(range(paths$value)))
  c(lines(colour = .data$entity), list(
    ggplot2::geom_text(
      data = ends, ggplot2::aes(x = max(paths$tick) + 0.02 * diff(range(paths$tick)), y = .data$place,
                                label = .data$entity, colour = .data$entity),
      hjust = 0, size = letters_of(8)
    ),
    path_colours(names)
  ))
}

path_colours <- function(names) {
  # Beyond four the names tell the lines apart, and no further hue.
  few <- length(names) < length(look_colours)
  colours <- if (few) look_colours[1 + seq_along(names)] else rep(look_shades$pale, length(names))
  ggplot2::scale_colour_manual(values = stats::setNames(colours, names), guide = "none")
}

# Values moved as little as keeps them `apart` from each other.
spread_apart <- function(x, apart) {
  order <- order(x)
  y <- x[order]
  for (round in 1:100) {
    close <- which(diff(y) < apart * 0.999)
    if (length(close) == 0) break
    for (i in close) {
      push <- (apart - (y[i + 1] - y[i])) / 2
      if (push > 0) {
        y[i] <- y[i] - push
        y[i + 1] <- y[i + 1] + push
      }
    }
  }
  x[order] <- y
  x
}

thinned <- function(breaks, panels) if (panels) breaks[seq(1, length(breaks), by = 2)] else breaks

chosen_entities <- function(entities, sample, index) {
  if (is.null(entities)) {
    N <- length(index$entities)
    return(unique(round(seq(1, N, length.out = min(sample, N)))))
  }
  at <- match(as.character(entities), as.character(index$entities))
  if (!anyNA(at)) return(at)
  unknown <- as.character(entities)[is.na(at)]
  near <- unlist(lapply(unknown, near_names, as.character(index$entities)))
  stop_wavetax(
    "unknown_entity", sprintf("There is no %s %s.", index$entity, list_words(sQuote(unknown, FALSE))),
    todo = if (length(near) > 0) sprintf("Did you mean %s?", list_words(sQuote(near, FALSE)))
  )
}

path_bands <- function(x, index) {
  seen <- is.finite(x)
  parts <- split(x[seen], factor(index$clock[seen], index$ticks))
  some <- lengths(parts) > 0
  parts <- parts[some]
  quantile_of <- function(p) vapply(parts, stats::quantile, 0, probs = p, names = FALSE)
  data.frame(
    tick = index$ticks[some], mean = vapply(parts, mean, 0), low = quantile_of(0.25), high = quantile_of(0.75),
    run = cumsum(!some)[some]
  )
}

# The chosen entities' values; a new run starts after each gap.
path_lines <- function(x, index, chosen) {
  rows <- which(index$codes %in% chosen & is.finite(x))
  rows <- rows[order(index$codes[rows], index$clock[rows])]
  code <- index$codes[rows]
  tick <- index$clock[rows]
  joined <- c(FALSE, code[-1] == code[-length(code)] & diff(tick) == 1)[seq_along(rows)]
  run <- cumsum(!joined)
  data.frame(
    entity = visible_text(label_text(index$entities))[code], tick = tick, value = x[rows], run = run,
    alone = tabulate(run)[run] == 1
  )
}
