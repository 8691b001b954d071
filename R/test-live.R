# The regression that tests of residuals are about: its live rows, those with h < 1, the effects and regressors on them,
# and the projection M that makes residuals of disturbances. Of random effects it is that of the fixed effects fit of
# the same sets. All that asks what a row, an effect or a residual of a fit is asks this one object: a list of
#   keep         the live rows of the fit's rows; left_out, how many are none
#   n, root      how many; the root of their weights, or NULL
#   entity, clock, noun, moment, nouns   where there is a panel
#   sets         effects as the core takes them, of the live rows
#   columns      the regressors, the constant first where no effect holds it, times `root`: n x k
#   annihilate   a function: MV of a matrix V
#   release      a function that gives back the memory of the effects' system

live_regression <- function(fit) {
  check_keeps_rows(fit, "rows to test")
  whole <- regression_part(fit, seq_len(fit$n))
  dead <- fitted_rows_of(whole, fit)
  if (length(dead) == 0) return(c(whole, list(left_out = 0L)))
  whole$release()
  c(regression_part(fit, seq_len(fit$n)[-dead]), list(left_out = length(dead)))
}

# Rows in which nothing is left of random numbers, whatever the outcome.
fitted_rows_of <- function(whole, fit) {
  known <- core_fitted_rows(whole$sets, whole$n)
  # They have no residual: looked for where more residuals are nothing than effects account for.
  if (method_of(fit)$effects != "random") {
    idle <- sum(abs(transformed_residuals(fit)) <= idle_residual(fit))
    if (idle <= length(known)) return(if (is.null(known)) integer() else known)
  }
  noise <- random_numbers(whole$n)
  left <- drop(whole$annihilate(matrix(noise, ncol = 1)))
  found <- which(abs(left) <= 1e-7 * abs(noise))
  sort(union(found, known))
}

regression_part <- function(fit, keep) {
  design <- fit$design
  all <- length(keep) == fit$n
  some <- function(v) if (all) v else v[keep]
  weights <- fit_rows(fit)$weights
  root <- if (!is.null(weights)) sqrt(some(weights))
  sets <- lapply(fit$effects, function(set) {
    groups <- set$groups
    if (!all) {
      ranked <- rank_codes(groups$codes[keep])
      groups <- core_groups(ranked$codes, ranked$count)
    }
    core_effect_set(groups, lapply(set$trends, function(name) some(trend_values(design, name))), set$intercept)
  })
  holds_constant <- any(vapply(sets, `[[`, TRUE, "intercept"))
  x <- lapply(design$x[intersect(slope_names(fit), names(design$x))], some)
  if (!holds_constant && (has_constant(fit) || length(sets) > 0)) x <- c(list(rep(1, length(keep))), x)
  columns <- vapply(x, function(v) if (is.null(root)) as.double(v) else v * root, numeric(length(keep)))
  columns <- matrix(columns, length(keep))
  system <- NULL
  swept_of <- function(V) {
    if (length(sets) == 0) return(V)
    if (is.null(system)) system <<- core_effect_system(sets, length(keep), if (!is.null(root)) root^2)
    core_swept_columns(lapply(seq_len(ncol(V)), function(j) V[, j]), system)
  }
  basis <- NULL
  annihilate <- function(V) {
    if (is.null(basis)) {
      size <- sqrt(colSums(columns^2))
      own <- columns[, size > 0, drop = FALSE] / rep(size[size > 0], each = nrow(columns))
      basis <<- if (ncol(own) > 0) core_orthonormal(swept_of(own))
      if (is.null(basis)) basis <<- matrix(0, nrow(columns), 0)
    }
    left <- swept_of(V)
    for (again in 1:2) left <- left - basis %*% crossprod(basis, left)
    left
  }
  out <- list(keep = keep, n = length(keep), root = root, sets = sets, columns = columns, annihilate = annihilate,
              release = function() if (!is.null(system)) core_release(system))
  index <- design$index
  if (is.null(index) || !is.null(design$between)) return(out)
  used <- used_index(design)
  c(out, list(entity = rank_codes(some(used$entity))$codes, clock = some(used$clock), noun = index$entity,
              moment = index$period, nouns = plural_of(index$entity)))
}

# Residuals of the live rows: M times the outcome, times the root of the weights.
live_residuals <- function(live, fit) {
  if (method_of(fit)$effects != "random") {
    e <- transformed_residuals(fit)[live$keep]
    return(if (is.null(live$root)) e else e * live$root)
  }
  y <- fit$design$y[live$keep]
  y <- y - mean(y)
  drop(live$annihilate(matrix(if (is.null(live$root)) y else y * live$root, ncol = 1)))
}

# Whether the regression holds any function of groups, however it was written: a random one leaves nothing. `times`
# makes it a slope by group.
holds_function_of <- function(live, codes, times = NULL) {
  groups <- rank_codes(codes)
  if (is.null(times) && any(vapply(live$sets, function(set) {
    set$intercept && core_is_nested(set$groups, core_groups(groups$codes, groups$count))
  }, TRUE))) return(TRUE)
  levels <- sum(core_unknowns(live$sets))
  if (ncol(live$columns) + levels < groups$count) return(FALSE)
  v <- random_numbers(groups$count)[groups$codes]
  if (!is.null(times)) v <- v * (times - mean(times))
  if (!is.null(live$root)) v <- v * live$root
  left <- live$annihilate(matrix(v, ncol = 1))
  sum(left^2) <= 1e-18 * sum(v^2)
}

# Whether effects of the periods are in it: dummies in the formula, effects, random effects.
holds_periods <- function(live) holds_function_of(live, rank_codes(live$clock - min(live$clock) + 1L)$codes)

# Sets that lie within entities, and the others; entity dummies and trends that the formula holds count as the first.
nested_parts <- function(live) {
  entities <- core_groups(live$entity, max(live$entity))
  nested <- vapply(live$sets, function(set) core_is_nested(set$groups, entities), TRUE)
  as_nested <- function(set) {
    loadings <- lapply(set$trends, as.double)
    list(codes = set$groups$codes, loadings = c(if (set$intercept) list(NULL), loadings))
  }
  own <- lapply(live$sets[nested], as_nested)
  has_level <- any(vapply(live$sets[nested], `[[`, TRUE, "intercept"))
  level <- !has_level && max(live$entity) > 1 && holds_function_of(live, live$entity)
  if (level) own <- c(own, list(list(codes = live$entity, loadings = list(NULL))))
  trend <- (has_level || level) && !any(lengths(lapply(live$sets[nested], `[[`, "trends")) > 0) &&
    holds_function_of(live, live$entity, as.double(live$clock))
  if (trend) {
    clock <- as.double(live$clock)
    own <- c(own, list(list(codes = live$entity, loadings = list(clock - mean(clock)))))
  }
  list(own = own, beside = live$sets[!nested], level = has_level || level,
       trend = trend || any(lengths(lapply(live$sets[nested], `[[`, "trends")) > 0))
}

# Dummies and trends of sets as columns, times the root of the weights.
set_columns <- function(sets, root, n) {
  of_set <- function(set) {
    loadings <- c(if (set$intercept) list(rep(1, n)), set$trends)
    do.call(cbind, lapply(loadings, function(loading) {
      out <- matrix(0, n, set$groups$count)
      out[cbind(seq_len(n), set$groups$codes)] <- if (is.null(root)) loading else loading * root
      out
    }))
  }
  do.call(cbind, lapply(sets, of_set))
}
