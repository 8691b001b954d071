# Serial correlation from first differences' residuals and those before.

serial_differences <- function(fit, ask) {
  pairs <- ask$changes
  done <- core_serial_differences(pairs, ask$form == "regression")
  check_serial_told(done, pairs, fit)
  list(
    statistic = done$statistic^2, name = "F", parameter = c("numerator df" = 1, "denominator df" = done$G - 1),
    p = stats::pf(done$statistic^2, 1, done$G - 1, lower.tail = FALSE),
    distribution = list(name = "F", df = c(1, done$G - 1)),
    null = paste(neighbours_null(fit), "(slope -0.5)"), what = "from differences",
    estimate = c("slope of a differenced residual on the one before (-0.5 under the null)" = done$slope,
                 if (!is.null(done$std_error)) c("its std. error" = done$std_error)),
    cautions = c(if (done$G < few_entities) few_entities_words(fit, done$G),
                 if (ask$form == "regression") {
                   better <- core_serial_differences(pairs)
                   sprintf("This form rejects a true null in 6 to 8 percent of cases; by `form = \"mean\"`: %s.",
                           p_words(stats::pf(better$statistic^2, 1, better$G - 1, lower.tail = FALSE)))
                 }),
    pairs = done$pairs, G = done$G, for_comparison = ask$form == "regression",
    notes = if (!is.null(fit$design$weights)) "The fit's weights are not used in this test."
  )
}

# Residuals of the equation in changes, and their pairs. Effects that follow the periods are swept from the changes.
serial_changes <- function(fit) {
  design <- level_design(fit)
  used <- used_index(design)
  drift <- method_of(fit)$constant == "drift" && fit$design$constant
  sweep <- lapply(Filter(function(set) fit$design$index$period %in% set$columns, fit$effects), `[[`, "groups")
  rows <- design_rows(design)
  rows$weights <- NULL
  changes <- core_change_residuals(rows, used$entity, used$clock, drift, sweep)
  pairs <- core_change_pairs(changes, used$entity, used$clock)
  told <- length(pairs$now) > 0
  c(pairs, list(changes = changes$changes, across_gaps = changes$pairs$across_gaps, r = changes$r,
                rho = if (told) 1 + 2 * sum(pairs$before * pairs$now) / sum(pairs$before^2) else NA_real_))
}
