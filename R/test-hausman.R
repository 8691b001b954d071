#' Hausman's test of two estimators of one equation
#'
#' Question answered: *may I use the efficient estimator, or does it disagree with
#' the one that is consistent either way?* With fixed and random effects: are the
#' effects related to the regressors?
#'
#' Over the slopes b that both models estimate,
#' \deqn{H = d'(V_c - V_e)^- d, \quad d = b_c - b_e,}{H = d'(V_c - V_e)^- d, d = b_c
#' - b_e,} chi-squared with as many degrees of freedom as the rank. Both covariances
#' are classical: with `sigma = "shared"` both at the consistent model's error
#' variance, so that their difference has no negative part; with `"own"` each at its
#' own, and where the difference then has a negative part this is said and left out
#' of the generalised inverse.
#'
#' Null: both are consistent (a small p speaks against the efficient one).
#'
#' @param consistent The fit that is consistent under both hypotheses: fixed effects.
#' @param efficient The fit that is efficient under the null: random effects, or
#'   pooled.
#' @param sigma `"shared"` or `"own"`.
#' @return A `panel_test` (an `htest` with `null`, `alternative`, `reading`), whose
#'   `table` has a row a coefficient: `term`, `consistent`, `efficient`,
#'   `difference`, `std_error`, `p_value` (normal).
#' @section Errors:
#' `wavetax_error_swapped_fits` when the arguments are the wrong way round;
#' `wavetax_error_different_rows` when the fits are not of the same rows and outcome;
#' `wavetax_error_nothing_to_compare` when they share no slope;
#' `wavetax_error_not_a_fit`; `wavetax_error_sigma`.
#' @references Hausman, J. A. (1978), *Econometrica* 46.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fixed <- fit_fixed(log(nights) ~ levy + storms + fuel, panel)
#' random <- fit_random(log(nights) ~ levy + storms + fuel, panel)
#' test_hausman(fixed, random)
#' @export
test_hausman <- function(consistent, efficient, sigma = "shared") {
  check_is_fit(consistent, "consistent")
  check_is_fit(efficient, "efficient")
  check_sigma(sigma)
  check_order(consistent, efficient)
  check_same_rows(consistent, efficient)
  terms <- common_slopes(consistent, efficient)
  sigma2_c <- sigma2_of(consistent)
  sigma2_e <- if (sigma == "shared") sigma2_c else sigma2_of(efficient)
  d <- consistent$estimates[terms] - efficient$estimates[terms]
  V_c <- sigma2_c * consistent$bread[terms, terms, drop = FALSE]
  V <- V_c - sigma2_e * efficient$bread[terms, terms, drop = FALSE]
  form <- core_quadratic_form(d, V, sqrt(diag(V_c)))
  words <- hausman_words(consistent, efficient)
  check_something_left(form, sigma, words)
  p <- stats::pchisq(form$value, form$rank, lower.tail = FALSE)
  new_panel_test(
    title = sprintf("Hausman test: %s against %s", words$consistent, words$efficient),
    statistic = c("chi-squared" = form$value), parameter = c(df = form$rank), p_value = p,
    null = words$null, alternative = words$alternative,
    reading = reading_of(p, words$rejected, words$kept),
    data_name = hausman_data_name(consistent), table = hausman_table(consistent, efficient, terms, d, V),
    notes = hausman_notes(form, length(terms), consistent, efficient, sigma),
    extra = list(sigma = sigma, methods = c(consistent$method, efficient$method))
  )
}

hausman_data_name <- function(fit) deparse_words(fit$design$formula)

check_sigma <- function(sigma) {
  if (identical(sigma, "shared") || identical(sigma, "own")) return(invisible())
  stop_wavetax("sigma", sprintf("`sigma = %s` is not known.", list_words(format(sigma))),
               todo = "\"shared\": the consistent model's error variance in both; \"own\": each its own.")
}

# How little a method assumes of the effects: the more, the earlier in this list.
hausman_order <- c("pooled", "random", "fixed")

check_order <- function(consistent, efficient) {
  for (fit in list(consistent, efficient)) {
    if (fit$method %in% hausman_order) next
    stop_wavetax(
      "nothing_to_compare", sprintf("Hausman's test does not take a %s fit.", method_words(fit)),
      todo = "It compares fixed effects with random effects or pooled least squares."
    )
  }
  rank <- match(c(consistent$method, efficient$method), hausman_order)
  if (rank[1] > rank[2]) return(invisible())
  if (rank[1] == rank[2]) {
    stop_wavetax(
      "swapped_fits", sprintf("Both fits are %s: there is nothing to compare.", method_words(consistent)),
      todo = "Give a fixed effects fit first and a random effects fit second."
    )
  }
  stop_wavetax(
    "swapped_fits",
    sprintf("The arguments are swapped: %s came first.", method_words(consistent)),
    todo = sprintf("First the fit that is consistent either way: `test_hausman(<%s>, <%s>)`.",
                   efficient$method, consistent$method)
  )
}

check_same_rows <- function(a, b) {
  same <- a$n == b$n && identical(a$design$outcome, b$design$outcome) &&
    isTRUE(all.equal(a$design$y, b$design$y, tolerance = 0)) &&
    identical(a$design$weights, b$design$weights)
  same_effects <- length(b$effects) == 0 || identical(effect_names(a), effect_names(b))
  if (same && same_effects) return(invisible())
  found <- if (a$n != b$n) {
    sprintf("The fits use different rows: %s and %s.", count_words(a$n), count_words(b$n))
  } else if (!identical(a$design$outcome, b$design$outcome)) {
    sprintf("The fits have different outcomes: `%s` and `%s`.", a$design$outcome, b$design$outcome)
  } else if (!same) {
    "The fits use different rows or weights."
  } else {
    sprintf("The fits have different effects: %s and %s.", list_words(effect_names(a)), list_words(effect_names(b)))
  }
  stop_wavetax(
    "different_rows", found, where = missing_words(more_missing(a, b)),
    todo = "Estimate both on the same data, formula outcome, weights and effects."
  )
}

more_missing <- function(a, b) {
  if (a$design$missing$total > b$design$missing$total) a$design$missing else b$design$missing
}

common_slopes <- function(a, b) {
  terms <- setdiff(intersect(names(a$estimates), names(b$estimates)), "(Intercept)")
  if (length(terms) > 0) return(terms)
  stop_wavetax(
    "nothing_to_compare", "The two fits share no slope.",
    where = sprintf("%s against %s.", list_some(names(coef(a)), 6), list_some(names(coef(b)), 6)),
    todo = "Compare fits of one equation."
  )
}

check_something_left <- function(form, sigma, words) {
  if (form$rank > 0) return(invisible())
  if (sigma == "own") {
    stop_wavetax(
      "nothing_to_compare",
      "At each model's own error variance the difference of the covariances has no positive part.",
      where = sprintf("The %s fit has the larger error variance, and hides what it gains.",
                      words$efficient),
      todo = "Use `sigma = \"shared\"`, the default."
    )
  }
  stop_wavetax(
    "nothing_to_compare", "The two estimators have the same variance: nothing tells them apart.",
    todo = "This happens when the effects take nothing from the regressors."
  )
}

hausman_words <- function(consistent, efficient) {
  unit <- list_words(c(effect_names(consistent), effect_names(efficient))[seq_len(max(
    length(consistent$effects), length(efficient$effects)
  ))])
  words <- list(
    consistent = method_words(consistent), efficient = method_words(efficient)
  )
  if (consistent$method == "fixed") {
    words$null <- sprintf("the %s effects are unrelated to the regressors; both are consistent", unit)
    words$alternative <- sprintf("they are related; only %s is consistent", words$consistent)
    words$rejected <- sprintf(
      "the %s effects are related to the regressors, so keep fixed effects.", unit
    )
    words$kept <- sprintf(
      "nothing here speaks against %s, which is the more precise.", words$efficient
    )
  } else {
    words$null <- "both estimators are consistent"
    words$alternative <- sprintf("only %s is consistent", words$consistent)
    words$rejected <- sprintf("the two disagree, so keep %s.", words$consistent)
    words$kept <- sprintf("nothing here speaks against %s.", words$efficient)
  }
  words
}

hausman_table <- function(consistent, efficient, terms, d, V) {
  variance <- diag(V)
  std_error <- ifelse(variance > 0, sqrt(pmax(variance, 0)), NA_real_)
  data.frame(
    term = terms, consistent = unname(consistent$estimates[terms]),
    efficient = unname(efficient$estimates[terms]), difference = unname(d),
    std_error = std_error, p_value = 2 * stats::pnorm(-abs(unname(d) / std_error))
  )
}

hausman_notes <- function(form, k, consistent, efficient, sigma) {
  robust <- c(consistent$errors$label, efficient$errors$label)
  robust <- setdiff(unique(robust), "classical")
  c(
    if (!form$definite) {
      sprintf(
        paste(
          "The difference of the covariances has a negative part, which is left out: %s df of %d.",
          "At the shared variance (sigma = \"shared\") there is none."
        ), count_words(form$rank), k
      )
    } else if (form$rank < k) {
      sprintf("%s of %d coefficients differ by nothing but rounding: %d df.",
              count_words(k - form$rank), k, form$rank)
    },
    if (length(robust) > 0) {
      sprintf("The test rests on classical errors, not on those of the fits (%s).",
              list_words(robust))
    }
  )
}
