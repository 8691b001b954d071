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

# Changes between adjacent periods, of two disturbances each.
rows_changes <- function() new_row_kind(apply = apply_changes, noise = half_error_variance)
