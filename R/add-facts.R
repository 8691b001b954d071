#' What a table of specifications can tell below
#'
#' Question answered: *which figures can stand under the columns?* `table_figures()` lists what `facts` of
#' [spec_table()] can name; `add_facts()` puts rows of your own below.
#'
#' @param table A [spec_table()].
#' @param ... Rows by name, each with one value a column, or named by column: `"Sample" = c("all", "all", "since
#'   2012")`. Numbers, texts or `TRUE` and `FALSE`, which are "yes" and "no".
#' @return `table_figures()`: a data frame with the columns `figure` and `what`. `add_facts()`: the table.
#' @section Errors:
#' `wavetax_error_fact` for values that are not one a column.
#' @examples
#' table_figures()
#' panel <- panel_frame(harbours, harbour, season)
#' fixed <- fit_fixed(log(nights) ~ levy + storms, panel)
#' late <- fit_fixed(log(nights) ~ levy + storms, panel, rows = season > 2014)
#' table <- spec_table(fixed, late, facts = c("rows", "mean of the outcome" = "outcome_mean"))
#' add_facts(table, "Sample" = c("all", "since 2015"))
#' @export
table_figures <- function() data.frame(figure = names(spec_figures), what = unname(spec_figures))

#' @rdname table_figures
#' @export
add_facts <- function(table, ...) {
  if (!inherits(table, "spec_table")) {
    stop_argument("table", value_words(table), "Give a table: `add_facts(spec_table(fits), ...)`.", kind = "fact")
  }
  check_whole_spec(table)
  given <- list(...)
  if (length(given) == 0 || is.null(names(given)) || any(!nzchar(names(given)))) {
    stop_wavetax("fact", "A row has no name.", todo = "Name each: `\"Sample\" = c(\"all\", \"late\")`.")
  }
  rows <- lapply(names(given), function(label) {
    x <- given[[label]]
    if (!is.atomic(x) || is.null(x) || !is.null(dim(x))) {
      stop_wavetax("fact", sprintf("%s is %s.", sQuote(label, FALSE), value_words(x)), todo = "Give numbers or texts.")
    }
    if (is.factor(x)) x <- stats::setNames(as.character(x), names(x))
    if (!is.null(names(x))) x <- x[match(table$models, names(x))] else if (length(x) != length(table$models)) {
      stop_wavetax("fact", sprintf("%s has %s for %s.", sQuote(label, FALSE), count_of(length(x), "value"),
                                   count_of(length(table$models), "column")),
                   todo = "Give one a column, or name each by its column.")
    }
    new_fact(table$models, label, "own", value_cells(x))
  })
  own <- rbind(table$own, do.call(rbind, rows))
  new_spec_table(table$records, table$heads, table$options, own, table$told)
}
