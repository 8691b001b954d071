# Serial correlation from pooled residuals: serial correlation and a component.

serial_joint <- function(fit, ask) {
  if (fit$method != "pooled") {
    stop_wrong_fit(fit, "The joint test", "a pooled fit", call_words(fit, "fit_pooled"))
  }
  sample <- residual_sample(fit)
  done <- core_serial_joint(sample$e, sample$entity, sample$clock)
  if (done$m == 0 || done$a <= done$m) stop_too_short(fit, if (done$m == 0) 1 else 2)
  each <- data.frame(
    of = c("serial correlation and component together", "serial correlation, allowing for a component",
           "component, allowing for serial correlation"),
    statistic = c(done$joint, done$serial, done$component), df = c(2, 1, NA),
    p_value = c(stats::pchisq(c(done$joint, done$serial), 2:1, lower.tail = FALSE),
                stats::pnorm(done$component, lower.tail = FALSE))
  )
  list(
    statistic = done$joint, name = "chi-squared", parameter = c(df = 2), p = each$p_value[1],
    distribution = list(name = "chi-squared", df = 2), what = "and a component, from pooled residuals",
    null = sprintf("disturbances of one %s are unrelated, whatever the %s", sample$noun, sample$moment),
    table = typed_table(each, list(typed_column("of", "", "text"), typed_column("statistic", "statistic", "number"),
                                   typed_column("df", "df", "count"), typed_column("p_value", "p", "p"))),
    verdicts = c(sprintf("disturbances of one %s are related; the table tells in which way.", sample$noun),
                 sprintf("no sign that disturbances of one %s are related.", sample$noun)),
    pairs = done$m, G = max(sample$entity), notes = left_out_note(sample),
    cautions = "It is made for small components: with a large one use `fit_random()` and `method = \"conditional\"`."
  )
}
