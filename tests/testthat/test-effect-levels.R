# Contrasts of a regression on dummies: the level of a group at x = 0, others at their shares.
test_that("levels, deviations and their errors are contrasts of the dummy regression", {
  panel <- gappy_panel(N = 12)
  data <- as.data.frame(panel)
  n <- nrow(data)
  for (order in list(c("id", "year"), c("year", "id"), "id")) {
    effects <- reformulate(order)
    levels <- effect_levels(fit_fixed(y ~ x1 + x2, panel, effects))
    D <- lapply(data[order], dummies_of)
    X <- cbind(D[[1]], if (length(order) == 2) D[[2]][, -1], data$x1, data$x2)
    dense <- lm(data$y ~ 0 + X)
    width <- ncol(X)
    first <- ncol(D[[1]])
    shares <- rep(0, width)
    if (length(order) == 2) shares[first + seq_len(ncol(D[[2]]) - 1)] <- colMeans(D[[2]])[-1]
    own <- diag(width)[seq_len(first), ]
    level <- own + rep(1, first) %o% shares
    deviation <- own - rep(1, first) %o% c(colMeans(D[[1]]), rep(0, width - first))
    told <- levels[seq_len(first), ]
    expect_equal(told$level, drop(level %*% coef(dense)), ignore_attr = TRUE)
    expect_equal(told$std_error, sqrt(diag(level %*% vcov(dense) %*% t(level))), ignore_attr = TRUE)
    expect_equal(told$deviation, drop(deviation %*% coef(dense)), ignore_attr = TRUE)
    expect_equal(told$deviation_error, sqrt(diag(deviation %*% vcov(dense) %*% t(deviation))), ignore_attr = TRUE)
    if (length(order) == 1) next
    second <- rbind(0, diag(width)[first + seq_len(ncol(D[[2]]) - 1), ]) - rep(1, ncol(D[[2]])) %o% shares
    told <- levels[-seq_len(first), ]
    expect_equal(told$deviation, drop(second %*% coef(dense)), ignore_attr = TRUE)
    expect_equal(told$std_error, sqrt(diag(second %*% vcov(dense) %*% t(second))), ignore_attr = TRUE)
  }
})

test_that("slopes of own trends are those of each group's line", {
  panel <- gappy_panel(N = 10, keep = 1)
  levels <- effect_levels(fit_fixed(y ~ x1, panel, ~ id + id:trend(year)))
  dense <- coef(lm(y ~ x1 + factor(id):year + factor(id), as.data.frame(panel)))
  expect_equal(levels$level[levels$effect == "id:trend(year)"], unname(dense[grep(":year", names(dense))]))
})

test_that("predicted effects are shrunken, sorted when asked, with their prediction error", {
  panel <- gappy_panel(N = 15)
  fit <- fit_random(y ~ x1 + x2, panel)
  levels <- effect_levels(fit, sort = TRUE)
  expect_false(is.unsorted(rev(levels$deviation)))
  # Henderson's equations: the inverse's corner is the variance of the prediction.
  v <- fit$variance
  X <- cbind(1, panel$x1, panel$x2)
  D <- dummies_of(panel$id)
  both <- cbind(X, D)
  system <- crossprod(both) + diag(c(0, 0, 0, rep(v$sigma2_e / v$sigma2_u, ncol(D))))
  error <- sqrt(diag(solve(system))[-(1:3)])
  ours <- levels$std_error[match(sort(unique(panel$id)), levels$group)]
  shrink <- fit$effects[[1]]$groups$sizes * v$sigma2_u / (v$sigma2_e + fit$effects[[1]]$groups$sizes * v$sigma2_u)
  slopes_part <- ours^2 - v$sigma2_u * (1 - shrink)
  expect_equal(slopes_part * v$sigma2_e / sigma(fit)^2, error^2 * v$sigma2_e - v$sigma2_u * (1 - shrink))
  expect_error(effect_levels(fit_pooled(y ~ x1, panel)), class = "wavetax_error_no_effects")
})
