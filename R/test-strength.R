#' How strong are the instruments?
#'
#' Question answered: *do the instruments move the endogenous regressor enough for the estimate and its interval to be
#' read?*
#'
#' With one endogenous column, \eqn{\tilde Z}{Z~} orthonormal instruments less what the exogenous regressors explain,
#' and W the covariance of the first stage on them under the fit's errors, the effective F is \eqn{\|\tilde Z'\tilde
#' x\|^2 / tr W}{|Z~'x~|^2 / tr W}. It is compared with the value that it passes in 5 percent of samples where the bias
#' of two-stage least squares is tau of the largest that it can be: the upper 5 percent point of a noncentral \eqn{F(K,
#' \nu; xK)}{F(K, nu; xK)}, \eqn{x = 1/\tau}{x = 1/tau}, \eqn{K = (tr W)^2 (1 + 2x) / (tr W^2 + 2x\, tr W
#' \lambda_{max})}{K = (tr W)^2 (1 + 2x) / (tr W^2 + 2x tr W lambda_max)}, nu = G - 1 with clusters. Above that of tau =
#' .10 (23.1 with one instrument and many clusters) instruments are called strong, above that of .30 (12.0) middling,
#' else weak: then only the set of `confint(fit, term, method = "anderson-rubin")` is to be read.
#'
#' With several endogenous columns the statistic asks whether the instruments move them apart: Wald's, of a matrix of
#' one rank less, chi-squared on l - m + 1 degrees of freedom; the table has the conditional F of each column beside the
#' others. No cut-offs are known that hold under unequal variances or clusters.
#'
#' @param fit An instrumented fit, see [fit_instrumented()].
#' @inheritParams test_joint
#' @param ... Takes nothing; what is misspelt is told.
#' @return A `panel_test` whose `table` has a row for each endogenous column: `endogenous`; the instruments' joint F,
#'   `f`, `df1`, `df2`, `p_value`; `effective_f` and the value `critical` that it must pass to be strong (of one
#'   column); `partial_r_squared`; `conditional_f`, `conditional_p` (of several).
#' @section Errors:
#' `wavetax_error_method` of a fit without instruments; `wavetax_error_errors` under errors as given, and with no more
#' clusters than instruments; `wavetax_error_told_once` where one cluster alone has what an instrument moves, which the
#' covariance of clusters does not see; `wavetax_error_no_scores` where moments are 0 by construction.
#' @references Montiel Olea, J. L. and Pflueger, C. (2013), *Journal of Business & Economic Statistics* 31.
#'   Sanderson, E. and Windmeijer, F. (2016), *Journal of Econometrics* 190. Kleibergen, F. and Paap, R. (2006),
#'   *Journal of Econometrics* 133.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fit <- fit_instrumented(log(nights) ~ levy + storms + log(berths), panel, endogenous = ~ log(berths),
#'                         instruments = ~ relief)
#' test_strength(fit)
#' @export
test_strength <- function(fit, level = 0.05, ...) {
  check_own_arguments(..., of = test_strength, name = "test_strength()")
  check_is_instrumented(fit, "A test of strength")
  check_keeps_rows(fit, "rows to test")
  found <- stage_strength(fit)
  facts <- fit$instrumented
  alone <- nrow(found) == 1
  common <- list(
    title = sprintf("Strength of %s for %s", list_some(facts$instruments, 4), list_words(facts$endogenous)),
    question = "do the instruments move what they instrument enough to read the estimate?",
    of = fit, level = level, table = strength_columns(found)
  )
  if (alone) {
    verdict <- strength_verdict(found)
    own <- list(
      statistic = c("effective F" = found$effective_f), parameter = c(critical = found$critical),
      p_value = found$weak_p, null = "the bias can be a tenth of the largest there can be, or more",
      alternative = "it is less", verdicts = c("the instruments are strong.", strength_advice(verdict)),
      distribution = list(name = "noncentral F", df = numeric()),
      notes = c(sprintf("Strong above %s, weak under %s; first stage under errors %s.",
                        format_number(found$critical, 3), format_number(found$middling, 3), fit$errors$label),
                few_clusters_of_strength(fit))
    )
  } else {
    rank <- rank_statistic(fit)
    own <- list(
      statistic = c("chi-squared" = rank$statistic), parameter = c(df = rank$df), p_value = rank$p,
      null = "the instruments do not move the endogenous columns apart", alternative = "they do",
      verdicts = c("they move them apart; how strongly, the conditional F tell.",
                   "the instruments do not tell the endogenous columns apart, and the estimates say nothing."),
      distribution = list(name = "chi-squared", df = rank$df), notes = no_cutoffs_words
    )
  }
  do.call(new_panel_test, c(common, own))
}

no_cutoffs_words <- "Of several endogenous columns no cut-offs are known that hold under unequal variances or clusters."

strength_columns <- function(found) {
  alone <- nrow(found) == 1
  columns <- list(
    typed_column("endogenous", "", "text"), typed_column("f", "joint F", "number"), typed_column("p_value", "p", "p"),
    if (alone) typed_column("effective_f", "effective F", "number"),
    if (alone) typed_column("critical", "strong from", "number"),
    typed_column("partial_r_squared", "partial R-squared", "share"),
    if (!alone) typed_column("conditional_f", "conditional F", "number"),
    if (!alone) typed_column("conditional_p", "its p", "p")
  )
  known <- c("endogenous", "f", "df1", "df2", "p_value", "effective_f", "critical", "partial_r_squared",
             "conditional_f", "conditional_p")
  typed_table(found[known], Filter(Negate(is.null), columns))
}

# "strong", "middling" or "weak", of one endogenous column.
strength_verdict <- function(found) {
  if (found$effective_f > found$critical) "strong" else if (found$effective_f > found$middling) "middling" else "weak"
}

strength_advice <- function(verdict) {
  switch(verdict,
    strong = "the instruments are strong.",
    middling = "the instruments are middling; read the set of values not rejected beside the estimate.",
    weak = "the instruments are weak; read the set of values not rejected, not the estimate.")
}

few_clusters_of_strength <- function(fit) {
  G <- fit$errors$clusters
  if (is.null(G) || min(G) >= few_clusters) return(NULL)
  sprintf("With %s the critical value is passed somewhat too often at the boundary.", count_of(min(G), "cluster"))
}
