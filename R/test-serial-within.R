# Serial correlation from residuals within entities.

serial_within <- function(fit, ask) {
  sample <- residual_sample(fit)
  done <- core_serial_within(sample$e, sample$entity, sample$clock)
  if (!is.finite(done$statistic)) stop_too_short(fit, 1)
  t_result(done, neighbours_null(fit), sprintf("from residuals within %s", sample$nouns), fit, sample)
}
