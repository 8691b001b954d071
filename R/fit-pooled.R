#' Pooled least squares
#'
#' Question answered: *how does the outcome move with the regressors when all rows
#' are thrown together, entities and periods alike?*
#'
#' Ordinary least squares of y on the constant and x, with n - k - 1 residual
#' degrees of freedom. Weights w are analytic: the variance of a row is
#' \eqn{\sigma^2 / w}{sigma^2 / w}. The regression is solved by Householder
#' reflections, block by block.
#'
#' @param formula Outcome and regressors, as R's formulas have them:
#'   `log(nights) ~ levy * pennant + factor(season)`. An `offset()` is added with the coefficient 1. With
#'   several outcomes,
#'   `cbind(log(nights), rescues) ~ levy`, there is a list of fits, one for each.
#' @param data A [panel_frame()], or a plain data frame; for [fit_pooled()] and [fit_fixed()] also a
#'   source read in pieces, see the section on data past memory.
#' @param weights `NULL`, a one-sided formula (`~ berths`) or a column name. Rows of
#'   weight 0 are left out. `~ variance_of(region)`: one over the variance of each group, estimated from the residuals
#'   of the fit without weights; see [remedies].
#' @param errors `NULL`, or one of [se_classical()], [se_clustered()]. By default
#'   clustered by entity; classical on a plain data frame, which has no entity.
#' @param rows `NULL`, or a one-sided formula that is true for the rows to use: `~ season >
#'   2012`. [past()] and its siblings still see the others.
#' @param serial `"none"`, `"ar1"`, or [serial_ar1()]: disturbances of an entity that follow AR(1) over time.
#' @param ... Takes nothing: an argument of other functions is told what does it here.
#' @param keep `"rows"`: the fit refers to its data and holds the columns of its regression.
#'   `"nothing"`: it does not, as [slim()] has it.
#' @return A `panel_fit`. [coef()], [vcov()], [confint()], [residuals()],
#'   [predict()] and R's other generics answer on it; `as.data.frame()` has a row a
#'   coefficient: `term`, `estimate`, `std_error`, `statistic`, `p_value`, `low`,
#'   `high` (95 percent). Rows with a missing variable are left out and counted;
#'   regressors that are combinations of others are dropped, with the reason.
#' @section Data past memory:
#' `data` may be the path of a CSV or Parquet file, or a function without arguments that gives a
#' data frame at each call and `NULL` at the end. It is read in pieces that are forgotten; what
#' is kept is of the size of the regressors and effects. Effects are one or two columns by name,
#' `effects = ~ id + year`, the larger set first; categories and lags must be columns already.
#' Clustered errors read the source a second time, so a function must start again after `NULL`.
#' Without errors being named they are clustered by the first effect, or classical. A
#' Parquet file is read by its row groups.
#' Residuals and fitted values are not kept. `wavetax_error_pieces` says what does not
#' go piece by piece, or differs between pieces.
#' @section Errors:
#' `wavetax_error_unknown_column`, `_formula`, `_offset`, `_outcome`, `_weights`,
#' `_not_finite`, `_no_rows`, `_empty_data`, `_one_level`, `_no_variation`,
#' `_too_few_rows`, and those of the standard errors and of [serial_ar1()].
#' @references Baltagi, B. H. *Econometric Analysis of Panel Data*, ch. 2.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' # The truth is -0.05; pleasant harbours charge more, so pooling has it positive.
#' fit_pooled(log(nights) ~ levy + storms + fuel, panel)
#' @export
fit_pooled <- function(formula, data, weights = NULL, errors = NULL, rows = NULL, keep = "rows", serial = "none",
                       ...) {
  check_own_arguments(..., of = fit_pooled, name = "fit_pooled()")
  run_fit(fit_request(
    "pooled", match.call(), formula, data, rlang::enquo(weights), rlang::enquo(rows), errors, keep,
    options = list(serial = serial_argument(serial))
  ))
}

method_pooled <- function() {
  new_fit_method(
    "pooled", words = "pooled", title = function(fit) "Pooled least squares",
    estimate = function(request) estimate_pooled(request), arguments = c("weights", "serial"), assumes = 3,
    nests = TRUE, estimate_pieces = function(request) fit_source(request)
  )
}

estimate_pooled <- function(request) {
  check_serial_request(request)
  design <- request_design(request)
  if (!is.null(request$options$serial)) return(estimate_pooled_serial(request, design))
  rows <- design_rows(design)
  solution <- core_solve_pooled(core_pooled_state(rows))
  entity <- design$index$entity
  if (!is.null(entity)) {
    design <- with_groups(design, entity)
    known <- core_r_squared(rows, solution$slopes, design$groups[[entity]], if (design$constant) solution$centre)
    solution$r_squared <- c(unlist(known[c("within", "between")]), solution$r_squared)
  }
  new_panel_fit(request, design, solution)
}

estimate_pooled_serial <- function(request, design) {
  constant <- design$constant
  made <- serial_rows(
    request, design, swept = FALSE,
    plain = function(design) {
      list(solution = core_solve_pooled(core_pooled_state(design_rows(design))), transform = new_transformation())
    },
    solve = function(state, groups, design) core_ar1_pooled(state, constant)
  )
  solution <- core_ar1_pooled(made$state, constant)
  solution$r_squared <- serial_r_squared(made, solution$slopes, constant, FALSE)
  new_panel_fit(request, made$design, solution, serial_transformation(made), serial = made$serial, notes = made$notes)
}

request_design <- function(request, ..., weights = request$weights) {
  variances <- request$options$group_variances
  build_design(request$formula, request$data, weights, ..., rows = request$rows,
               known_weights = if (!is.null(variances)) weights_of_variances(variances, request$data))
}
