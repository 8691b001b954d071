#' Say which column is the entity and which the period
#'
#' Question answered: *is this table a panel, and how do its rows stand to each
#' other in time?* The keys are checked and ranked once; the models read the ranks.
#'
#' The caller's columns and the order of rows stay as they are; `data` itself is
#' never changed. The clock is an integer on which adjacent periods are 1 apart. Its
#' step is the largest that meets every period seen: seasons 2010, 2012, 2016 have
#' the step 2, and nobody has 2014. Dates that share their day of the month (or all
#' end a month) run in months, other dates in days.
#'
#' Subsetting rows or columns keeps a panel frame while both keys are there and no
#' row is repeated; otherwise it gives a plain data frame.
#'
#' @param data A data frame (or data.table, or tibble) with a row for each entity and
#'   period seen. Any number of other columns of any kind.
#' @param entity,period Columns, bare or quoted. The entity: numbers, text or a
#'   factor, a `Date`. The period: whole numbers, `Date`s or times at midnight, or text that is all
#'   years, half-years, quarters (`2014Q3`, `2014-Q3`), months (`2014-03`, `Mar 2014`), ISO weeks
#'   (`2014-W07`) or dates (`2014-03-31`); an ordered factor counts in the order of its levels.
#' @param periods For periods that are labels: all of them, in order.
#' @param ... Takes nothing: an argument of other functions is told what does it here.
#' @return `data` as a data frame of class `panel_frame`, same rows and columns.
#'   Names of rows are kept where they are words.
#' @section Errors:
#' `wavetax_error_column_names` when a column has no name of its own; `wavetax_error_column_kind`
#' for a key that is a list or a table, or of a class whose methods fail;
#' `wavetax_error_encoding` for text that is not UTF-8;
#' `wavetax_error_unknown_column`; `wavetax_error_empty_data`;
#' `wavetax_error_missing_keys` (with the rows); `wavetax_error_duplicate_keys` (with
#' entity, period and rows); `wavetax_error_key_kind` when a key is of a kind that
#' has no order, such as periods as text or broken numbers.
#' @seealso [panel_shape()] for how uneven it is; [fit_fixed()] and its siblings.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' panel
#' panel[panel$coast == "Ember", c("harbour", "season", "nights", "levy")]
#' @export
panel_frame <- function(data, entity, period, periods = NULL, ...) {
  check_own_arguments(..., of = panel_frame, name = "panel_frame()")
  check_is_table(data)
  asked <- short_text(deparse_words(substitute(periods)))
  periods <- tryCatch(periods, error = function(cnd) {
    stop_argument("periods", sprintf("`%s`", asked),
                  "A panel has one entity and one period; a fourth column is none of its keys.")
  })
  new_panel_frame(
    own_data_frame(data),
    column_name(rlang::enquo(entity), data, "entity"),
    column_name(rlang::enquo(period), data, "period"), periods
  )
}

new_panel_frame <- function(data, entity, period, periods = NULL, ...) {
  check_own_arguments(..., of = panel_frame, name = "panel_frame()")
  check_two_keys(entity, period)
  check_periods(periods)
  index <- index_keys(data, entity, period, periods)
  if (identical(index$unit, "month") && is.numeric(data[[period]]) && !inherits(data[[period]], "Date")) {
    ends <- label_text(range(data[[period]]))
    tell_wavetax(c(i = sprintf("`%s` is read as months, from %s to %s.", period, ends[1], ends[2])),
                  class = "wavetax_message_periods")
  }
  with_index(data, index)
}

# Not structure(), which would write out millions of row names.
with_index <- function(data, index) {
  attr(data, "panel") <- index
  class(data) <- c("panel_frame", "data.frame")
  data
}

# The same columns, not copied, under R's own class; rows keep names that are words.
plain_data_frame <- function(data) {
  rows <- attr(data, "row.names")
  if (!is.character(rows)) rows <- .set_row_names(nrow(data))
  names <- names(data)
  attributes(data) <- NULL
  structure(data, names = names, class = "data.frame", row.names = rows)
}

# What a panel or a fit holds is its own. The columns of a data.table can be changed by reference behind the back of all
# who hold them: these are copied.
own_data_frame <- function(data) {
  check_cuttable(data)
  plain_data_frame(if (inherits(data, "data.table")) data.table::copy(data) else data)
}

# A column name given bare, quoted, in a variable, or by what other verbs have for it: see ?naming_columns.
column_name <- function(quo, data, role) {
  if (rlang::quo_is_missing(quo)) {
    stop_wavetax(
      "unknown_column", sprintf("No %s column was named.", role),
      todo = sprintf("Columns are %s.", list_some(names(data), 10))
    )
  }
  expr <- named_expression(quo, names(data))
  if (!is_one_text(expr)) {
    found <- if (is.call(expr)) sprintf("`%s`", short_text(deparse_words(expr))) else value_words(expr)
    stop_wavetax("unknown_column", sprintf("The %s column is %s, not the name of one column.", role, found),
                 todo = sprintf("Columns are %s.", list_some(names(data), 10)))
  }
  check_columns(expr, data)
  check_plain_vector(data[[expr]], expr)
  expr
}

# Several of them, as `c(a, b)` or in a variable.
column_names <- function(quo, data, role) {
  given <- if (!rlang::quo_is_missing(quo)) named_expression(quo, names(data))
  if (!is.character(given) || length(given) < 2) return(column_name(quo, data, role))
  check_columns(given, data)
  for (name in given) check_plain_vector(data[[name]], name)
  given
}

check_is_table <- function(data) {
  if (is.data.frame(data)) return(check_cuttable(data))
  stop_wavetax(
    "empty_data", sprintf("`data` is %s, not a data frame.", value_words(data)),
    todo = "Read the file first: `read_panel(file, entity, period)`."
  )
}

check_has_rows <- function(data) {
  if (nrow(data) > 0) return(invisible())
  stop_wavetax("empty_data", "The data have no rows.", todo = "Check the file or the filter.")
}

check_columns <- function(names, data) {
  unknown <- setdiff(names, names(data))
  if (length(unknown) > 0) stop_no_column(unknown, base::names(data), isTRUE(attr(data, "read")))
}

check_periods <- function(periods) {
  if (is.null(periods) || (is.atomic(periods) && length(periods) > 0 && !anyNA(periods))) return(invisible())
  stop_argument("periods", value_words(periods), "List all labels in order: `periods = c(\"before\", \"after\")`.",
                kind = "key_kind")
}

check_two_keys <- function(entity, period) {
  if (entity != period) return(invisible())
  stop_wavetax(
    "key_kind", sprintf("The column `%s` was named both as entity and as period.", entity),
    todo = "Name one column for each."
  )
}

# Everything that is known of the keys: codes and clock by row, their values, the
# step. The columns themselves are kept to notice when they are changed later.
index_keys <- function(data, entity, period, order = NULL, labels = NULL) {
  check_has_rows(data)
  who <- plain_column(data[[entity]])
  when <- plain_column(data[[period]])
  check_key_kind(who, entity, "entity")
  check_key_kind(when, period, "period")
  check_finite_key(who, entity)
  ranked <- rank_key(who)
  check_no_missing_key(ranked$codes, entity)
  time <- period_clock(when, order)
  check_no_missing_key(time$clock, period)
  index <- list(
    entity = entity, period = period, codes = ranked$codes, entities = ranked$values,
    clock = time$clock, periods = time$periods, ticks = time$ticks, step = time$step,
    span = max(time$ticks, 1L), unit = time$unit, order = order,
    columns = list(data[[entity]], data[[period]]), labels = labels, home = home()
  )
  index$ordered <- core_strictly_ordered(index$codes, index$clock)
  check_no_repeated_key(index)
  index
}

check_key_kind <- function(x, name, role) {
  ordinary <- is.factor(x) || is.character(x) || is.logical(x) || is.numeric(x) || inherits(x, "Date")
  good <- if (role == "entity") {
    ordinary
  } else {
    inherits(x, "Date") || is.character(x) || is.factor(x) || is_whole(x) || is_midnight(x)
  }
  if (good) return(invisible())
  kind <- if (is.numeric(x)) "broken or infinite numbers" else if (inherits(x, "POSIXct")) "times of day" else
    kind_words(x)
  stop_wavetax(
    "key_kind", sprintf("The %s column `%s` is %s.", role, name, kind),
    where = if (length(x) > 0 && is.atomic(x)) sprintf("It starts with %s.", list_some(label_text(utils::head(x, 3)))),
    todo = if (role == "entity") {
      "Entities are numbers, text or a factor."
    } else {
      c(
        "Periods are whole numbers, `Date`s, or text such as 2014, 2014Q3, 2014-03, 2014-W07.",
        "Times of day become dates with `as.Date()`."
      )
    }
  )
}

is_whole <- function(x) {
  if (!is.numeric(x) || is.factor(x)) return(FALSE)
  is.integer(x) || core_number_facts(as.double(x))$whole
}

check_no_missing_key <- function(codes, name) {
  if (length(codes) == 0 || min(codes) > 0L) return(invisible())
  rows <- which(codes == 0L)
  stop_wavetax(
    "missing_keys", sprintf("`%s` is missing in %s.", name, count_of(length(rows), "row")),
    where = sprintf("See %s.", row_words(rows, 5)),
    todo = c("Fill the key in, or leave the rows out: `panel_repair(data, found, drop = \"missing keys\")`, with",
             "`found <- panel_problems(data, ...)`. Both take the path of a file too.")
  )
}

check_no_repeated_key <- function(index) {
  if (index$ordered) return(invisible())
  span <- as.numeric(index$span)
  cells <- length(index$entities) * span
  if (cells <= 64 * length(index$codes) + 1e6) {
    if (!core_any_repeated_cell(index$codes, index$clock, length(index$entities), span)) {
      return(invisible())
    }
  }
  cell <- (index$codes - 1) * span + index$clock
  again <- which(duplicated(cell))
  if (length(again) == 0) return(invisible())
  repeated <- unique(cell[again])
  shown <- vapply(utils::head(repeated, 4), function(one) {
    rows <- which(cell == one)
    sprintf(
      "%s %s (%s)", index$entities[index$codes[rows[1]]],
      label_text(index$columns[[2]][rows[1]]), row_words(rows)
    )
  }, character(1))
  more <- length(repeated) - length(shown)
  if (more > 0) shown <- c(shown[1:3], sprintf("%s more", count_words(more + 1)))
  stop_wavetax(
    "duplicate_keys",
    sprintf("Several rows share one %s and %s.", index$entity, index$period),
    where = paste0(list_words(shown), "."),
    todo = c(
      sprintf("Is another column the entity, such as one that tells the rows of one %s apart?", index$entity),
      "See them all with `found <- panel_problems(data, ...)`; `panel_repair(data, found, repeated = \"first\")` keeps",
      "the first of each. Both take the path of a file too."
    )
  )
}

is_panel_frame <- function(data) inherits(data, "panel_frame")

# What a panel frame holds of its keys. One that was made by hand may lack it.
held_index <- function(data) {
  index <- attr(data, "panel", exact = TRUE)
  rows <- if (is.list(index)) length(index$codes)
  sound <- is.list(index) && is_one_text(index$entity) && is_one_text(index$period) && is.integer(index$codes) &&
    length(index$clock) == rows && is.list(index$columns) && length(index$columns) == 2 && is.list(data) &&
    is.integer(index$ticks)
  if (sound) return(index)
  stop_wavetax("not_a_panel", "The panel frame does not hold which columns are its keys.",
               todo = "Make it with `panel_frame(data, entity, period)`.")
}

# The index of a panel frame; made anew where rows or keys were changed since.
panel_index <- function(data) {
  index <- held_index(data)
  columns <- list(.subset2(data, index$entity), .subset2(data, index$period))
  if (identical(columns, index$columns)) return(index)
  check_columns(c(index$entity, index$period), data)
  index_keys(data, index$entity, index$period, index$order, index$labels)
}

# `data` as a panel frame on the same keys where it still is one.
restore_panel <- function(data, index) {
  entity <- index$entity
  period <- index$period
  data <- plain_data_frame_keeping_names(data)
  if (!all(c(entity, period) %in% names(data)) || nrow(data) == 0) return(data)
  tryCatch(
    {
      own <- index_keys(data, entity, period, index$order, index$labels)
      own$truth <- index$truth
      with_index(data, own)
    },
    wavetax_error = function(cnd) {
      warn_wavetax(
        "no_panel", "The result is a plain data frame, not a panel frame any more.",
        where = sub("\n.*", "", conditionMessage(cnd))
      )
      data
    }
  )
}

plain_data_frame_keeping_names <- function(data) {
  attr(data, "panel") <- NULL
  class(data) <- "data.frame"
  data
}

#' @export
`[.panel_frame` <- function(x, i, j, drop) {
  index <- held_index(x)
  args <- nargs() - !missing(drop)
  # As of any data frame, one column by row and column is the vector.
  if (missing(drop)) drop <- args >= 3 && !missing(j) && length(seq_along(names(x))[chosen_columns(j, x)]) == 1
  check_flag(drop, "drop")
  x <- plain_data_frame_keeping_names(x)
  named <- if (args < 3) !missing(i) else !missing(j)
  if (args < 3 && !missing(i) && is.logical(i) && is.matrix(i)) return(x[i])
  out <- tryCatch(
    if (args < 3) {
      if (missing(i)) x else x[i]
    } else if (missing(i)) {
      if (missing(j)) x else x[, j, drop = drop]
    } else if (missing(j)) {
      x[i, , drop = drop]
    } else {
      x[i, j, drop = drop]
    },
    error = function(cnd) stop_selection(x, if (named) if (args < 3) i else j)
  )
  if (!is.data.frame(out)) return(out)
  say_keys_gone(out, index)
  restore_panel(out, index)
}

# A table that was a panel says that it is none any more.
say_keys_gone <- function(data, index) {
  gone <- setdiff(c(index$entity, index$period), names(data))
  if (length(gone) > 0 && nrow(data) > 0) tell_wavetax(c(
    sprintf("Without %s it is a plain data frame, and no panel.", list_words(sprintf("`%s`", gone))),
    i = "`panel_frame(data, entity, period)` declares one."
  ), "wavetax_message_no_panel")
}

# Which columns, as numbers, signs or names choose them; what does not fit is found where it is used.
chosen_columns <- function(j, data) {
  if (is.character(j)) match(j, names(data), nomatch = 0) else if (is.numeric(j) || is.logical(j)) j else TRUE
}

stop_selection <- function(data, columns) {
  if (is.character(columns)) check_columns(columns[!is.na(columns)], data)
  stop_wavetax("selection", "These rows or columns are not in the panel.",
               where = sprintf("It has %s and %s.", count_of(nrow(data), "row"), count_of(ncol(data), "column")),
               todo = sprintf("Columns are %s.", list_some(names(data), 12)))
}

# Assigning a column keeps the panel frame while the keys are there; a key that is changed is
# ranked anew, and checked, when it is next used.
assign_column <- function(x, name, value, assign) {
  index <- held_index(x)
  plain <- plain_data_frame_keeping_names(x)
  out <- tryCatch(assign(plain), error = function(cnd) {
    stop_wavetax(
      "assign", sprintf("The column %s cannot be set.",
                        if (is_one_text(name)) sQuote(name, FALSE) else value_words(name)),
      where = if (!is.null(value)) sprintf("It was given %s for %s.", count_of(NROW(value), "value"),
                                           count_of(nrow(x), "row")),
      todo = "Give one value a row, or one for all."
    )
  })
  say_keys_gone(out, index)
  if (all(c(index$entity, index$period) %in% names(out))) with_index(out, index) else out
}

#' @export
`$<-.panel_frame` <- function(x, name, value) {
  assign_column(x, name, value, function(data) {
    data[[name]] <- value
    data
  })
}

#' @export
`[[<-.panel_frame` <- function(x, i, j, value) {
  column <- missing(j)
  assign_column(x, i, value, function(data) {
    if (column) data[[i]] <- value else data[[i, j]] <- value
    data
  })
}

#' @export
as.data.frame.panel_frame <- function(x, ...) plain_data_frame_keeping_names(x)
