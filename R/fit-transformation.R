# What was taken from each row before least squares: fit$transform, a list of
#   kind                     the name of what says how, rows_<kind>() below
#   layers, constant, ones   what the core's walk takes off, see core-view.R
#   inflate                  by row what residuals are taken times in covariances, or NULL: see error_walk()
#   ...                      what the estimator alone knows
new_transformation <- function(kind = "plain", layers = list(), constant = FALSE, ones = FALSE, ...) {
  list(kind = kind, layers = layers, constant = constant, ones = ones, ...)
}

# How rows of a kind are treated; covariances, tests, draws and checks ask it and nothing else. A list of
#   walk        function(fit): the rows of the regression as covariances walk over them, see core_walk()
#   apply       function(fit, columns): a matrix of columns of level_design(), made rows of the regression as the
#               outcome was, times the root of the weights
#   sweep       function(fit): a function that takes the effects off a matrix of columns of the regression, times the
#               root of the weights
#   residuals   function(fit, walk): those of the rows that `walk` has, times the root of the weights
#   mixes       function(fit): the sets of effects whose rows a row of the regression is mixed of, which draws of
#               clusters must hold whole
#   noise       function(fit): the variance of the disturbances of level_design()
#   leverages   function(fit, spec): list(values, note) of the part of leverages that what was taken off has, see
#               core_robust_products(); NULL for none
#   basis       function(fit, walk, nested, apart): the rows in which scores are corrected, see cluster_basis()
new_row_kind <- function(walk = plain_walk, apply = times_root_weights, sweep = no_sweep,
                         residuals = times_root_residuals, mixes = mixes_nothing, noise = error_variance,
                         leverages = no_leverages, basis = coordinate_basis) {
  list(walk = walk, apply = apply, sweep = sweep, residuals = residuals, mixes = mixes, noise = noise,
       leverages = leverages, basis = basis)
}

row_kind <- function(fit) get(paste0("rows_", fit$transform$kind), mode = "function")()

no_sweep <- function(fit) identity
no_leverages <- function(fit, spec) NULL
coordinate_basis <- function(fit, walk, nested, apart) {
  c(core_coordinate_rows(walk), list(pick = diag(nrow(walk$upper))))
}
mixes_nothing <- function(fit) list()
mixes_effects <- function(fit) fit$effects
error_variance <- function(fit) fit$scale
variance_within <- function(fit) fit$variance$sigma2_e

plain_walk <- function(fit) {
  core_walk(fit_rows(fit), fit$transform, fit$regression, skip = has_swept_effects(fit))
}

times_root_weights <- function(fit, columns) {
  weights <- fit_rows(fit)$weights
  if (is.null(weights)) columns else columns * sqrt(weights)
}

times_root_residuals <- function(fit, walk) times_root_weights(fit, transformed_residuals(fit))

# Effects swept out: the levels of layers are taken off, the constant is put back.
swept_rows <- function(layers, ...) new_transformation("swept", layers, constant = TRUE, ...)

sweep_columns <- function(fit, columns) sweep_effects(fit)(times_root_weights(fit, columns))

# The system is given back with the function.
sweep_effects <- function(fit) {
  system <- fit_effect_system(fit)
  function(columns) core_swept_columns(lapply(seq_len(ncol(columns)), function(j) columns[, j]), system)
}

quasi_demean <- function(fit, columns) {
  groups <- fit$effects[[1]]$groups
  w <- row_weights(fit)
  total <- pmax(core_group_sums(w, groups$codes, groups$count), .Machine$double.xmin)
  theta <- fit$variance$theta
  by_column(columns, function(v) {
    times_root_weights(fit, v - (theta * core_group_sums(w * v, groups$codes, groups$count) / total)[groups$codes])
  })
}

# Rows times a root of the inverse covariance: root(fit) is a function of a column.
root_kind <- function(root, ...) {
  new_row_kind(
    walk = function(fit) core_column_walk(fit_rows(fit), root(fit), fit$regression),
    apply = function(fit, columns) by_column(columns, root(fit)),
    residuals = function(fit, walk) core_coordinate_rows(walk)$e, ...
  )
}

root_of_effects <- function(fit) {
  core_two_way_root(lapply(fit$effects, `[[`, "groups"), fit$variance$sigma2_e, fit$variance$sigma2)
}

# AR(1): fit$transform has the root of the rows, and tau, that of ones under it. In one layer at most, of entities.
serial_rows_of <- function(fit, columns) {
  made <- core_ar1_columns(lapply(seq_len(ncol(columns)), function(j) as.double(columns[, j])), fit$transform$root)
  layers <- fit$transform$layers
  if (length(layers) == 0) return(do.call(cbind, made))
  theta <- layers[[1]]$theta
  do.call(cbind, lapply(made, take_loaded, fit, if (is.null(theta)) 1 else theta))
}

# A column less `share` of its regression on tau in each entity.
take_loaded <- function(v, fit, share = 1) {
  groups <- fit$transform$layers[[1]]$groups
  tau <- fit$transform$tau
  level <- core_group_sums(tau * v, groups$codes, groups$count) / fit$effects[[1]]$groups$weight
  v - tau * (share * level)[groups$codes]
}

sweep_loaded <- function(fit) {
  if (!has_swept_effects(fit)) return(identity)
  function(columns) by_column(columns, function(v) take_loaded(v, fit))
}

# Draws of the disturbances of a fit's rows in levels, one function call a draw.
disturbance_draws <- function(fit, variance) {
  design <- level_design(fit)
  n <- length(design$y)
  groups <- if (is_serial(fit) || length(variance) > 1) column_groups(design, design$index$entity)
  if (length(variance) > 1) variance <- unname(variance[label_text(groups$labels)])[groups$codes]
  sd <- sqrt(variance)
  if (!is.null(design$weights)) sd <- sd / sqrt(design$weights)
  if (!is_serial(fit)) return(function() stats::rnorm(n) * sd)
  layout <- core_ar1_layout(groups$codes, used_index(design)$clock, groups$count)
  function() core_ar1_draw(stats::rnorm(n), layout, fit$serial$rho) * sd
}

apply_changes <- function(fit, columns) {
  pairs <- change_pairs(level_design(fit))
  columns[pairs$now, , drop = FALSE] - columns[pairs$before, , drop = FALSE]
}

half_error_variance <- function(fit) fit$scale / 2

by_column <- function(columns, f) matrix(apply(columns, 2, f), nrow(columns))

# The rows of a fit as they are walked over: list(view, upper, skip, n), see core_walk().
rows_walk <- function(fit) {
  check_keeps_rows(fit, "these errors")
  row_kind(fit)$walk(fit)
}

# The same for covariances: where variances were estimated from residuals and weigh them, these are taken times what
# makes up for that, see variance_factor().
error_walk <- function(fit) {
  walk <- rows_walk(fit)
  walk$view$inflate <- fit$transform$inflate
  walk
}

# Residuals of the regression's rows as they are walked over, times the root of their weights.
weighted_residuals <- function(fit, walk = rows_walk(fit)) row_kind(fit)$residuals(fit, walk)

# Residuals of the transformed regression, one a used row: computed when they are asked for, so that
# a fit does not hold them.
transformed_residuals <- function(fit) {
  if (fit$transform$kind == "across") return(weighted_residuals(fit))
  core_residuals(fit_rows(fit), fit$transform, fit$regression)
}

# Rows of a design one period apart, by the later one: see core_adjacent_rows().
change_pairs <- function(design) {
  used <- used_index(design)
  pairs <- core_adjacent_rows(used$entity, used$clock)
  rows <- order(pairs$now)
  pairs[c("now", "before")] <- list(pairs$now[rows], pairs$before[rows])
  pairs
}
