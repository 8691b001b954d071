#' First differences
#'
#' Question answered: *what do changes in x from one period to the next do to y?*
#'
#' Ordinary least squares of the change of y on the change of x between adjacent periods of
#' an entity. Pairs across a gap are not used, and counted; a row needs its neighbour one
#' period before, on the panel's clock. A constant in the formula stays, as a common drift by
#' period; `- 1` removes it. With two periods this is the fixed effects regression.
#'
#' @inheritParams fit_fixed
#' @param data A [panel_frame()].
#' @param weights Not taken: a change is of two rows, each with a weight of its own.
#' @return A `panel_fit`, see [fit_pooled()], whose rows are the changes: [residuals()] has
#'   one for each, in the order of the later rows.
#' @section Errors:
#' Those of [fit_pooled()]; `wavetax_error_not_a_panel`, `wavetax_error_too_few_periods` when
#' no two rows are adjacent, `wavetax_error_weights`.
#' @references Wooldridge, J. M. *Econometric Analysis of Cross Section and Panel Data*, 10.6.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' # The truth of the demo world is -0.05 on the levy.
#' fit_difference(log(nights) ~ levy + storms + fuel, panel)
#' @export
fit_difference <- function(formula, data, errors = NULL, weights = NULL, rows = NULL, keep = "rows", ...) {
  check_own_arguments(..., of = fit_difference, name = "fit_difference()")
  run_fit(fit_request("difference", match.call(), formula, data, rlang::enquo(weights), rlang::enquo(rows), errors,
                      keep))
}

method_difference <- function() {
  new_fit_method(
    "difference", words = "first difference", title = function(fit) "First differences",
    estimate = function(request) estimate_difference(request), arguments = character(),
    row = function(design) "change", constant = "drift", weighted = function(variance) FALSE,
    r_squared = c("of_changes", "overall")
  )
}

estimate_difference <- function(request) {
  check_is_panel(request$data)
  check_weightless(request$weights)
  design <- request_design(request)
  levels <- design_rows(design)
  design <- changes_of(design)
  solution <- core_solve_pooled(core_pooled_state(design_rows(design)))
  solution$r_squared <- c(
    of_changes = solution$r_squared[["overall"]], overall = core_overall_r_squared(levels, solution)
  )
  new_panel_fit(request, design, solution, new_transformation("changes"), notes = design$across)
}

# The design of changes between adjacent periods; each row is the later of its pair.
changes_of <- function(design) {
  pairs <- change_pairs(design)
  if (length(pairs$now) == 0) {
    stop_wavetax(
      "too_few_periods", "No two rows are one period apart, so there is no change to explain.",
      where = missing_words(design$missing),
      todo = "Is the period's step that of the data? See `panel_shape(data)`."
    )
  }
  now <- pairs$now
  across <- function(v) v[now] - v[pairs$before]
  change_design(
    design, x = lapply(design$x, across), y = across(design$y), beside = lapply(design$beside, across), groups = NULL,
    offset = if (!is.null(design$offset)) across(design$offset), levels = design,
    rows = if (is.null(design$rows)) now else design$rows[now],
    across = if (pairs$across_gaps > 0) sprintf("%s across a gap not used", count_of(pairs$across_gaps, "pair"))
  )
}

check_weightless <- function(weights) {
  if (is.null(weights)) return(invisible())
  stop_wavetax("weights", "First differences take no weights.",
               where = "A change is of two rows, each with a weight of its own.",
               todo = "`fit_fixed()` and `fit_pooled()` take weights.")
}
