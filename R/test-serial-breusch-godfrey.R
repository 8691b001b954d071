# Serial correlation from an auxiliary regression of pooled residuals.

serial_breusch_godfrey <- function(fit, ask) {
  if (fit$method != "pooled") {
    stop_wrong_fit(fit, "The test of Breusch and Godfrey", "a pooled fit", call_words(fit, "fit_pooled"))
  }
  sample <- residual_sample(fit)
  check_lag_seen(sample, ask$lag, fit)
  rows <- fit_rows(fit)
  if (!identical(sample$keep, TRUE)) {
    rows <- core_rows(rows$y[sample$keep], lapply(rows$x, `[`, sample$keep), rows$constant, rows$weights[sample$keep])
  }
  done <- core_breusch_godfrey(rows, sample$e, sample$entity, sample$clock, ask$lag)
  if (done$df == 0) stop_too_short(fit, ask$lag)
  component <- component_p(fit, sample)
  list(
    statistic = done$statistic, name = "chi-squared", parameter = c(df = done$df),
    p = stats::pchisq(done$statistic, done$df, lower.tail = FALSE),
    distribution = list(name = "chi-squared", df = done$df), what = sprintf("from pooled residuals at %s",
                                                                            lags_words(ask$lag)),
    null = neighbours_null(fit), G = max(sample$entity), pairs = NULL,
    cautions = if (!is.na(component) && component < ask$level) {
      sprintf(paste("It rejects where %s differ in level, as they do here (%s):",
                    "`test_serial(fit, \"joint\")` tells the two apart."),
              plural_of(sample$noun), p_words(component))
    },
    notes = c(left_out_note(sample), sprintf("F form: %s on %s and %s df, %s.", format_number(done$f),
                                             count_words(done$df),
                                             count_words(done$f_df),
                                             p_words(stats::pf(done$f, done$df, done$f_df, lower.tail = FALSE))))
  )
}
