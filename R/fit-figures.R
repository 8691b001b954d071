#' Figures of fit
#'
#' Question answered: *how well does the model fit, on what, and how exactly was it computed?*
#'
#' R-squared of pooled, random and correlated effects are squared correlations: within of x'b
#' with y, both less entity means; between of the entity means; overall of x'b with y. With
#' fixed effects within is 1 - SSR/SS, SS that of y less the means of the entity (or of the first
#' set), so that period effects and period dummies written in the formula give one figure;
#' within all that of y less all sets, what the regressors add; with effects 1 - SSR/SST. A
#' figure that does not exist is `NA`. F compares the
#' transformed regression with one without slopes,
#' \deqn{F = ((SSR_0 - SSR) / k) / (SSR / df),}{F = ((SSR0 - SSR)/k) / (SSR/df),} under classical
#' errors. RMSE is \eqn{\sqrt{SSR / df}}{sqrt(SSR/df)}. The log-likelihood is normal, at the
#' variance SSR / n; AIC and BIC count slopes, effects and variances as parameters.
#'
#' @param fit A fit.
#' @param ... Takes nothing; what is misspelt is told.
#' @return A data frame of class `fit_figures` with one row: `rows`, `entities`, `periods` (of a
#'   panel frame), `coefficients`, `df_residual`, `df_effects`, `df_exact` (whether that is a
#'   count, not a bound), `r2_within`, `r2_within_all`, `r2_between`, `r2_overall`,
#'   `r2_with_effects`, `r2_of_changes` (`NA` where the model has none), `f`, `f_df1`, `f_df2`, `f_p`, `rmse`,
#'   `log_lik`, `parameters`, `aic`, `bic`, `iterations` and `achieved` (the largest relative
#'   residual of a swept column; 0 where nothing was iterated), `constant` and `constant_error`. Where effects are swept
#'   out the constant is \eqn{\bar y - \bar x'b}{ybar - xbar'b}: the effects average zero over the (weighted) rows.
#' @section Errors:
#' `wavetax_error_not_a_fit`.
#' @references Wooldridge, J. M. *Econometric Analysis of Cross Section and Panel Data*.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fit_figures(fit_fixed(log(nights) ~ levy + storms, panel, effects = "both"))
#' @export
fit_figures <- function(fit, ...) {
  check_own_arguments(..., of = fit_figures, name = "fit_figures()")
  check_is_fit(fit)
  structure(figures_of(fit), row.names = 1L, class = c("fit_figures", "data.frame"))
}

figures_of <- function(fit) {
  kinds <- c(within = "within", within_all = "swept", between = "between", overall = "overall",
             with_effects = "effects", of_changes = "of_changes")
  r_squared <- as.list(unname(fit$r_squared[kinds]))
  names(r_squared) <- paste0("r2_", names(kinds))
  sample <- sample_facts(fit)
  test <- regression_f(fit)
  constant <- if (fit$design$constant && has_constant(fit)) coefficient_table(fit, 1) else
    list(estimate = NA_real_, std_error = NA_real_)
  c(list(
    rows = fit$n, entities = sample$entities, periods = sample$periods, coefficients = length(stats::coef(fit)),
    df_residual = fit$df$residual, df_effects = fit$df$effects, df_exact = fit$df$exact
  ), r_squared, list(
    f = test$f, f_df1 = test$df1, f_df2 = fit$df$residual, f_p = test$p, rmse = sqrt(fit$scale),
    log_lik = fit$log_lik, parameters = fit$parameters, aic = criterion(fit, 2), bic = criterion(fit, log(fit$n)),
    iterations = fit$iteration$steps, achieved = fit$iteration$achieved, constant = constant$estimate,
    constant_error = constant$std_error
  ))
}

# AIC and BIC; NA without a likelihood.
criterion <- function(fit, k) k * fit$parameters - 2 * fit$log_lik

# b'V^-1 b / k over the slopes, V classical: the same as from the sums of squares.
regression_f <- function(fit) {
  terms <- slope_names(fit)
  k <- length(terms)
  if (k == 0 || !is.null(fit$instrumented)) return(list(f = NA_real_, df1 = k, p = NA_real_))
  b <- kept_estimates(fit)[terms]
  # In orthonormal coordinates of the slopes alone, so that units do not matter.
  root <- fit$regression$root[match(terms, kept_terms(fit)), , drop = FALSE]
  f <- sum(backsolve(qr.R(qr(t(root))), b, transpose = TRUE)^2) / k / fit$scale
  list(f = f, df1 = k, p = stats::pf(f, k, fit$df$residual, lower.tail = FALSE))
}

# The one that is of the regression as it was estimated.
own_r_squared <- function(fit) {
  kinds <- c(if (length(fit$effects) > 1) "swept", if (has_swept_effects(fit)) "within",
             if (!is.null(fit$design$between)) "between", "of_changes", "overall")
  known <- intersect(kinds, names(fit$r_squared))
  if (length(known) > 0) unname(fit$r_squared[known[1]]) else NA_real_
}
