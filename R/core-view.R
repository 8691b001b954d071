# Rows of a regression as the core walks over them: what is swept from a row, and which combination
# of its columns is wanted. A transformation says what was taken from a row before least squares:
# NULL for nothing, or a list of
#   layers     see core_layer(): the levels of [x, y] that each set of effects takes off
#   constant   whether a swept constant is put back as a column of ones
#   ones       whether the levels are of [1, x, y]: rows that are weighed by V^-1 and not transformed (effects
#              shrunken in several sets); residuals are those of V^-1, their products with the rows as they are
#   left       under a root of the rows, see core_rooted_rows(): by group what is left of the column of ones; NULL: all

# One set of effects as a layer: levels a column a group, theta by group (NULL: 1), loading by row
# (NULL: 1); and whether the levels are of the columns as they are, their centre included.
core_layer <- function(groups, levels, theta = NULL, loading = NULL, holds_centre = TRUE) {
  list(groups = groups, levels = levels, theta = theta, loading = loading, holds_centre = holds_centre)
}

# The view of the constant, where the regression has one, of the regressors, and of what else its residual is made of:
# their combination is the residual.
core_view <- function(rows, transform, solution) {
  use <- core_solution_columns(solution)
  constant <- solution$constant
  stored <- if (isTRUE(transform$ones)) 1L else 0L
  list(
    columns = c(if (constant) list(NULL), rows$columns[use]), weights = rows$weights, n = rows$n,
    layers = as.list(transform$layers), pick = c(if (constant) stored, stored + use),
    shift = if (isTRUE(transform$constant)) c(1, numeric(length(use))),
    centre = c(if (constant) 0, solution$centre[use]), combination = c(if (constant) 0, solution$residual[use]),
    offsets = list(), root = rows$root, ones = transform$left
  )
}

# Rows that are read under a root of the inverse correlation of their disturbances, see core_ar1_root(), which holds
# their weights.
core_rooted_rows <- function(rows, root) {
  rows$root <- root
  rows["weights"] <- list(NULL)
  rows$n <- root$n
  rows
}

# The regressors first.
core_solution_columns <- function(solution) union(solution$regressors, which(solution$residual != 0))

# The same with the levels combined before they are taken off, from the residual alone: the columns
# are as they are.
core_unswept_view <- function(rows, transform, solution) {
  view <- core_view(rows, transform, solution)
  ones <- if (isTRUE(transform$ones)) 1L else 0L
  combination <- c(if (ones > 0) 0, solution$residual)
  centre <- c(if (ones > 0) 0, solution$centre)
  view$offsets <- lapply(view$layers, function(layer) {
    combined <- core_combined_levels(layer$levels, combination, layer$holds_centre * centre, ones)
    core_layer(layer$groups, matrix(combined, 1), layer$theta, layer$loading, holds_centre = FALSE)
  })
  view$layers <- list()
  view["shift"] <- list(NULL)
  view
}

# Residuals of the transformed regression.
core_residuals <- function(rows, transform, solution, threads = core_threads(rows$n)) {
  cpp_combination(core_unswept_view(rows, transform, solution), threads)
}

# By group, sum over columns of combination (level - centre); `ones` is the place of the levels of the
# column of ones, 0 for none.
core_combined_levels <- function(levels, combination, centre, ones = 0L) {
  cpp_combined_levels(levels, combination, centre, ones, core_threads(ncol(levels)))
}

# The regressors after the sweep, the constant first where the regression has one.
core_swept <- function(rows, transform, solution, threads = core_threads(rows$n)) {
  view <- core_view(rows, transform, solution)
  own <- seq_len(solution$constant + length(solution$regressors))
  for (part in c("columns", "pick", "centre")) view[[part]] <- view[[part]][own]
  view$centre[] <- 0
  view["shift"] <- view["combination"] <- list(NULL)
  cpp_swept(view, threads)
}

# x'b and y without a sweep, less their centre.
core_fitted_view <- function(rows, slopes, centre) {
  list(
    columns = rows$columns, weights = rows$weights, n = rows$n, layers = list(), pick = seq_len(rows$k + 1L),
    shift = NULL, centre = centre, combination = c(slopes, 0), offsets = list()
  )
}
