#' A test of several restrictions at once
#'
#' Question answered: *do these regressors matter as a group?*, or *do the coefficients meet what theory says?*
#'
#' With W the Wald statistic of q restrictions under the fit's own errors:
#'
#' * classical, robust and Newey-West errors: W/q ~ F(q, residual df);
#' * clustered and Driscoll-Kraay errors: \eqn{W (G - q)/((G - 1) q) \sim F(q, G - q)}{W (G - q)/((G - 1) q) ~ F(q, G -
#'   q)} with G clusters or periods, which pays for their covariance being estimated too;
#' * Satterthwaite's: \eqn{W (\eta - q + 1)/(\eta q) \sim F(q, \eta - q + 1)}{W (eta - q + 1)/(eta q) ~ F(q, eta - q +
#'   1)}, eta the degrees of freedom of an approximate Hotelling's T-squared;
#' * a wild bootstrap: all q nulls imposed, W in each draw.
#'
#' Restrictions are written as equations of coefficients, linear in them: `"levy = -0.05"`, `"levy + past(levy, 1) =
#' 0"`, `"levy = storms = 0"`. They are read against the names of the coefficients and never evaluated. Those that
#' follow from the others are dropped, which is said; contradictory ones are an error.
#'
#' @param fit A fit of any of the `fit_` functions.
#' @param terms Coefficients, by name or number; patterns of names in which `*` stands for anything, `"mean(*"`; written
#'   restrictions; or `NULL`: all slopes.
#' @param level The level that the reading in words is at.
#' @param draws `NULL`, or how many draws p is to come from: normal disturbances, unrelated and of one variance, through
#'   the equation whose coefficients are moved to the restrictions. A wild bootstrap has its own draws.
#' @param seed Where draws start; the session's random numbers are left alone.
#' @param ... Takes nothing; what is misspelt is told.
#' @return A `panel_test`.
#' @section Errors:
#' `wavetax_error_unknown_term`, also of coefficients that were dropped; `wavetax_error_restriction` of an equation that
#' cannot be read, is not linear, or contradicts another; `wavetax_error_too_few_clusters` where there are not more
#' clusters, or degrees of freedom, than restrictions; `wavetax_error_errors` where a coefficient has no error.
#' @references Tipton, E. and Pustejovsky, J. E. (2015), *Journal of Educational and Behavioral Statistics* 40.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fit <- fit_fixed(log(nights) ~ levy + storms + fuel, panel)
#' test_joint(fit, c("storms", "fuel"))
#' test_joint(fit, "levy = -0.05")
#' test_joint(with_errors(fit, se_clustered(~ coast, "CR2", "satterthwaite")), c("storms", "fuel"))
#' @export
test_joint <- function(fit, terms = NULL, level = 0.05, draws = NULL, seed = 1, ...) {
  check_own_arguments(..., of = test_joint, name = "test_joint()")
  check_is_fit(fit)
  terms <- bare_names(rlang::enquo(terms), kept_terms(fit))
  asked <- ask(level, draws, seed)
  all <- kept_terms(fit)
  wanted <- read_restrictions(terms, fit)
  touched <- all[colSums(abs(wanted$contrasts)) > 0]
  check_has_errors(fit, touched)
  distance <- drop(wanted$contrasts %*% kept_estimates(fit)) - wanted$value
  joint <- joint_test_of(fit, wanted$contrasts, distance)
  alone <- nrow(wanted$contrasts) == 1
  zero <- wanted$zero
  test <- new_panel_test(
    title = if (zero) "Joint test of coefficients" else "Test of restrictions",
    question = if (zero) {
      if (alone) "does this regressor matter?" else "do these regressors matter as a group?"
    } else {
      sprintf("do%s hold%s?", if (alone) "es the restriction" else " the restrictions", if (alone) "" else " together")
    },
    statistic = joint$statistic, parameter = joint$parameter, p_value = joint$p, null = wanted$null,
    alternative = if (alone) (if (zero) "it is not" else "it does not hold") else
      if (zero) "at least one is not" else "at least one does not hold",
    verdicts = if (zero) {
      c(if (alone) "it matters." else "as a group they matter.",
        if (alone) "no sign that it matters." else "no sign that they matter.")
    } else {
      c(if (alone) "it does not hold." else "they do not hold together.", "nothing here speaks against it.")
    },
    of = fit, distribution = joint$distribution, level = asked$level,
    table = if (!zero) restriction_table(fit, wanted),
    notes = c(sprintf("Standard errors %s.", fit$errors$label), joint$notes, if (wanted$redundant > 0) {
      sprintf("%s from the others and %s left out.", if (wanted$redundant == 1) "One restriction follows" else
        paste(count_words(wanted$redundant), "restrictions follow"), if (wanted$redundant == 1) "is" else "are")
    })
  )
  if (!is.null(draws) && identical(fit$errors$joint, "wild")) {
    stop_argument("draws", value_words(draws), "A wild bootstrap draws by itself: leave it out.")
  }
  with_draws(test, fit, function(y) {
    again <- refit(fit, y)
    joint_test_of(again, wanted$contrasts, drop(wanted$contrasts %*% kept_estimates(again)) - wanted$value)$statistic
  }, asked, estimates = restricted_estimates(fit, wanted$contrasts, distance))
}

# The coefficients moved to where the restrictions hold, the least in the metric of the regression.
restricted_estimates <- function(fit, contrasts, distance) {
  rows <- contrasts %*% fit$regression$root
  kept_estimates(fit) - drop(fit$regression$root %*% crossprod(rows, solve(tcrossprod(rows), distance)))
}

check_has_errors <- function(fit, terms) {
  gone <- intersect(terms, kept_terms(fit)[is.na(standard_errors(fit))])
  if (length(gone) == 0) return(invisible())
  stop_wavetax(c("no_std_error", "errors"), sprintf("%s has no standard error under these errors.", list_some(gone, 4)),
               todo = "Leave it out of `terms`, or use other errors: `with_errors(fit, ...)`.")
}

restriction_table <- function(fit, wanted) {
  variance <- covariance_of(fit, wanted$contrasts)
  estimate <- drop(wanted$contrasts %*% kept_estimates(fit))
  like <- c("estimate", "std_error")
  typed_table(data.frame(
    restriction = vapply(seq_along(estimate), function(i) combination_text(wanted$contrasts[i, ], kept_terms(fit)), ""),
    estimate = estimate, value = wanted$value, std_error = sqrt(pmax(diag(variance), 0))
  ), list(typed_column("restriction", "", "text"), typed_column("estimate", "estimate", "estimate", like),
          typed_column("value", "under the null", "estimate", like),
          typed_column("std_error", "std. error", "estimate", like)))
}

covariance_of <- function(fit, contrasts) {
  used <- colSums(abs(contrasts)) > 0
  V <- fit$errors$covariance[used, used, drop = FALSE]
  contrasts[, used, drop = FALSE] %*% V %*% t(contrasts[, used, drop = FALSE])
}

# "levy + 2 storms" of weights.
combination_text <- function(weights, terms) {
  used <- which(weights != 0)
  size <- abs(weights[used])
  parts <- paste0(ifelse(size == 1, "", paste0(vapply(size, function(s) format_plain(s), ""), " ")),
                  term_names(terms[used]))
  sign <- ifelse(weights[used] < 0, "-", "+")
  out <- paste(paste(sign, parts), collapse = " ")
  sub("^\\+ ", "", sub("^- ", "-", out))
}

format_plain <- function(x) formatC(x, digits = 6, format = "g", decimal.mark = ".")
term_names <- function(terms) ifelse(terms == constant_term, "constant", terms)

# Restrictions, rows of `contrasts` that are at `distance` from the null, in directions of unit length: rows =
# t(R) t(Q). list(contrasts, scaled, basis, tau).
restriction_directions <- function(fit, contrasts, distance) {
  scaled <- qr(t(contrasts %*% fit$regression$root))
  if (scaled$rank < nrow(contrasts)) stop_argument("terms", "not independent", "Name each restriction once.")
  list(contrasts = contrasts, scaled = scaled, basis = t(qr.Q(scaled)),
       tau = backsolve(qr.R(scaled), distance[scaled$pivot], transpose = TRUE))
}

# Wald's statistic of them.
wald_of <- function(fit, directions) {
  M <- covariance_in(fit, directions$contrasts, directions$basis, directions$scaled)
  if (rcond(M) < 1e-14) stop_too_few_clusters(sprintf("The covariance of the %s is singular.",
                                                      count_of(nrow(directions$contrasts), "coefficient")))
  sum(directions$tau * solve(M, directions$tau))
}

# Wald's statistic of rows of `contrasts` (of kept coefficients) and what it is referred to.
joint_test_of <- function(fit, contrasts, distance) {
  q <- nrow(contrasts)
  directions <- restriction_directions(fit, contrasts, distance)
  if (identical(fit$errors$joint, "clusters") && !identical(fit$errors$spec$df, "satterthwaite") &&
      q >= min(fit$errors$clusters)) {
    stop_too_few_clusters(sprintf("%s for %s.", count_of(min(fit$errors$clusters), "cluster"),
                                  count_of(q, "restriction")))
  }
  errors <- fit$errors
  if (identical(errors$joint, "wild")) return(joint_by_draws(fit, directions$basis, directions$tau))
  wald <- wald_of(fit, directions)
  refer <- function(value, df) {
    list(statistic = c(F = value), parameter = c("numerator df" = df[1], "denominator df" = df[2]),
         p = stats::pf(value, df[1], df[2], lower.tail = FALSE), distribution = list(name = "F", df = df))
  }
  satterthwaite <- identical(errors$spec$df, "satterthwaite")
  if (!is.null(errors$forms) || satterthwaite) {
    eta <- if (is.null(errors$forms)) hotelling_of(fit, t(directions$basis)) else
      core_hotelling(errors$forms, directions$basis)
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
