#' A test that several coefficients are zero together
#'
#' Question answered: *do these regressors matter as a group?*
#'
#' With W the Wald statistic of q coefficients under the fit's own errors:
#'
#' * classical, robust and Newey-West errors: W/q ~ F(q, residual df);
#' * clustered and Driscoll-Kraay errors: \eqn{W (G - q)/((G - 1) q) \sim F(q, G - q)}{W (G - q)/((G - 1) q) ~ F(q, G
#' - q)}
#'   with G clusters or periods, which pays for their covariance being estimated too;
#' * Satterthwaite's: \eqn{W (\eta - q + 1)/(\eta q) \sim F(q, \eta - q + 1)}{W (eta - q + 1)/(eta q) ~ F(q, eta - q +
#' 1)},
#'   eta the degrees of freedom of an approximate Hotelling's T-squared;
#' * a wild bootstrap: all q nulls imposed, W in each draw.
#'
#' @param fit A fit of any of the `fit_` functions.
#' @param terms Coefficients, by name or number; `NULL`: all slopes.
#' @return A `panel_test`.
#' @section Errors:
#' `wavetax_error_unknown_term`; `wavetax_error_too_few_clusters` where there are not more clusters, or degrees of
#' freedom,
#' than restrictions; `wavetax_error_errors` where a coefficient has no error; `wavetax_error_own_errors` where errors
#' give
#' only intervals of single coefficients.
#' @references Tipton, E. and Pustejovsky, J. E. (2015), *Journal of Educational and Behavioral Statistics* 40.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fit <- fit_fixed(log(nights) ~ levy + storms + fuel, panel)
#' test_joint(fit, c("storms", "fuel"))
#' test_joint(with_errors(fit, se_clustered(~ coast, "CR2", "satterthwaite")), c("storms", "fuel"))
#' @export
test_joint <- function(fit, terms = NULL) {
  check_is_fit(fit)
  all <- kept_terms(fit)
  if (!is.null(terms) && length(terms) == 0) stop_no_terms()
  chosen <- if (is.null(terms)) slope_names(fit) else chosen_terms(terms, all)
  chosen <- unique(if (is.character(chosen)) chosen else all[chosen])
  if (length(chosen) == 0) stop_no_terms()
  contrasts <- diag(length(all))[match(chosen, all), , drop = FALSE]
  check_has_errors(fit, chosen)
  joint <- joint_test_of(fit, contrasts, kept_estimates(fit)[chosen])
  new_panel_test(
    title = "Joint test of coefficients", statistic = joint$statistic, parameter = joint$parameter, p_value = joint$p,
    null = paste(list_some(chosen, 8), if (length(chosen) == 1) "is zero" else "are zero together"),
    alternative = if (length(chosen) == 1) "it is not" else "at least one is not",
    reading = reading_of(joint$p, if (length(chosen) == 1) "it matters." else "as a group they matter.",
                         if (length(chosen) == 1) "no sign that it matters." else "no sign that they matter."),
    data_name = deparse_words(fit$design$formula), distribution = joint$distribution,
    notes = c(sprintf("Standard errors %s.", fit$errors$label), joint$notes)
  )
}

stop_no_terms <- function() {
  stop_argument("terms", "empty", "Name coefficients: `test_joint(fit, c(\"levy\", \"storms\"))`.")
}

check_has_errors <- function(fit, terms) {
  V <- fit$errors$covariance[terms, terms, drop = FALSE]
  gone <- terms[is.na(diag(V)) | diag(V) <= 0]
  if (length(gone) == 0) return(invisible())
  stop_wavetax("errors", sprintf("%s has no standard error under these errors.", list_some(gone, 4)),
               todo = "Leave it out of `terms`, or use other errors: `with_errors(fit, ...)`.")
}

# Wald's statistic of rows of `contrasts` (of kept coefficients) and what it is referred to.
joint_test_of <- function(fit, contrasts, distance) {
  q <- nrow(contrasts)
  rows <- contrasts %*% fit$regression$root
  scaled <- qr(t(rows))
  if (scaled$rank < q) stop_argument("terms", "not independent", "Name each restriction once.")
  # In directions of unit length: rows = t(R) t(Q).
  if (identical(fit$errors$joint, "clusters") && is.null(fit$errors$forms) && q >= min(fit$errors$clusters)) {
    stop_too_few_clusters(sprintf("%s for %s.", count_of(min(fit$errors$clusters), "cluster"),
                                  count_of(q, "restriction")))
  }
  basis <- t(qr.Q(scaled))
  tau <- backsolve(qr.R(scaled), distance[scaled$pivot], transpose = TRUE)
  errors <- fit$errors
  if (identical(errors$joint, "wild")) return(joint_by_draws(fit, basis, tau))
  M <- covariance_in(fit, contrasts, basis, scaled)
  if (rcond(M) < 1e-14) stop_too_few_clusters(sprintf("The covariance of the %s is singular.",
                                                      count_of(q, "coefficient")))
  wald <- sum(tau * solve(M, tau))
  refer <- function(value, df) {
    list(statistic = c(F = value), parameter = c("numerator df" = df[1], "denominator df" = df[2]),
         p = stats::pf(value, df[1], df[2], lower.tail = FALSE), distribution = list(name = "F", df = df))
  }
  if (!is.null(errors$forms)) {
    eta <- core_hotelling(errors$forms, basis)
    if (!is.finite(eta) || eta <= q - 1) {
      stop_too_few_clusters(sprintf("The errors have %s degrees of freedom for %s.", label_text(signif(eta, 3)),
                                    count_of(q, "restriction")))
    }
    return(refer(wald * (eta - q + 1) / (eta * q), c(q, eta - q + 1)))
  }
  if (identical(errors$joint, "clusters")) {
    G <- min(errors$clusters)
    return(refer(wald * (G - q) / ((G - 1) * q), c(q, G - q)))
  }
  refer(wald / q, c(q, min(errors_df(fit, contrasts))))
}

# The covariance of the restrictions in those directions; of errors that are a covariance alone, without the
# coefficients that it does not have.
covariance_in <- function(fit, contrasts, basis, scaled) {
  meat <- fit$errors$meat
  if (is.matrix(meat)) return(basis %*% meat %*% t(basis))
  if (!is.null(meat)) return(meat * diag(nrow(basis)))
  used <- colSums(abs(contrasts)) > 0
  V <- contrasts[, used, drop = FALSE] %*% fit$errors$covariance[used, used] %*% t(contrasts[, used, drop = FALSE])
  V <- V[scaled$pivot, scaled$pivot, drop = FALSE]
  half <- backsolve(qr.R(scaled), V, transpose = TRUE)
  backsolve(qr.R(scaled), t(half), transpose = TRUE)
}

stop_too_few_clusters <- function(found) {
  stop_wavetax("too_few_clusters", found,
               todo = c("Test fewer coefficients at once,",
                        "or draw: `test_joint(with_errors(fit, se_bootstrap(...)), terms)`."))
}

joint_by_draws <- function(fit, basis, tau) {
  spec <- fit$errors$spec
  parts <- bootstrap_parts(spec, fit)
  u <- parts$basis$pick %*% t(basis)
  draws <- with_own_seed(spec$seed, core_wild_joint(parts$moments, u, tau, parts$adjustment, spec$draws))
  known <- draws$draws[is.finite(draws$draws)]
  if (!is.finite(draws$own) || length(known) < length(draws$draws) / 2) {
    stop_too_few_clusters("The covariance of these coefficients is singular in most draws.")
  }
  beyond <- sum(known >= draws$own * (1 - 2e-9))
  p <- if (draws$exact) beyond / length(known) else (1 + beyond) / (length(known) + 1)
  q <- nrow(basis)
  list(statistic = c(W = draws$own), parameter = c(restrictions = q), p = p,
       distribution = list(name = "wild bootstrap", df = q),
       notes = sprintf("p from %s of %s.", count_of(length(known), "draw"), draws$kind))
}
