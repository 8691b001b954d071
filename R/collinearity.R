#' Do regressors stand in for each other?
#'
#' Question answered: *is a coefficient imprecise because its regressor moves with the others, in this model?* It is
#' about the regressors as the model sees them: after effects are swept out, two of them may move together that do not
#' between entities.
#'
#' With C the correlations of the coefficients but the constant under classical errors, of a term with q of them
#' \deqn{\mathrm{GVIF} = \det C_{11} \det C_{22} / \det C,}{GVIF = det C_11 det C_22 / det C,}
#' the factor by which the others inflate the volume of its confidence region;
#' \eqn{\mathrm{GVIF}^{1/(2q)}}{GVIF^(1/(2q))} is in units of a standard error. The condition number is the largest over
#' the smallest singular value of the regression's columns scaled to unit length. It is no fault of a model: nothing is
#' biased, and more data are what helps.
#'
#' @param fit A fit of any of the `fit_` functions.
#' @param ... Takes nothing; what is misspelt is told.
#' @return A data frame of class `collinearity` with a row a term: `term`, `coefficients` (q), `inflation` (GVIF),
#'   `of_error` (GVIF^(1/(2q))); attribute `condition` is the condition number.
#' @section Errors:
#' `wavetax_error_not_a_fit`.
#' @references Fox, J. and Monette, G. (1992), *Journal of the American Statistical Association* 87; Belsley, D. A.,
#'   Kuh, E. and Welsch, R. E. (1980), *Regression Diagnostics*.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' collinearity(fit_fixed(log(nights) ~ levy + I(levy^2) + storms, panel))
#' @export
collinearity <- function(fit, ...) {
  check_own_arguments(..., of = collinearity, name = "collinearity()")
  check_is_fit(fit)
  check_without_instruments(fit, "Collinearity", "Ask it of `first_stage(fit)`, and `test_strength(fit)`.")
  terms <- kept_terms(fit)
  slopes <- which(terms != constant_term)
  of <- terms_of_slopes(fit)[match(terms[slopes], names(terms_of_slopes(fit)))]
  covariance <- tcrossprod(fit$regression$root[slopes, , drop = FALSE])
  inflation <- core_gvif(stats::cov2cor(covariance), match(of, unique(of)))
  q <- as.vector(table(factor(of, unique(of))))
  columns <- fit$regression$frame$upper
  if (has_swept_effects(fit)) columns <- columns[-1, -1, drop = FALSE]
  origin <- fit$regression$frame$centre
  if (!has_swept_effects(fit) && has_constant(fit)) columns[1, -1] <- columns[1, 1] * origin[-1]
  unit <- columns / rep(sqrt(colSums(columns^2)), each = nrow(columns))
  singular <- svd(unit, 0, 0)$d
  structure(
    data.frame(term = unique(of), coefficients = q, inflation = unname(inflation),
               of_error = unname(inflation^(1 / (2 * q)))),
    condition = max(singular) / min(singular), of = fit$design$outcome, words = collinearity_place(fit),
    class = c("collinearity", "data.frame")
  )
}

collinearity_place <- function(fit) {
  if (has_swept_effects(fit)) paste("within", within_words(fit$effects)) else NULL
}

# The term of the formula that each slope belongs to, by name: columns of one factor, or of its products, share theirs.
terms_of_slopes <- function(fit) {
  blueprint <- fit$design$blueprint
  coefficients <- fit$coefficients[fit$coefficients$role == "slope", ]
  of <- stats::setNames(slope_names(fit), slope_names(fit))
  if (nrow(coefficients) != length(blueprint$assign)) return(of)
  labels <- stats::setNames(attr(blueprint$terms, "term.labels")[blueprint$assign], coefficients$term)
  known <- names(of) %in% names(labels)
  of[known] <- labels[names(of)[known]]
  of
}

# What the worst of them says.
collinearity_reading <- function(x) {
  worst <- which.max(x$of_error)
  if (length(worst) == 0 || x$of_error[worst] < 2) {
    return("No regressor's error is more than twice what it were if the others did not move with it.")
  }
  sprintf(paste("The error of %s is %s times what it were if the others did not move with it. Nothing is biased by",
                "that; more data, or fewer regressors that mean the same, are what helps."), x$term[worst],
          fixed_decimals(x$of_error[worst], 1))
}
