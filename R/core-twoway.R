# Random effects of two sets, exact for unbalanced panels: V = s2_e I + s2_u D_N D_N' +
# s2_v D_T D_T' is never formed. Generalised least squares is least squares on the rows less
# shrunken levels, with a row for each of them (see `EffectSystem`); the levels solve a system in
# the smaller set alone. Sets are groups: both have levels and no trends.

# The system that swept the sets as fixed effects serves again, with ridges; where one of them has
# no variance of its own the other makes a system alone.
core_solve_two_way <- function(parts, sigma2_e, sigma2, threads = core_threads(parts$n)) {
  rows <- parts$rows
  kept <- which(sigma2 > 0)
  if (length(kept) == 0) {
    state <- list(within = core_pooled_state(rows, threads)$triangle, levels = list(), dense = TRUE)
    order <- integer()
    log_determinant <- 0
  } else {
    system <- parts$system
    sums <- parts$swept$sums
    if (length(kept) < 2) {
      first <- system$order[1]
      system <- core_effect_system(lapply(parts$sets[kept], core_effect_set), rows$n, NULL, rows$k + 2,
                                   threads = threads)
      if (kept != first) sums <- cpp_effect_sums(system$pointer, rows$columns, rows$n, parts$centre, threads)$pointer
    }
    order <- kept[system$order]
    log_determinant <- cpp_effect_shrink(system$pointer, sigma2_e / sigma2[order])
    state <- cpp_effect_sweep(system$pointer, sums, rows$columns, rows$n, TRUE, FALSE, threads)
    state$dense <- system$dense
    if (length(kept) < 2) core_release(system)
  }
  core_release(parts$system)
  constant <- rows$constant
  triangle <- if (constant) state$within else state$within[, -1]
  solution <- core_least_squares(
    triangle, constant, rows$n, iterations = if (!state$dense) state$iterations,
    achieved = if (!state$dense) state$achieved, converged = state$converged, log_jacobian = -log_determinant / 2
  )
  solution$layers <- lapply(seq_along(order), function(l) core_layer(parts$sets[[order[l]]], state$levels[[l]]))
  solution$deviations <- lapply(parts$sets, function(groups) numeric(groups$count))
  for (l in seq_along(order)) {
    solution$deviations[[order[l]]] <-
      core_combined_levels(state$levels[[l]], c(0, solution$residual), c(0, solution$centre), 1L)
  }
  solution
}

# What both variance methods start from: the two-way within regression, and for each set the
# means of [x, y] by group. `cells_once` says that no two rows share a level of both.
core_two_way_parts <- function(rows, sets, cells_once = FALSE, threads = core_threads(rows$n)) {
  system <- core_effect_system(lapply(sets, core_effect_set), rows$n, NULL, rows$k + 1, threads = threads)
  swept <- core_sweep(rows, system, again = TRUE, threads = threads)
  within <- core_solve_swept(swept)
  swept$layers <- NULL
  other <- cpp_effect_other_sums(system$pointer, swept$sums)
  list(
    rows = rows, sets = sets, n = rows$n, centre = swept$centre, system = system, swept = swept,
    within = within, carried = other$carried, cells_once = cells_once,
    states = lapply(seq_along(sets), function(s) {
      size <- swept$sizes[[s]]
      first <- s == system$order[1]
      means <- if (first) swept$means else (other$carried + other$left) / rep(size, each = rows$k + 1L) + swept$centre
      list(means = means, weight = size, n = rows$n)
    })
  )
}

# sigma2_e from the two-way within residuals. With e = y - x'b of that regression and H_s the
# projection on the means of set s of the constant and of the regressors that the effects
# hold, each form e'(P_s - H_s)e is set equal to its expectation given x,
#   s2_e (rank(P_s) - rank(H_s) + tr((X'Q_2 X)^-1 X'(P_s - H_s)X))
#     + sum over sets r of s2_r tr(D_r'(P_s - H_s)D_r)
# (Wansbeek & Kapteyn 1989).
core_two_way_amemiya <- function(parts) {
  sigma2_e <- parts$within$ssr / parts$within$df_residual
  equations <- lapply(1:2, function(s) core_two_way_form(parts, s, 3L - s))
  left <- vapply(equations, function(one) one$form - sigma2_e * one$sigma2_e, numeric(1))
  right <- rbind(
    c(equations[[1]]$own, equations[[1]]$other), c(equations[[2]]$other, equations[[2]]$own)
  )
  # NA where the rows do not tell the two sets apart.
  told <- all(is.finite(right)) && rcond(right) > 1e-12
  list(
    sigma2_e = sigma2_e, sigma2 = if (told) solve(right, left) else c(NA_real_, NA_real_),
    df_within = parts$within$df_residual,
    df_between = min(vapply(equations, `[[`, 0, "df"))
  )
}

core_two_way_form <- function(parts, s, r) {
  state <- parts$states[[s]]
  set <- parts$sets[[s]]
  other <- parts$sets[[r]]
  within <- parts$within
  form <- core_mean_form(core_group_triangle(state, sqrt(state$weight)), within$status, within$slopes,
                         within$frame$upper[-1, -1, drop = FALSE], parts$rows$constant)
  kept <- form$kept
  held_own <- core_trace(core_mean_gram(state, form$first, kept, state$weight))
  df <- set$count - length(kept)
  list(
    form = form$value, df = df, sigma2_e = df + form$spread, own = parts$n - held_own,
    other = core_shared_cells(set, other, parts$cells_once) - core_held_by_means(parts, s, r, form)
  )
}

# tr(D_r'H_s D_r): the squared sums over the rows of each level of r of their group's means, in
# orthonormal coordinates of H_s. Sums are carried from the larger set's groups to the levels of
# the smaller, or the other way round.
core_held_by_means <- function(parts, s, r, form) {
  kept <- form$kept
  if (length(kept) == 0) return(0)
  frame <- core_frame(form$first, kept[1] == 1L)
  if (s != parts$system$order[1]) {
    means <- core_coordinates(frame, t(rbind(1, parts$states[[s]]$means)[kept, , drop = FALSE]))
    return(cpp_effect_squared_sums(parts$system$pointer, t(means)))
  }
  # Of the columns less their centres the sums by level are those of their groups' means and of what
  # these leave.
  size <- parts$states[[r]]$weight
  centre <- c(0, parts$centre)[kept] - frame$centre
  sums <- rbind(0, parts$carried)[kept, , drop = FALSE] + outer(centre, size)
  if (kept[1] == 1L) sums[1, ] <- size
  sum(cpp_to_orthonormal(frame$upper, t(sums))^2)
}

# tr(D_r'P_s D_r) = sum over cells of n_it^2 / T_i; the count of groups where no cell has two
# rows, as is known of the keys of a panel.
core_shared_cells <- function(set, other, once = FALSE) {
  if (once || !cpp_any_repeated_cell(set$codes, other$codes, set$count, other$count)) return(set$count)
  cell <- (as.double(set$codes) - 1) * other$count + other$codes
  which_cell <- match(cell, unique(cell))
  sum(tabulate(which_cell)[which_cell] / set$sizes[set$codes])
}

# Balanced panels: within, between groups and between periods, each regression's variance
# (Baltagi, ch. 3): s2_1 = s2_e + T s2_u, s2_2 = s2_e + N s2_v.
core_two_way_swamy_arora <- function(parts) {
  sigma2_e <- parts$within$ssr / parts$within$df_residual
  each <- lapply(1:2, function(s) {
    between <- core_group_triangle(parts$states[[s]], sqrt(parts$states[[s]]$weight))
    use <- core_used_columns(parts$states[[s]], parts$rows$constant)
    solution <- core_solve(between[, use])
    list(ssr = solution$ssr, df = parts$sets[[s]]$count - length(solution$coefficients))
  })
  rows_each <- parts$n / vapply(parts$sets, function(groups) as.double(groups$count), 0)
  variance <- vapply(each, function(one) one$ssr / one$df, numeric(1))
  list(
    sigma2_e = sigma2_e, sigma2 = (variance - sigma2_e) / rows_each, df_within = parts$within$df_residual,
    df_between = min(vapply(each, `[[`, 0, "df"))
  )
}

core_is_balanced <- function(sets) {
  counts <- vapply(sets, function(groups) as.double(groups$count), 0)
  length(sets[[1]]$codes) == prod(counts) &&
    !cpp_any_repeated_cell(sets[[1]]$codes, sets[[2]]$codes, counts[1], counts[2])
}
