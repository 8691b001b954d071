#' Labels of variables, a codebook
#'
#' Question answered: *how do tables and figures say "Wave tax, crowns a metre" instead of `levy`?* Labels
#' are kept with the panel through reading, reshaping, joining and subsetting, and used by [spec_table()],
#' [plot_estimates()] and [plot_paths()].
#'
#' @param data A [panel_frame()].
#' @param labels Names and labels: a named character vector, `c(levy = "Wave tax")`; a data frame or the
#'   path of a file (CSV or a sheet of a workbook) with the name in its first column and the label in its second.
#'   Names that are no column are kept for columns to come, and told.
#' @param ... For a path: what [read_panel()] takes to read it, such as `sheet = "codebook"`.
#' @return Without `labels`: those of the panel, a named character vector. With them: the panel, labelled.
#' @section Errors:
#' `wavetax_error_not_a_panel`; `wavetax_error_labels` when they are no names and labels.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' panel <- panel_labels(panel, c(levy = "Wave tax", storms = "Storm days"))
#' panel_labels(panel)
#' spec_table(fit_fixed(log(nights) ~ levy + storms, panel))
#' @export
panel_labels <- function(data, labels, ...) {
  check_is_panel(data)
  index <- panel_index(data)
  if (missing(labels)) return(if (is.null(index$labels)) stats::setNames(character(), character()) else index$labels)
  labels <- as_labels(labels, ...)
  # A label may be of a term too, such as log(levy).
  unknown <- Filter(function(name) {
    expr <- tryCatch(str2lang(name), error = function(cnd) NULL)
    !name %in% names(data) && !(is.call(expr) && any(all.vars(expr) %in% names(data)))
  }, names(labels))
  if (length(unknown) > 0) {
    tell_wavetax(c(i = sprintf("No column is called %s.", list_some(sQuote(unknown, FALSE), 6))),
                 class = "wavetax_message_labels")
  }
  with_labels(data, labels)
}

# New labels stand for old ones of the same name.
with_labels <- function(data, labels) {
  index <- held_index(data)
  index$labels <- c(labels, index$labels[setdiff(names(index$labels), names(labels))])
  with_index(data, index)
}

as_labels <- function(labels, ...) {
  if (is.character(labels) && is.null(names(labels)) && length(labels) == 1) labels <- table_of(labels, ...)
  if (is.data.frame(labels) && ncol(labels) >= 2) {
    labels <- stats::setNames(as.character(labels[[2]]), as.character(labels[[1]]))
    labels <- labels[!is_blank(labels) & !is_blank(names(labels))]
  }
  good <- is.character(labels) && length(labels) > 0 && !is.null(names(labels)) && !anyNA(labels) &&
    all(nzchar(names(labels))) && !anyDuplicated(names(labels))
  if (good) {
    check_valid_text(c(labels, names(labels)))
    return(labels)
  }
  stop_wavetax("labels", sprintf("`labels` is %s.", value_words(labels)),
               where = if (!is.null(names(labels)) && anyDuplicated(names(labels))) {
                 sprintf("Named twice: %s.", list_some(unique(names(labels)[duplicated(names(labels))])))
               },
               todo = "Give names and labels: `c(levy = \"Wave tax\")`, or a table of two columns.")
}
