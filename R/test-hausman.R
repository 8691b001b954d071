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
#' own. The rank, and the contrasts that exist at all, are those of the shared difference,
#' relative to V_c: units do not matter, and what cannot differ does not count. Where the
#' difference at own variances has a negative part, the statistic on its positive part is
#' shown without a p value.
#'
#' A regressor that the consistent model dropped as a combination of others (age, beside the
#' year and entity effects) is carried over: the efficient model's slopes are mapped through
#' that combination, and a note says so. Under 50 entities the test rejects a true null
#' somewhat too often (6 to 11 percent with 20), which is said; `draws` takes p from draws under the efficient model.
#'
#' Null: both are consistent (a small p speaks against the efficient one).
#'
#' @param consistent The fit that is consistent under both hypotheses: fixed effects.
#' @param efficient The fit that is efficient under the null: random effects, or
#'   pooled.
#' @param sigma `"shared"` or `"own"`.
#' @inheritParams test_effects
#' @param common Whether fits of different equations are compared, over the regressors that
#'   both have.
#' @param ... Takes nothing; what is misspelt is told.
#' @return A `panel_test` (an `htest` with `null`, `alternative`, `reading`), whose
#'   `table` has a row a coefficient: `term`, `consistent`, `efficient`,
#'   `difference`, `std_error`, `p_value` (normal).
#' @section Errors:
#' `wavetax_error_swapped_fits` when the arguments are the wrong way round;
#' `wavetax_error_different_rows` when the fits are not of the same rows and outcome;
#' `wavetax_error_different_equations` when one has a regressor that the other has not;
#' `wavetax_error_nothing_to_compare` when they share no slope, or none can differ;
#' `wavetax_error_not_a_fit`; `wavetax_error_sigma`.
#' @references Hausman, J. A. (1978), *Econometrica* 46.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fixed <- fit_fixed(log(nights) ~ levy + storms + fuel, panel)
#' random <- fit_random(log(nights) ~ levy + storms + fuel, panel)
#' test_hausman(fixed, random)
#' @export
test_hausman <- function(consistent, efficient, sigma = "shared", common = FALSE, level = 0.05, draws = NULL,
                         seed = 1, ...) {
  check_own_arguments(..., of = test_hausman, name = "test_hausman()")
  check_is_fit(consistent, "consistent")
  if (missing(efficient)) stop_one_fit(consistent)
  check_is_fit(efficient, "efficient")
  for (one in list(consistent, efficient)) {
    check_without_instruments(one, "Hausman's test", c(
      "With instruments the difference of covariances is often none.",
      "Use `test_mundlak(fit)` of a random effects fit, or `test_endogeneity(fit)`."
    ))
  }
  check_choice(sigma, c("shared", "own"), "sigma", kind = "sigma")
  check_flag(common, "common")
  asked <- ask(level, draws, seed)
  check_order(consistent, efficient)
  efficient <- at_rho_of(efficient, consistent)
  check_same_rows(consistent, efficient)
  other <- other_regressors(consistent, efficient, common)
  compared <- carried_over(consistent, efficient)
  words <- hausman_words(consistent, efficient)
  form <- hausman_form(compared, sigma, efficient$scale / consistent$scale)
  check_something_left(form, sigma, words)
  p <- if (form$definite) stats::pchisq(form$value, form$rank, lower.tail = FALSE) else NA_real_
  shared <- if (!form$definite) hausman_form(compared, "shared", 1)
  test <- new_panel_test(
    title = sprintf("Hausman test: %s against %s%s", words$consistent, words$efficient,
                    if (length(other) > 0) ", over their common regressors" else ""),
    question = sprintf("may %s be used, or does it disagree with %s, which is consistent either way?", words$efficient,
                       words$consistent),
    statistic = c("chi-squared" = form$value), parameter = c(df = form$rank), p_value = p,
    null = words$null, alternative = words$alternative, verdicts = c(words$rejected, words$kept, words$near),
    reading = if (!form$definite) own_variance_words(shared),
    of = consistent, distribution = list(name = "chi-squared", df = form$rank),
    level = asked$level,
    table = hausman_table(compared, sigma, efficient, c(consistent$method, efficient$method)),
    cautions = hausman_cautions(consistent), notes = hausman_notes(form, compared, consistent, efficient, other),
    extra = list(sigma = sigma, methods = c(consistent$method, efficient$method))
  )
  with_draws(test, efficient, function(y) {
    a <- refit(consistent, y)
    b <- at_rho_of(refit(efficient, y), a)
    hausman_form(carried_over(a, b), sigma, b$scale / a$scale)$value
  }, asked)
}

# Regressors that one fit has and the other has not.
other_regressors <- function(a, b, common) {
  mine <- names(a$design$x)
  theirs <- names(b$design$x)
  other <- c(setdiff(mine, theirs), setdiff(theirs, mine))
  if (length(other) == 0 || common) return(other)
  only <- function(names, fit) {
    if (length(names) > 0) sprintf("Only the %s fit has %s.", method_words(fit), list_some(names, 6))
  }
  stop_wavetax(
    "different_equations", "The fits are of different equations.",
    where = c(only(setdiff(mine, theirs), a), only(setdiff(theirs, mine), b)),
    todo = "Estimate both with one formula, or compare what they share: `common = TRUE`."
  )
}

# The slopes to compare. What the consistent fit dropped as a combination of regressors that it
# kept moves with those once the effects are out: the efficient fit's slope of each is its own
# plus that combination's. list(terms, b_c, b_e, factor, gain, sigma2_c, carried).
carried_over <- function(consistent, efficient) {
  solution <- consistent$regression
  names <- names(consistent$design$x)
  status <- solution$status
  kept <- names[status == 0L]
  map <- matrix(0, length(kept), length(names), dimnames = list(kept, names))
  map[cbind(kept, kept)] <- 1
  if (method_of(consistent)$effects == "fixed") {
    combination <- consistent$coefficients$combination[match(names, consistent$coefficients$term)]
    for (j in which(status == 2L)) {
      made_of <- combination[[j]][setdiff(names(combination[[j]]), constant_term)]
      map[names(made_of), j] <- made_of
    }
  }
  theirs <- slope_names(efficient)
  shared <- intersect(names, theirs)
  # A slope is compared where all that it stands for is in the efficient fit's equation.
  foreign <- setdiff(names, names(efficient$design$x))
  whole <- rowSums(map[, foreign, drop = FALSE] != 0) == 0 & kept %in% names(efficient$design$x)
  terms <- kept[whole]
  check_common_slopes(terms, consistent, efficient)
  carried <- names[status == 2L & colSums(abs(map[terms, , drop = FALSE])) > 0]
  map <- map[terms, shared, drop = FALSE]
  at <- match(shared, kept_terms(efficient))
  root <- map %*% efficient$regression$root[at, , drop = FALSE]
  mine <- match(terms, kept)
  # R of the terms alone, with V_c = s2 R^-1 R^-T: the others' rows are left out of the root.
  slopes <- setdiff(seq_along(kept_terms(consistent)), if (solution$constant) 1L)
  own <- solution$root[slopes, slopes, drop = FALSE][mine, , drop = FALSE]
  upper <- if (length(mine) == length(kept)) solution$frame$upper[slopes, slopes, drop = FALSE] else solve_root(own)
  list(
    terms = terms, b_c = kept_estimates(consistent)[terms], b_e = drop(map %*% kept_estimates(efficient)[shared]),
    upper = upper, gain = tcrossprod(upper %*% root), sigma2_c = consistent$scale,
    V_c = tcrossprod(own), V_e = tcrossprod(root), carried = carried
  )
}

# A matrix R with (R'R)^-1 = root root'.
solve_root <- function(root) backsolve(t(qr.R(qr(t(root)))), diag(nrow(root)), upper.tri = FALSE)

# The statistic, over the directions of core_compare(): with the efficient model's own variance,
# `ratio` times the consistent one's, the share 1 - gain becomes 1 - ratio * gain.
hausman_form <- function(compared, sigma, ratio) {
  parts <- core_compare(compared$b_c - compared$b_e, compared$upper / sqrt(compared$sigma2_c), compared$gain)
  share <- if (sigma == "shared") parts$share else 1 - ratio * (1 - parts$share)
  use <- share > 1e-8
  list(value = sum(parts$z[use]^2 / share[use]), rank = sum(use), definite = all(share > -1e-8),
       exist = length(parts$share))
}

own_variance_words <- function(shared) {
  sprintf("At each model's own variance the difference is no covariance; at the shared variance %s.",
          p_words(stats::pchisq(shared$value, shared$rank, lower.tail = FALSE)))
}

stop_one_fit <- function(fit) {
  stop_wavetax(
    "nothing_to_compare", "One fit was given; the test compares two.",
    todo = if (method_of(fit)$effects == "fixed") {
      "Estimate the same equation by `fit_random()` and give it second: `test_hausman(fixed, random)`."
    } else {
      "Give a fixed effects fit first and a random effects fit second: `test_hausman(fixed, random)`."
    }
  )
}

check_order <- function(consistent, efficient) {
  for (fit in list(consistent, efficient)) {
    if (!is.na(method_of(fit)$assumes)) next
    stop_wavetax(
      "nothing_to_compare", sprintf("Hausman's test does not take %s fit.", one_of_a(method_words(fit))),
      todo = "It compares fixed effects with random effects or pooled least squares."
    )
  }
  assumes <- c(method_of(consistent)$assumes, method_of(efficient)$assumes)
  if (assumes[1] < assumes[2]) return(invisible())
  if (assumes[1] == assumes[2]) {
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
  check_same_data(a, b)
  if (length(b$effects) == 0 || identical(effect_names(a), effect_names(b))) return(invisible())
  stop_different_rows(a, b, sprintf("The fits have different effects: %s and %s.", list_words(effect_names(a)),
                                    list_words(effect_names(b))))
}

check_common_slopes <- function(terms, a, b) {
  if (length(terms) > 0) return(invisible())
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
  if (method_of(consistent)$effects == "fixed") {
    words$null <- sprintf("the %s effects are unrelated to the regressors; both are consistent", unit)
    words$alternative <- sprintf("they are related; only %s is consistent", words$consistent)
    words$rejected <- sprintf(
      "the %s effects are related to the regressors, so keep fixed effects.", unit
    )
    words$kept <- sprintf(
      "nothing here speaks against %s, which is the more precise.", words$efficient
    )
    words$near <- leaning_words(words$efficient)
  } else {
    words$null <- "both estimators are consistent"
    words$alternative <- sprintf("only %s is consistent", words$consistent)
    words$rejected <- sprintf("the two disagree, so keep %s.", words$consistent)
    words$kept <- sprintf("nothing here speaks against %s.", words$efficient)
    words$near <- leaning_words(words$efficient)
  }
  words
}

# Of a p that is small, if not below the level.
leaning_words <- function(against) {
  sprintf("the data lean against %s all the same; that a test does not reject does not show that its null holds.",
          against)
}

hausman_table <- function(compared, sigma, efficient, methods) {
  sigma2_e <- if (sigma == "shared") compared$sigma2_c else efficient$scale
  of_c <- compared$sigma2_c * diag(compared$V_c)
  variance <- of_c - sigma2_e * diag(compared$V_e)
  std_error <- ifelse(variance > 1e-8 * of_c, sqrt(pmax(variance, 0)), NA_real_)
  d <- unname(compared$b_c - compared$b_e)
  like <- c("consistent", "std_error")
  typed_table(data.frame(
    term = compared$terms, consistent = unname(compared$b_c), efficient = unname(compared$b_e), difference = d,
    std_error = unname(std_error), p_value = unname(2 * stats::pnorm(-abs(d / std_error)))
  ), list(
    typed_column("term", "", "text"), typed_column("consistent", methods[1], "estimate", like),
    typed_column("efficient", methods[2], "estimate", like), typed_column("difference", "difference", "estimate", like),
    typed_column("std_error", "its error", "estimate", like), typed_column("p_value", "p", "p")
  ))
}

few_entities <- 50

hausman_cautions <- function(consistent) {
  groups <- if (length(consistent$effects) > 0) sum(consistent$effects[[1]]$groups$sizes > 0)
  if (is.null(groups) || groups >= few_entities) return(NULL)
  sprintf("With %s the test rejects a true null somewhat too often (6 to 11 percent with 20): `draws = 999`.",
          count_of(groups, consistent$effects[[1]]$name))
}

hausman_notes <- function(form, compared, consistent, efficient, other) {
  k <- length(compared$terms)
  robust <- setdiff(unique(c(consistent$errors$label, efficient$errors$label)), "classical")
  c(
    one_rho_words(consistent),
    if (length(other) > 0) sprintf("Not compared, as one fit alone has them: %s.", list_some(other, 6)),
    if (length(compared$carried) > 0) {
      sprintf("%s moves within %s as a combination of the others; the %s slopes are carried through it.",
              list_some(compared$carried, 4), within_words(consistent$effects), method_words(efficient))
    },
    if (!form$definite) {
      sprintf(
        paste("The difference of the covariances has a negative part, which is left out: %s df of %d.",
              "No p value belongs to it; read the one at the shared variance (sigma = \"shared\")."),
        count_words(form$rank), k
      )
    } else if (form$exist < k) {
      sprintf("%s of %d coefficients cannot differ between the two fits: %d df.",
              count_words(k - form$exist), k, form$rank)
    },
    if (length(robust) > 0) {
      sprintf("The test rests on classical errors, not on those of the fits (%s)%s.", list_words(robust),
              if (method_of(efficient)$effects == "random") "; `test_mundlak(random)` does not" else
                "")
    }
  )
}
