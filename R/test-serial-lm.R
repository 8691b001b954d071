# Serial correlation from residuals some periods apart.

serial_lm <- function(fit, ask) {
  sample <- residual_sample(fit)
  done <- core_serial_lm(sample$e, sample$entity, sample$clock, ask$lag)
  if (!is.finite(done$statistic)) stop_too_short(fit, ask$lag)
  t_result(done, sprintf("disturbances %s apart are unrelated", count_of(ask$lag, sample$moment)),
           sprintf("at lag %s, whatever the variance of each %s", count_words(ask$lag), sample$noun), fit, sample)
}
