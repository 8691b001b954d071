# What clustered errors need of the clusters of a fit: the groups of each dimension, how the effects lie to
# them, and the rows in a basis in which corrected scores are found.

# Columns as a formula, whatever their names: `~ a + b`.
column_formula <- function(names) {
  stats::as.formula(paste("~", paste0("`", names, "`", collapse = " + ")), env = baseenv())
}

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

# Whether each set of effects lies within clusters, on live rows.
nested_effects <- function(fit, clusters, live) {
  vapply(fit$effects, function(set) {
    if (is.null(live$fitted)) return(core_is_nested(set$groups, clusters))
    cpp_is_nested(set$groups$codes[-live$fitted], clusters$codes[-live$fitted], set$groups$count)
  }, TRUE)
}

# k*: the slopes, and the rank of the constant and those effects that are not nested in the clusters.
cluster_parameters <- function(fit, nested, live) {
  slopes <- if (is.null(live$slopes)) length(slope_names(fit)) else live$slopes
  if (!has_swept_effects(fit)) return(slopes + has_constant(fit))
  if (all(nested)) return(slopes + 1L)
  # A row that is fitted whatever its outcome takes one dimension with it.
  if (!any(nested)) return(length(slope_names(fit)) + fit$df$effects - (fit$n - live$n))
  if (!is.null(fit$design$pieces)) return(slopes + sum(live_sizes(fit, which(!nested)[1]) > 0))
  slopes + core_levels_rank(lapply(fit$effects[!nested], function(set) {
    core_effect_set(live_groups(set$groups, live), set$trends, set$intercept)
  }))
}

# CR1's small-sample factor.
cr1_factor <- function(fit, G, nested, live) {
  G / (G - 1) * (live$n - 1) / (live$n - cluster_parameters(fit, nested, live))
}

# The share of a set's levels that have rows in several clusters, or `most` where it is no smaller.
crossing_share <- function(set, clusters, most) {
  used <- sum(set$groups$sizes > 0)
  cpp_crossing_groups(set$groups, clusters, length(clusters$codes), ceiling(most * used)) / used
}

# Columns that effects which cut across clusters may make, and the cells they may fill.
most_crossing <- 1500
most_basis_cells <- 1e8

# The rows in an orthonormal basis of the regressors and of effects that are not nested, those that are swept
# before: list(z, e, pick), the columns of `pick` being the fit's own coordinates in that basis. NULL where there are
# too many such effects.
cluster_basis <- function(fit, walk, nested) {
  crossing <- if (has_swept_effects(fit)) fit$effects[!nested] else list()
  p <- nrow(walk$upper)
  levels <- sum(core_unknowns(crossing))
  if (levels > most_crossing || (levels + p) * fit$n > most_basis_cells) return(NULL)
  if (!has_swept_effects(fit)) return(c(core_coordinate_rows(walk), list(pick = diag(p))))
  if (all(nested)) return(c(core_coordinate_rows(walk, 1L), list(pick = cbind(0, diag(p - 1L)))))
  basis_with_dummies(fit, core_coordinate_rows(walk, 1L)$e, crossing, fit$effects[nested], p)
}

basis_with_dummies <- function(fit, e, crossing, within, p) {
  rows <- design_rows(fit$design)
  dummies <- unlist(lapply(crossing, function(set) {
    of <- function(values) lapply(seq_len(set$groups$count), function(level) values * (set$groups$codes == level))
    c(if (set$intercept) of(1), unlist(lapply(set$trends, function(name) of(trend_values(fit$design, name))), FALSE))
  }), recursive = FALSE)
  kept <- which(fit$regression$status == 0L)
  wide <- core_rows(rows$y, c(dummies, rows$x[kept]), weights = rows$weights)
  if (length(within) > 0) {
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

# The slopes without each cluster, less the slopes, in orthonormal coordinates: a column a cluster. NULL where the
# slopes cannot all be estimated without one of them.
delete_one_changes <- function(fit, clusters) {
  rows <- design_rows(fit$design)
  kept <- which(fit$regression$status == 0L)
  upper <- fit$regression$frame$upper[-1, -1, drop = FALSE]
  all <- kept_estimates(fit)[slope_names(fit)]
  changes <- along_with_progress(seq_len(clusters$count), "Leaving out each cluster") |> lapply(function(g) {
    use <- which(clusters$codes != g)
    take <- function(v) v[use]
    some <- core_rows(take(rows$y), lapply(rows$x[kept], take),
                      weights = if (!is.null(rows$weights)) take(rows$weights))
    sets <- lapply(fit$effects, function(set) {
      inner <- rank_integers(set$groups$codes[use])
      core_effect_set(core_groups(inner$codes, length(inner$values)),
                      lapply(set$trends, function(name) take(trend_values(fit$design, name))), set$intercept)
    })
    state <- core_absorb(some, sets)
    solution <- core_solve_swept(state)
    core_release(state$system)
    if (any(solution$status != 0L)) return(NULL)
    drop(upper %*% (solution$slopes - all))
  })
  if (any(vapply(changes, is.null, TRUE))) return(NULL)
  do.call(cbind, changes)
}
