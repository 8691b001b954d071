# Serial correlation from random effects, given their component.

serial_conditional <- function(fit, ask) {
  one_way <- method_of(fit)$effects == "random" && length(fit$effects) == 1
  if (!one_way) {
    if (method_of(fit)$effects == "random") {
      stop_test(c("more_effects", "method"),
                "The conditional test is of one set of random effects, and the fit has two.",
                todo = "Use `method = \"corrected\"`.")
    }
    stop_wrong_fit(fit, "The conditional test", "a random effects fit", call_words(fit, "fit_random"))
  }
  if (!is.null(fit$design$weights)) {
    stop_test(c("takes_no_weights", "method"),
              "The conditional test takes no weights.", todo = "Use `method = \"corrected\"`.")
  }
  sample <- panel_sample(fit)
  if (!identical(fit$effects[[1]]$columns, sample$noun)) {
    stop_test(c("other_effects", "method"),
              sprintf("The fit's random effects are of %s, not of %s.", fit$effects[[1]]$name, sample$noun),
              todo = "Use `method = \"corrected\"`.")
  }
  check_some_residual(fit)
  check_lag_seen(sample, ask$lag, fit)
  done <- core_serial_conditional(fit$design$y - linear_part(fit), sample$entity, sample$clock, fit$variance$sigma2_e,
                                  fit$variance$sigma2[[1]], ask$lag)
  if (!is.finite(done$statistic)) stop_too_short(fit, ask$lag)
  list(
    statistic = done$statistic, name = "chi-squared", parameter = c(df = ask$lag),
    p = stats::pchisq(done$statistic, ask$lag, lower.tail = FALSE),
    distribution = list(name = "chi-squared", df = ask$lag), null = neighbours_null(fit),
    what = sprintf("given the component of %s, at %s", sample$nouns, lags_words(ask$lag)), pairs = done$pairs[1],
    G = max(sample$entity)
  )
}
