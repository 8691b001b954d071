# Several sets of effects. A set is a list of
#   groups      core_groups() of the rows
#   trends      a list of numeric vectors, by row: the slopes that each group has
#   intercept   whether each group has a level of its own
# The set with the most levels is eliminated first.

core_effect_set <- function(groups, trends = list(), intercept = TRUE) {
  list(groups = groups, trends = trends, intercept = intercept)
}

core_counts <- function(sets) vapply(sets, function(set) as.double(set$groups$count), 0)

# Whether sets have levels and no trends.
core_only_levels <- function(sets) {
  all(vapply(sets, function(set) set$intercept && length(set$trends) == 0, TRUE))
}

# The loadings of a set, orthogonal within each group: ones where it has levels, then each
# trend less its regression on those before it. What is left of a trend that rounding made
# counts as nothing.
core_loadings <- function(set, weights) {
  codes <- set$groups$codes
  sums <- function(v) cpp_group_sums(if (is.null(weights)) v else weights * v, codes, set$groups$count)
  loadings <- list()
  for (trend in set$trends) {
    left <- as.double(trend)
    if (set$intercept) left <- left - (sums(left) / sums(rep(1, length(left))))[codes]
    if (set$intercept) left <- left - (sums(left) / sums(rep(1, length(left))))[codes]
    for (before in loadings) {
      share <- sums(before * left) / sums(before^2)
      share[!is.finite(share)] <- 0
      left <- left - share[codes] * before
    }
    gram <- sums(left^2)
    nothing <- gram <= 1e-18 * sums(as.double(trend)^2)
    if (any(nothing)) left[nothing[codes]] <- 0
    loadings <- c(loadings, list(left))
  }
  if (set$intercept) c(list(NULL), loadings) else loadings
}

# Means of [x, y] by group: list(means, weight, n).
core_group_means <- function(rows, groups, threads = core_threads(rows$n)) {
  state <- cpp_group_means(rows$columns, rows$weights, groups, rows$n, threads)
  state$n <- rows$n
  state
}

core_unknowns <- function(sets) {
  vapply(sets, function(set) as.double(set$groups$count) * (set$intercept + length(set$trends)), 0)
}

# Order of elimination: most unknowns first.
core_elimination_order <- function(sets) {
  order(-core_unknowns(sets))
}

core_weighted_means <- function(columns, weights, threads = core_threads(length(columns[[1]]))) {
  total <- if (is.null(weights)) length(columns[[1]]) else sum(weights)
  cpp_weighted_sums(columns, weights, length(columns[[1]]), threads) / total
}

# Limits of the iteration: see `SolverOptions`.
core_solver_options <- list(tolerance = 1e-10, max_iterations = 5000, dense_limit = 2048)

# The sets as one system, which sweeps any columns: a list of
#   pointer    to the compiled system, for cpp_effect_*()
#   sets       and one more for all rows where none of them has levels
#   order      in which they are eliminated; `loadings` of each set
#   dense, counted, rank, first_rank, unknowns   see core_effects_rank()
# `columns` is how many are likely to be swept together.
core_effect_system <- function(sets, n, weights = NULL, columns = 4, options = core_solver_options,
                               threads = core_threads(n)) {
  if (!any(vapply(sets, `[[`, TRUE, "intercept"))) {
    sets <- c(sets, list(core_effect_set(core_groups(rep(1L, n), 1L))))
  }
  order <- core_elimination_order(sets)
  loadings <- lapply(sets, core_loadings, weights)
  pointer <- cpp_effect_system(
    lapply(order, function(s) list(groups = sets[[s]]$groups, loadings = loadings[[s]], ridge = 0)),
    weights, n, columns, options$tolerance, options$max_iterations, options$dense_limit, threads
  )
  c(list(pointer = pointer, sets = sets, order = order, loadings = loadings, weights = weights, n = n),
    cpp_effect_facts(pointer))
}

# Gives back the memory of a system when its last columns were swept.
core_release <- function(system) cpp_effect_release(system$pointer)

# The system under other weights of the rows, in place: the one given is not to be used again. Sets with trends are
# made anew instead.
core_reweight <- function(system, weights) {
  cpp_effect_reweight(system$pointer, weights, system$n)
  facts <- cpp_effect_facts(system$pointer)
  system[names(facts)] <- facts
  system$weights <- weights
  system
}

# Sweeps the system's effects out of [x, y], under the system's weights. `layers` are those of a transformation, in
# the order of elimination, each with the place of its set and of the trend it belongs to (0: levels).
# `again` keeps what was summed for effects of the same groups that are shrunken.
core_sweep <- function(rows, system, centre = core_weighted_means(rows$columns, system$weights), again = FALSE,
                       threads = core_threads(rows$n)) {
  sums <- cpp_effect_sums(system$pointer, rows$columns, rows$n, centre, threads)
  swept <- cpp_effect_sweep(system$pointer, sums$pointer, rows$columns, rows$n, FALSE, again, threads)
  of_set <- rep(system$order, lengths(system$loadings)[system$order])
  trend_of <- vapply(seq_along(of_set), function(l) {
    sum(of_set[seq_len(l)] == of_set[l]) - system$sets[[of_set[l]]]$intercept
  }, 0)
  # The first layer of levels, in the order of elimination, holds the centre.
  centred <- which(trend_of == 0)[1]
  layers <- lapply(seq_along(of_set), function(l) {
    set <- system$sets[[of_set[l]]]
    loading <- system$loadings[[of_set[l]]][[trend_of[l] + set$intercept]]
    c(core_layer(set$groups, swept$levels[[l]], loading = loading, holds_centre = l == centred),
      list(set = of_set[l], trend = trend_of[l]))
  })
  sizes <- lapply(system$sets, function(set) core_group_weights(set$groups, system$weights))
  c(swept[c("within", "converged", "iterations", "achieved", "shared")], sums[c("squares", "means")],
    list(layers = layers, centre = centre, system = system, sums = sums$pointer, sizes = sizes, n = rows$n,
         weight = if (is.null(system$weights)) rows$n else sum(system$weights)))
}

core_absorb <- function(rows, sets, options = core_solver_options, threads = core_threads(rows$n)) {
  core_sweep(rows, core_effect_system(sets, rows$n, rows$weights, rows$k + 1, options, threads))
}

# Dimension of the effects: list(count, exact). Of levels it is counted from their graph, whatever
# the weights and the solver; with trends it is the rank of the reduced system where that was
# solved densely, of unweighted rows; otherwise an upper bound.
core_effects_rank <- function(system, budget = 2e9) {
  sets <- system$sets
  exact <- function(system) list(count = system$first_rank + system$rank, exact = TRUE)
  if (system$counted) return(exact(system))
  if (core_only_levels(sets)) return(core_levels_dimension(sets, budget))
  if (system$dense) {
    return(exact(if (is.null(system$weights)) system else core_effect_system(sets, system$n)))
  }
  counts <- core_counts(sets)
  loadings <- vapply(sets, function(set) set$intercept + length(set$trends), numeric(1))
  others <- system$order[-1]
  bound <- system$first_rank + sum(counts[others] * loadings[others]) -
    sum(vapply(sets[others], `[[`, TRUE, "intercept"))
  list(count = bound, exact = FALSE)
}

# Of two sets from the connected components of their graph; of more from differences within the
# groups of the largest where the others are small, else from equations along cycles; where that
# takes too long, an upper bound.
core_levels_dimension <- function(sets, budget) {
  counts <- core_counts(sets)
  if (length(sets) == 1) return(list(count = counts, exact = TRUE))
  by_size <- order(-counts)
  codes <- lapply(sets[by_size], function(set) set$groups$codes)
  counts <- as.integer(counts[by_size])
  if (length(sets) > 2 && sum(counts[-1]) <= core_solver_options$dense_limit) {
    further <- cpp_further_rank(codes, counts, budget, TRUE)
    if (further >= 0) return(list(count = counts[1] + further, exact = TRUE))
  }
  pair <- core_levels_rank(sets[by_size[1:2]])
  if (length(sets) == 2) return(list(count = pair, exact = TRUE))
  further <- cpp_further_rank(codes, counts, budget, FALSE)
  if (further >= 0) return(list(count = pair + further, exact = TRUE))
  list(count = pair + sum(counts[-(1:2)] - 1), exact = FALSE)
}

core_solve_absorbed <- function(state) {
  solution <- core_solve_swept(state)
  solution$levels <- core_effect_levels(state, solution$residual)
  solution$inverse <- core_small_inverse(state$system)
  solution
}

# The regression alone, without the effects' levels.
core_solve_swept <- function(state) {
  p <- ncol(state$within)
  own_norms <- sqrt(state$squares + state$weight * state$centre^2)
  dimension <- core_effects_rank(state$system)
  solution <- core_finish_fixed(
    state$within, own_norms, state$centre, state$weight, state$n, dimension$count, state$squares[p]
  )
  solution$exact <- dimension$exact
  solution[c("converged", "iterations", "achieved")] <- state[c("converged", "iterations", "achieved")]
  solution
}

# The inverse of the reduced system where it is small: what the errors of effects need.
core_kept_inverse <- 512

core_small_inverse <- function(system) {
  if (system$dense && system$unknowns > 0 && system$unknowns <= core_kept_inverse) cpp_effect_inverse(system$pointer)
}

# By set the effect of each group, as a deviation from the constant: its levels (NULL where
# it has none) and, as `slopes`, those of its trends. Every set beyond the first
# averages zero over the rows of each connected component of its graph with the first.
core_effect_levels <- function(state, residual) {
  sets <- state$system$sets
  part <- lapply(state$layers, function(layer) {
    core_combined_levels(layer$levels, residual, layer$holds_centre * state$centre)
  })
  set_of <- vapply(state$layers, `[[`, 0, "set")
  trend_of <- vapply(state$layers, `[[`, 0, "trend")
  levels <- lapply(seq_along(sets), function(s) {
    own <- part[set_of == s & trend_of == 0]
    list(level = if (length(own) > 0) own[[1]], slopes = part[set_of == s & trend_of > 0])
  })
  base <- which(vapply(sets, `[[`, TRUE, "intercept"))[1]
  others <- setdiff(which(vapply(levels, function(one) !is.null(one$level), TRUE)), base)
  connected <- length(sets) == 2 && length(others) == 1 && state$system$dense &&
    state$system$first_rank + state$system$rank == sum(core_counts(sets)) - 1
  for (s in others) {
    graph <- core_graph(sets[[base]]$groups, sets[[s]]$groups, connected)
    levels[[s]]$connected <- graph$count
    size <- state$sizes[[s]]
    mean <- cpp_group_sums(size * levels[[s]]$level, graph$second, graph$count) /
      cpp_group_sums(size, graph$second, graph$count)
    levels[[s]]$level <- levels[[s]]$level - mean[graph$second]
    levels[[base]]$level <- levels[[base]]$level + mean[graph$first]
  }
  levels
}

# Connected components of the graph of two sets' levels.
core_graph <- function(a, b, connected = FALSE) {
  if (connected) return(list(count = 1L, first = rep(1L, a$count), second = rep(1L, b$count)))
  cpp_components(a$codes, b$codes, a$count, b$count)
}

# Sum of the weights of each group; without weights its rows.
core_group_weights <- function(groups, weights) {
  if (is.null(weights)) return(as.double(groups$sizes))
  cpp_group_sums(weights, groups$codes, groups$count)
}

# R-squared by the first set's groups from what the sweep has: the means of the groups, and z'Qz of
# which the others' share is known. The squared correlations of x'b with y within and between groups
# and overall, and `within_y`: the sum of squares of y less its means. NULL where that set has trends.
core_swept_r_squared <- function(state, b) {
  if (is.null(state$means) || is.null(state$shared)) return(NULL)
  sizes <- state$sizes[[state$system$order[1]]]
  both <- cbind(c(b, 0), c(numeric(length(b)), 1))
  left <- crossprod(state$within) + state$shared
  moments <- cpp_mean_moments(state$means, sizes, c(b, 0), state$centre)
  symmetric <- function(m) matrix(m[c(1, 2, 2, 3)], 2)
  within <- crossprod(both, left %*% both)
  overall <- within + symmetric(moments[1:3])
  groups <- sum(sizes > 0)
  once <- symmetric(moments[6:8]) - tcrossprod(moments[4:5]) / groups
  once[diag(once) <= 1e-13 * moments[c(6, 8)], ] <- 0
  # What x'b and y are made of, for telling variation from rounding.
  raw <- sqrt(state$squares + state$weight * state$centre^2)
  from <- c(sum(abs(b) * raw[-length(raw)]), raw[length(raw)])
  correlation <- function(m, from) {
    size <- sqrt(pmax(diag(m), 0))
    if (any(size <= rounding_share * from)) return(NA_real_)
    min(1, (m[1, 2] / size[1] / size[2])^2)
  }
  list(within = correlation(within, from), between = correlation(once, from / sqrt(max(sizes))),
       overall = correlation(overall, from), within_y = left[nrow(left), ncol(left)])
}

# Squared correlations of x'b with y: within and between the groups, and overall, from the sums of
# both by group; `within_y` is the sum of squares of y less the groups' means, `within_left` that of y - x'b,
# `within_raw` that of y about its centre.
core_r_squared <- function(rows, b, groups, centre = NULL, threads = core_threads(rows$n)) {
  if (is.null(centre)) centre <- core_weighted_means(rows$columns, rows$weights)
  moments <- cpp_fitted_moments(core_fitted_view(rows, b, centre), groups, threads)
  sums <- cpp_moment_sums(moments$groups)
  symmetric <- function(v) matrix(v[c(1, 2, 2, 3)], 2)
  all <- moments$products
  # Of the rows less their groups' means, and of the groups counted once.
  within <- all - symmetric(sums[1:3])
  once <- symmetric(sums[6:8]) - tcrossprod(sums[4:5]) / sums[9]
  correlation <- function(m, from) {
    spread <- pmax(diag(m), 0)
    if (any(spread <= rounding_share * from)) return(NA_real_)
    min(1, (m[1, 2] / sqrt(spread[1]) / sqrt(spread[2]))^2)
  }
  list(within = correlation(within, diag(all)), between = correlation(once, diag(all) / rows$n),
       overall = correlation(all, diag(all) * rounding_share), within_y = within[2, 2],
       within_left = within[1, 1] - 2 * within[1, 2] + within[2, 2], within_raw = all[2, 2])
}

# Rank of the dummies of some sets, the constant among them; an upper bound where they are
# three or more, or have trends.
core_levels_rank <- function(sets) {
  unknowns <- core_unknowns(sets)
  if (length(sets) == 2 && core_only_levels(sets)) {
    return(sum(unknowns) - core_graph(sets[[1]]$groups, sets[[2]]$groups)$count)
  }
  sum(unknowns) - (length(sets) - 1)
}
