# What clustered errors need of the clusters of a fit: the groups of each dimension, how the effects lie to
# them, and the rows in a basis in which corrected scores are found.

# a:b of columns.
combination_call <- function(columns) Reduce(function(a, b) call(":", a, b), lapply(columns, as.name))

# A dimension of clusters: columns whose combinations are the clusters.
cluster_dimensions <- function(fit, spec) {
  lapply(spec$by, function(columns) {
    if (!spec$named && length(columns) == 1) columns <- role_column(fit, columns)
    list(name = paste(columns, collapse = ":"), columns = columns)
  })
}

# The column of a role, "entity" or "period"; of any other word itself.
role_column <- function(fit, by) {
  index <- fit$design$index
  if (!by %in% c("entity", "period")) return(by)
  if (is.null(index) && by %in% names(fit$design$data)) return(by)
  if (is.null(index)) {
    stop_wavetax(
      "clusters", sprintf("The data name no %s to cluster by.", by),
      todo = "Name the column, `se_clustered(~ region)`, or estimate on a `panel_frame()`."
    )
  }
  index[[by]]
}

cluster_groups <- function(fit, columns) {
  for (set in fit$effects) {
    if (identical(columns, set$columns)) return(set$groups)
  }
  groups <- combined_groups(fit$design, columns, labels = FALSE)
  check_clusters(groups, paste(columns, collapse = ":"))
  groups
}

check_clusters <- function(clusters, name) {
  if (clusters$missing == 0) return(invisible())
  stop_wavetax(
    "clusters", sprintf("`%s` is missing in %s that the fit uses.", name, count_of(clusters$missing, "row")),
    where = sprintf("See %s.", row_words(which(clusters$codes == 0L), 5)),
    todo = "Cluster by a complete column, or leave those rows out before estimating."
  )
}

check_cluster_count <- function(count, name, labels) {
  if (count >= 2) return(invisible())
  stop_wavetax(
    "clusters", sprintf("All rows are in one cluster, `%s` %s.", name, label_text(labels[1])),
    todo = "Clustered errors need many clusters; `se_classical()` needs none."
  )
}

# The sets that a fit sweeps; where none of them has levels the constant is one of its columns, a set of one level.
swept_sets <- function(fit) {
  if (!has_swept_effects(fit)) return(list())
  if (any(vapply(fit$effects, `[[`, TRUE, "intercept"))) return(fit$effects)
  c(fit$effects, list(list(name = "", columns = character(), trends = character(), intercept = TRUE,
                           groups = core_groups(rep(1L, fit$n), 1L))))
}

# Whether each of them lies within clusters, on live rows.
nested_effects <- function(fit, clusters, live) {
  vapply(swept_sets(fit), function(set) {
    if (is.null(live$fitted)) return(core_is_nested(set$groups, clusters))
    core_codes_nested(set$groups$codes[-live$fitted], clusters$codes[-live$fitted], set$groups$count)
  }, TRUE)
}

# k*: the slopes, and the rank of the constant and those effects that are not nested in the clusters.
cluster_parameters <- function(fit, nested, live) {
  slopes <- if (is.null(live$slopes)) length(slope_names(fit)) else live$slopes
  if (!has_swept_effects(fit)) return(slopes + has_constant(fit))
  if (all(nested)) return(slopes + 1L)
  # A row that is fitted whatever its outcome takes one dimension with it.
  if (!any(nested)) return(length(slope_names(fit)) + fit$df$effects - (fit$n - live$n))
  slopes + row_source(fit)$levels(fit, nested, live)
}

# The rank of effects that cut across clusters, of live rows.
crossing_rank_in_pieces <- function(fit, nested, live) sum(live_sizes(fit, which(!nested)[1]) > 0)

crossing_rank <- function(fit, nested, live) {
  crossing <- lapply(swept_sets(fit)[!nested], function(set) live_effect_set(fit, set, live))
  if (length(crossing) <= 2 && core_only_levels(crossing)) return(core_levels_rank(crossing))
  system <- core_effect_system(crossing, live$n)
  on.exit(core_release(system))
  core_effects_rank(system)$count
}

# CR1's small-sample factor.
cr1_factor <- function(fit, G, nested, live) {
  G / (G - 1) * (live$n - 1) / (live$n - cluster_parameters(fit, nested, live))
}

# The share of a set's levels that have rows in several clusters, or `most` where it is no smaller.
crossing_share <- function(set, clusters, most) {
  used <- sum(set$groups$sizes > 0)
  core_crossing_groups(set$groups, clusters, length(clusters$codes), ceiling(most * used)) / used
}

# Columns that effects which cut across clusters may make, and the cells they may fill.
most_crossing <- 1500
most_basis_cells <- 1e8
# From so many levels on the largest set that cuts across is not made columns, where all else is fewer.
fewest_apart <- 64
most_beside <- 500

# What corrections of scores take of a fit: its rows as they are walked over, the live ones among them, and, of groups,
# the basis in which scores are corrected; NULL where there are too many effects for one.
error_rows <- function(fit, walk = error_walk(fit), live = all_live_rows(fit, walk)) {
  list(walk = walk, live = live, basis = function(clusters, ...) {
    cluster_basis(fit, walk, nested_effects(fit, clusters, live), ...)
  })
}

# The rows in an orthonormal basis of the regressors and of effects that are not nested, those that are swept
# before: list(z, e, pick), the columns of `pick` being the fit's own coordinates in that basis. Where one set that cuts
# across has many levels it is swept too, and all other effects are columns: level, its groups, and root, that of the
# weights, are then there as well (`apart`: whether that may be). NULL where there are too many such effects.
cluster_basis <- function(fit, walk, nested, apart = TRUE) row_kind(fit)$basis(fit, walk, nested, apart)

swept_basis <- function(fit, walk, nested, apart) {
  p <- nrow(walk$upper)
  if (all(nested)) return(c(core_coordinate_rows(walk, 1L), list(pick = without_first(p))))
  sets <- swept_sets(fit)
  levels <- sum(core_unknowns(sets[!nested]))
  if (apart && levels > fewest_apart) {
    largest <- which(!nested)[which.max(core_counts(sets[!nested]))]
    beside <- sum(core_unknowns(sets[-largest])) + p
    plain <- sets[[largest]]$intercept && length(sets[[largest]]$trends) == 0
    if (plain && 2 * beside < levels && beside <= most_beside && beside * fit$n <= most_basis_cells) {
      basis <- basis_with_dummies(fit, core_coordinate_rows(walk, 1L)$e, sets[-largest], sets[largest], p)
      if (is.null(basis)) return(NULL)
      weights <- fit_rows(fit)$weights
      return(c(basis, list(level = sets[[largest]]$groups, root = if (!is.null(weights)) sqrt(weights))))
    }
  }
  if (levels > most_crossing || (levels + p) * fit$n > most_basis_cells) return(NULL)
  basis_with_dummies(fit, core_coordinate_rows(walk, 1L)$e, sets[!nested], sets[nested], p)
}

# The same with the transformed dummies of entities.
loaded_basis <- function(fit, walk, nested, apart) {
  if (!has_swept_effects(fit)) return(coordinate_basis(fit, walk, nested, apart))
  p <- nrow(walk$upper)
  rows <- core_coordinate_rows(walk, 1L)
  if (all(nested)) return(c(rows, list(pick = without_first(p))))
  groups <- fit$effects[[1]]$groups
  if (groups$count > most_crossing || (groups$count + p) * fit$n > most_basis_cells) return(NULL)
  # Swept regressors are orthogonal to them: both together are a basis.
  dummies <- matrix(0, fit$n, groups$count)
  dummies[cbind(seq_len(fit$n), groups$codes)] <- fit$transform$tau / sqrt(groups$weight)[groups$codes]
  list(z = cbind(dummies, rows$z), e = rows$e, pick = rbind(matrix(0, groups$count, p), without_first(p)))
}

basis_with_dummies <- function(fit, e, crossing, within, p) {
  rows <- fit_rows(fit)
  dummies <- unlist(lapply(crossing, function(set) {
    of <- function(values) lapply(seq_len(set$groups$count), function(level) values * (set$groups$codes == level))
    c(if (set$intercept) of(1), unlist(lapply(set$trends, function(name) of(trend_values(fit$design, name))), FALSE))
  }), recursive = FALSE)
  kept <- fit$regression$regressors
  wide <- core_rows(rows$y, c(dummies, rows$x[kept]), weights = rows$weights)
  trends_alone <- length(within) > 0 && !any(vapply(within, `[[`, TRUE, "intercept"))
  if (trends_alone) {
    if (length(within) > 1) return(NULL)
    off <- trends_taken_off(fit, within[[1]], rows$weights)
    wide <- core_rows(off(rows$y), lapply(wide$x, off), constant = FALSE, weights = rows$weights)
    solution <- core_solve_pooled(core_pooled_state(wide))
    z <- core_coordinate_rows(core_walk(wide, NULL, solution))$z
  } else if (length(within) > 0) {
    state <- core_absorb(wide, lapply(within, fit_effect_set, fit$design))
    solution <- core_solve_swept(state)
    core_release(state$system)
    z <- core_coordinate_rows(core_walk(wide, list(layers = state$layers, constant = TRUE), solution, 1L), 1L)$z
  } else {
    solution <- core_solve_pooled(core_pooled_state(wide))
    z <- core_coordinate_rows(core_walk(wide, NULL, solution))$z
  }
  slopes <- seq_along(kept)
  last <- utils::tail(solution$status, length(kept))
  if (any(last != 0L)) return(NULL)
  r <- ncol(z)
  pick <- matrix(0, r, p)
  sign_of <- function(upper, at) sign(diag(upper)[at])
  theirs <- ncol(solution$frame$upper)
  pick[cbind(r - length(kept) + slopes, 1L + slopes)] <-
    sign_of(solution$frame$upper, theirs - length(kept) + slopes) * sign_of(fit$regression$frame$upper, 1L + slopes)
  if (length(within) == 0) {
    pick[1, 1] <- sign_of(solution$frame$upper, 1L) * sign_of(fit$regression$frame$upper, 1L)
  }
  list(z = z, e = e, pick = pick)
}

# A function that takes the trends of a set without levels off a column.
trends_taken_off <- function(fit, set, weights) {
  loadings <- core_loadings(fit_effect_set(set, fit$design), weights)
  codes <- set$groups$codes
  sums <- function(v) core_group_sums(if (is.null(weights)) v else weights * v, codes, set$groups$count)
  function(v) {
    for (loading in loadings) {
      share <- sums(loading * v) / sums(loading^2)
      share[!is.finite(share)] <- 0
      v <- v - share[codes] * loading
    }
    v
  }
}

# Whether the fit can be estimated again on some of its rows: those under a root are each made of several.
has_rows_apart <- function(fit) is.null(fit$transform$root)

# The slopes of the rows that `use` marks, effects and all estimated again; NA where they are dropped.
slopes_without <- function(fit, use) {
  use <- which(use)
  rows <- fit_rows(fit)
  kept <- which(fit$regression$status == 0L)
  take <- function(v) v[use]
  some <- core_rows(take(rows$y), lapply(rows$x[kept], take), weights = if (!is.null(rows$weights)) take(rows$weights))
  sets <- lapply(fit$effects, function(set) {
    inner <- rank_integers(set$groups$codes[use])
    core_effect_set(core_groups(inner$codes, length(inner$values)),
                    lapply(set$trends, function(name) take(trend_values(fit$design, name))), set$intercept)
  })
  state <- core_absorb(some, sets)
  solution <- core_solve_swept(state)
  core_release(state$system)
  ifelse(solution$status == 0L, solution$slopes, NA_real_)
}

# The slopes without each cluster, less the slopes, in orthonormal coordinates: a column a cluster. NULL where the
# slopes cannot all be estimated without one of them.
delete_one_changes <- function(fit, clusters) {
  upper <- fit$regression$frame$upper[-1, -1, drop = FALSE]
  all <- kept_estimates(fit)[slope_names(fit)]
  changes <- along_with_progress(seq_len(clusters$count), "Leaving out each cluster") |> lapply(function(g) {
    slopes <- slopes_without(fit, clusters$codes != g)
    if (!anyNA(slopes)) drop(upper %*% (slopes - all))
  })
  if (any(vapply(changes, is.null, TRUE))) return(NULL)
  do.call(cbind, changes)
}

# What leaves the first of p coordinates out.
without_first <- function(p) diag(p)[-1, , drop = FALSE]
