# What the methods for serial correlation share: hypotheses, cautions, and what cannot be told.

neighbours_null <- function(fit) {
  sprintf("disturbances of neighbouring %s are unrelated", plural_of(fit$design$index$period))
}

lags_words <- function(lag) if (lag == 1) "1 lag" else sprintf("lags 1 to %s", count_words(lag))

t_result <- function(done, null, what, fit, sample) {
  list(statistic = done$statistic, name = "t", parameter = c(df = done$G - 1),
       p = 2 * stats::pt(-abs(done$statistic), done$G - 1), distribution = list(name = "t",
                                                                                df = done$G - 1), null = null,
       what = what, pairs = done$pairs, G = done$G, notes = left_out_note(sample),
       cautions = if (done$G < 20) few_entities_words(fit, done$G))
}

few_entities_words <- function(fit, G) {
  sprintf("With %s that tell, p is rough: `draws = 999` takes it from draws.", count_of(G, fit$design$index$entity))
}

check_serial_told <- function(done, pairs, fit) {
  if (is.finite(done$statistic)) return(invisible())
  stop_wavetax(
    "too_few_periods", "Serial correlation cannot be told from these rows.",
    where = sprintf("%s, %s of their residuals one period apart.", count_of(pairs$changes, "change"),
                    count_of(length(pairs$now), "pair")),
    todo = "At least two entities need three adjacent periods each, and the changes must outnumber the regressors."
  )
}

stop_too_short <- function(fit, lag, told = NULL, fewest = 2) {
  index <- fit$design$index
  stop_wavetax("too_few_periods", sprintf("Too few %s are seen %s apart.", plural_of(index$entity),
                                          count_of(lag, index$period)),
               where = if (!is.null(told)) sprintf("%s tell something of it, and %s are needed.",
                                                   upper_first(count_of(told, index$entity)), count_words(fewest)),
               todo = "Use a smaller lag, or a panel with more periods.")
}

check_lag_seen <- function(sample, lag, fit) {
  longest <- max(tabulate(sample$entity))
  if (lag <= longest - 1) {
    pairs <- core_lag_pairs(sample$entity, sample$clock, lag)
    if (length(pairs$now) > 0) return(invisible())
  }
  stop_too_short(fit, lag)
}

# Whether an entity component is there: its one-sided p by the normal, NA where it cannot be told.
component_p <- function(fit, sample = residual_sample(fit)) {
  tryCatch({
    one <- core_component(sample$e, sample$entity, max(sample$entity))
    stats::pnorm(one$HO, lower.tail = FALSE)
  }, wavetax_error = function(cnd) NA_real_)
}
