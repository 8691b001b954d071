#' Do the instruments agree?
#'
#' Question answered: *do several instruments tell the same slope, as they must if none moves the outcome by itself?*
#'
#' With l instruments for m endogenous columns, q = l - m. Clustered: J of the two-step method of moments, \eqn{(G -
#' q)/q \cdot J/(G - J) \sim F(q, G - q)}{(G - q)/q J/(G - J) ~ F(q, G - q)}. Robust by rows: \eqn{J df/n \sim
#' \chi^2(q)}{J df/n ~ chi-squared(q)}. Classical: Sargan's \eqn{\|\tilde Z'e\|^2/\sigma^2}{|Z~'e|^2/s2}, sigma^2 over
#' the residual degrees of freedom.
#'
#' Null: all instruments are valid, or err alike. A small p says that some move the outcome otherwise, not which; a
#' large one does not show that any is valid.
#'
#' @inheritParams test_strength
#' @param ... Takes nothing; what is misspelt is told.
#' @return A `panel_test`.
#' @section Size:
#' True nulls rejected at 5 percent with clusters: 3 to 8 percent (`docs/instruments.md` of the sources). Sargan's in
#' clustered data: 8 to 34 percent.
#' @section Errors:
#' `wavetax_error_method` of a fit without instruments; `wavetax_error_exactly_identified` where there are as many
#' instruments as endogenous columns; `wavetax_error_errors` under errors that are neither classical, by rows, nor by
#' one kind of cluster.
#' @references Sargan, J. D. (1958), *Econometrica* 26. Hansen, L. P. (1982), *Econometrica* 50.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fit <- fit_instrumented(log(nights) ~ levy + storms + log(berths), panel, endogenous = ~ log(berths),
#'                         instruments = ~ relief + past(relief))
#' test_overidentification(fit)
#' @export
test_overidentification <- function(fit, level = 0.05, ...) {
  check_own_arguments(..., of = test_overidentification, name = "test_overidentification()")
  check_is_instrumented(fit, "A test of over-identification")
  check_keeps_rows(fit, "rows to test")
  facts <- fit$instrumented
  if (length(facts$instruments) == length(facts$endogenous)) {
    stop_test(c("exactly_identified", "nothing_to_compare"),
              sprintf("%s for %s: nothing is left to be tested.", count_of(length(facts$instruments), "instrument"),
                      count_of(length(facts$endogenous), "endogenous column")),
              todo = "The test needs more instruments than endogenous columns.")
  }
  done <- instruments_agree(fit)
  clustered <- length(done$df) == 2
  sargan <- inherits(stage_errors(fit), "se_classical")
  new_panel_test(
    title = sprintf("Over-identification, %s", if (sargan) "Sargan" else "J of the two-step method of moments"),
    question = sprintf("do %s tell the same?", list_some(facts$instruments, 6)),
    statistic = if (clustered) c(F = done$statistic) else c("chi-squared" = done$statistic),
    parameter = if (clustered) c("numerator df" = done$df[1], "denominator df" = done$df[2]) else c(df = done$df),
    p_value = done$p, null = "the instruments agree: each moves the outcome through what it instruments alone",
    alternative = "some of them move the outcome otherwise",
    verdicts = c("the instruments disagree, so at least one of them is not valid.",
                 "nothing here speaks against the instruments; that they are valid it does not show."),
    of = fit,
    distribution = list(name = if (clustered) "F" else "chi-squared", df = done$df), level = level,
    notes = c(sprintf("Errors %s.", fit$errors$label), if (sargan && !is.null(fit$design$index)) {
      "Rows of an entity that are related are rejected too often: use clustered errors."
    })
  )
}
