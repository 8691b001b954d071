#' @rdname panel_to_long
#' @param variables Columns that get one column a period; `NULL`: all that vary within an
#'   entity. Other columns that vary are left out, which is said.
#' @export
panel_to_wide <- function(data, variables = NULL, ...) {
  check_own_arguments(..., of = panel_to_wide, name = "panel_to_wide()")
  check_is_panel(data)
  index <- panel_index(data)
  others <- setdiff(names(data), c(index$entity, index$period))
  check_texts(variables, "variables", "Name columns in quotes.")
  if (!is.null(variables)) check_columns(variables, data)
  for (name in others) check_plain_vector(data[[name]], name)
  moving <- variables
  columns <- plain_data_frame(data)
  if (is.null(variables)) moving <- others[!vapply(columns[others], same_within, logical(1), index$codes)]
  labels <- format_period(index$periods)
  N <- length(index$entities)
  first <- match(seq_len(N), index$codes)
  order <- order(first)
  at <- (match(index$clock, index$ticks) - 1) * N + index$codes
  rest <- setdiff(others, moving)
  varies <- rest[!vapply(columns[rest], same_within, logical(1), index$codes)]
  if (length(varies) > 0) {
    tell_wavetax(c(i = sprintf("Left out, as they vary within %s: %s.", one_of_a(index$entity), list_some(varies, 8))),
                  class = "wavetax_message_left_out")
  }
  fixed <- c(index$entity, setdiff(rest, varies))
  out <- plain_data_frame_keeping_names(data)[first[order], fixed, drop = FALSE]
  for (variable in moving) {
    source <- data[[variable]]
    rows <- rep(NA_integer_, N * length(labels))
    rows[at] <- seq_along(source)
    rows <- matrix(rows, N)[order, , drop = FALSE]
    for (p in seq_along(labels)) out[[paste0(variable, "_", labels[p])]] <- source[rows[, p]]
  }
  rownames(out) <- NULL
  attr(out, "labels") <- index$labels
  out
}
