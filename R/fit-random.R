#' Random effects regression
#'
#' Question answered: *what does x do to y when what is fixed about each entity is
#' taken as a draw unrelated to x?* It uses the variation between entities as well as
#' within, and is misleading when that draw is related: see [test_hausman()].
#'
#' Least squares of \eqn{y_{it} - \theta_i \bar y_i}{y_it - theta_i ybar_i} on
#' \eqn{[1 - \theta_i, x_{it} - \theta_i \bar x_i]}{[1 - theta_i, x_it - theta_i
#' xbar_i]}, \eqn{\theta_i = 1 - \sqrt{\sigma^2_e / (\sigma^2_e + T_i
#' \sigma^2_u)}}{theta_i = 1 - sqrt(s2_e / (s2_e + T_i s2_u))}, T_i the rows of
#' entity i; n - k - 1 residual degrees of freedom.
#'
#' Variance components `"swamy-arora"`: s2_e from the within residuals, divided by
#' n - N - k_w (k_w regressors that vary within); s2_u from the residuals of the
#' regression between entities, each mean counted T_i times,
#' \deqn{\sigma^2_u = (SSR_b - (N - K) \sigma^2_e) / (n - tr((Z'PZ)^{-1}
#' Z'DD'Z)),}{s2_u = (SSR_b - (N - K) s2_e) / (n - tr((Z'PZ)^-1 Z'DD'Z)),}
#' Z = \[1, x\] with K columns, D the entity dummies, P = D(D'D)^-1 D'. It holds
#' for unbalanced panels. A negative s2_u is set to 0 with a warning.
#'
#' @inheritParams fit_fixed
#' @param variance How the variance components are estimated: `"swamy-arora"`.
#' @param weights Not taken: anything but `NULL` is an error that says so.
#' @return A `panel_fit`, see [fit_pooled()]; `variance` holds both components and
#'   theta by entity. The covariance under [se_classical()] is that of the
#'   transformed regression.
#' @section Errors:
#' Those of [fit_fixed()]; `wavetax_error_variance` for an unknown method;
#' `wavetax_error_too_few_entities` when there are not more entities than
#' coefficients, or no entity has two rows. Warning
#' `wavetax_warning_negative_variance`.
#' @references Swamy, P. A. V. B. and Arora, S. S. (1972), *Econometrica* 40;
#'   Baltagi, B. H. and Chang, Y.-J. (1994), *Journal of Econometrics* 62.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fit_random(log(nights) ~ levy + storms + fuel + pier, panel)
#' @export
fit_random <- function(formula, data, effects = "entity", variance = "swamy-arora",
                       errors = NULL, weights = NULL,
                       rows = NULL) {
  check_variance_method(variance)
  check_no_weights(weights)
  name <- effect_column(effects, data)
  design <- build_design(formula, data, also = name, rows = rows)
  groups <- column_groups(design, name)
  state <- core_one_way_state(design_rows(design), groups)
  components <- core_swamy_arora(state, design$constant)
  check_enough_entities(components, name)
  components$sigma2_u <- check_positive_variance(components$sigma2_u, name)
  solution <- core_solve_random(state, components, design$constant)
  transform <- list(
    layers = list(core_layer(groups$codes, state$means, solution$theta)), centre = solution$grand, centred = 1L
  )
  new_panel_fit(
    "random", match.call(), design, solution, transform,
    effects = list(describe_effects(new_effect_set(name), groups, solution$deviations)),
    variance = list(
      method = variance, sigma2_e = components$sigma2_e,
      sigma2 = stats::setNames(components$sigma2_u, name), theta = solution$theta
    ),
    errors = errors
  )
}

check_variance_method <- function(variance) {
  if (identical(variance, "swamy-arora")) return(invisible())
  stop_wavetax(
    "variance", sprintf("The variance method %s is not known.", list_words(dQuote(variance, FALSE))),
    todo = "This version has \"swamy-arora\"."
  )
}

check_no_weights <- function(weights) {
  if (is.null(weights)) return(invisible())
  stop_wavetax(
    "weights", "Random effects take no weights.",
    where = "With unequal weights the quasi-demeaning is no longer least squares.",
    todo = "`fit_pooled()` and `fit_fixed()` take weights."
  )
}

check_enough_entities <- function(components, name) {
  if (components$df_within < 1) {
    stop_wavetax(
      "too_few_entities",
      sprintf("The rows within %s do not tell the variance within.", plural_of(name)),
      todo = sprintf("Random effects need %s with two rows or more.", plural_of(name))
    )
  }
  if (components$df_between < 1) {
    stop_wavetax(
      "too_few_entities",
      sprintf("There are not more %s than coefficients, so the variance between them is not told.",
              plural_of(name)),
      todo = "Use fewer regressors, or `fit_fixed()`."
    )
  }
}

check_positive_variance <- function(sigma2_u, name) {
  if (sigma2_u >= 0) return(sigma2_u)
  warn_wavetax(
    "negative_variance",
    sprintf("The estimated variance of the %s effects is negative (%s) and is set to 0.",
            name, format(sigma2_u, digits = 3)),
    todo = "The model is then the pooled one."
  )
  0
}
