# p values from draws: normal disturbances through the same equation on the same rows.

# What every test is asked: the level it is read at, and how many draws p is taken from, NULL for its distribution.
ask <- function(level, draws, seed) {
  check_test_level(level)
  if (!is.null(draws)) check_number(draws, "draws", low = 19, high = 1e7, whole = TRUE)
  check_seed(seed)
  list(level = level, draws = draws, seed = seed)
}

# A result with p from draws in place of its own. `again(outcome)` gives the statistic of one drawn outcome of `fit`,
# the model of the null with coefficients `estimates`. `far` says how far out a statistic is.
with_draws <- function(result, fit, again, asked, far = identity, estimates = kept_estimates(fit)) {
  if (is.null(asked$draws)) return(result)
  check_without_instruments(fit, "A simulated p", "Leave `draws` out, or use `with_errors(fit, se_bootstrap())`.")
  draw <- outcome_draws(fit, estimates)
  at <- along_with_progress(seq_len(asked$draws), "Drawing disturbances")
  values <- with_own_seed(asked$seed, vapply(at, function(d) {
    tryCatch(suppressWarnings(unname(again(draw()))), wavetax_error = function(cnd) NA_real_)
  }, 0))
  simulated_result(result, values, far)
}

# The same of statistics that were drawn already.
simulated_result <- function(result, values, far = identity, own = far(unname(result$statistic))) {
  told <- values[is.finite(values)]
  if (length(told) < length(values) / 2) {
    stop_test("draws", sprintf("The statistic could be computed in %s of %s only.", count_words(length(told)),
                               count_of(length(values), "draw")))
  }
  p <- (1 + sum(far(told) >= own * (1 - 1e-9))) / (length(told) + 1)
  asymptotic <- result$p.value
  result$p.value <- p
  result$simulated <- list(p = p, draws = length(told), error = sqrt(p * (1 - p) / length(told)), mean = mean(told),
                           asymptotic = asymptotic)
  result$reading <- reading_of(p, result$verdicts, result$level)
  result$notes <- c(result$notes, sprintf(
    "p from %s of normal disturbances through the same regression, known to about %s either way%s.",
    count_of(length(told), "draw"), fixed_decimals(1.96 * result$simulated$error, 3),
    if (is.na(asymptotic)) "" else sprintf("; by its limiting distribution %s", p_words(asymptotic))
  ))
  result
}

# A function that draws an outcome of the model: its fitted part, effects that are random, and normal disturbances.
outcome_draws <- function(fit, estimates = kept_estimates(fit)) {
  check_keeps_rows(fit, "rows to draw for")
  design <- level_design(fit)
  mean <- linear_part(fit, design, estimates)
  noise <- disturbance_draws(fit, row_kind(fit)$noise(fit))
  sets <- if (method_of(fit)$effects == "random") fit$effects
  function() {
    y <- mean + noise()
    for (s in seq_along(sets)) {
      groups <- sets[[s]]$groups
      y <- y + stats::rnorm(groups$count, sd = sqrt(fit$variance$sigma2[[s]]))[groups$codes]
    }
    y
  }
}

# The same fit of another outcome on the same rows, perhaps by another method.
refit <- function(fit, y, method = fit$method, effects = fit$request$effects) {
  design <- level_design(fit)
  request <- request_again(fit)
  data <- design$data
  if (!is.null(design$offset)) y <- y + design$offset
  whole <- rep(NA_real_, nrow(data))
  if (is.null(design$rows)) whole <- y else whole[design$rows] <- y
  data[[drawn_outcome]] <- whole
  request$data <- data
  request$formula <- fit$design$formula
  rlang::f_lhs(request$formula) <- as.name(drawn_outcome)
  request["errors"] <- list(fit$errors$spec)
  request$keep <- "rows"
  request$method <- method
  request["effects"] <- list(effects)
  run_fit(request)
}

# Residuals of drawn disturbances through the fit's regression, as it is swept or transformed: a function of how many
# that gives n x so many, of the rows times the root of their weight.
residual_draws <- function(fit, walk = rows_walk(fit)) {
  z <- core_coordinate_rows(walk, walk$skip)$z
  sweep <- row_kind(fit)$sweep(fit)
  function(count) {
    rest <- sweep(matrix(stats::rnorm(fit$n * count), fit$n))
    rest - z %*% crossprod(z, rest)
  }
}

# A statistic of residuals over draws, some at a time.
drawn_statistics <- function(fit, statistic, asked, walk = rows_walk(fit)) {
  draw <- residual_draws(fit, walk)
  size <- max(1, min(asked$draws, floor(2e6 / fit$n)))
  first <- seq(1, asked$draws, by = size)
  with_own_seed(asked$seed, unlist(lapply(along_with_progress(first, "Drawing disturbances"), function(b) {
    rest <- draw(min(size, asked$draws - first[b] + 1))
    apply(rest, 2, statistic)
  })))
}
