# Standard errors are objects: a specification made by se_*(), a list of class
# `se_<kind>` and `error_spec`, turned into numbers on a fit by compute_errors().

new_error_spec <- function(kind, ...) {
  structure(list(kind = kind, ...), class = c(paste0("se_", kind), "error_spec"))
}

# What compute_errors() gives, and the coefficient table, predictions and tests ask:
#   label       in words: "clustered by harbour"
#   type        of the small-sample form, "CR1", or NULL
#   meat        the covariance in the orthonormal coordinates of the regression (a number stands for
#               that times the identity): sums of squares there lose no digits to units
#   covariance  of the kept coefficients; with_errors() makes it of the meat where it is not given
#   df          the degrees of freedom that t is referred to: one number, a vector with one for each
#               kept coefficient, or a function of contrasts (a matrix, a row a contrast)
#   clusters    their count by dimension, named by column; NULL where there are none
#   own         NULL, or intervals and p values that do not follow from covariance and df (a
#               bootstrap has its own): a function(level) that gives a data frame of p_value, low, high
#   notes       cautions; `spec` the specification
new_errors <- function(spec, label, df, meat = NULL, covariance = NULL, type = NULL, clusters = NULL, own = NULL,
                       notes = NULL) {
  list(label = label, type = type, meat = meat, covariance = covariance, df = df, clusters = clusters, own = own,
       notes = notes, spec = spec)
}

compute_errors <- function(spec, fit) UseMethod("compute_errors")

# Degrees of freedom by kept coefficient, or by row of a matrix of contrasts.
errors_df <- function(fit, contrasts = diag(length(kept_terms(fit)))) {
  df <- fit$errors$df
  if (is.function(df)) return(df(contrasts))
  if (length(df) == 1) return(rep(df, nrow(contrasts)))
  if (identical(contrasts, diag(length(df)))) return(df)
  apply(contrasts, 1, function(one) min(df[one != 0], Inf))
}

# The covariance in orthonormal coordinates, also where errors were given as a covariance alone.
errors_meat <- function(fit) {
  if (!is.null(fit$errors$meat)) return(fit$errors$meat)
  back <- solve(fit$regression$root)
  back %*% unname(fit$errors$covariance) %*% t(back)
}

# The smallest of them all: what an answer about all coefficients rests on.
least_df <- function(fit) min(errors_df(fit))

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
#' `wavetax_error_clusters` when the clusters cannot be used; `wavetax_error_slim` when they need the
#' rows of a slim fit.
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
  computed <- compute_errors(errors, fit)
  if (is.null(computed$covariance)) {
    computed$covariance <- core_covariance(fit$regression$root, computed$meat)
  }
  computed$covariance <- name_both(computed$covariance, kept_terms(fit))
  fit$errors <- computed
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
