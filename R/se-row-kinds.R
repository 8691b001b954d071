# What there is to be taken from rows, see new_row_kind().

rows_plain <- function() new_row_kind()

rows_swept <- function() {
  new_row_kind(sweep = sweep_effects, apply = sweep_columns, leverages = swept_leverages, basis = swept_basis)
}

# Quasi-demeaned: less theta times the mean of the row's group.
rows_shrunken <- function() new_row_kind(apply = quasi_demean, mixes = mixes_effects, noise = variance_within)

# Random effects of two sets: least squares was weighed by V^-1, and where rows are wanted they are those of a root.
rows_two_way <- function() root_kind(root_of_effects, mixes = mixes_effects, noise = variance_within)

# Under the root of the inverse correlation of AR(1) disturbances, the transformed levels of entities swept out or
# shrunken.
rows_serial <- function() {
  new_row_kind(
    apply = serial_rows_of, sweep = sweep_loaded, mixes = function(fit) {
      if (method_of(fit)$effects == "random") fit$effects else list()
    }, noise = variance_within, leverages = loaded_leverages, basis = loaded_basis
  )
}

# Related across entities within periods: under the root of each entity's disturbances, then that of each period's.
rows_across <- function() {
  new_row_kind(
    walk = function(fit) {
      rows <- fit_rows(fit)
      rows["root"] <- list(NULL)
      core_column_walk(rows, root_across(fit), fit$regression, fit$transform$constant_column, has_swept_effects(fit))
    },
    apply = function(fit, columns) by_column(columns, root_across(fit)),
    residuals = function(fit, walk) core_coordinate_rows(walk)$e, noise = refuse_draws
  )
}

root_across <- function(fit) {
  root <- fit$transform$root
  apply <- fit$transform$apply
  function(v) apply(core_ar1_columns(list(as.double(v)), root)[[1]])
}

refuse_draws <- function(fit) {
  stop_not_of_fits("a simulation", fit, "Disturbances that are related across entities are not drawn.",
                   "`fit_pooled()` or `fit_fixed()` of the same equation.")
}

# Changes between adjacent periods, of two disturbances each.
rows_changes <- function() new_row_kind(apply = apply_changes, noise = half_error_variance)
