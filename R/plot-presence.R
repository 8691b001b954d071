#' Who is seen when
#'
#' Question answered: *how even is this panel, and where are its holes?* A cell is pale where there is a row, and red
#' inside an entity's span where there is none. Up to `lines` entities have a line each, in the order of their first,
#' then their last period. More are sorted by pattern: those seen in all periods, those that leave early, enter late,
#' both, and those with a gap, each kind a block with its number and as high as they are many (the rarest a little
#' higher). Where neighbours of other patterns share a line, its shade is the share of them that is seen.
#'
#' @param data A [panel_frame()], or a fit on one: of the rows that it uses.
#' @param ... Variables: of the rows in which all of them are there, as in [panel_shape()].
#' @param lines The most entities drawn a line each.
#' @return A ggplot object.
#' @section Errors:
#' `wavetax_error_not_a_panel`.
#' @examples
#' plot_presence(panel_frame(harbours, harbour, season))
#' plot_presence(fit_fixed(log(nights) ~ past(levy), panel_frame(harbours, harbour, season)), lines = 50)
#' @export
plot_presence <- function(data, ..., lines = 150) {
  check_number(lines, "lines", 1, 2000, whole = TRUE)
  of_fit <- inherits(data, "panel_fit")
  part <- if (of_fit) part_of_fit(data, ..., name = "plot_presence()") else panel_part(data, rlang::enquos(...))
  index <- panel_index(part$panel)
  shape <- panel_counts(index)
  single <- length(index$entities) <= lines
  drawn <- presence_drawing(index, single)
  shape$chosen <- part$chosen
  says <- c(choice_words(shape), paste0(shape_size(shape), ". ", shape_evenness(shape)),
            if (!single) "sorted by pattern, as high as they are many")
  new_figure(presence_layers(drawn, index, single), "Who is seen when", paste(says, collapse = "; "), 4.4)
}

presence_layers <- function(drawn, index, single) {
  cells <- drawn$cells
  marks <- drawn$kinds
  figure <- ggplot2::ggplot(cells, ggplot2::aes(
    xmin = .data$left, xmax = .data$right, ymin = .data$top, ymax = .data$foot, fill = .data$seen
  )) +
    ggplot2::geom_rect() +
    presence_key(any(cells$seen > 0 & cells$seen < 1)) +
    ggplot2::scale_x_continuous(breaks = presence_breaks(index), labels = presence_labels(index),
                                expand = c(0.01, 0)) +
    figure_theme("none")
  if (single) {
    return(figure + ggplot2::scale_y_reverse(breaks = NULL, expand = c(0.01, 0)) +
             ggplot2::labs(x = index$period, y = sprintf("%s, a line each", upper_first(plural_of(index$entity)))))
  }
  figure + ggplot2::geom_hline(yintercept = marks$top[-1], colour = "white", linewidth = 0.8) +
    ggplot2::scale_y_reverse(breaks = pushed_up((marks$top + marks$foot) / 2, 0.075 * max(marks$foot), max(marks$foot)),
                             labels = sprintf("%s  %s", marks$kind, vapply(marks$count, count_words, "")),
                             expand = c(0.01, 0)) +
    ggplot2::labs(x = index$period, y = NULL) +
    ggplot2::theme(axis.text.y = ggplot2::element_text(colour = look_shades$ink, hjust = 0),
                   axis.ticks.y = ggplot2::element_blank())
}

# Places from the first to the last, moved towards the first as far as names need to stand `apart`.
pushed_up <- function(at, apart, end) {
  below <- end + apart / 2
  for (i in rev(seq_along(at))) at[i] <- below <- min(at[i], below - apart)
  at
}

gap_colour <- look_colours[2]

# A cell is a row or a gap; where entities share a line, or periods a column, also a share.
presence_key <- function(mixed) {
  breaks <- c(1, if (mixed) 0.5, 0)
  ggplot2::scale_fill_gradient(
    low = gap_colour, high = look_shades$pale, limits = c(0, 1), breaks = breaks,
    labels = c("seen", if (mixed) "half of a line", "gap"),
    guide = ggplot2::guide_legend(title = NULL, override.aes = list(colour = NA))
  )
}

# Lines of the figure past which entities share them, and columns past which periods do.
most_lines <- 400
most_columns <- 400

# list(cells: rectangles with the share seen of the entities that are in their span there; kinds: kind, count, and where
# their block is).
presence_drawing <- function(index, single) {
  pattern <- presence_pattern(index)
  N <- length(pattern$first)
  periods <- length(index$ticks)
  if (single) {
    order <- order(pattern$first, pattern$last)
    kinds <- NULL
    line_of <- order(order)
  } else {
    order <- order(pattern$kind, pattern$gap, pattern$last, -pattern$first)
    kinds <- presence_blocks(pattern$kind, periods, index$period)
    place <- integer(N)
    place[order] <- seq_len(N)
    at <- match(pattern$kind, kinds$code)
    within <- place - (cumsum(kinds$count) - kinds$count)[at]
    line_of <- kinds$line[at] + ((within - 1) * kinds$lines[at]) %/% kinds$count[at] + 1
  }
  columns <- min(periods, most_columns)
  column_of <- ((seq_len(periods) - 1) * columns) %/% periods + 1
  list(cells = presence_cells(index, pattern, line_of, column_of, if (single && N <= 120) 0.1 else 0), kinds = kinds)
}

# Of each entity first and last place among the ticks, its kind (1 all periods, 2 leaves early, 3 enters late, 4 both, 5
# with a gap) and the place of its first gap, 0 for none.
presence_pattern <- function(index) {
  N <- length(index$entities)
  periods <- length(index$ticks)
  place <- match(index$clock, index$ticks)
  ends <- core_first_and_last(index$codes, place, N)
  order <- order(index$codes, place)
  code <- index$codes[order]
  jump <- which(diff(code) == 0L & diff(place[order]) > 1L)
  gap <- integer(N)
  gap[rev(code[jump])] <- rev(place[order][jump] + 1L)
  late <- ends$first > 1
  early <- ends$last < periods
  list(first = ends$first, last = ends$last, gap = gap, kind = ifelse(gap > 0, 5L, 1L + early + 2L * late))
}

# The lines of each kind that is there: as many as its share, of the rarest a hundredth.
presence_blocks <- function(kind, periods, period) {
  always <- if (periods == 1) paste("the one", period) else paste("all", plural_of(period))
  names <- c(always, "leave early", "enter late", "late and early", "with a gap")
  count <- tabulate(kind, 5)
  code <- which(count > 0)
  count <- count[code]
  total <- min(most_lines, sum(count))
  lines <- pmin(count, pmax(ceiling(total / 100), round(total * count / sum(count))))
  foot <- cumsum(lines)
  data.frame(code = code, kind = names[code], count = count, lines = lines, line = foot - lines,
             top = foot - lines + 0.5, foot = foot + 0.5)
}

# `apart`: half the room between lines.
presence_cells <- function(index, pattern, line_of, column_of, apart) {
  lines <- max(line_of)
  columns <- max(column_of)
  line <- line_of[index$codes]
  seen <- tabulate(line + lines * (column_of[match(index$clock, index$ticks)] - 1L), lines * columns)
  periods <- length(column_of)
  start <- match(seq_len(columns), column_of)
  end <- periods + 1L - match(seq_len(columns), rev(column_of))
  span <- matrix(vapply(seq_len(columns), function(c) {
    core_group_sums(pmax(0, pmin(pattern$last, end[c]) - pmax(pattern$first, start[c]) + 1), line_of, lines)
  }, numeric(lines)), lines)
  share <- ifelse(span > 0, seen / span, -1)
  # Lines that are alike and touch are one rectangle.
  first <- rbind(TRUE, if (apart > 0) matrix(TRUE, lines - 1, columns) else diff(share) != 0)
  from <- which(first)
  last <- c(from[-1] - 1L, length(share))
  line <- function(cell) (cell - 1L) %% lines + 1L
  column <- (from - 1L) %/% lines + 1L
  step <- if (periods > 1) 0.45 * min(diff(index$ticks)) else 0.45
  cells <- data.frame(left = index$ticks[start[column]] - step, right = index$ticks[end[column]] + step,
                      top = line(from) - 0.5 + apart, foot = line(last) + 0.5 - apart, seen = share[from])
  cells[cells$seen >= 0, ]
}

# As many as have room for their labels.
presence_breaks <- function(index) {
  periods <- length(index$ticks)
  wide <- max(nchar(tick_labels(index$ticks[c(1, periods)], index), "width"))
  every <- ceiling(periods / max(2, min(8, 50 %/% (wide + 2))))
  index$ticks[seq(1, periods, by = every)]
}

presence_labels <- function(index) tick_labels(presence_breaks(index), index)
