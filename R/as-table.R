#' Anything that prints as a table, as one table value
#'
#' Question answered: *what would be printed, as values?* Title, heads, rows with their labels, cells with their numbers
#' and decimals, notes: what is printed and what every file holds is made of it.
#'
#' @param x A [spec_table()], a fit, or a result of [effect_levels()], [variance_parts()], [fit_figures()],
#'   [compare_errors()], [collinearity()], [influence_by()], [diagnose()], [appraise()], [panel_variation()] or
#'   `anova()`.
#' @param ... For [effect_levels()] and [influence_by()] `n`, how many groups to show.
#' @return A `panel_table`: a list with `title`, `stub` (the head over the labels), `columns` (a data frame: `key`,
#'   `head`, `over`, `form`), `rows` (a data frame: `key`, `label`, `role`, `depth`, `mark`), `cells` (by column key a
#'   list of `kind`, `value`, `upper`, `decimals`, `text`, an element a row) and `notes` (a data frame: `text`,
#'   `column`). It prints as a table.
#' @section Errors:
#' `wavetax_error_format` for what prints as no table, and for a table that was changed into none.
#' @seealso [write_table()].
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fixed <- fit_fixed(log(nights) ~ levy + storms, panel)
#' table <- as_table(spec_table(fixed))
#' table$cells$fixed$value[table$rows$key == "levy"]
#' @export
as_table <- function(x, ...) {
  if (inherits(x, c("effect_levels", "influence"))) check_shown(...) else
    check_no_dots(..., of = list(call = as_table, name = "as_table()", hidden = "x"))
  UseMethod("as_table")
}

check_shown <- function(n = 1, ...) {
  check_number(n, "n", 1, whole = TRUE)
  check_no_dots(..., of = list(call = check_shown, name = "as_table()"))
}

#' @export
as_table.default <- function(x, ...) {
  stop_wavetax("format", sprintf("`x` is %s, which prints as no table.", value_words(x)),
               todo = "Give what does: `as_table(spec_table(fit))`.")
}

#' @export
as_table.panel_table <- function(x, ...) {
  fault <- table_fault(x)
  if (is.null(fault)) return(x)
  stop_wavetax("format", sprintf("The table's `%s` %s not as `?as_table` says.", fault,
                                 if (endsWith(fault, "s") && fault != "class") "are" else "is"),
               todo = "Make it anew of what it was made of.")
}
