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
#'   numbers stored as text; a period outside the run of the others; a value that belongs
#'   to the neighbouring entity; values a factor of 300 or more from the entity's median;
#' * what to know: columns that are all missing, constant, or twice the same; entities
#'   seen once; gaps.
#'
#' @param data A data frame as it was read.
#' @param entity,period Columns, bare or quoted, as for [panel_frame()].
#' @param periods For periods that are labels: all of them, in order.
#' @return A data frame of class `panel_problems` with a row a finding: `kind`, `weight`
#'   (`"stops"`, `"likely"` or `"note"`), `column`, `where` (in words), `todo`, and
#'   `rows`, a list of row numbers. It prints as a list.
#' @section Errors:
#' `wavetax_error_unknown_column`, `wavetax_error_empty_data`.
#' @seealso [panel_repair()].
#' @examples
#' raw <- data.table::fread(system.file("extdata", "harbours-raw.csv", package = "wavetax"))
#' panel_problems(raw, harbour, season)
#' @export
panel_problems <- function(data, entity, period, periods = NULL) {
  check_is_table(data)
  data <- plain_data_frame(data)
  check_has_rows(data)
  wide <- problem_wide(data)
  if (!is.null(wide) && (rlang::quo_is_missing(rlang::enquo(period)) ||
                         !rlang::as_label(rlang::enquo(period)) %in% names(data))) {
    return(new_panel_problems(list(wide), NULL, NULL))
  }
  entity <- column_name(rlang::enquo(entity), data, "entity")
  period <- column_name(rlang::enquo(period), data, "period")
  find_problems(data, entity, period, periods)
}

find_problems <- function(data, entity, period, periods = NULL) {
  keys <- problem_keys(data, entity, period, periods)
  columns <- as.list(data)[setdiff(names(data), c(entity, period))]
  found <- c(
    list(problem_wide(data)), problem_stray_rows(data, keys), problem_missing_keys(keys),
    problem_repeated_keys(data, keys), list(problem_period_values(keys)), problem_names(keys),
    problem_values(columns, keys), problem_columns(columns, nrow(data)), problem_presence(keys)
  )
  new_panel_problems(Filter(Negate(is.null), found), entity, period)
}

finding <- function(kind, weight, where, todo, rows = integer(), column = NA_character_) {
  list(kind = kind, weight = weight, column = column, where = where, todo = todo,
       rows = list(as.integer(rows)))
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

# Periods in the column names: what to call to make them rows.
problem_wide <- function(data) {
  found <- find_period_columns(names(data))
  if (is.null(found)) return(NULL)
  finding(
    "periods as columns", "stops",
    sprintf("%s: %s", count_of(length(unique(found$period)), "period"),
            list_some(unique(sprintf("%s for %s", found$column, found$variable)))),
    "Make them rows: `panel_to_long(data, entity, period = \"year\")`."
  )
}
