# What each row does to a regression: leverages, standardized residuals, changes of coefficients without it.

#' Leverages, standardized residuals and changes without a row
#'
#' Question answered: *which rows does the fit hang on?* R's own generics of influence, for the regression as it was
#' estimated: after effects were swept out (the leverage counts them, as dummies would), quasi-demeaned at the
#' estimated variances, of changes, of means. [influence_by()] leaves out whole entities, which is what errors clustered
#' by entity ask about.
#'
#' * `hatvalues()`: \eqn{h_i}{h}, the leverage of the row, by regressors and effects together.
#' * `rstandard()`: \eqn{\sqrt{w_i} e_i / (s \sqrt{1 - h_i})}{sqrt(w) e / (s sqrt(1 - h))}; `rstudent()`: the same
#'   with s estimated without the row.
#' * `cooks.distance()`: \eqn{r_i^2 h_i / (p (1 - h_i))}{r^2 h / (p (1 - h))} with the standardized residual r and p all
#'   parameters, effects included.
#' * `dfbeta()`: the coefficients less those without the row; `dfbetas()`: the same over their classical standard errors
#'   at the s without the row.
#' * `influence()`: a list of `hat`, `coefficients` (what `dfbeta()` gives), `sigma` (s without each row) and `wt.res`.
#'
#' A row that the fit goes through whatever its outcome (a leverage of 1, such as the only row of an entity) has no
#' standardized residual: `NaN`, and `dfbeta()` is 0.
#'
#' @param model A fit that holds its rows.
#' @param ... Takes nothing.
#' @return A number a row used, with the names that rows of the data have; `dfbeta()` and `dfbetas()` a matrix of
#'   rows by coefficients.
#' @section Errors:
#' `wavetax_error_slim`; `wavetax_error_leverages` where two or more large sets of effects leave no exact leverage.
#' @references Belsley, D. A., Kuh, E. and Welsch, R. E. (1980) *Regression Diagnostics*. Cook, R. D. and Weisberg, S.
#'   (1982) *Residuals and Influence in Regression*.
#' @seealso [influence_by()], [plot_residuals()].
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fixed <- fit_fixed(log(nights) ~ levy + storms, panel)
#' summary(hatvalues(fixed))
#' panel[which.max(cooks.distance(fixed)), ]
#' head(dfbeta(fixed), 3)
#' @name row_influence
NULL

# list(hat, e: residuals times the root of weights, z: orthonormal rows, root).
row_measures <- function(fit) {
  check_without_instruments(fit, "What a row does by its leverage", "Use `influence_by(fit)`, which refits all stages.")
  check_keeps_rows(fit, "leverages")
  walk <- rows_walk(fit)
  z <- core_coordinate_rows(walk)$z
  e <- weighted_residuals(fit, walk)
  swept <- seq_len(ncol(z)) <= walk$skip
  leverage <- effect_leverages(fit, se_robust("HC3"))$values
  if (is.null(leverage)) leverage <- 0
  of_effects <- if (is.list(leverage)) row_weights(fit) * leverage$inverse[leverage$groups$codes] else leverage
  hat <- pmin(1, rowSums(z[, !swept, drop = FALSE]^2) + of_effects)
  hat[hat > 1 - live_share] <- 1
  list(hat = hat, e = e, z = z, swept = swept)
}

# A leverage as close to 1 as this is 1 but for rounding.
live_share <- 1e-9

# s without each row; without a degree of freedom to spare there is none.
sigma_without <- function(fit, rows) {
  left <- fit$df$residual - 1
  out <- sqrt(pmax(0, fit$scale * fit$df$residual - rows$e^2 / (1 - rows$hat)) / left)
  out[rows$hat == 1] <- sqrt(fit$scale)
  if (left > 0) out else rep(NaN, length(out))
}

changes_without <- function(fit, rows) {
  factor <- ifelse(rows$hat == 1, 0, rows$e / (1 - rows$hat))
  shown <- shown_terms(fit)
  root <- fit$regression$root[shown, , drop = FALSE]
  own <- if (any(shown & kept_terms(fit) == constant_term)) TRUE else !rows$swept
  out <- (rows$z[, own, drop = FALSE] * factor) %*% t(root[, own, drop = FALSE])
  dimnames(out) <- list(row_names_of(fit), kept_terms(fit)[shown])
  out
}

#' @rdname row_influence
#' @importFrom stats hatvalues
#' @export
hatvalues.panel_fit <- function(model, ...) {
  check_no_dots(..., of = method_call("hatvalues"))
  with_row_names(row_measures(model)$hat, model)
}

#' @rdname row_influence
#' @importFrom stats rstandard
#' @export
rstandard.panel_fit <- function(model, ...) {
  check_no_dots(..., of = method_call("rstandard"))
  rows <- row_measures(model)
  with_row_names(standardized(rows, sqrt(model$scale)), model)
}

standardized <- function(rows, s) ifelse(rows$hat == 1, NaN, rows$e / (s * sqrt(1 - rows$hat)))

#' @rdname row_influence
#' @importFrom stats rstudent
#' @export
rstudent.panel_fit <- function(model, ...) {
  check_no_dots(..., of = method_call("rstudent"))
  rows <- row_measures(model)
  with_row_names(standardized(rows, sigma_without(model, rows)), model)
}

#' @rdname row_influence
#' @importFrom stats cooks.distance
#' @export
cooks.distance.panel_fit <- function(model, ...) {
  check_no_dots(..., of = method_call("cooks.distance"))
  with_row_names(cooks_of(model, row_measures(model)), model)
}

cooks_of <- function(fit, rows) {
  standardized(rows, sqrt(fit$scale))^2 * rows$hat / (1 - rows$hat) / (fit$n - fit$df$residual)
}

#' @rdname row_influence
#' @importFrom stats dfbeta
#' @export
dfbeta.panel_fit <- function(model, ...) {
  check_no_dots(..., of = method_call("dfbeta"))
  changes_without(model, row_measures(model))
}

#' @rdname row_influence
#' @importFrom stats dfbetas
#' @export
dfbetas.panel_fit <- function(model, ...) {
  check_no_dots(..., of = method_call("dfbetas"))
  rows <- row_measures(model)
  lengths <- sqrt(rowSums(model$regression$root[shown_terms(model), , drop = FALSE]^2))
  changes_without(model, rows) / outer(sigma_without(model, rows), lengths)
}

#' @rdname row_influence
#' @importFrom stats influence
#' @export
influence.panel_fit <- function(model, ...) {
  check_no_dots(..., of = method_call("influence"))
  rows <- row_measures(model)
  list(hat = with_row_names(rows$hat, model), coefficients = changes_without(model, rows),
       sigma = with_row_names(sigma_without(model, rows), model), wt.res = with_row_names(rows$e, model))
}
