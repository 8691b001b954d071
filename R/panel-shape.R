#' The shape of a panel
#'
#' Question answered: *who is seen when?* Counts entities, periods and rows, and says
#' how the panel is uneven.
#'
#' A gap is a period that others have, without a row between an entity's first and last. A period
#' of the clock that nobody has is no gap of anyone's: it is told apart, and counts in lags. An entity
#' enters late when its first period is after the panel's first, and leaves early
#' when its last is before the panel's last.
#'
#' @param data A [panel_frame()], or a fit on one: of the rows that it uses.
#' @param ... Variables of the panel, named as everywhere (see [naming_columns]): the shape is of the rows in which all
#'   of them are there. A panel that is nearly whole can have variables of which half is missing.
#' @return A list of class `panel_shape`: `chosen` (`NULL`, or what was chosen of the panel: `words`, and `rows` and
#'   `entities` of the panel), `rows`, `entities`, `periods` (counts), `first`, `last` (period values),
#'   `step` (in the period's units: 1 is each whole number; for others see `unit`), `unit` (`NULL`, `"quarter"`,
#'   `"month"`, `"week"`, `"day"` or `"label"`), `balanced`, `gap_cells` (missing entity-periods inside),
#'   `gap_entities`, `late`, `early`, `once` (entities that enter late, leave early, are seen once), `per_entity`,
#'   `per_period` (rows of each, named), `first_seen`, `last_seen` (ticks by entity), `gaps` (a data frame: `entity`,
#'   `missing`), `patterns` (a data frame: `pattern`, the runs of periods seen, and `entities`, commonest first),
#'   `components` (connected groups of entities and periods; effects of both can be told apart within one), `absent`
#'   (periods of the clock that nobody has, a data frame with a row a run: `after`, `before`, `steps`), `regular` (by
#'   entity: its rows are one constant step apart), `members` (a data frame with a row an entity: `entity`, `first`,
#'   `last`, `rows`, `late`, `early`, and `missing`, the periods that it misses between). \cr `as.data.frame()` gives
#'   `members`; `print(shape, members = TRUE)` lists those that enter late, leave early or miss something.
#' @section Errors:
#' `wavetax_error_not_a_panel` when `data` is not a panel frame; `wavetax_error_unknown_column`; `wavetax_error_no_rows`
#' where no row has all the variables.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' panel_shape(panel)
#' panel$survey <- replace(panel$levy, panel$season %% 2 == 0, NA)
#' panel_shape(panel, levy, survey)
#' panel_shape(fit_fixed(log(nights) ~ past(levy), panel))
#' @export
panel_shape <- function(data, ...) UseMethod("panel_shape")

#' @export
panel_shape.default <- function(data, ...) {
  check_dots_unnamed(...names(), panel_shape.default, "panel_shape()")
  part <- panel_part(data, rlang::enquos(...))
  shape_of(part$panel, part$chosen)
}

# The rows of a panel in which variables are there: list(panel, chosen).
panel_part <- function(data, quos) {
  check_is_panel(data)
  names <- unlist(lapply(unname(quos), column_names, data, "needed"))
  if (length(names) == 0) return(list(panel = data, chosen = NULL))
  keep <- Reduce(`&`, lapply(plain_data_frame(data)[names], function(x) !is.na(x)))
  if (!any(keep)) {
    stop_wavetax("no_rows", sprintf("No row has %s.", list_words(sprintf("`%s`", names))),
                 todo = "`panel_variation(panel)` tells what is missing.")
  }
  list(panel = data[keep, ], chosen = new_choice(
    sprintf("with %s", list_words(sprintf("`%s`", names))), nrow(data), length(panel_index(data)$entities)
  ))
}

# What was chosen of a panel of so many rows and entities.
new_choice <- function(words, rows, entities) list(words = words, rows = rows, entities = entities)

choice_words <- function(shape) {
  chosen <- shape$chosen
  if (is.null(chosen)) return(NULL)
  absent <- chosen$entities - shape$entities
  none <- if (absent > 0) sprintf("; %s %s none", count_of(absent, shape$entity), if (absent == 1) "has" else "have")
  paste0(sprintf("The rows %s: %s of %s (%s percent)", chosen$words, count_words(shape$rows), count_words(chosen$rows),
                 format_number(100 * shape$rows / chosen$rows, 3)), none)
}

shape_of <- function(data, chosen = NULL) {
  index <- panel_index(data)
  counts <- panel_counts(index)
  seen <- unname(counts$per_entity)
  inside <- missing_inside(index, counts$first_seen, counts$last_seen, seen)
  structure(c(list(chosen = chosen), unclass(counts), list(
    gaps = entity_gaps(index, inside, counts), patterns = presence_patterns(index),
    components = count_components(index), regular = regular_step(index, seen, counts),
    members = panel_members(index, inside, counts)
  )), class = "panel_shape")
}

# The part of the shape that is cheap for millions of rows.
panel_counts <- function(index) {
  N <- length(index$entities)
  last_tick <- max(index$ticks)
  rows <- length(index$codes)
  seen <- tabulate(index$codes, N)
  ends <- core_first_and_last(index$codes, index$clock, N)
  inside <- missing_inside(index, ends$first, ends$last, seen)
  structure(list(
    absent = absent_periods(index), entity = index$entity, period = index$period,
    rows = rows, entities = N, periods = length(index$periods),
    first = index$periods[1], last = index$periods[length(index$periods)],
    step = index$step, unit = index$unit,
    balanced = rows == as.numeric(N) * length(index$periods),
    gap_cells = sum(inside), gap_entities = sum(inside > 0),
    late = sum(ends$first > 1L), early = sum(ends$last < last_tick), once = sum(seen == 1L),
    per_entity = stats::setNames(seen, index$entities),
    per_period = stats::setNames(tabulate(period_place(index), length(index$ticks)), format_period(index$periods)),
    first_seen = ends$first, last_seen = ends$last
  ), class = "panel_shape")
}

# How many periods each entity misses between its first and its last, of those that somebody has.
missing_inside <- function(index, first, last, seen) {
  match(last, index$ticks) - match(first, index$ticks) + 1L - seen
}

# Periods of the clock that nobody has, as the runs between those that are seen: a data frame of after, before (their
# labels) and steps, how many are absent.
absent_periods <- function(index) {
  apart <- diff(index$ticks)
  at <- which(apart > 1L)
  label <- format_period(index$periods)
  data.frame(after = label[at], before = label[at + 1L], steps = apart[at] - 1L)
}

# Who enters, leaves and misses what.
panel_members <- function(index, inside, counts) {
  gaps <- entity_gaps(index, inside, counts)
  label <- format_period(index$periods)
  last_tick <- max(index$ticks)
  data.frame(
    entity = as.character(index$entities), first = label[match(counts$first_seen, index$ticks)],
    last = label[match(counts$last_seen, index$ticks)], rows = unname(counts$per_entity),
    late = counts$first_seen > 1L, early = counts$last_seen < last_tick,
    missing = ifelse(inside > 0, gaps$missing[match(as.character(index$entities), gaps$entity)], "")
  )
}

#' @export
as.data.frame.panel_shape <- function(x, row.names = NULL, optional = FALSE, ...) x$members

# The missing periods of each entity with gaps, by their labels where they have one.
entity_gaps <- function(index, inside, counts) {
  who <- which(inside > 0)
  rows <- which((inside > 0)[index$codes])
  mine <- split(index$clock[rows], factor(index$codes[rows], who))
  missing <- mapply(function(code, seen) {
    first <- counts$first_seen[code]
    last <- counts$last_seen[code]
    known <- which(index$ticks > first & index$ticks < last & !index$ticks %in% seen)
    if (length(known) > 20) count_of(length(known), index$period) else
      list_words(format_period(index$periods[known]))
  }, who, mine)
  data.frame(entity = as.character(index$entities)[who], missing = as.character(missing))
}

# Patterns of presence by frequency, as the runs of periods seen; panels of very many
# periods have none.
presence_patterns <- function(index) {
  periods <- length(index$ticks)
  if (periods > 200) return(data.frame(pattern = character(), entities = integer()))
  marks <- matrix("0", length(index$entities), periods)
  marks[cbind(index$codes, match(index$clock, index$ticks))] <- "1"
  text <- do.call(paste0, lapply(seq_len(periods), function(t) marks[, t]))
  patterns <- sort_text(unique(text))
  counts <- sort(stats::setNames(tabulate(match(text, patterns), length(patterns)), patterns), decreasing = TRUE)
  labels <- format_period(index$periods)
  data.frame(
    pattern = vapply(names(counts), run_words, "", labels, USE.NAMES = FALSE),
    entities = as.vector(counts)
  )
}

# "2009 to 2015, 2018 to 2020" from marks of 0 and 1.
run_words <- function(marks, labels) {
  runs <- rle(strsplit(marks, "")[[1]] == "1")
  last <- cumsum(runs$lengths)
  first <- last - runs$lengths + 1
  both <- ifelse(first == last, labels[first], paste(labels[first], "to", labels[last]))
  paste(both[runs$values], collapse = ", ")
}

# Connected components of the graph of entities and periods: labels run down to the least.
count_components <- function(index) {
  place <- match(index$clock, index$ticks)
  label <- seq_along(index$ticks)
  repeat {
    entity <- rep(length(label) + 1L, length(index$entities))
    lowest <- tapply(label[place], index$codes, min)
    entity[as.integer(names(lowest))] <- lowest
    new <- as.vector(tapply(entity[index$codes], place, min))
    if (identical(new, label)) return(length(unique(label)))
    label <- as.integer(new)
  }
}

# Whether each entity's own rows are one constant step apart.
regular_step <- function(index, seen, counts) {
  steps <- ifelse(seen > 1L, (counts$last_seen - counts$first_seen) / (seen - 1L), 1)
  even <- steps == round(steps)
  if (all(steps == 1)) return(rep(TRUE, length(seen)))
  order <- order(index$codes, index$clock, method = "radix")
  code <- index$codes[order]
  apart <- diff(index$clock[order])
  same <- diff(code) == 0L
  odd <- unique(code[-1][same & apart != steps[code[-1]]])
  even[odd] <- FALSE
  even
}

check_is_panel <- function(data) {
  if (is_panel_frame(data)) return(invisible())
  stop_wavetax(
    "not_a_panel", "The data do not say which column is the entity and which the period.",
    todo = "Say it once: `panel <- panel_frame(data, entity, period)`, and use `panel`."
  )
}
