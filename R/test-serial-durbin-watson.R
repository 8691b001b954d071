# Serial correlation from Durbin and Watson's d, with p from draws.

serial_durbin_watson <- function(fit, ask) {
  sample <- residual_sample(fit)
  pairs <- core_lag_pairs(sample$entity, sample$clock)
  if (length(pairs$now) == 0) stop_too_short(fit, 1)
  size <- tabulate(sample$entity)
  even <- length(unique(size)) == 1 && length(pairs$now) == length(sample$e) - length(size)
  keep <- sample$keep
  list(
    statistic = core_durbin_watson(sample$e, pairs, even), name = "d", parameter = NULL, p = NA_real_,
    distribution = list(name = "drawn", df = numeric()), what = "by Durbin and Watson's d",
    null = neighbours_null(fit),
    drawn = function(e) core_durbin_watson(kept_rows(e, keep), pairs, even),
    pairs = length(pairs$now), G = length(size),
    notes = c(left_out_note(sample),
              if (!even) "The panel has gaps or uneven lengths: d is 2 - 2 sum ee(-1) / sum e^2.")
  )
}
