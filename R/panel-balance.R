#' A balanced panel
#'
#' Question answered: *what do I have when every entity is seen in every period?*
#'
#' @param data A [panel_frame()].
#' @param how `"fill"`: every entity in every period of the panel, rows added with
#'   missing values (columns that never vary within an entity are filled in).
#'   `"entities"`: only entities seen in every period. `"block"`: the largest balanced
#'   block that leaving out entities or outer periods gives.
#' @return A balanced [panel_frame()]. A message says what was added or given up.
#' @section Errors:
#' `wavetax_error_not_a_panel`; `wavetax_error_no_rows` when nothing is left.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' panel_balance(panel, "entities")
#' panel_balance(panel, "fill")
#' @export
panel_balance <- function(data, how = c("fill", "entities", "block")) {
  check_is_panel(data)
  how <- check_one_of(how, balance_ways, "how")
  index <- panel_index(data)
  if (how == "fill") return(fill_panel(data, index))
  ticks <- if (how == "block") largest_block(index) else range(index$ticks)
  inside <- index$clock >= ticks[1] & index$clock <= ticks[2]
  wanted <- sum(index$ticks >= ticks[1] & index$ticks <= ticks[2])
  full <- tabulate(index$codes[inside], length(index$entities)) == wanted
  keep <- inside & full[index$codes]
  if (!any(keep)) {
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
  data[keep, ]
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
