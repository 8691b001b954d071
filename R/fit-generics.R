# R's own generics on a fit. Printing and drawing are in the presentation layer.

#' R's generics on a fitted panel model
#'
#' Question answered: *how do I get the numbers out?* As from any model in R.
#'
#' * `coef()`: the slopes; the constant too, except with fixed effects, where it is
#'   a normalisation reported beside them.
#' * `vcov()`, `confint()`: of the same coefficients, under the fit's own errors. `confint(fit, term, method =
#'   "anderson-rubin")`, of the one endogenous coefficient of [fit_instrumented()]: the values that Anderson and Rubin's
#'   test does not reject, whatever the strength of the instruments; `low` and `high`, a row a piece, none where no
#'   value fits, infinite where a piece is open. Classical errors: F(l, d) of the outcome less beta times the regressor
#'   on the l instruments; clustered: \eqn{(G - l)/l \cdot T/(G - T) \sim F(l, G - l)}{(G - l)/l T/(G - T) ~ F(l, G -
#'   l)}, T of its moments under the null; robust: T/l ~ F(l, d).
#' * `residuals(type = )`: `"disturbance"` is y less the regressors' part and the
#'   effect; `"effect"` the effect itself (estimated, or for random effects
#'   predicted and shrunken by \eqn{T_i \sigma^2_u / (\sigma^2_e + T_i
#'   \sigma^2_u)}{T_i s2_u / (s2_e + T_i s2_u)}), as a deviation from the constant;
#'   `"both"` their sum; `"transformed"` the residual of the regression as
#'   estimated (swept, quasi-demeaned).
#' * `fitted()` is y less the disturbance. With `pad = TRUE` both have a value for each row of
#'   the data, `NA` where it was not used, and so can be put into the panel.
#' * `predict(newdata, effects = )`: with the effect of each row's known groups, or
#'   without (`FALSE`: of an average entity). An unknown entity is `NA` after fixed effects;
#'   after random effects it has the population's effect, 0; a new period, or another set
#'   beyond the first, the average effect 0. A warning names them. A row with a missing
#'   regressor is `NA`. `interval = "confidence"` gives a data frame of `fit`,
#'   `low` and `high` for the mean, `"prediction"` for a new row: the slopes' part under the
#'   fit's own errors, the disturbance's under its classical variance. `se.fit = TRUE` gives
#'   a list as R's own `predict()` does: `fit`, `se.fit` (of the mean), `df`, `residual.scale`.
#' * `sigma()`: the root of the error variance, SSR over residual degrees of freedom, as printed. `weights()`: those of
#'   the rows used, `NULL` without. `model.frame()`: the variables of the formula on the rows used.
#' * `deviance()`: the residual sum of squares of the transformed regression.
#' * `logLik()`: normal, at the variance SSR / n; its parameters are the
#'   coefficients, the effects and the variances. `AIC()` and `BIC()` follow.
#' * `model.matrix()`: the regressors before anything was swept out; `type = "swept"` after:
#'   less the effects, quasi-demeaned, or, with two sets of random effects, less their
#'   shrunken levels.
#' * `update()`: the same call with some of it changed; errors that [with_errors()] set stay,
#'   unless `errors =` is given.
#' * `anova()`: the F test of two nested fits under classical errors.
#' * `as.data.frame()`: a row a coefficient, with the columns `term`, `estimate`,
#'   `std_error`, `statistic` (t), `p_value`, `low`, `high`.
#'
#' All vectors by row have one element for each row used, in the order of the data.
#'
#' @param object,x,formula A fit.
#' @param parm Names or numbers of coefficients.
#' @param level Coverage of the interval.
#' @param method Of `confint()`, `"errors"` or `"anderson-rubin"`.
#' @param type Which residual, or which matrix: `"raw"` or `"swept"`.
#' @param interval Whether to give an interval, and of what.
#' @param newdata A data frame with the regressors (and, for effects, the column of
#'   the effect), or `NULL` for the rows of the fit.
#' @param effects Whether the effect of a row's entity is added.
#' @param scale `"equation"`, or `"outcome"`: of a logged outcome its own scale, exp of the prediction times the mean
#'   of exp of the residuals (Duan 1983, *JASA* 78; without `effects` they count as residuals), which is told with its
#'   error by the clusters of the fit's errors. An interval of the mean has both errors; of a new row the ends are
#'   those of the logarithm.
#' @param disturbance Whether, after AR(1), rho^d times the disturbance of the entity's last row before, d periods
#'   earlier, is added (Goldberger 1962).
#' @param se.fit Whether the standard error of the mean is given too.
#' @param pad Whether there is a value for each row of the data.
#' @param row.names,optional As for [as.data.frame()].
#' @param ... Takes nothing: an argument that is not known is an error.
#' @return As R's generics give.
#' @section Errors:
#' `wavetax_error_argument` for an argument that is not known or of the wrong kind,
#' `wavetax_error_level`, `wavetax_error_unknown_term`; `wavetax_error_unknown_column`,
#' `wavetax_error_kind` and `wavetax_error_new_level` from `predict()`. Warning
#' `wavetax_warning_unknown_effect`.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fixed <- fit_fixed(log(nights) ~ levy + storms, panel)
#' coef(fixed)
#' confint(fixed, "levy")
#' as.data.frame(fixed)
#' head(residuals(fixed))
#' predict(fixed, head(harbours))
#' @name panel_fit
NULL

#' @rdname panel_fit
#' @export
coef.panel_fit <- function(object, ...) {
  check_no_dots(..., of = method_call("coef"))
  kept_estimates(object)[shown_terms(object)]
}

#' @rdname panel_fit
#' @export
vcov.panel_fit <- function(object, ...) {
  check_no_dots(..., of = method_call("vcov", "Other errors: `vcov(with_errors(fit, se_clustered(~ region)))`."))
  shown <- shown_terms(object)
  object$errors$covariance[shown, shown, drop = FALSE]
}

#' @rdname panel_fit
#' @export
confint.panel_fit <- function(object, parm, level = 0.95, method = "errors", ...) {
  check_no_dots(..., of = method_call("confint", "Other errors: `confint(with_errors(fit, se_classical()))`."))
  check_level(level)
  if (!missing(parm)) parm <- bare_names(rlang::enquo(parm), kept_terms(object))
  if (check_choice(method, c("errors", "anderson-rubin"), "method") == "anderson-rubin") {
    return(values_not_rejected(object, if (!missing(parm)) parm, level))
  }
  table <- coefficient_table(object, shown_terms(object), level)
  out <- as.matrix(table[c("low", "high")])
  tails <- vapply(100 * c((1 - level) / 2, (1 + level) / 2), function(share) label_text(signif(share, 12)), "")
  dimnames(out) <- list(table$term, paste(tails, "%"))
  if (missing(parm)) out else out[chosen_terms(parm, table$term), , drop = FALSE]
}

#' @rdname panel_fit
#' @export
as.data.frame.panel_fit <- function(x, row.names = NULL, optional = FALSE, level = 0.95, ...) {
  check_no_dots(..., of = method_call("as.data.frame"))
  check_level(level)
  coefficient_table(x, shown_terms(x), level)
}

#' @rdname panel_fit
#' @export
nobs.panel_fit <- function(object, ...) object$n

#' @rdname panel_fit
#' @export
formula.panel_fit <- function(x, ...) {
  if (length(calls_of(stats::expand.model.frame)) > 0) {
    stop_not_of_fits("expand.model.frame()", x, "It would take rows that the fit left out.",
                     c("`model.frame(fit)` has its variables, `data[names(residuals(fit)), ]` the other columns",
                       "of its rows."))
  }
  x$design$formula
}

#' @rdname panel_fit
#' @export
terms.panel_fit <- function(x, ...) x$design$blueprint$terms

#' @rdname panel_fit
#' @export
model.matrix.panel_fit <- function(object, type = c("raw", "swept"), ...) {
  check_no_dots(..., of = method_call("model.matrix"))
  type <- check_one_of(type, c("raw", "swept"), "type")
  check_keeps_rows(object, "model matrix")
  terms <- kept_terms(object)[shown_terms(object)]
  if (type == "swept") return(swept_regressors(object)[, terms, drop = FALSE])
  x <- do.call(cbind, object$design$x)
  if ("(Intercept)" %in% terms) x <- cbind("(Intercept)" = 1, x)
  x[, terms, drop = FALSE]
}

swept_regressors <- function(fit) {
  regression <- fit$regression
  if (!is.null(fit$instrumented)) {
    # Scores are of instruments, and the matrix is of regressors.
    regression$regressors <- match(slope_names(fit), names(fit$design$x))
    regression$frame$centre <- regression$frame$centre[seq_along(kept_terms(fit))]
  }
  out <- core_swept(fit_rows(fit), fit$transform, regression)
  colnames(out) <- kept_terms(fit)
  out
}

#' @rdname panel_fit
#' @export
df.residual.panel_fit <- function(object, ...) object$df$residual

#' @rdname panel_fit
#' @export
deviance.panel_fit <- function(object, ...) object$ssr

#' @rdname panel_fit
#' @export
sigma.panel_fit <- function(object, ...) sqrt(object$scale)

#' @rdname panel_fit
#' @export
weights.panel_fit <- function(object, ...) {
  if (is.null(object$design$weights)) return(NULL)
  check_keeps_rows(object, "weights")
  object$design$weights
}

#' @rdname panel_fit
#' @export
model.frame.panel_fit <- function(formula, ...) {
  check_keeps_rows(formula, "variables")
  design <- level_design(formula)
  calls <- c(list(rlang::f_lhs(design$formula)), as.list(attr(design$blueprint$terms, "variables"))[-(1:2)])
  columns <- lapply(calls, function(call) {
    name <- deparse_words(call)
    take_rows(evaluate_one(call, name, design$data, rlang::f_env(design$formula), design$index), design$rows)
  })
  names(columns) <- vapply(calls, deparse_words, "")
  rows <- row_names_of(formula)
  if (length(rows) != length(design$y)) rows <- seq_along(design$y)
  structure(columns[!duplicated(names(columns))], class = "data.frame", row.names = rows,
            terms = design$blueprint$terms)
}

#' @rdname panel_fit
#' @export
logLik.panel_fit <- function(object, ...) {
  check_without_instruments(object, "A likelihood",
                            "`test_strength()` and `test_overidentification()` tell of instruments.")
  structure(object$log_lik, df = object$parameters, nobs = object$n, class = "logLik")
}
