# Regressions with one set of effects. The state holds the mean of [x, y] in every
# group and the triangular factor of what varies within groups; fixed effects,
# random effects and the between regression are all solved from it.
# Letters: N groups, T_i rows of group i, W_i their weight, k regressors, [x, y] has
# k + 1 columns, the outcome last. Means are a (k + 1) x N matrix.

core_one_way_state <- function(rows, groups, threads = core_threads(rows$n)) {
  state <- cpp_one_way(rows$columns, rows$weights, groups, rows$n, threads)
  state$n <- rows$n
  state
}

# Columns further from zero than this times their spread have means of the columns less a centre too, `near`: what
# varies between groups keeps its digits. `far` is that centre, 0 for the others.
far_from_zero <- 1e4

core_far_means <- function(state, rows, groups, threads = core_threads(rows$n)) {
  centre <- core_grand_means(state)
  spread <- sqrt((colSums(state$within^2) + drop((state$means - centre)^2 %*% state$weight)) / sum(state$weight))
  far <- abs(centre) > far_from_zero * spread & spread > 0
  if (!any(far)) return(state)
  state$far <- ifelse(far, signif(centre, 3), 0)
  columns <- lapply(which(far), function(j) rows$columns[[j]] - state$far[j])
  near <- cpp_group_means(columns, rows$weights, groups, rows$n, threads)$means
  state$near <- state$means
  state$near[far, ] <- near
  state
}

# The state of other columns of those that were summed or swept together, the outcome last.
core_state_of <- function(state, columns) {
  state$within <- core_refactor(state$within[, columns, drop = FALSE])
  for (part in intersect(c("squares", "centre", "far"), names(state))) state[[part]] <- state[[part]][columns]
  for (part in intersect(c("means", "near"), names(state))) state[[part]] <- state[[part]][columns, , drop = FALSE]
  if (!is.null(state$shared)) state$shared <- state$shared[columns, columns, drop = FALSE]
  state$layers <- lapply(state$layers, function(layer) {
    layer$levels <- layer$levels[columns, , drop = FALSE]
    layer
  })
  state
}

core_merge_one_way <- function(a, b) {
  state <- cpp_merge_one_way(a, b)
  state$n <- a$n + b$n
  state
}

# The factor of one row a group: the constant and its means, times `scale`.
core_group_triangle <- function(state, scale) {
  if (is.null(state$near)) return(cpp_group_triangle(state$means, scale, core_threads(length(scale))))
  triangle <- cpp_group_triangle(state$near, scale, core_threads(length(scale)))
  triangle[1, -1] <- triangle[1, -1] + triangle[1, 1] * state$far
  triangle
}

# Rows split into what varies within groups and one row of weight W_i a group, which
# are orthogonal to each other, so their factors merge. `between` is the factor of the
# latter, with a constant; times 1 - theta_i it gives the quasi-demeaned rows.
core_merge_within <- function(state, between) {
  within <- matrix(0, ncol(between), ncol(between))
  within[-1, -1] <- state$within
  cpp_merge_triangles(between, within)
}

# `all_rows` is the factor of [1, x, y] of all rows: its columns have their norms.
core_solve_within <- function(state, all_rows) {
  own_norms <- sqrt(colSums(all_rows^2))
  core_solve(state$within, own_norms[-c(1L, length(own_norms))])
}

# The slopes within groups alone, for residuals: of core_solution() what a view of them needs, and the sum of squares of
# y.
core_within_slopes <- function(state) {
  p <- ncol(state$within)
  norms <- sqrt(colSums(state$within^2) + drop(state$means^2 %*% state$weight))
  solved <- core_solve(state$within, norms[-p])
  slopes <- core_full_coefficients(solved)
  core_of_least_squares(list(constant = FALSE, status = solved$status, slopes = slopes, centre = numeric(p),
                             sst = sum(state$within[, p]^2)))
}

# `between`, where it is known, is the factor of groups times the root of their weights.
core_one_way_r_squared <- function(state, b, all_rows, between = NULL) {
  even <- !is.null(between) && min(state$weight) == max(state$weight)
  groups_once <- if (even) between / sqrt(state$weight[1]) else
    core_group_triangle(state, as.numeric(state$weight > 0))
  norms <- sqrt(colSums(all_rows^2))[-1]
  of_groups <- sqrt(colSums(groups_once^2))[-1]
  c(
    within = core_squared_correlation(state$within, b, norms),
    between = core_squared_correlation(core_centred(groups_once), b, of_groups),
    overall = core_squared_correlation(core_centred(all_rows), b, norms)
  )
}

# ybar_i - xbar_i'b by group, of means less `centre`.
core_group_residuals <- function(state, b, centre = numeric(length(b) + 1L)) {
  core_combined_levels(state$means, c(-b, 1), centre)
}

core_grand_means <- function(state) {
  cpp_weighted_level_sums(state$means, state$weight, core_threads(length(state$weight))) / sum(state$weight)
}

core_solve_fixed <- function(state) {
  between <- core_group_triangle(state, sqrt(state$weight))
  all_rows <- core_merge_within(state, between)
  used <- state$weight > 0
  solution <- core_finish_fixed(
    state$within, sqrt(colSums(all_rows^2))[-1], core_grand_means(state), sum(state$weight), state$n,
    sum(used), sum(core_centred(all_rows)[, ncol(state$within)]^2)
  )
  levels <- core_combined_levels(state$means, solution$residual, solution$centre)
  levels[!used] <- NA_real_
  solution$levels <- list(levels)
  solution$r_squared <- core_fixed_r_squared(
    core_one_way_r_squared(state, solution$slopes, all_rows, between), solution,
    sum(state$within[, ncol(state$within)]^2), sum(all_rows[, ncol(all_rows)]^2)
  )
  solution
}

# With effects swept out: within is 1 - SSR/SS of y less the means of one set, all else counted as
# explanation; `swept` of y less all sets. `known` has the squared correlations between the groups
# and overall.
core_fixed_r_squared <- function(known, solution, within, raw, swept = NULL) {
  share <- function(all) core_share_explained(solution$ssr, all, raw)
  c(within = share(within), swept = if (!is.null(swept)) share(swept), known[c("between", "overall")],
    effects = share(solution$sst))
}

# From the factor of the swept [x, y] to the solution, whatever was swept. `own_norms` are
# the norms of the columns as they were, `grand` their means, `weight` the sum of weights.
core_finish_fixed <- function(within, own_norms, grand, weight, n, df_effects, sst) {
  p <- ncol(within)
  solved <- core_solve(within, own_norms[-p])
  kept <- which(solved$status == 0L)
  k <- length(kept)
  slopes <- core_full_coefficients(solved)
  # The constant makes the effects average zero over rows; [1, x~ + xbar] has the
  # coordinates of [1, x~], whose blocks are orthogonal, after this change of basis.
  basis <- diag(k + 1L)
  none <- rep(0, ncol(solved$combination))
  basis[1, -1] <- -grand[kept]
  frame <- list(upper = core_block_diagonal(sqrt(weight), solved$upper), centre = numeric(k + 1L),
                origin = c(0, grand[kept]))
  core_of_least_squares(list(
    coefficients = c(grand[p] - sum(grand[-p] * slopes), solved$coefficients), constant = TRUE,
    status = solved$status, slopes = slopes, combination = rbind(none, solved$combination, deparse.level = 0),
    root = basis %*% core_block_diagonal(1 / sqrt(weight), solved$root), ssr = solved$ssr, frame = frame,
    centre = grand, norms = sqrt(colSums(within^2))[-p], n = n, df_effects = df_effects,
    df_residual = n - k - df_effects, sst = sst
  ))
}
