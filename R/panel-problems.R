#' Find what is broken in a table before it is a panel
#'
#' Question answered: *what is wrong with this file, where, and what do I do about it?*
#' Nothing is altered. Looked for, worst first:
#'
#' * what stops a fit: missing keys, repeated keys (the same or different values told
#'   apart), a header repeated among the rows, a row of totals, blank rows, periods that
#'   cannot be read, periods as column headings;
#' * what is likely wrong: entity names that differ only in case, spaces or accents, or
#'   by one or two letters and never share a period; text among numbers, decimal commas,
#'   thousands marks, percent signs and currencies, numbers stored as text, numbers that can be read in
#'   two ways; a period outside the run of the others; a value that belongs
#'   to the neighbouring entity; values a factor of 300 or more from the entity's median;
#' * what to know: columns that are all missing, constant, or twice the same; entities
#'   seen once; gaps.
#'
#' @param data A data frame as it was read, or the path of a file.
#' @param entity,period Columns, bare or quoted, as for [panel_frame()].
#' @param periods For periods that are labels: all of them, in order.
#' @param date_format For dates as the period: R's notation, such as `"%d/%m/%Y"`.
#' @param ... For a path: what [read_panel()] takes to read it.
#' @return A data frame of class `panel_problems` with a row a finding: `kind`, `weight`
#'   (`"stops"`, `"likely"` or `"note"`), `column`, `where` (in words), `todo`, and
#'   `rows`, a list of row numbers. It prints as a list.
#' @section Errors:
#' `wavetax_error_unknown_column`, `wavetax_error_empty_data`.
#' @seealso [panel_repair()].
#' @examples
#' panel_problems(system.file("extdata", "harbours-raw.csv", package = "wavetax"), harbour, season)
#' @export
panel_problems <- function(data, entity, period, periods = NULL, date_format = NULL, ...) {
  given <- data
  entity <- rlang::enquo(entity)
  period <- rlang::enquo(period)
  data <- table_of(data, ..., keys = c(entity = written_name(entity), period = written_name(period)))
  check_has_rows(data)
  check_periods(periods)
  if (!is.null(date_format)) check_text(date_format, "date_format")
  if (is_panel_frame(given)) {
    index <- held_index(given)
    if (rlang::quo_is_missing(entity)) entity <- rlang::new_quosure(index$entity)
    if (rlang::quo_is_missing(period)) period <- rlang::new_quosure(index$period)
    if (is.null(periods)) periods <- index$order
  }
  names <- c(written_name(entity), written_name(period))
  shape <- if (!all(names %in% names(data))) problem_shape(data, written_name(entity), written_name(period))
  if (!is.null(shape)) return(new_panel_problems(list(shape), NULL, NULL))
  find_problems(data, column_name(entity, data, "entity"), column_name(period, data, "period"), periods, date_format)
}

find_problems <- function(data, entity, period, periods = NULL, date_format = NULL) {
  keys <- problem_keys(data, entity, period, periods, date_format)
  columns <- as.list(data)[setdiff(names(data), c(entity, period))]
  plain <- vapply(columns, is_plain_vector, TRUE)
  repeated <- problem_repeated_keys(data, keys)
  shape <- if (!is.null(repeated)) problem_shape(data, entity, period)
  if (!is.null(shape)) return(new_panel_problems(list(shape), NULL, NULL))
  found <- c(
    problem_stray_rows(data, keys), problem_missing_keys(keys),
    repeated, list(problem_period_values(keys)), problem_names(keys),
    problem_values(columns[plain], keys), problem_columns(columns[plain], nrow(data)),
    problem_kinds(names(columns)[!plain]), problem_presence(keys)
  )
  new_panel_problems(Filter(Negate(is.null), found), entity, period)
}

new_panel_problems <- function(found, entity, period) {
  weight <- factor(vapply(found, `[[`, "", "weight"), c("stops", "likely", "note"))
  found <- found[order(weight)]
  field <- function(name) vapply(found, `[[`, "", name)
  out <- data.frame(
    kind = field("kind"), weight = field("weight"), column = field("column"), where = field("where"),
    todo = field("todo")
  )
  out$rows <- lapply(found, function(one) one$rows[[1]])
  structure(out, class = c("panel_problems", "data.frame"), entity = entity, period = period)
}

# A table with no row for each entity and period: what to call to lay it out anew.
problem_shape <- function(data, entity, period) {
  shape <- if (!is.null(entity)) find_shape(data, entity, if (is.null(period)) "period" else period)
  if (is.null(shape)) return(NULL)
  kinds <- c(wide = "periods as columns", "indicators across" = "indicators as rows", indicators = "indicators as rows",
             across = "entities as columns")
  finding(
    kinds[[shape$form]], "stops", shape_words(shape),
    sprintf("Lay it out anew: `panel_to_long(data, %s, %s)`.", code_argument(entity),
            if (is.null(period)) "period" else code_argument(period))
  )
}
