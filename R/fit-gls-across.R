# Generalised least squares of entities that are related within a period.

# The regression of rows under the root of each period's covariance, which residuals `left` give.
gls_across <- function(made, left, swept, design, options, serial) {
  used <- rank_codes(made$groups$codes)
  kept <- made$design
  # Entities in the order of their labels.
  labels <- made$groups$labels[which(made$groups$sizes > 0)]
  place <- order(order(labels, method = "radix"))
  entity <- place[used$codes]
  clock <- used_index(kept)$clock
  own <- length(serial$rho) > 1
  ticks <- if (own) ticks_since_before(clock)
  blocks <- core_period_blocks(entity, rank_codes(clock - min(clock) + 1L)$codes, used$count, ticks)
  common <- core_common_periods(blocks)
  check_common(common, labels[order(place)], options, design$index)
  check_no_zero_variance(core_group_sums(left^2, entity, used$count), labels[order(place)], design$index$entity)
  found <- core_likeliest_covariance(left, blocks)
  check_covariance(found, blocks, design$index)
  rho <- if (own) serial$rho[which(made$groups$sizes > 0)][order(place)]
  by <- core_block_root(blocks, found$sigma, if (own) function(d) core_own_rho_factor(rho, d))
  rows <- design_rows(design)
  centre <- core_weighted_means(rows$columns, NULL)
  columns <- core_ar1_columns(Map(`-`, rows$columns, centre), made$root)
  tau <- made$state$loading
  done <- core_block_regression(columns, tau, entity, blocks, by, centre, design$constant,
                                if (swept) as.double(tabulate(entity, used$count)))
  solution <- done$solution
  if (swept) solution$levels[[1]]$level <- spread_levels(solution$levels[[1]]$level, place, made$groups)
  solution$log_jacobian <- made$state$log_keep + by$log_keep
  common_mean <- core_mean_common(common)
  factor <- if (options$adjust) common_mean / (common_mean - used$count - 1)
  N <- used$count
  names <- label_text(labels[order(place)])
  list(
    design = kept, groups = made$groups, solution = solution, covariance = name_both(found$sigma, names),
    transform = new_transformation("across", root = made$root, tau = tau, apply = done$apply, ones = FALSE,
                                   constant_column = done$ones),
    adjustment = list(whole = factor, variances = N, covariances = N * (N - 1) / 2, rows = made$root$n,
                      of = design$index$entity, periods = common_mean, entities = N)
  )
}

# Levels by the entities' codes, from those in the order of labels.
spread_levels <- function(level, place, groups) {
  out <- rep(NA_real_, groups$count)
  out[which(groups$sizes > 0)] <- level[place]
  out
}

# Ticks from the period before, by row; 0 in the first.
ticks_since_before <- function(clock) {
  ticks <- sort(unique(clock))
  c(0L, diff(ticks))[match(clock, ticks)]
}

check_common <- function(common, labels, options, index) {
  N <- nrow(common)
  apart <- which(common == 0 & upper.tri(common), arr.ind = TRUE)
  refuse <- function(found, where = NULL) {
    stop_wavetax("across", found, where = where,
                 todo = sprintf("Use `fit_fixed()` or `fit_pooled()` with `se_panel_corrected()`, or fewer %s.",
                                plural_of(index$entity)))
  }
  if (nrow(apart) > 0) {
    refuse(sprintf("%s of %s never have %s in common, so nothing tells their covariance.",
                   count_of(nrow(apart), "pair"), plural_of(index$entity), one_of_a(index$period)),
           sprintf("For example %s and %s.", label_text(labels[apart[1, 1]]), label_text(labels[apart[1, 2]])))
  }
  mean <- core_mean_common(common)
  if (mean <= N + 1) {
    refuse(sprintf("%s have %s %s in common on average, and the covariance of %s needs more than %s.",
                   upper_first(plural_of(index$entity)), format_number(mean, 3), plural_of(index$period),
                   count_of(N, index$entity), count_words(N + 1)))
  }
  if (options$iterate && mean < 2 * N) {
    refuse(sprintf("Iterated, a covariance of %s needs %s in common on average, and there are %s.",
                   count_of(N, index$entity), count_of(2 * N, index$period), format_number(mean, 3)))
  }
}

check_covariance <- function(found, blocks, index) {
  entity <- plural_of(index$entity)
  whole <- sum(vapply(blocks$patterns, function(p) if (length(p$seen) == blocks$N) ncol(p$at) else 0L, 0L))
  if (found$least >= no_inverse && found$settled) return(invisible())
  if (whole < blocks$N) {
    stop_wavetax(
      "across", sprintf("The covariance of %s has no likeliest value here: it goes towards one without an inverse.",
                        count_of(blocks$N, index$entity)),
      where = sprintf("%s of %s have all %s; with as many as there are %s there is always one.", count_words(whole),
                      count_of(blocks$P, index$period), entity, entity),
      todo = sprintf("Use `fit_fixed()` or `fit_pooled()` with `se_panel_corrected()`, or fewer %s.", entity)
    )
  }
  if (found$least < no_inverse) {
    stop_wavetax("across", sprintf("Some %s move as one: their covariance cannot be inverted.", entity),
                 todo = "Leave one of them out with `rows =`; or `se_panel_corrected()`.")
  }
  stop_wavetax(c("across", "no_convergence"), sprintf("The covariance of %s did not settle.", entity),
               todo = "Use `se_panel_corrected()`, or fewer of them.")
}
