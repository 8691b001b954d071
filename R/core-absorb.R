# Several sets of effects. A set is a list of
#   codes, count   the group of each row
#   trends         a list of numeric vectors, by row: the slopes that each group has
#   intercept      whether each group has a level of its own
# The set with the most levels is eliminated first.

core_effect_set <- function(codes, count = max(codes), trends = list(), intercept = TRUE) {
  list(codes = codes, count = count, trends = trends, intercept = intercept)
}

# Whether sets have levels and no trends.
core_only_levels <- function(sets) {
  all(vapply(sets, function(set) set$intercept && length(set$trends) == 0, TRUE))
}

# The loadings of a set, orthogonal within each group: ones where it has levels, then each
# trend less its regression on those before it. What is left of a trend that rounding made
# counts as nothing.
core_loadings <- function(set, weights) {
  sums <- function(v) cpp_group_sums(if (is.null(weights)) v else weights * v, set$codes, set$count)
  loadings <- list()
  for (trend in set$trends) {
    left <- as.double(trend)
    if (set$intercept) left <- left - (sums(left) / sums(rep(1, length(left))))[set$codes]
    if (set$intercept) left <- left - (sums(left) / sums(rep(1, length(left))))[set$codes]
    for (before in loadings) {
      share <- sums(before * left) / sums(before^2)
      share[!is.finite(share)] <- 0
      left <- left - share[set$codes] * before
    }
    gram <- sums(left^2)
    nothing <- gram <= 1e-18 * sums(as.double(trend)^2)
    if (any(nothing)) left[nothing[set$codes]] <- 0
    loadings <- c(loadings, list(left))
  }
  if (set$intercept) c(list(NULL), loadings) else loadings
}

# Means of [x, y] by group: list(means, weight, n).
core_group_means <- function(rows, groups, threads = core_threads(length(rows$y))) {
  state <- cpp_group_means(
    c(rows$x, list(rows$y)), rows$weights, groups$codes, groups$count, groups$sorted, threads
  )
  state$n <- length(rows$y)
  state
}

# Order of elimination: most unknowns first.
core_elimination_order <- function(sets) {
  unknowns <- vapply(sets, function(set) set$count * (set$intercept + length(set$trends)), numeric(1))
  order(-unknowns)
}

core_weighted_means <- function(columns, weights, threads = core_threads(length(columns[[1]]))) {
  total <- if (is.null(weights)) length(columns[[1]]) else sum(weights)
  cpp_weighted_sums(columns, weights, length(columns[[1]]), threads) / total
}

# Limits of the iteration: see `Absorber`.
core_absorb_options <- list(tolerance = 1e-10, max_iterations = 5000, dense_limit = 2048)

# Sweeps the sets out of [x, y]. `layers` are those of a transformation, in the order of the
# sets, each with the place of its set and of the trend it belongs to (0: levels).
core_absorb <- function(rows, sets, options = core_absorb_options,
                        threads = core_threads(length(rows$y))) {
  columns <- c(rows$x, list(rows$y))
  centre <- core_weighted_means(columns, rows$weights)
  if (!any(vapply(sets, `[[`, TRUE, "intercept"))) {
    sets <- c(sets, list(core_effect_set(rep(1L, length(rows$y)), 1L)))
  }
  order <- core_elimination_order(sets)
  loadings <- lapply(sets, core_loadings, rows$weights)
  state <- cpp_absorb(
    columns, rows$weights, length(rows$y),
    lapply(order, function(s) {
      list(codes = sets[[s]]$codes, count = sets[[s]]$count, loadings = loadings[[s]], ridge = 0)
    }),
    centre, 0L, options$tolerance, options$max_iterations, options$dense_limit, threads
  )
  of_set <- rep(order, lengths(loadings)[order])
  layers <- lapply(seq_along(state$levels), function(l) {
    set <- of_set[l]
    place <- sum(of_set[seq_len(l)] == set)
    loading <- loadings[[set]][[place]]
    c(core_layer(sets[[set]]$codes, state$levels[[l]], loading = loading),
      list(set = set, trend = place - sets[[set]]$intercept))
  })
  # The first layer of levels, in the order of elimination, holds the centre.
  c(state[c("within", "dense", "counted", "converged", "iterations", "achieved", "rank", "first_rank", "inverse",
            "squares", "means", "shared")],
    list(layers = layers, centre = centre, centred = which(vapply(layers, `[[`, 0, "trend") == 0)[1],
         order = order, sets = sets, rows = rows, sizes = lapply(sets, core_group_sizes,
                                                                 rows$weights), n = length(rows$y),
         weight = if (is.null(rows$weights)) length(rows$y) else sum(rows$weights)))
}

# Dimension of the effects: list(count, exact). Of levels it is counted from their graph, whatever
# the weights and the solver; with trends it is the rank of the reduced system where that was
# solved densely, of unweighted rows; otherwise an upper bound.
core_effects_rank <- function(state, budget = 2e9) {
  sets <- state$sets
  if (state$counted) return(list(count = state$first_rank + state$rank, exact = TRUE))
  if (core_only_levels(sets)) return(core_levels_dimension(sets, budget))
  if (state$dense) {
    if (!is.null(state$rows$weights)) {
      rows <- core_rows(state$rows$y, list())
      state <- core_absorb(rows, sets)
    }
    return(list(count = state$first_rank + state$rank, exact = TRUE))
  }
  counts <- vapply(sets, `[[`, 0, "count")
  loadings <- vapply(sets, function(set) set$intercept + length(set$trends), numeric(1))
  others <- state$order[-1]
  bound <- state$first_rank + sum(counts[others] * loadings[others]) -
    sum(vapply(sets[others], `[[`, TRUE, "intercept"))
  list(count = bound, exact = FALSE)
}

# Of two sets from the connected components of their graph; of more from differences within the
# groups of the largest where the others are small, else from equations along cycles; where that
# takes too long, an upper bound.
core_levels_dimension <- function(sets, budget) {
  counts <- vapply(sets, `[[`, 0, "count")
  if (length(sets) == 1) return(list(count = counts, exact = TRUE))
  by_size <- order(-counts)
  codes <- lapply(sets[by_size], `[[`, "codes")
  counts <- as.integer(counts[by_size])
  if (length(sets) > 2 && sum(counts[-1]) <= core_absorb_options$dense_limit) {
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
  p <- ncol(state$within)
  own_norms <- sqrt(state$squares + state$weight * state$centre^2)
  dimension <- core_effects_rank(state)
  solution <- core_finish_fixed(
    state$within, own_norms, state$centre, state$weight, state$n, dimension$count, state$squares[p]
  )
  solution$exact <- dimension$exact
  told <- c("converged", "iterations", "achieved", "dense")
  solution[told] <- state[told]
  solution$levels <- core_effect_levels(state, solution$full)
  solution$inverse <- state$inverse
  solution
}

# By set the effect of each group, as a deviation from the constant: its levels (NULL where
# it has none) and, as the attribute `slopes`, those of its trends. Every set beyond the first
# averages zero over the rows of each connected component of its graph with the first.
core_effect_levels <- function(state, b) {
  part <- lapply(seq_along(state$layers), function(l) {
    centre <- if (l == state$centred) state$centre else 0 * state$centre
    cpp_combined_levels(state$layers[[l]]$levels, b, centre, FALSE)
  })
  set_of <- vapply(state$layers, `[[`, 0, "set")
  trend_of <- vapply(state$layers, `[[`, 0, "trend")
  levels <- lapply(seq_along(state$sets), function(s) {
    own <- part[set_of == s & trend_of == 0]
    list(level = if (length(own) > 0) own[[1]], slopes = part[set_of == s & trend_of > 0])
  })
  base <- which(vapply(state$sets, `[[`, TRUE, "intercept"))[1]
  others <- setdiff(which(vapply(levels, function(one) !is.null(one$level), TRUE)), base)
  connected <- length(state$sets) == 2 && length(others) == 1 && state$dense &&
    state$first_rank + state$rank == sum(vapply(state$sets, `[[`, 0, "count")) - 1
  for (s in others) {
    graph <- core_graph(state$sets[[base]], state$sets[[s]], connected)
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

# Sum of the weights of each group.
core_group_sizes <- function(set, weights) {
  if (is.null(weights)) return(as.double(tabulate(set$codes, set$count)))
  cpp_group_sums(weights, set$codes, set$count)
}

# What R-squared by the first set's groups need, from what the sweep has: the means of the groups,
# and z'Qz of which the others' share is known. The squared correlations of x'b with y between
# groups and overall, and `within`: the sum of squares of y less its means. NULL where that set
# has trends.
core_swept_r_squared <- function(state, b) {
  if (is.null(state$means) || is.null(state$shared)) return(NULL)
  sizes <- state$sizes[[state$order[1]]]
  both <- cbind(c(b, 0), c(numeric(length(b)), 1))
  left <- crossprod(state$within) + state$shared
  moments <- cpp_mean_moments(state$means, sizes, b, state$centre)
  symmetric <- function(m) matrix(m[c(1, 2, 2, 3)], 2)
  overall <- crossprod(both, left %*% both) + symmetric(moments[1:3])
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
  list(between = correlation(once, from / sqrt(max(sizes))), overall = correlation(overall, from),
       within_y = left[nrow(left), ncol(left)])
}

# Squared correlations of x'b with y: within and between the groups, and overall, from the sums of
# both by group; `within_y` is the sum of squares of y less the groups' means.
core_r_squared <- function(rows, b, groups, centre = NULL, threads = core_threads(length(rows$y))) {
  columns <- c(rows$x, list(rows$y))
  if (is.null(centre)) centre <- core_weighted_means(columns, rows$weights)
  moments <- cpp_fitted_moments(columns, rows$weights, b, centre, groups$codes, groups$count, threads)
  size <- moments$groups[3, ]
  used <- size > 0
  means <- moments$groups[1:2, used, drop = FALSE] / rep(size[used], each = 2L)
  all <- moments$products
  # Of the rows less their groups' means, and of the groups counted once.
  within <- all - tcrossprod(means * rep(sqrt(size[used]), each = 2L))
  once <- tcrossprod(means - rowMeans(means))
  correlation <- function(m, from) {
    spread <- pmax(diag(m), 0)
    if (any(spread <= rounding_share * from)) return(NA_real_)
    min(1, (m[1, 2] / sqrt(spread[1]) / sqrt(spread[2]))^2)
  }
  list(within = correlation(within, diag(all)), between = correlation(once, diag(all) / length(rows$y)),
       overall = correlation(all, diag(all) * rounding_share), within_y = within[2, 2])
}

# Rank of the dummies of some sets, the constant among them; an upper bound where they are
# three or more, or have trends.
core_levels_rank <- function(sets) {
  counts <- vapply(sets, function(set) set$count * (set$intercept + length(set$trends)), numeric(1))
  if (length(sets) == 2 && core_only_levels(sets)) {
    return(sum(counts) - cpp_components(sets[[1]]$codes, sets[[2]]$codes, counts[1], counts[2])$count)
  }
  sum(counts) - (length(sets) - 1)
}
