#' Naming columns
#'
#' Question answered: *how do I say which column, by hand, in a variable, in a function of my own?* One rule holds for
#' every argument that names a column (the keys of [panel_frame()] and [read_panel()], the variables of
#' [panel_variation()] and [plot_paths()], `by`, `weights`, `effects`, clusters):
#'
#' 1. A bare name is the column of that name: `panel_frame(d, harbour, season)`.
#' 2. Text is its name: `"harbour"`.
#' 3. A bare name that is no column is a variable that holds names: with `e <- "harbour"`,
#'    `panel_frame(d, e, "season")`. A column goes before a variable of the same name; `!!e` is always the variable.
#' 4. In a function of your own `{{ who }}` hands on what its caller named.
#' 5. `all_of(e)`, `.data$harbour` and `.data[[e]]` mean what they do in other verbs.
#' 6. A formula of one name, `~ harbour`, is that name.
#'
#' A name that none of these finds ends in `wavetax_error_unknown_column`, which lists the columns and the nearest
#' names.
#'
#' @examples
#' key <- "harbour"
#' panel <- panel_frame(harbours, key, "season")
#' described <- function(panel, which) panel_variation(panel, {{ which }})
#' described(panel, levy)
#' panel_variation(panel, all_of(c("levy", "storms")))
#' @name naming_columns
NULL
