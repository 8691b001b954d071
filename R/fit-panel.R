# What a fit used, described: its outcome and regressors on its own rows.

#' @export
panel_variation.panel_fit <- function(data, ..., by = NULL, show = NULL, statistics = NULL, weights = NULL,
                                      parts = FALSE) {
  panel_variation.default(panel_of_fit(data), ..., by = {{ by }}, show = show, statistics = statistics,
                          weights = {{ weights }}, parts = parts)
}

#' @export
panel_shape.panel_fit <- function(data, ...) {
  part <- part_of_fit(data, ..., name = "panel_shape()")
  shape_of(part$panel, part$chosen)
}

# The rows of a fit as a panel of their own: list(panel, chosen).
part_of_fit <- function(fit, ..., name) {
  check_is_fit(fit)
  check_no_dots(..., of = list(call = part_of_fit, name = name, hidden = c("fit", "name"),
                               todo = "Of a fit it is about the rows that the fit uses."))
  panel <- panel_of_fit(fit)
  whole <- fit$design$index
  list(panel = restore_panel(panel, whole), chosen = new_choice("that the fit uses", length(whole$codes),
                                                                length(whole$entities)))
}

panel_of_fit <- function(fit) {
  check_keeps_rows(fit, "rows to describe")
  design <- fit$design
  index <- design$index
  if (is.null(index)) check_is_panel(NULL)
  used <- used_index(design)
  keys <- list(index$entities[used$entity], index$periods[match(used$clock, index$ticks)])
  data <- c(stats::setNames(keys, c(index$entity, index$period)), stats::setNames(list(design$y), design$outcome),
            design$x)
  data <- structure(data[!duplicated(names(data))], class = "data.frame", row.names = .set_row_names(length(design$y)))
  index[c("codes", "clock")] <- list(used$entity, used$clock)
  with_index(data, index)
}
