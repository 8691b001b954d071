#' Competing specifications side by side
#'
#' Question answered: *how does the answer change with the model?* A column a fit: its
#' coefficients with what you choose beneath them, which effects are in it, which
#' errors, the sample, and the R-squared that suits it.
#'
#' Terms are said in words: `factor(season)2014` stands under the head "season (against 2012)", `I(levy^2)` is "levy
#' squared", `past(levy, 2)` "levy, 2 seasons before"; labels of [panel_labels()] carry through, and what follows their
#' first comma is the unit.
#'
#' A table is kept with what it was made of: `spec_table(table, new = fit)` and `c(table, other)` add columns,
#' `table[c("fixed", "random")]` chooses and orders them, and [read_table_file()] reads one back.
#'
#' @param ... Fits, named or not, lists of them (named lists within a list have their name over their columns), also
#'   those
#'   of [read_fits()], [fit_each()] and [spec_ladder()], and tables made before. A name heads its column; without one,
#'   the
#'   name of the variable or what tells the fit from the others does.
#' @param terms Coefficients to show, in this order: names, terms as they are written (`"factor(season)"`), or patterns
#'   (`"past(levy*"`); `NULL` for all. A name given to one labels it: `c("Wave tax" = "levy")`.
#' @param hide What is not shown, a one-sided formula of terms, `~ factor(season) + coast`, or names and patterns in
#'   quotes. A row says in which columns it is; effects of the same column that were swept out stand in that row too.
#' @param labels Labels of variables, as [panel_labels()] takes them, over those that the fits have of their
#'   panels; `FALSE` shows names.
#' @param beneath What stands under each estimate, one or several of `"std_error"`, `"statistic"`, `"p_value"`,
#'   `"interval"` (95 percent); `NULL` for nothing.
#' @param beside `TRUE`: each of these in a column of its own.
#' @param facts What is told below, in this order: some of `"effects"`, `"errors"`, `"clusters"`, `"rows"`,
#'   `"entities"`, `"r_squared"`, `"tests"`, `"strength"` (of instruments), `"levels"` and `"connected"` (of each set of effects), and figures of
#'   [table_figures()], a name for the words of its row; or functions of a fit, in a list:
#'   `list("rows", "Mundlak p" = function(fit) test_mundlak(fit)$p.value)`.
#' @param marks Signs by the p value, off by default: `c("+" = 0.05)` sets a sign of your own behind estimates below it.
#' @param decimals How many are shown of estimates: a number, or several by name of the term; `NULL`: as many as the
#'   errors ask for.
#' @param over Heads over heads: `list("All harbours" = 1:3, "Tallow coast" = 4:6)`, by number or name of columns, or a
#'   head for each column.
#' @param numbered `TRUE` numbers the columns.
#' @param constant `TRUE` has the constant of fits whose effects are swept out too: these average zero over the rows.
#' @param title,notes The title, and sentences to stand below the table's own.
#' @param hausman `TRUE` adds the p value of [test_hausman()] of each random effects
#'   fit against the first fixed effects fit of the same rows.
#' @return A `spec_table`: `coefficients` (a data frame with a row for each fit and
#'   term), `facts` (a row for each fact of each fit), `models` (the names of its columns), `heads`,
#'   `outcome`, `records` (of the fits). It prints in 80 columns, in several blocks where there are many fits.
#'   `as.data.frame(table)` has a row for each fit and coefficient with the columns
#'   `model`, `term`, `estimate`, `std_error`, `statistic`, `p_value`, `low`, `high`;
#'   `as.data.frame(table, layout = "printed")` the printed cells as text.
#' @section Errors:
#' `wavetax_error_not_a_fit`; `wavetax_error_unknown_term`; `wavetax_error_fact`; `wavetax_error_argument`; those of
#' [test_hausman()] when it is asked for and the fits cannot be compared.
#' @seealso [write_table()], [add_facts()], [plot_estimates()].
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' pooled <- fit_pooled(log(nights) ~ levy + storms + fuel + factor(season), panel)
#' fixed <- fit_fixed(log(nights) ~ levy + storms + fuel, panel, effects = "both")
#' random <- fit_random(log(nights) ~ levy + storms + fuel, panel)
#' spec_table(pooled, fixed, random, hide = ~ factor(season), terms = c("Wave tax" = "levy", "storms"))
#' @export
spec_table <- function(..., terms = NULL, hide = NULL, labels = NULL, beneath = "std_error", beside = FALSE,
                       facts = NULL,
                       marks = NULL, decimals = NULL, over = NULL, numbered = FALSE, title = NULL, notes = NULL,
                       hausman = FALSE, constant = FALSE) {
  fits <- collect_fits(rlang::enquos(...), spec_table, "spec_table()")
  terms <- bare_names(rlang::enquo(terms), terms_of_all(fits))
  given <- setdiff(names(match.call(expand.dots = FALSE)), c("", "...", "hausman"))
  asked <- check_spec_options(list(
    terms = terms, hide = hide, labels = labels, beneath = beneath, beside = beside, facts = facts, marks = marks,
    decimals = decimals, over = over, numbered = numbered, title = title, notes = notes, constant = constant
  ))
  check_flag(hausman, "hausman")
  before <- attr(fits, "tables")
  options <- asked
  if (length(before) > 0) {
    kept <- setdiff(names(options), given)
    options[kept] <- before[[1]]$options[kept]
  }
  if (is.null(options$over)) options["over"] <- list(attr(fits, "over"))
  heads <- attr(fits, "heads")
  tested <- if (hausman) hausman_facts(fits)
  own <- do.call(rbind, c(lapply(before, `[[`, "own"), list(own_facts(fits[attr(fits, "is_new")], options$facts),
                                                            tested$facts)))
  new_spec_table(lapply(stats::setNames(fits, names(fits)), fit_record), heads, options, own,
                 c(unlist(lapply(before, `[[`, "told")),
                   hausman_told(tested, spec_column_words(names(fits), heads))))
}

# Of records by name, their heads, what was asked for, and facts that fits alone can tell, which are kept.
new_spec_table <- function(records, heads, options, own, told) {
  coefficients <- do.call(rbind, lapply(names(records), function(model) {
    table <- with_drift(records[[model]])
    if (!shows_aside(options)) table <- table[!table$aside, ]
    if (nrow(table) > 0) cbind(model = model, table[names(table) != "aside"])
  }))
  if (is.null(coefficients)) coefficients <- cbind(model = character(), records[[1]]$coefficients[0, ])
  wording <- spec_wording(records, options)
  chosen <- chosen_spec_terms(coefficients$term, wording, options)
  structure(list(
    models = names(records), heads = heads, outcome = unique(vapply(records, `[[`, "", "outcome")),
    coefficients = coefficients, terms = chosen$terms, phrases = chosen$phrases, hidden = chosen$hidden,
    facts = spec_facts(records, chosen$hidden, own, options$facts), beneath = options$beneath,
    records = records, options = options, own = own, told = told
  ), class = "spec_table", home = home())
}

#' @export
`[.spec_table` <- function(x, i) {
  check_whole_spec(x)
  if (missing(i)) return(x)
  at <- if (is.character(i)) match(i, x$models) else seq_along(x$models)[i]
  if (length(at) == 0 || anyNA(at)) {
    stop_wavetax("argument", sprintf("The table has no column %s.",
                                     list_words(if (is.character(i)) sQuote(i[is.na(at)], FALSE) else
      label_text(i))), todo = sprintf("Its columns are %s.", list_some(x$models, 8)))
  }
  options <- x$options
  options["over"] <- list(if (!is.null(options$over)) spec_over(x)[at])
  new_spec_table(x$records[at], x$heads[at], options, x$own[x$own$model %in% x$models[at], ], x$told)
}

#' @export
c.spec_table <- function(...) spec_table(...)
