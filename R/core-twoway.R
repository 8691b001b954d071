# Random effects of two sets, exact for unbalanced panels: V = s2_e I + s2_u D_N D_N' +
# s2_v D_T D_T' is never formed. Generalised least squares is least squares on the rows less
# shrunken levels, with a row for each of them (see `Absorber`); the levels solve a system in
# the smaller set alone.

# Groups without a variance of their own are left out.
core_solve_two_way <- function(rows, sets, sigma2_e, sigma2, threads = core_threads(length(rows$y))) {
  n <- length(rows$y)
  kept <- which(sigma2 > 0)
  columns <- c(list(rep(1, n)), rows$x, list(rows$y))
  centre <- c(0, core_weighted_means(columns[-1], NULL))
  if (length(kept) == 0) {
    state <- list(within = core_pooled_state(rows, threads)$triangle, levels = list(), log_determinant = 0)
    order <- integer()
  } else {
    order <- kept[core_elimination_order(sets[kept])]
    options <- core_absorb_options
    state <- cpp_absorb(columns, NULL, n, lapply(order, function(s) {
      list(codes = sets[[s]]$codes, count = sets[[s]]$count, loadings = list(NULL), ridge = sigma2_e / sigma2[s])
    }), centre, 1L, options$tolerance, options$max_iterations, options$dense_limit, threads)
  }
  use <- if (rows$constant) seq_along(columns) else seq_along(columns)[-1]
  triangle <- state$within[, use]
  solution <- core_solve(triangle)
  b <- core_full_coefficients(solution)
  slopes <- if (rows$constant) b[-1] else b
  centre <- core_centre(triangle, rows$constant)
  layers <- lapply(seq_along(order), function(l) core_layer(sets[[order[l]]]$codes, state$levels[[l]]))
  deviations <- lapply(sets, function(set) numeric(set$count))
  for (l in seq_along(order)) {
    deviations[[order[l]]] <- cpp_combined_levels(state$levels[[l]], slopes, centre, TRUE)
  }
  c(solution, list(
    frame = core_frame(solution, rows$constant), centre = centre,
    norms = sqrt(colSums(triangle^2))[seq_along(b)], full = b,
    lead = as.integer(rows$constant), n = n, df_effects = 0L,
    df_residual = n - length(solution$coefficients), deviations = deviations, layers = layers,
    iterations = if (isFALSE(state$dense)) state$iterations,
    achieved = if (isFALSE(state$dense)) state$achieved, converged = state$converged,
    log_jacobian = if (isFALSE(state$dense)) NA_real_ else -state$log_determinant / 2
  ))
}

# What both variance methods start from: the two-way within regression, and for each set the
# means of [x, y] by group.
core_two_way_parts <- function(rows, sets, threads = core_threads(length(rows$y))) {
  swept <- core_absorb(rows, sets, threads = threads)
  list(
    rows = rows, sets = sets, n = length(rows$y), within = core_solve_absorbed(swept),
    states = lapply(seq_along(sets), function(s) {
      if (s == swept$order[1]) return(list(means = swept$means, weight = swept$sizes[[s]], n = length(rows$y)))
      core_group_means(rows, core_groups(sets[[s]]$codes, sets[[s]]$count), threads)
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
  list(
    sigma2_e = sigma2_e, sigma2 = solve(right, left), df_within = parts$within$df_residual,
    df_between = min(vapply(equations, `[[`, 0, "df"))
  )
}

core_two_way_form <- function(parts, s, r) {
  state <- parts$states[[s]]
  set <- parts$sets[[s]]
  other <- parts$sets[[r]]
  within <- parts$within
  form <- core_mean_form(core_group_triangle(state, sqrt(state$weight)), within$status, within$full,
                         within$upper, parts$rows$constant)
  kept <- form$kept
  frame <- core_frame(form$first, length(kept) > 0 && kept[1] == 1L)
  means <- t(core_coordinates(frame, t(rbind(1, state$means)[kept, , drop = FALSE])))
  # tr(H D D') from the sums of the groups' means, in orthonormal coordinates of H, over the rows
  # of each level.
  held <- function(to) {
    if (length(kept) == 0) return(0)
    sum(cpp_carried_sums(means, set$codes, to$codes, to$count)^2)
  }
  df <- set$count - length(kept)
  list(
    form = form$value, df = df, sigma2_e = df + form$spread,
    own = parts$n - held(set), other = core_shared_cells(set, other) - held(other)
  )
}

# tr(D_r'P_s D_r) = sum over cells of n_it^2 / T_i; the count of groups where no cell has two
# rows.
core_shared_cells <- function(set, other) {
  if (!cpp_any_repeated_cell(set$codes, other$codes, set$count, other$count)) return(set$count)
  cell <- (as.double(set$codes) - 1) * other$count + other$codes
  which_cell <- match(cell, unique(cell))
  sum(tabulate(which_cell)[which_cell] / tabulate(set$codes, set$count)[set$codes])
}

# Balanced panels: within, between groups and between periods, each regression's variance
# (Baltagi, ch. 3): s2_1 = s2_e + T s2_u, s2_2 = s2_e + N s2_v.
core_two_way_swamy_arora <- function(parts) {
  sigma2_e <- parts$within$ssr / parts$within$df_residual
  each <- lapply(1:2, function(s) {
    between <- core_group_triangle(parts$states[[s]], sqrt(parts$states[[s]]$weight))
    use <- core_columns(parts$states[[s]], parts$rows$constant)
    solution <- core_solve(between[, use])
    list(ssr = solution$ssr, df = parts$sets[[s]]$count - length(solution$coefficients))
  })
  rows_each <- parts$n / vapply(parts$sets, `[[`, 0, "count")
  variance <- vapply(each, function(one) one$ssr / one$df, numeric(1))
  list(
    sigma2_e = sigma2_e, sigma2 = (variance - sigma2_e) / rows_each, df_within = parts$within$df_residual,
    df_between = min(vapply(each, `[[`, 0, "df"))
  )
}

core_is_balanced <- function(sets) {
  counts <- vapply(sets, `[[`, 0, "count")
  length(sets[[1]]$codes) == prod(counts) &&
    !cpp_any_repeated_cell(sets[[1]]$codes, sets[[2]]$codes, counts[1], counts[2])
}
