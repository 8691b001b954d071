#' Variance components of random effects
#'
#' Question answered: *how much of what x does not explain lies between entities, and how
#' much within?*
#'
#' @param fit A fit of [fit_random()] or [fit_correlated()].
#' @param ... Takes nothing; what is misspelt is told.
#' @return A data frame of class `variance_parts` with a row for the variance within and one
#'   for each set of effects: `part`, `variance`, `sd`, `share`. The attributes `theta` (by
#'   group; the weight of the group mean that is taken off, with one set of effects) and
#'   `method` say more.
#' @section Errors:
#' `wavetax_error_no_variances` for any other fit.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' variance_parts(fit_random(log(nights) ~ levy + storms, panel))
#' variance_parts(fit_random(log(nights) ~ levy + storms, panel, effects = "both"))
#' @export
variance_parts <- function(fit, ...) {
  check_own_arguments(..., of = variance_parts, name = "variance_parts()")
  check_is_fit(fit)
  v <- fit$variance
  if (is.null(v$sigma2)) {
    stop_wavetax("no_variances", sprintf("A %s fit has no variance components.", method_words(fit)),
                 todo = "`fit_random()` and `fit_correlated()` estimate them.")
  }
  variance <- c(v$sigma2_e, unname(v$sigma2))
  structure(
    data.frame(part = c("within", names(v$sigma2)), variance = variance, sd = sqrt(variance),
               share = variance / sum(variance)),
    class = c("variance_parts", "data.frame"), method = v$method,
    theta = if (!is.null(v$theta)) v$theta[fit$effects[[1]]$groups$sizes > 0]
  )
}
