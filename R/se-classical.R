#' Classical standard errors
#'
#' Question answered: *how sure am I if disturbances have one variance and are
#' unrelated to each other?* In a panel they rarely are.
#'
#' Covariance \eqn{\hat\sigma^2 (X'X)^{-1}}{s2 (X'X)^-1} of the transformed
#' regression, \eqn{\hat\sigma^2}{s2} its residual sum of squares over the residual
#' degrees of freedom, to which t statistics are referred.
#'
#' @param ... Takes nothing; what is misspelt is told.
#' @return A specification for `errors =` and [with_errors()].
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fit_fixed(log(nights) ~ levy, panel, errors = se_classical())
#' @export
se_classical <- function(...) {
  check_own_arguments(..., of = se_classical, name = "se_classical()")
  new_error_spec("classical")
}

#' @export
compute_errors.se_classical <- function(spec, fit) {
  new_errors(spec, "classical", fit$df$residual, meat = classical_meat(fit), notes = spec$note)
}

# The error variance, of every row alike; times what makes up for variances that were estimated.
classical_meat <- function(fit) {
  bread <- fit$instrumented$bread
  if (!is.null(bread)) {
    back <- core_row_inverse(fit$regression$root)
    return(fit$scale * back %*% bread %*% t(back))
  }
  adjustment <- fit$adjustment
  if (!is.null(adjustment$whole)) return(fit$scale * adjustment$whole^2)
  if (is.null(adjustment$by_row)) return(fit$scale)
  check_keeps_rows(fit, "these errors")
  fit$scale * crossprod(core_coordinate_rows(rows_walk(fit))$z * fit$transform$inflate)
}
