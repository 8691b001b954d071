# What AR(1) adds to a prediction: rho^d times the disturbance of the entity's last row before, d ticks earlier
# (Goldberger 1962).

# By row of new data, or of the fit's own where that is NULL; 0 where no row is before.
carried_disturbance <- function(fit, newdata) {
  design <- level_design(fit)
  groups <- column_groups(design, design$index$entity)
  own <- list(entity = groups$codes, tick = as.double(used_index(design)$clock), root = root_of_weights(fit, NULL))
  e <- level_disturbances(fit, design, groups) * own$root
  new <- if (is.null(newdata)) own_rows_ahead(fit, groups) else new_rows_ahead(fit, newdata, groups)
  # The last of the entity's rows before each.
  order <- order(own$entity, own$tick)
  least <- min(own$tick, new$tick)
  wide <- max(own$tick, new$tick) - least + 2
  key <- function(rows) rows$entity * wide + rows$tick - least
  place <- findInterval(key(new) - 0.25, key(own)[order])
  before <- order[pmax(place, 1)]
  known <- place > 0 & !is.na(new$entity) & own$entity[before] == new$entity
  known[is.na(known)] <- FALSE
  rho <- fit$serial$rho
  if (length(rho) > 1) rho <- unname(rho)[new$entity]
  apart <- new$tick - own$tick[before]
  ifelse(known, rho^apart * e[before] / new$root, 0)
}

# Outcome less x'b and effects, of all rows that the fit was made of.
level_disturbances <- function(fit, design, groups) {
  e <- design$y - linear_part(fit, design)
  if (length(fit$effects) == 0) return(e)
  set <- fit$effects[[1]]
  level <- set$level[match(as.character(groups$labels), as.character(set$groups$labels))][groups$codes]
  e - ifelse(is.na(level), 0, level)
}

own_rows_ahead <- function(fit, groups) {
  used <- used_index(fit$design)
  codes <- if (is.null(fit$design$levels)) groups$codes else groups$codes[match(fit$design$rows, kept_row_numbers(fit))]
  list(entity = codes, tick = as.double(used$clock), root = root_of_weights(fit, NULL, fit$design))
}

kept_row_numbers <- function(fit) {
  rows <- level_design(fit)$rows
  if (is.null(rows)) seq_along(level_design(fit)$y) else rows
}

new_rows_ahead <- function(fit, newdata, groups) {
  index <- level_design(fit)$index
  check_columns(c(index$entity, index$period), newdata)
  entity <- match(as.character(newdata[[index$entity]]), as.character(groups$labels))
  list(entity = entity, tick = ticks_of(plain_column(newdata[[index$period]]), index),
       root = root_of_weights(fit, newdata))
}

# Places of periods on the clock of a panel; of those that it does not have too, by the clock of both together.
ticks_of <- function(periods, index) {
  text <- function(x) if (is.factor(x)) as.character(x) else x
  known <- match(as.character(label_text(text(periods))), as.character(label_text(index$periods)))
  if (!anyNA(known)) return(as.double(index$ticks[known]))
  both <- period_clock(c(text(index$periods), text(periods)), index$order)
  first <- seq_along(index$periods)
  per <- both$step / index$step
  per * (both$clock[-first] - both$clock[first[1]]) + index$ticks[1]
}

# The roots of the weights, by row: of the fit's rows in levels, of one of its designs, or of new data.
root_of_weights <- function(fit, newdata, design = level_design(fit)) {
  weights <- fit$request$weights
  if (is.null(weights)) return(1)
  data <- if (is.null(newdata)) design$data else newdata
  variances <- fit$request$options$group_variances
  w <- if (is.null(variances)) evaluate_weights(weights, data) else weights_of_variances(variances, data)
  sqrt(if (is.null(newdata)) take_rows(w, design$rows) else w)
}

check_carries <- function(fit, plain) {
  if (!is_serial(fit)) {
    stop_argument("disturbance", "TRUE", "The fit has no AR(1), so nothing is carried over: `serial = \"ar1\"`.")
  }
  check_keeps_rows(fit, "disturbances to carry over")
  if (plain) return(invisible())
  stop_wavetax("no_interval", "Intervals of predictions that carry a disturbance over are not given.",
               todo = "`disturbance = FALSE` has them.")
}
