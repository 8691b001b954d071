# R's own verbs on a panel, with the operators at hand.

#' @export
transform.panel_frame <- function(`_data`, ...) {
  index <- panel_index(`_data`)
  expressions <- as.list(substitute(list(...)))[-1]
  check_all_named(expressions)
  out <- plain_data_frame_keeping_names(`_data`)
  scope <- columns_environment(`_data`, parent.frame(), index)
  check_formula_names(expressions, `_data`, scope)
  for (name in names(expressions)) {
    words <- deparse_words(expressions[[name]])
    value <- evaluate_in(expressions[[name]], words, scope)
    if (!is.null(value) && !NROW(value) %in% c(1, nrow(out))) check_length(value, words, nrow(out))
    out[[name]] <- value
  }
  restore_panel(out, index)
}

check_all_named <- function(expressions) {
  unnamed <- if (is.null(names(expressions))) rep(TRUE, length(expressions)) else !nzchar(names(expressions))
  if (!any(unnamed)) return(invisible())
  words <- deparse_words(expressions[unnamed][[1]])
  stop_wavetax("unnamed", sprintf("`%s` has no name for its column.", words),
               todo = sprintf("Name it: `transform(panel, new = %s)`.", words))
}

#' @export
with.panel_frame <- function(data, expr, ...) {
  evaluate_among(substitute(expr), data, parent.frame(), panel_index(data))
}

#' @export
within.panel_frame <- function(data, expr, ...) {
  index <- panel_index(data)
  inner <- columns_environment(data, parent.frame(), index)
  eval(substitute(expr), inner)
  values <- as.list(inner, all.names = TRUE)
  out <- plain_data_frame_keeping_names(data)
  out[setdiff(names(data), names(values))] <- NULL
  for (name in names(values)) out[[name]] <- values[[name]]
  restore_panel(out, index)
}
