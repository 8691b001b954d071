#' From other layouts to a row for each entity and period, and back
#'
#' Question answered: *my file has a column for each year (or a row for each indicator, or a column
#' for each entity); how do I get a row for each entity and period?* The layout is found, and said:
#'
#' * periods across: a row an entity, columns such as `nights_2009`, `2009.nights`, `nights2009`,
#'   `nights_2014Q3`, `Mar 2014`, `2014 [YR2014]`, or by a written pattern;
#' * a row an entity and indicator, periods across: the indicators become columns;
#' * a row an entity, indicator and period with one column of values: the same;
#' * a row a period, entities across.
#'
#' Columns without a period are fixed over time and repeated. Of a file, and of a variable that is numbers in other
#' periods, text that is numbers in one way only is read as such, as by [read_panel()], and told.
#'
#' @param data A data frame, or the path of a file.
#' @param entity The entity's column, bare or quoted; with entities across, its name to be.
#' @param period The column of periods to be, bare or quoted, or the one that is there.
#' @param pattern `NULL`, or a regular expression with the two groups `(?<variable>...)`
#'   and `(?<period>...)`, such as `"^(?<variable>[a-z]+)\\\\.t(?<period>[0-9]+)$"`.
#' @param periods For periods that are labels: all of them, in order.
#' @param empty Whether to keep rows in which every variable is missing.
#' @param indicator The column that names the indicators, bare or quoted; `NULL` finds it.
#' @param value The column of values, bare or quoted; with entities across, its name to be.
#' @param ... For a path: what [read_panel()] takes to read it.
#' @return `panel_to_long()`: a [panel_frame()] with the entity, the period, the fixed
#'   columns and a column a variable. `panel_to_wide()`: a data frame with a row for each
#'   entity, and a column `variable_period` for each variable that moves; `panel_to_long()` reads it
#'   back (periods that are labels by `periods`).
#' @section Errors:
#' `wavetax_error_no_period_columns` when no layout is found;
#' `wavetax_error_duplicate_keys` when an entity has several rows;
#' `wavetax_error_mixed_kinds` when a variable is text in one period and numbers in
#' another.
#' @examples
#' wide <- read.csv(system.file("extdata", "harbours-wide.csv", package = "wavetax"))
#' long <- panel_to_long(wide, harbour, season)
#' long
#' identical(names(panel_to_wide(long))[1:3], names(wide)[1:3])
#' @export
panel_to_long <- function(data, entity, period = "period", pattern = NULL, periods = NULL,
                          empty = FALSE, indicator = NULL, value = NULL, ...) {
  labels <- attr(data, "labels", exact = TRUE)
  data <- table_of(data, ..., settle = TRUE)
  check_has_rows(data)
  check_flag(empty, "empty")
  check_periods(periods)
  if (!is.null(pattern)) check_pattern(pattern)
  entity <- new_or_old_name(rlang::enquo(entity), data, "entity")
  period <- new_or_old_name(rlang::enquo(period), data, "period")
  optional <- function(quo, role) if (!rlang::quo_is_null(quo)) new_or_old_name(quo, data, role)
  indicator <- optional(rlang::enquo(indicator), "indicator")
  value <- optional(rlang::enquo(value), "value")
  if (!is.null(indicator)) check_columns(indicator, data)
  shape <- find_shape(data, entity, period, pattern = pattern, periods = periods, indicator = indicator, value = value,
                      asked = TRUE)
  if (is.null(shape)) {
    if (!entity %in% names(data)) stop_no_column(entity, names(data))
    check_one_row_each(data, entity)
    stop_no_period_columns(data, pattern)
  }
  panel <- lay_out(data, shape, entity, period, periods, empty)
  if (is.null(labels)) panel else with_labels(panel, labels)
}

# A name of one column, which need not be there yet.
new_or_old_name <- function(quo, data, role) {
  name <- written_name(quo)
  if (is.null(name) || !nzchar(name)) return(column_name(quo, data, role))
  name
}

check_pattern <- function(pattern) {
  check_text(pattern, "pattern", "Give one regular expression in quotes.", kind = "pattern")
  good <- tryCatch(suppressWarnings(is.integer(regexpr(pattern, "a", perl = TRUE))), error = function(cnd) FALSE)
  if (good) return(invisible())
  stop_wavetax("pattern", sprintf("The pattern %s is not a regular expression.", dQuote(pattern, FALSE)),
               todo = "For example `\"^(?<variable>[a-z]+)_(?<period>[0-9]+)$\"`.")
}
