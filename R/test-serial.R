#' Tests for serial correlation of the disturbances
#'
#' Question answered: *are the disturbances of one entity related from period to
#' period?* If they are, classical errors are wrong; clustered ones stand.
#'
#' `"differences"`: the equation is taken in changes between adjacent periods, by
#' least squares without a constant; its residuals r are regressed on their own value
#' one period before, without a constant. Disturbances without serial correlation
#' give r the first-order coefficient -0.5:
#' \deqn{F = ((b + 0.5) / se(b))^2 \sim F(1, N - 1)}{F = ((b + 0.5) / se(b))^2 ~ F(1,
#' N - 1)} with se(b) clustered by entity (CR1) and N the entities that have such a
#' pair. Pairs across a gap are not used. Only the equation, the rows and the panel of
#' the fit matter, not its method: pooled, fixed and random effects give one answer. Of a
#' first difference fit the constant stays in the first regression, as its drift.
#'
#' @param fit A fit on a [panel_frame()].
#' @param method `NULL` or `"differences"`.
#' @param lag 1.
#' @return A `panel_test`; `estimate` has the coefficient and its standard error,
#'   `pairs` the count of rows in the two regressions.
#' @section Errors:
#' `wavetax_error_not_a_panel` when the fit is not on a panel frame;
#' `wavetax_error_too_few_periods` when too few entities have three adjacent periods;
#' `wavetax_error_method`.
#' @references Wooldridge, J. M. *Econometric Analysis of Cross Section and Panel
#'   Data*, 10.6.3.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' # The truth of the demo world: autocorrelation 0.4.
#' test_serial(fit_fixed(log(nights) ~ levy + storms + fuel, panel))
#' @export
test_serial <- function(fit, method = NULL, lag = 1) {
  check_is_fit(fit)
  check_serial_method(method, lag)
  design <- serial_design(fit)
  check_is_panel(design$data)
  drift <- method_of(fit)$constant == "drift" && fit$design$constant
  result <- core_serial_differences(design_rows(design), used_index(design), drift)
  check_enough_pairs(result, fit)
  p <- stats::pf(result$statistic, 1, result$entities - 1, lower.tail = FALSE)
  new_panel_test(
    title = "Serial correlation of the disturbances, from differences",
    statistic = c(F = result$statistic),
    parameter = c("numerator df" = 1, "denominator df" = result$entities - 1), p_value = p,
    null = "disturbances of neighbouring periods are unrelated (coefficient -0.5)",
    alternative = "they are related",
    reading = reading_of(
      p, serial_advice(fit),
      "no sign of serial correlation from one period to the next."
    ),
    data_name = deparse_words(fit$design$formula), distribution = list(name = "F", df = c(1, result$entities - 1)),
    estimate = c("differenced residual on the one before" = result$coefficient,
                 "std. error" = result$std_error),
    notes = serial_notes(result, fit),
    extra = list(pairs = c(changes = result$changes, residual_pairs = result$pairs))
  )
}

# What to do about serial correlation depends on the errors that the fit has.
serial_advice <- function(fit) {
  entity <- fit$design$index$entity
  found <- "the disturbances are serially correlated, so "
  if (entity %in% names(fit$errors$clusters)) return(paste0(found, "keep errors clustered by ", entity, "."))
  if (is.null(fit$errors$clusters)) {
    return(sprintf("%sthe %s errors are wrong: cluster by %s, `se_clustered(~ %s)`.", found, fit$errors$label, entity,
                   entity))
  }
  sprintf("%serrors must be clustered by %s or by what holds each %s whole.", found, entity, entity)
}

# The equation in levels: of a first difference fit that from which its changes were taken.
serial_design <- function(fit) {
  check_keeps_rows(fit, "rows to test")
  if (!method_of(fit)$levels) {
    stop_wavetax("method", "A between fit has no periods, and so no serial correlation.",
                 todo = "Test a fit on the rows: `fit_pooled()`, `fit_fixed()`, `fit_random()`.")
  }
  if (is.null(fit$design$levels)) fit$design else fit$design$levels
}

check_serial_method <- function(method, lag) {
  if (!is.null(method)) check_choice(method, "differences", "method", kind = "method")
  if (!identical(lag, 1) && !identical(lag, 1L)) {
    stop_wavetax("method", "The test on differences is of neighbouring periods only.",
                 todo = "Leave `lag` at 1.")
  }
}

check_enough_pairs <- function(result, fit) {
  if (!is.na(result$statistic)) return(invisible())
  stop_wavetax(
    "too_few_periods", "Serial correlation cannot be told from these rows.",
    where = sprintf("%s, %s of their residuals one period apart.",
                    count_of(result$changes, "change"), count_of(result$pairs, "pair")),
    todo = paste("At least two entities need three adjacent periods each,",
                 "and the changes must outnumber the regressors.")
  )
}

serial_notes <- function(result, fit) {
  gaps <- if (result$across_gaps > 0) {
    sprintf("; %s across a gap not used", count_of(result$across_gaps, "change"))
  }
  c(
    paste0("From ", count_of(result$changes, "change"), " between adjacent periods and ",
           count_of(result$pairs, "pair"), " of residuals", gaps, "."),
    if (!is.null(fit$design[["weights"]])) "The fit's weights are not used in this test."
  )
}
