#' A variable over time
#'
#' Question answered: *how did it move, for these entities and for all?* The band holds the
#' middle half of the entities of each period, the heavy line their mean; thin lines are
#' entities, broken at their gaps: those named, or a sample.
#'
#' @param data A [panel_frame()].
#' @param variable A column of numbers, bare or quoted.
#' @param entities Entities to draw by name; `NULL` samples them.
#' @param sample How many are sampled (the same ones every time).
#' @param panels `TRUE` draws a small panel for each entity.
#' @return A ggplot object.
#' @section Errors:
#' `wavetax_error_not_a_panel`, `wavetax_error_unknown_column`,
#' `wavetax_error_unknown_entity`, `wavetax_error_outcome` when the column is no numbers.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' plot_paths(panel, levy, entities = c("Oskavik", "Tarnholm"))
#' plot_paths(panel, levy, sample = 6, panels = TRUE)
#' @export
plot_paths <- function(data, variable, entities = NULL, sample = 12, panels = FALSE) {
  check_is_panel(data)
  index <- panel_index(data)
  name <- column_name(rlang::enquo(variable), data, "drawn")
  x <- check_outcome(data[[name]], name)
  chosen <- chosen_entities(entities, sample, index)
  bands <- path_bands(as.double(x), index)
  paths <- path_lines(as.double(x), index, chosen)
  figure <- ggplot2::ggplot(mapping = ggplot2::aes(x = .data$tick)) +
    ggplot2::geom_ribbon(data = bands, ggplot2::aes(ymin = .data$low, ymax = .data$high), fill = "#cfdcdd") +
    ggplot2::geom_line(
      data = paths, ggplot2::aes(y = .data$value, group = .data$run), colour = "#b4622d",
      linewidth = if (panels) 0.8 else 0.4
    ) +
    ggplot2::geom_point(data = paths[paths$alone, ], ggplot2::aes(y = .data$value),
                        colour = "#b4622d", size = 0.9) +
    ggplot2::geom_line(data = bands, ggplot2::aes(y = .data$mean), colour = estimate_ink,
                       linewidth = if (panels) 0.6 else 1.3) +
    ggplot2::scale_x_continuous(breaks = thinned(presence_breaks(index), panels), labels = function(at) {
      format_period(index$periods)[match(at, index$ticks)]
    }) +
    ggplot2::labs(
      title = sprintf("%s by %s", upper_first(name), index$period),
      subtitle = sprintf("Heavy: mean of all %s; band: their middle half; thin: %s",
                         plural_of(index$entity), if (is.null(entities)) {
                           sprintf("%s of them", count_words(length(chosen)))
                         } else {
                           list_some(as.character(index$entities)[chosen], 4)
                         }),
      x = NULL, y = NULL
    ) +
    figure_theme()
  if (panels) figure + ggplot2::facet_wrap(ggplot2::vars(.data$entity)) else figure
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
  quantile_of <- function(p) vapply(parts, stats::quantile, 0, probs = p, names = FALSE)
  data.frame(
    tick = index$ticks, mean = vapply(parts, mean, 0), low = quantile_of(0.25), high = quantile_of(0.75)
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
    entity = as.character(index$entities)[code], tick = tick, value = x[rows], run = run,
    alone = tabulate(run)[run] == 1
  )
}
