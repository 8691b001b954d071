#' A covariance of your own
#'
#' Question answered: *what do tables, intervals and tests say under a covariance that I have computed?*
#'
#' @param covariance A covariance matrix of the coefficients with their names, or a function of the fit that gives one.
#' @param label What the errors are called in print: "Standard errors (label)".
#' @param df Degrees of freedom that t statistics are referred to; `NULL`: the residual ones.
#' @param ... Takes nothing; what is misspelt is told.
#' @return A specification for `errors =` and [with_errors()].
#' @section Errors:
#' `wavetax_error_errors` when the matrix is not symmetric, has a negative variance, or lacks a coefficient.
#' @seealso [standard_errors]
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fit <- fit_pooled(log(nights) ~ levy + storms, panel)
#' with_errors(fit, se_own(function(fit) 4 * vcov(fit), label = "twice as wide"))
#' @export
se_own <- function(covariance, label = "own", df = NULL, ...) {
  check_own_arguments(..., of = se_own, name = "se_own()")
  if (missing(covariance)) stop_argument("covariance", "missing", "Give a matrix, or a function of the fit.", "errors")
  if (!is.function(covariance)) check_own_matrix(covariance)
  check_text(label, "label")
  if (!is.null(df)) check_number(df, "df", low = 1e-6, high = Inf)
  new_error_spec("own", covariance = covariance, label = label, df = df)
}

#' @export
compute_errors.se_own <- function(spec, fit) {
  V <- if (is.function(spec$covariance)) own_result(spec$covariance, fit) else spec$covariance
  terms <- kept_terms(fit)
  absent <- setdiff(terms, rownames(V))
  # The constant that stands aside need not be among them.
  optional <- if (method_of(fit)$constant == "aside") constant_term
  if (length(setdiff(absent, optional)) > 0) {
    stop_wavetax(c("covariance_names", "errors"),
                 sprintf("The covariance has no row for %s.", list_some(setdiff(absent, optional), 6)),
                 todo = "Name its rows and columns as `coef(fit)` is named.")
  }
  full <- matrix(NA_real_, length(terms), length(terms), dimnames = list(terms, terms))
  known <- setdiff(terms, absent)
  full[known, known] <- V[known, known]
  new_errors(spec, sprintf("as given: %s", spec$label), if (is.null(spec$df)) fit$df$residual else spec$df,
             covariance = full)
}

# Whether some combination has a negative variance, whatever the units.
is_no_covariance <- function(V) {
  size <- sqrt(ifelse(diag(V) > 0, diag(V), 1))
  min(eigen(V / outer(size, size), TRUE, TRUE)$values) < -1e-8
}

own_result <- function(make, fit) {
  V <- tryCatch(make(fit), error = function(cnd) {
    stop_wavetax(c("covariance_failed", "errors"),
                 "The function for `covariance` failed.", where = conditionMessage(cnd),
                 todo = "It takes the fit and gives a named matrix.")
  })
  check_own_matrix(V)
  V
}

check_own_matrix <- function(V) {
  wrong <- if (!is.matrix(V) || !is.numeric(V) || nrow(V) != ncol(V) || nrow(V) == 0) {
    sprintf("is %s", value_words(V))
  } else if (is.null(rownames(V)) || !identical(rownames(V), colnames(V))) {
    "has no names, or others in rows than in columns"
  } else if (!all(is.finite(V)) || max(abs(V - t(V))) > 1e-8 * max(abs(V))) {
    "is not symmetric, or not finite"
  } else if (any(diag(V) < 0) || is_no_covariance(V)) {
    "is not a covariance: some combination has a negative variance"
  }
  if (is.null(wrong)) return(invisible())
  stop_wavetax(c("covariance", "errors"), sprintf("`covariance` %s.", wrong),
               todo = "Give a covariance matrix named as `coef(fit)` is, or a function of the fit.")
}
