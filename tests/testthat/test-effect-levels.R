# Contrasts of a regression on dummies: the level of a group at x = 0, others at their shares.
test_that("levels, deviations and their errors are contrasts of the dummy regression, with any number of sets", {
  panel <- gappy_panel(N = 12)
  panel$crew <- letters[1 + seq_len(nrow(panel)) %% 5]
  data <- as.data.frame(panel)
  for (weighted in c(FALSE, TRUE)) for (order in list(c("id", "year"), c("year", "id"), "id", c("crew", "id", "year"),
                                                      c("id", "year", "crew"))) {
    w <- if (weighted) data$w else rep(1, nrow(data))
    effects <- reformulate(order)
    levels <- effect_levels(if (weighted) fit_fixed(y ~ x1 + x2, panel, effects, weights = ~w) else
      fit_fixed(y ~ x1 + x2, panel, effects))
    D <- lapply(data[order], dummies_of)
    dense <- lm(y ~ 0 + X, list(y = data$y, X = do.call(cbind, c(
      D[1], lapply(D[-1], function(d) d[, -1]), list(data$x1, data$x2)
    ))), weights = w)
    width <- length(coef(dense))
    counts <- vapply(D, ncol, 0L) - seq_along(D) %in% seq_along(D)[-1]
    place <- split(seq_len(sum(counts)), rep(seq_along(D), counts))
    of_share <- lapply(D, function(d) colSums(w * d) / sum(w))
    shares <- rep(0, width)
    for (s in seq_along(D)[-1]) shares[place[[s]]] <- of_share[[s]][-1]
    error <- function(contrast) sqrt(diag(contrast %*% vcov(dense) %*% t(contrast)))
    own <- diag(width)[place[[1]], ]
    level <- own + rep(1, nrow(own)) %o% shares
    deviation <- own - rep(1, nrow(own)) %o% replace(0 * shares, place[[1]], of_share[[1]])
    told <- levels[levels$effect == order[1], ]
    expect_equal(told$level, drop(level %*% coef(dense)), ignore_attr = TRUE)
    expect_equal(told$std_error, error(level), ignore_attr = TRUE)
    expect_equal(told$deviation, drop(deviation %*% coef(dense)), ignore_attr = TRUE)
    expect_equal(told$deviation_error, error(deviation), ignore_attr = TRUE)
    for (s in seq_along(D)[-1]) {
      further <- rbind(0, diag(width)[place[[s]], ])
      further <- further - rep(1, nrow(further)) %o% replace(0 * shares, place[[s]], of_share[[s]][-1])
      told <- levels[levels$effect == order[s], ]
      expect_equal(told$deviation, drop(further %*% coef(dense)), ignore_attr = TRUE)
      expect_equal(told$std_error, error(further), ignore_attr = TRUE)
      expect_equal(told$deviation_error, told$std_error)
    }
  }
})

test_that("levels and connected groups of each set are told, and why effects have no errors", {
  panel <- harbour_panel()
  apart <- fit_fixed(log(nights) ~ levy, panel, ~ harbour + coast:season)
  said <- function(x) gsub("\\s+", " ", paste(capture.output(print(x)), collapse = " "))
  expect_match(said(apart), "df (96 harbours; 60 values of coast:season in 5 groups that share no harbour)",
               fixed = TRUE)
  both <- fit_fixed(log(nights) ~ levy, panel, "both")
  expect_match(said(both), "(96 harbours and 12 seasons, connected)", fixed = TRUE)
  expect_match(said(fit_fixed(log(nights) ~ levy, panel, ~ coast:season)), "60 df (60 values of coast:season) ",
               fixed = TRUE)
  facts <- said(spec_table(apart, both, facts = c("levels", "connected")))
  expect_match(facts, "levels of season effects 12 connected groups of coast:season effects 5 connected")
  expect_match(said(effect_levels(apart)), "no errors of effects, since levels of sets that are not connected")
  expect_match(said(effect_levels(fit_random(log(nights) ~ levy, panel, "both"))), "several sets of random effects")
  expect_false(grepl("no errors", said(effect_levels(both))))
  dummies <- fit_pooled(log(nights) ~ levy + factor(harbour), panel)
  expect_match(said(spec_table(dummies, fit_fixed(log(nights) ~ levy, panel), hide = ~ factor(harbour))),
               "R-squared within harbours 0.055 0.055 R-squared with effects 0.858 0.858")
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
