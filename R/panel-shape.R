#' The shape of a panel
#'
#' Question answered: *who is seen when?* Counts entities, periods and rows, and says
#' how the panel is uneven.
#'
#' A gap is a period without a row between an entity's first and last; an entity
#' enters late when its first period is after the panel's first, and leaves early
#' when its last is before the panel's last.
#'
#' @param data A [panel_frame()].
#' @return A list of class `panel_shape`: `rows`, `entities`, `periods` (counts),
#'   `first`, `last` (period values), `step` (in the period's units: 1 is each whole
#'   number; for others see `unit`), `unit` (`NULL`, `"quarter"`, `"month"`, `"week"`,
#'   `"day"` or `"label"`),
#'   `balanced`, `gap_cells` (missing entity-periods inside), `gap_entities`,
#'   `late`, `early`, `once` (entities that enter late, leave early, are seen once),
#'   `per_entity` (rows of each entity, named).
#' @section Errors:
#' `wavetax_error_not_a_panel` when `data` is not a panel frame.
#' @examples
#' panel_shape(panel_frame(harbours, harbour, season))
#' @export
panel_shape <- function(data) {
  check_is_panel(data)
  index <- panel_index(data)
  N <- length(index$entities)
  last_tick <- max(index$ticks)
  seen <- tabulate(index$codes, N)
  ends <- cpp_first_and_last(index$codes, index$clock, N)
  inside <- ends$last - ends$first + 1L - seen
  structure(list(
    entity = index$entity, period = index$period,
    rows = nrow(data), entities = N, periods = length(index$periods),
    first = index$periods[1], last = index$periods[length(index$periods)],
    step = index$step, unit = index$unit,
    balanced = nrow(data) == N * length(index$periods),
    gap_cells = sum(inside), gap_entities = sum(inside > 0),
    late = sum(ends$first > 1L), early = sum(ends$last < last_tick), once = sum(seen == 1L),
    per_entity = stats::setNames(seen, index$entities)
  ), class = "panel_shape")
}

check_is_panel <- function(data) {
  if (is_panel_frame(data)) return(invisible())
  stop_wavetax(
    "not_a_panel", "The data do not say which column is the entity and which the period.",
    todo = "Say it once: `panel <- panel_frame(data, entity, period)`, and use `panel`."
  )
}
