#' Fixed effects regression
#'
#' Question answered: *what do changes in x within an entity do to its y, once
#' everything that stays fixed about the entity is out of the way?*
#'
#' The mean of each group is swept out of y and x, then ordinary least squares:
#' \deqn{\tilde y_{it} = \tilde x_{it}'b + \tilde e_{it}.}{y_it - ybar_i = (x_it -
#' xbar_i)'b + e_it.} Residual degrees of freedom n - k - N for N groups. The
#' constant reported beside the slopes is \eqn{\bar y - \bar x'b}{ybar - xbar'b}, so
#' that the effects average zero over rows; its error is that of the regression of
#' the swept y plus its mean on the constant and the swept x plus their means.
#'
#' Rows alone in their group fit perfectly: they stay in the count of rows, change
#' neither slopes nor degrees of freedom, and are reported.
#'
#' @inheritParams fit_pooled
#' @param effects `"entity"`, `"period"`, or any one column as `~ coast`.
#' @param errors `NULL`, or one of [se_classical()], [se_clustered()]. By default
#'   clustered by entity, or by the effect's column on a plain data frame.
#' @return A `panel_fit`, see [fit_pooled()]. `coef()` has the slopes. Regressors that
#'   do not vary within the groups are dropped, with the reason.
#' @section Errors:
#' Those of [fit_pooled()], and `wavetax_error_effects` when `effects` does not name
#' one column, `wavetax_error_not_a_panel` when `"entity"` is asked of a plain data
#' frame.
#' @references Baltagi, B. H. *Econometric Analysis of Panel Data*, ch. 2;
#'   Wooldridge, J. M. *Econometric Analysis of Cross Section and Panel Data*, 10.5.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' # The truth of the demo world is -0.05 on the levy.
#' fit_fixed(log(nights) ~ levy + storms + fuel + pier, panel)
#' fit_fixed(log(nights) ~ levy + storms, panel, effects = ~ coast)
#' @export
fit_fixed <- function(formula, data, effects = "entity", weights = NULL, errors = NULL, rows = NULL) {
  name <- effect_column(effects, data)
  design <- build_design(formula, data, weights, also = name, absorbs_constant = TRUE,
                         rows = rows)
  groups <- column_groups(design, name)
  state <- core_one_way_state(design_rows(design), groups)
  solution <- core_solve_fixed(state)
  transform <- list(
    groups = groups, means = state$means, shift = solution$grand, centre = solution$grand
  )
  new_panel_fit(
    "fixed", match.call(), design, solution, transform,
    effects = describe_effects(name, groups, solution$levels, state$weight, design$weights),
    errors = errors
  )
}
