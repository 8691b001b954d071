#' Who is seen when
#'
#' Question answered: *how even is this panel, and where are its holes?* A line an entity,
#' a cell a period: dark where there is a row, light inside an entity's span where there is
#' none. Entities stand in order of their first, then their last period. With more
#' entities than the figure has lines, neighbours in that order share one, and the shade
#' is the share of them that is seen.
#'
#' @param data A [panel_frame()].
#' @param lines The most lines drawn.
#' @return A ggplot object.
#' @section Errors:
#' `wavetax_error_not_a_panel`.
#' @examples
#' plot_presence(panel_frame(harbours, harbour, season))
#' @export
plot_presence <- function(data, lines = 240) {
  check_is_panel(data)
  check_number(lines, "lines", 1, 1e5, whole = TRUE)
  index <- panel_index(data)
  cells <- presence_cells(index, lines)
  shape <- panel_counts(index)
  N <- length(index$entities)
  figure <- ggplot2::ggplot(cells, ggplot2::aes(x = .data$tick, y = .data$line, fill = .data$seen)) +
    ggplot2::geom_tile(width = 0.9, height = if (N > 120) 1 else 0.8) +
    presence_key(N <= lines) +
    ggplot2::scale_x_continuous(breaks = presence_breaks(index), labels = function(at) tick_labels(at, index),
                                expand = c(0.01, 0)) +
    ggplot2::scale_y_reverse(breaks = NULL, expand = c(0.01, 0)) +
    ggplot2::labs(
      x = index$period, y = if (N <= lines) sprintf("%s, a line each", upper_first(plural_of(index$entity))) else
        sprintf("%s, %s a line", upper_first(plural_of(index$entity)), count_words(ceiling(N / lines)))
    ) +
    figure_theme("none")
  new_figure(figure, "Who is seen when", paste0(shape_size(shape), ". ", shape_evenness(shape)), 4.4)
}

gap_colour <- look_colours[2]

# A cell of one entity is a row or a gap; where entities share a line its shade is a share.
presence_key <- function(single) {
  if (single) {
    return(ggplot2::scale_fill_gradient(
      low = gap_colour, high = look_shades$pale, limits = c(0, 1), breaks = c(1, 0), labels = c("seen", "gap"),
      guide = ggplot2::guide_legend(title = NULL, override.aes = list(colour = NA))
    ))
  }
  ggplot2::scale_fill_gradient(
    low = gap_colour, high = look_shades$pale, limits = c(0, 1), breaks = c(0, 0.5, 1),
      labels = c("none", "half", "all"),
    guide = ggplot2::guide_colourbar(title = "seen of those in a line", barheight = 0.6)
  )
}

# Cells of the figure: line, tick, and the share of the line's entities seen, for the
# ticks within the line's span.
presence_cells <- function(index, lines) {
  N <- length(index$entities)
  ends <- core_first_and_last(index$codes, index$clock, N)
  line_of <- integer(N)
  line_of[order(ends$first, ends$last)] <- ceiling(seq_len(N) / ceiling(N / lines))
  place <- match(index$clock, index$ticks)
  seen <- matrix(0, max(line_of), length(index$ticks))
  counts <- table(factor(line_of[index$codes], seq_len(nrow(seen))), factor(place, seq_len(ncol(seen))))
  seen[] <- counts
  size <- tabulate(line_of)
  first <- tapply(match(ends$first, index$ticks), line_of, min)
  last <- tapply(match(ends$last, index$ticks), line_of, max)
  cells <- expand.grid(line = seq_len(nrow(seen)), place = seq_len(ncol(seen)))
  cells$seen <- as.vector(seen) / size[cells$line]
  cells$tick <- index$ticks[cells$place]
  cells[cells$place >= first[cells$line] & cells$place <= last[cells$line], ]
}

presence_breaks <- function(index) {
  every <- ceiling(length(index$ticks) / 8)
  index$ticks[seq(1, length(index$ticks), by = every)]
}
