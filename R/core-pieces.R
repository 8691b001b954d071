# States of sources read in pieces, with the dummies of a second set of effects among the
# columns: [dummies, x, y], of which the last `width` are x and y.

# Room for dummies that an earlier piece had not seen: columns of zeros after its own.
core_widen <- function(state, columns, width) {
  p <- nrow(state$means)
  if (p == columns) return(state)
  place <- c(seq_len(p - width), columns - width + seq_len(width))
  within <- matrix(0, columns, columns)
  within[place, place] <- state$within
  means <- matrix(0, columns, ncol(state$means))
  means[place, ] <- state$means
  state$within <- within
  state$means <- means
  state
}

# Dummies swept out of x and y: what they explain of each column are the levels of the second
# set, and what is left is factored again.
core_solve_dummies <- function(state, k) {
  p <- nrow(state$means)
  own <- p - k - 1L + seq_len(k + 1L)
  dummies <- seq_len(p - k - 1L)
  plain <- list(
    means = state$means[own, , drop = FALSE], weight = state$weight, n = state$n,
    within = core_refactor(state$within[, own, drop = FALSE])
  )
  all_rows <- core_merge_within(plain, core_group_triangle(plain, sqrt(state$weight)))
  second <- matrix(0, length(own), length(dummies) + 1L)
  rank <- 0L
  within <- plain$within
  if (length(dummies) > 0) {
    for (c in seq_along(own)) {
      one <- core_solve(state$within[, c(dummies, own[c])])
      second[c, -1] <- core_full_coefficients(one)
      rank <- sum(one$status == 0L)
    }
    left <- state$within[, own, drop = FALSE] - state$within[, dummies, drop = FALSE] %*% t(second[, -1, drop = FALSE])
    within <- core_refactor(left)
  }
  used <- state$weight > 0
  solution <- core_finish_fixed(
    within, sqrt(colSums(all_rows^2))[-1], core_grand_means(plain), sum(state$weight), state$n,
    sum(used) + rank, sum(core_centred(all_rows)[, k + 1L]^2)
  )
  squares <- function(triangle) sum(triangle[, ncol(triangle)]^2)
  solution$r_squared <- core_fixed_r_squared(
    core_one_way_r_squared(plain, solution$slopes, all_rows), solution, squares(plain$within), squares(all_rows),
    if (length(dummies) > 0) squares(within)
  )
  # The sums of weights of the second set's levels are those of its dummies.
  weights <- list(state$weight)
  if (length(dummies) > 0) {
    by_level <- drop(state$means[dummies, , drop = FALSE] %*% state$weight)
    weights[[2]] <- c(sum(state$weight) - sum(by_level), by_level)
  }
  first <- plain$means - second[, -1, drop = FALSE] %*% state$means[dummies, , drop = FALSE]
  list(
    solution = solution, weights = weights,
    layers = c(list(core_layer(NULL, first)),
               if (length(dummies) > 0) list(core_layer(NULL, second, holds_centre = FALSE)))
  )
}

# Deviations from the constant by set; the second set's average zero over rows.
core_piece_levels <- function(swept) {
  b <- swept$solution$residual
  first <- drop(b %*% swept$layers[[1]]$levels) - swept$solution$coefficients[1]
  if (length(swept$layers) == 1) return(list(first))
  second <- drop(b %*% swept$layers[[2]]$levels)
  shift <- sum(second * swept$weights[[2]]) / sum(swept$weights[[2]])
  list(first + shift, second - shift)
}
