#' A balanced panel
#'
#' Question answered: *what do I have when every entity is seen in every period?*
#'
#' @param data A [panel_frame()].
#' @param how `"fill"`: every entity in every period of the panel, rows added with
#'   missing values (columns that never vary within an entity are filled in).
#'   `"entities"`: only entities seen in every period. `"block"`: the largest balanced
#'   block that leaving out entities or outer periods gives.
#' @param rows Which rows are looked at, a condition on columns, `~ season > 2012`; not with `"fill"`.
#' @param mark A name: all rows stay, and a column of that name says which would. A fit of them, `rows = ~ complete`,
#'   has lags that see the whole panel. Not with `"fill"`.
#' @param least With `"entities"`: all that have at least so many rows, in whatever periods.
#' @param ... Takes nothing; what is misspelt is told.
#' @return A balanced [panel_frame()], with `mark` all of it. A message says what was added or given up.
#' @section Errors:
#' `wavetax_error_not_a_panel`; `wavetax_error_no_rows` when nothing is left; `wavetax_error_name_taken` when `mark`
#' is a column that is there.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' panel_balance(panel, "entities")
#' panel_balance(panel, "fill")
#' panel_balance(panel, "entities", least = 10)
#' panel <- panel_balance(panel, "entities", mark = "complete")
#' fit_fixed(log(nights) ~ levy + past(levy), panel, rows = ~ complete)
#' @export
panel_balance <- function(data, how = c("fill", "entities", "block"), rows = NULL, mark = NULL, least = NULL,
                          ...) {
  check_own_arguments(..., of = panel_balance, name = "panel_balance()")
  check_is_panel(data)
  how <- check_one_of(how, balance_ways, "how")
  looked <- looked_rows(data, rows)
  if (!is.null(least)) {
    check_number(least, "least", 1, whole = TRUE)
    if (how != "entities") stop_argument("least", "given", "It is for `how = \"entities\"`.")
  }
  if (how == "fill") {
    for (one in c(if (!is.null(looked)) "rows", if (!is.null(mark)) "mark")) {
      stop_argument(one, "given", "It is for `\"entities\"` and `\"block\"`, not for `\"fill\"`.")
    }
    return(fill_panel(data, panel_index(data)))
  }
  if (is.null(mark)) {
    part <- if (is.null(looked)) data else data[looked, ]
    keep <- balanced_rows(part, how, least)
    return(part[keep, ])
  }
  check_text(mark, "mark", "Give the name of a new column.")
  if (mark %in% names(data)) {
    stop_wavetax("name_taken", sprintf("The panel has a column `%s`.", mark), todo = "Give `mark` another name.")
  }
  if (is.null(looked)) looked <- rep(TRUE, nrow(data))
  kept <- rep(FALSE, nrow(data))
  kept[looked] <- balanced_rows(data[looked, ], how, least)
  data[[mark]] <- kept
  data
}

# The rows that are looked at; NULL for all.
looked_rows <- function(data, condition) {
  if (is.null(condition)) return(NULL)
  if (!rlang::is_formula(condition, lhs = FALSE)) {
    stop_argument("rows", value_words(condition), "Give a condition on columns: `rows = ~ season > 2012`.")
  }
  value <- evaluate_among(rlang::f_rhs(condition), data, baseenv_or(rlang::f_env(condition)), panel_index(data))
  if (!is.logical(value) || length(value) != nrow(data)) {
    stop_argument("rows", "no condition", "Give one on columns: `rows = ~ season > 2012`.")
  }
  value <- value & !is.na(value)
  if (any(value)) return(value)
  stop_wavetax("no_rows", sprintf("No row has %s.", deparse_words(rlang::f_rhs(condition))))
}

# Which rows stay, of entities seen throughout or of the largest block; what is given up is told.
balanced_rows <- function(data, how, least = NULL) {
  index <- panel_index(data)
  ticks <- if (how == "block") largest_block(index) else range(index$ticks)
  inside <- index$clock >= ticks[1] & index$clock <= ticks[2]
  wanted <- sum(index$ticks >= ticks[1] & index$ticks <= ticks[2])
  seen <- tabulate(index$codes[inside], length(index$entities))
  full <- if (is.null(least)) seen == wanted else seen >= least
  keep <- inside & full[index$codes]
  if (!any(keep)) {
    if (!is.null(least)) {
      stop_wavetax("no_rows", sprintf("No %s has %s.", index$entity, count_of(least, "row")),
                   todo = sprintf("The most that one has: %s.", count_words(max(seen))))
    }
    stop_wavetax("no_rows", sprintf("No %s is seen in every %s.", index$entity, index$period),
                 todo = "Try `how = \"block\"` or `\"fill\"`.")
  }
  lost <- as.character(index$entities)[!full]
  outer <- index$periods[index$ticks < ticks[1] | index$ticks > ticks[2]]
  named <- function(who, noun) {
    if (length(who) == 0) return(paste("no", noun))
    sprintf("%s (%s)", count_of(length(who), noun), list_some(who))
  }
  given_up <- c(named(lost, index$entity), named(format_period(outer), index$period),
                count_of(sum(!keep), "row"))
  tell_wavetax(c(i = paste0("Given up: ", paste(given_up, collapse = "; "), ".")),
                class = "wavetax_message_balance")
  keep
}

balance_ways <- c("fill", "entities", "block")

# First and last tick of the run of periods with most rows of entities seen in all of it.
largest_block <- function(index) {
  ticks <- index$ticks
  cells <- matrix(0L, length(index$entities), length(ticks))
  cells[cbind(index$codes, match(index$clock, ticks))] <- 1L
  best <- c(0, 1, 1)
  for (first in seq_along(ticks)) {
    all_so_far <- rep(TRUE, nrow(cells))
    for (last in first:length(ticks)) {
      all_so_far <- all_so_far & cells[, last] == 1L
      rows <- sum(all_so_far) * (last - first + 1)
      if (rows > best[1]) best <- c(rows, ticks[first], ticks[last])
    }
  }
  best[-1]
}

fill_panel <- function(data, index) {
  N <- length(index$entities)
  periods <- length(index$ticks)
  cell <- (index$codes - 1L) * periods + match(index$clock, index$ticks)
  rows <- rep(NA_integer_, N * periods)
  rows[cell] <- seq_along(cell)
  code <- rep(seq_len(N), each = periods)
  first <- match(seq_len(N), index$codes)
  out <- lapply(names(data), function(name) {
    x <- data[[name]]
    if (name == index$entity) return(x[first][code])
    if (name == index$period) return(x[match(index$ticks, index$clock)][rep(seq_len(periods), N)])
    check_plain_vector(x, name)
    if (same_within(x, index$codes)) x[first][code] else x[rows]
  })
  absent <- sum(absent_periods(index)$steps)
  tell_wavetax(c(i = sprintf("Added: %s.", count_of(N * periods - nrow(data), "row")), if (absent > 0) {
    c(i = sprintf("%s of the clock %s in no row, and %s not added.", upper_first(count_of(absent, "step")),
                  if (absent == 1) "is" else "are", if (absent == 1) "is" else "are"))
  }),
                class = "wavetax_message_balance")
  out <- structure(stats::setNames(out, names(data)), class = "data.frame",
                   row.names = .set_row_names(N * periods))
  restore_panel(out, index)
}
