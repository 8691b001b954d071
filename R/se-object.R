# Standard errors are objects: a specification made by se_*(), a list of class
# `se_<kind>` and `error_spec`, turned into numbers on a fit by compute_errors().

new_error_spec <- function(kind, ...) {
  structure(list(kind = kind, ...), class = c(paste0("se_", kind), "error_spec"))
}

# list(meat, df, label, clusters, notes, spec); the meat is the covariance in the orthonormal
# coordinates of the regression.
compute_errors <- function(spec, fit) UseMethod("compute_errors")

#' The same fit under other standard errors
#'
#' Question answered: *how sure am I under other assumptions on the disturbances?*
#' Estimates are not computed again.
#'
#' @param fit A fit of [fit_pooled()], [fit_fixed()] or [fit_random()].
#' @param errors One of [se_classical()], [se_clustered()].
#' @return The fit with its covariance, degrees of freedom and printed label changed.
#' @section Errors:
#' `wavetax_error_errors` when `errors` is not made by an `se_` function;
#' `wavetax_error_clusters` when the clusters cannot be used.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fixed <- fit_fixed(log(nights) ~ levy + storms, panel)
#' with_errors(fixed, se_classical())
#' with_errors(fixed, se_clustered(~ coast))
#' @export
with_errors <- function(fit, errors) {
  check_is_fit(fit)
  if (missing(errors)) stop_argument("errors", "missing", "Give `se_classical()` or `se_clustered(~ region)`.",
                                     "errors")
  check_error_spec(errors)
  fit$errors <- compute_errors(errors, fit)
  fit$errors$covariance <- name_both(core_covariance(fit$root, fit$errors$meat), names(fit$estimates))
  fit
}

check_error_spec <- function(errors) {
  if (inherits(errors, "error_spec")) return(invisible())
  kind <- if (is.function(errors)) "a function; call it, with brackets" else value_words(errors)
  stop_wavetax(
    "errors", sprintf("`errors` is %s.", kind),
    todo = "Give `se_classical()` or `se_clustered(~ region)`."
  )
}
