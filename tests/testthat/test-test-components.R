# Tests of effects and components, variances, cross-section dependence, normality and form against their formulas.

gap_data <- function(seed = 3, N = 32) {
  data <- gappy_panel(N, 9, seed = seed, keep = 0.75, plain = TRUE)
  data$size <- NULL
  data
}

test_that("the F of effects is that of nested dummy regressions", {
  data <- gap_data()
  panel <- panel_frame(data, id, year)
  entity <- fit_fixed(y ~ x1 + x2, panel)
  both <- fit_fixed(y ~ x1 + x2, panel, "both")
  expected <- anova(lm(y ~ x1 + x2, data), lm(y ~ x1 + x2 + factor(id), data),
                    lm(y ~ x1 + x2 + factor(id) + factor(year), data))
  result <- test_effects(entity)
  exact <- anova(lm(y ~ x1 + x2, data), lm(y ~ x1 + x2 + factor(id), data))
  expect_equal(unname(result$statistic), exact$F[2])
  expect_equal(result$p.value, exact[["Pr(>F)"]][2])
  second <- test_effects(both, entity)
  expect_equal(unname(second$statistic),
               ((deviance(entity) - deviance(both)) / expected$Df[3]) / (deviance(both) / df.residual(both)))
  expect_equal(unname(second$parameter[1]), expected$Df[3])
  expect_error(test_effects(fit_fixed(y ~ x1 + x2, panel, "period"), entity), class = "wavetax_error_not_nested")
  expect_error(test_effects(entity, both), "swapped", class = "wavetax_error_not_nested")
  expect_error(test_effects(fit_pooled(y ~ x1, panel)), "fit_fixed", class = "wavetax_error_method")
  expect_error(test_effects(entity, robust = TRUE), "test_mundlak", class = "wavetax_error_robust")
  drawn <- test_effects(entity, draws = 99)
  expect_true(drawn$p.value %in% ((1:100) / 100))
  expect_true(as.data.frame(drawn)$simulated)
})

test_that("components of entity and period follow Honda, King and Wu, and the mixture; weighted too", {
  data <- gap_data(N = 40)
  panel <- panel_frame(data, id, year)
  for (weighted in c(FALSE, TRUE)) {
    w <- if (weighted) data$w else rep(1, nrow(data))
    fit <- if (weighted) fit_pooled(y ~ x1 + x2, panel, weights = ~w) else fit_pooled(y ~ x1 + x2, panel)
    e <- residuals(fit)
    n <- length(e)
    HO <- function(g) {
      A <- sum(rowsum(w * e, g)^2) / sum(w * e^2)
      (n * A - sum(w)) / sqrt(2 * (sum(rowsum(w, g)^2) - sum(w)^2 / n))
    }
    entity <- test_random_effects(fit)
    expect_equal(unname(entity$statistic), HO(data$id)^2)
    expect_equal(entity$p.value, pnorm(HO(data$id), lower.tail = FALSE))
    expect_equal(unname(test_random_effects(fit, "both", "two-sided", draws = 19)$statistic),
                 HO(data$id)^2 + HO(data$year)^2)
  }
  fit <- fit_pooled(y ~ x1 + x2, panel)
  e <- residuals(fit)
  A <- function(g) sum(rowsum(e, g)^2) / sum(e^2) - 1
  M <- function(g) sum(table(g)^2)
  n <- length(e)
  kw <- n * (A(data$id) + A(data$year)) / sqrt(2 * (M(data$id) + M(data$year) - 2 * n))
  both <- test_random_effects(fit, "both")
  expect_equal(unname(both$statistic), kw)
  expect_equal(both$simulated$asymptotic, pnorm(kw, lower.tail = FALSE))
  HO <- function(g) n * A(g) / sqrt(2 * (M(g) - n))
  expect_equal(unname(test_random_effects(fit, "both", "mixture")$statistic),
               max(HO(data$id), 0)^2 + max(HO(data$year), 0)^2)
  alone <- panel_frame(data[!duplicated(data$id), ], id, year)
  expect_error(test_random_effects(fit_pooled(y ~ x1, alone)), "one row", class = "wavetax_error_too_few_periods")
  expect_equal(test_random_effects(fit_random(y ~ x1 + x2, panel))$statistic, test_random_effects(fit)$statistic)
})

test_that("Mundlak's test is Hausman's where the components are held, and robust with CR3", {
  data <- gap_data()
  panel <- panel_frame(data, id, year)
  random <- fit_random(y ~ x1 + x2, panel)
  correlated <- fit_correlated(y ~ x1 + x2, panel)
  result <- test_mundlak(random)
  V <- vcov(with_errors(correlated, se_clustered(type = "CR3")))
  at <- c("mean(x1)", "mean(x2)")
  W <- drop(coef(correlated)[at] %*% solve(V[at, at], coef(correlated)[at]))
  G <- length(unique(data$id))
  expect_equal(unname(result$statistic), W / 2, tolerance = 1e-8)
  expect_equal(result$p.value, pf(W / 2, 2, G - 1, lower.tail = FALSE), tolerance = 1e-8)
  # With theta and sigma2 held: the dense quasi-demeaned regression with and without means.
  theta <- random$variance$theta[data$id]
  mean_of <- function(v) ave(v, data$id)
  star <- function(v) v - theta * mean_of(v)
  small <- lm(star(data$y) ~ star(rep(1, nrow(data))) + star(data$x1) + star(data$x2) - 1)
  large <- update(small, . ~ . + star(mean_of(data$x1)) + star(mean_of(data$x2)))
  s2 <- deviance(fit_fixed(y ~ x1 + x2, panel)) / df.residual(fit_fixed(y ~ x1 + x2, panel))
  shared <- test_hausman(fit_fixed(y ~ x1 + x2, panel), random)
  expect_equal(unname(shared$statistic), (deviance(small) - deviance(large)) / s2, tolerance = 1e-7)
  expect_error(test_mundlak(fit_pooled(y ~ x1, panel)), "fit_random", class = "wavetax_error_method")
  few <- panel_frame(data[data$id <= 3, ], id, year)
  expect_error(suppressWarnings(test_mundlak(fit_fixed(y ~ x1 + x2 + w, few))), class = "wavetax_error")
})

test_that("variances across entities and with regressors follow their formulas", {
  data <- gap_data()
  data <- data[ave(data$year, data$id, FUN = length) >= 3, ]
  panel <- panel_frame(data, id, year)
  pooled <- fit_pooled(y ~ x1 + x2, panel)
  levene <- anova(lm(abs(residuals(pooled)) ~ factor(data$id)))
  expect_equal(unname(test_variance(pooled)$statistic), levene$F[1])
  fixed <- fit_fixed(y ~ x1 + x2, panel)
  e <- residuals(fixed)
  pairs <- do.call(rbind, lapply(split(seq_along(e), data$id), function(rows) {
    rows <- rows[order(data$year[rows])]
    k <- length(rows) %/% 2
    if (k >= 2) data.frame(id = data$id[rows[1]], v = abs(e[rows[2 * seq_len(k)]] - e[rows[2 * seq_len(k) - 1]]))
  }))
  expect_equal(unname(test_variance(fixed)$statistic), anova(lm(v ~ factor(id), pairs))$F[1])
  expect_equal(unname(test_variance(fixed, "bartlett")$statistic), unname(bartlett.test(e, data$id)$statistic))
  spans <- as.vector(table(data$id))
  s2 <- as.vector(rowsum(e^2, data$id)) / spans
  v <- as.vector(rowsum((e^2 - s2[match(data$id, sort(unique(data$id)))])^2, data$id)) / spans / (spans - 1)
  wald <- test_variance(fixed, "wald")
  expect_equal(unname(wald$statistic), sum((s2 - mean(e^2))^2 / v))
  expect_match(wald$cautions[1], "far too often")
  n_r2 <- function(squares, ...) {
    fit <- lm(squares ~ ...)
    length(squares) * summary(fit)$r.squared
  }
  h <- diag(projection(cbind(data$x1, data$x2, dummies_of(data$id))))
  koenker <- lm(e^2 / (1 - h) ~ data$x1 + data$x2)
  expect_equal(unname(test_variance(fixed, "koenker")$statistic), length(e) * summary(koenker)$r.squared,
               tolerance = 1e-8)
  white <- lm(residuals(pooled)^2 ~ poly(cbind(x1, x2), 2, raw = TRUE), data)
  result <- test_variance(pooled, "white")
  expect_equal(unname(result$statistic), nrow(data) * summary(white)$r.squared, tolerance = 1e-8)
  expect_equal(unname(result$parameter), 5)
  # An entity component and a regressor that is fixed in time: the form clustered by entity.
  panel$fixed <- sin(panel$id)
  expect_match(test_variance(fit_pooled(y ~ x1 + fixed, panel), "koenker")$cautions, "clustered by id")
  expect_error(test_variance(fit_pooled(y ~ x1 + x2 + w, panel[1:14, ]), "white"),
               class = "wavetax_error_too_many_columns")
})

test_that("dependence between entities is that of all pairs over the periods they share", {
  data <- gap_data(N = 15)
  panel <- panel_frame(data, id, year)
  fit <- fit_fixed(y ~ x1 + x2, panel)
  e <- residuals(fit)
  wide <- tapply(e, list(data$year, data$id), sum)
  wide <- wide[, colSums(!is.na(wide)) > 1]
  found <- NULL
  for (i in seq_len(ncol(wide))) for (j in seq_len(i - 1)) {
    both <- !is.na(wide[, i]) & !is.na(wide[, j])
    if (sum(both) >= 3) found <- rbind(found, c(sum(both), cor(wide[both, i], wide[both, j])))
  }
  spans <- found[, 1]
  r <- found[, 2]
  cd <- test_cross_section(fit)
  expect_equal(unname(cd$statistic), sum(sqrt(spans - 1) * r) / sqrt(length(r)), tolerance = 1e-8)
  expect_identical(unname(cd$pairs[1]), as.numeric(length(r)))
  moments <- test_cross_section(fit, "moments")
  expected <- sum((spans - 1) * r^2 - 1) / sqrt(sum(2 * (spans - 2) / (spans + 1)))
  expect_equal(unname(moments$statistic), expected, tolerance = 1e-8)
  expect_error(test_cross_section(fit, "lm"), "too often", class = "wavetax_error_method")
  expect_error(test_cross_section(fit, "bias-corrected"), "balanced", class = "wavetax_error_method")
  expect_error(test_cross_section(fit_fixed(y ~ x1, panel, "both"), "cd"), "moments", class = "wavetax_error_method")
  set.seed(2)
  long <- panel_frame(data.frame(id = rep(1:4, each = 15), t = rep(1:15, 4), x = rnorm(60), y = rnorm(60)), id, t)
  pooled <- fit_pooled(y ~ x, long)
  r2 <- cor(matrix(residuals(pooled), 15))[lower.tri(diag(4))]^2
  expect_equal(unname(test_cross_section(pooled, "lm")$statistic), sum(15 * r2))
  scaled <- sum(15 * r2 - 1) / sqrt(12)
  expect_equal(unname(test_cross_section(pooled, "scaled")$statistic), scaled)
  expect_equal(unname(test_cross_section(pooled, "bias-corrected")$statistic), scaled - 4 / (2 * 14))
  some <- test_cross_section(fit, sample = 6, seed = 4)
  expect_identical(sum(some$pairs), 15)
})

test_that("normality is of residuals over sqrt(1 - h), and of effects over their spread; few values by draws", {
  data <- gap_data()
  panel <- panel_frame(data, id, year)
  jb <- function(v) {
    v <- v - mean(v)
    length(v) / 6 * ((mean(v^3) / mean(v^2)^1.5)^2 + (mean(v^4) / mean(v^2)^2 - 3)^2 / 4)
  }
  fixed <- fit_fixed(y ~ x1 + x2, panel)
  h <- diag(projection(cbind(data$x1, data$x2, dummies_of(data$id))))
  live <- h < 1 - 1e-9
  expect_equal(unname(test_normality(fixed)$statistic), jb((residuals(fixed) / sqrt(1 - h))[live]), tolerance = 1e-7)
  random <- fit_random(y ~ x1 + x2, panel)
  left <- data$y - cbind(1, data$x1, data$x2) %*% coef(random)
  spans <- as.vector(table(data$id))
  v <- as.vector(rowsum(left, data$id)) / spans / sqrt(random$variance$sigma2 + random$variance$sigma2_e / spans)
  effects <- test_normality(random, of = "effects")
  expect_equal(unname(effects$statistic), jb(v), tolerance = 1e-8)
  expect_true(effects$p.value %in% ((1:1000) / 1000))
  expect_error(test_normality(fixed, of = "effects"), "fit_random", class = "wavetax_error_method")
})

test_that("the form's F adds swept powers of the prediction: classical, and CR3 by cluster", {
  data <- gap_data()
  panel <- panel_frame(data, id, year)
  fit <- fit_fixed(y ~ x1 + x2, panel)
  index <- drop(cbind(data$x1, data$x2) %*% coef(fit))
  index <- (index - mean(index)) / sd(index)
  small <- lm(y ~ x1 + x2 + factor(id), data)
  large <- update(small, . ~ . + I(index^2) + I(index^3))
  exact <- anova(small, large)
  expect_equal(unname(test_form(with_errors(fit, se_classical()))$statistic), exact$F[2], tolerance = 1e-7)
  panel$two <- index^2
  panel$three <- index^3
  wide <- fit_fixed(y ~ x1 + x2 + two + three, panel, errors = se_clustered(type = "CR3"))
  at <- c("two", "three")
  W <- drop(coef(wide)[at] %*% solve(vcov(wide)[at, at], coef(wide)[at]))
  clustered <- test_form(fit)
  expect_equal(unname(clustered$statistic), W / 2, tolerance = 1e-6)
  expect_equal(unname(clustered$parameter), c(2, length(unique(data$id)) - 1))
  # By period, across the effects of entities.
  by_period <- fit_fixed(y ~ x1 + x2 + two + three, panel, errors = se_clustered("period", type = "CR3"))
  W <- drop(coef(by_period)[at] %*% solve(vcov(by_period)[at, at], coef(by_period)[at]))
  expect_equal(unname(test_form(with_errors(fit, se_clustered("period")))$statistic), W / 2, tolerance = 1e-6)
  # Random effects with theta held: a dense quasi-demeaned regression.
  random <- fit_random(y ~ x1 + x2, panel, errors = se_classical())
  theta <- random$variance$theta[match(data$id, sort(unique(data$id)))]
  star <- function(v) v - theta * ave(v, data$id)
  index <- drop(cbind(data$x1, data$x2) %*% coef(random)[-1])
  index <- index - mean(index)
  small <- lm(star(data$y) ~ star(rep(1, nrow(data))) + star(data$x1) + star(data$x2) - 1)
  large <- update(small, . ~ . + star(index^2) + star(index^3))
  expect_equal(unname(test_form(random)$statistic), anova(small, large)$F[2], tolerance = 1e-7)
  panel$yes <- as.numeric(panel$x1 > 0)
  expect_error(test_form(fit_fixed(y ~ yes, panel)), "add nothing", class = "wavetax_error_nothing_to_compare")
})

test_that("restrictions are read and never evaluated, redundant ones dropped, contradictions refused", {
  panel <- harbour_panel()
  fit <- fit_fixed(log(nights) ~ levy + past(levy) + storms + fuel + pier, panel)
  b <- coef(fit)
  V <- vcov(fit)
  R <- rbind(c(1, 1, 0, 0), c(0, 0, 1, -0.5))
  d <- drop(R %*% b) - c(-0.05, 0)
  G <- 96
  W <- drop(d %*% solve(R %*% V %*% t(R), d))
  result <- test_joint(fit, c("levy + past(levy) = -0.05", "2*storms = fuel", "storms - fuel/2 = 0"))
  expect_equal(unname(result$statistic), W * (G - 2) / ((G - 1) * 2), tolerance = 1e-7)
  expect_match(result$notes, "follows", all = FALSE)
  expect_identical(test_joint(fit, "past*")$null, "past(levy) is zero")
  refused <- function(text, kind = "restriction", words = "") {
    expect_error(test_joint(fit, text), words, class = paste0("wavetax_error_", kind))
  }
  refused("levy * storms = 0", words = "multiplies")
  refused("1 / levy = 0", words = "divides")
  refused(c("levy = 0", "levy = 1"), words = "contradict")
  refused("levy = levy", words = "No coefficient is left")
  refused("levy = ")
  refused("levy + = 0", words = "cannot be read")
  refused("file.remove('x') = 0", "unknown_term")
  refused("pier = 0", "unknown_term", "was dropped")
  refused("no* = 0", "restriction")
  refused("no*", "unknown_term")
  drawn <- test_joint(fit, c("levy = -0.05", "storms = 0"), draws = 99)
  expect_lt(drawn$p.value, 0.02)
  expect_lt(abs(test_joint(fit, "levy = -0.05", draws = 99)$p.value - test_joint(fit, "levy = -0.05")$p.value), 0.2)
})

test_that("collinearity is that of the swept regressors, a factor as one term", {
  data <- gap_data()
  panel <- panel_frame(data, id, year)
  fit <- fit_fixed(y ~ x1 + x2 + kind, panel)
  C <- cov2cor(vcov(with_errors(fit, se_classical())))
  result <- collinearity(fit)
  at <- 3:4
  expect_equal(result$inflation[3], det(C[at, at]) * det(C[-at, -at]) / det(C), tolerance = 1e-8)
  expect_identical(result$term, c("x1", "x2", "kind"))
  X <- model.matrix(fit, type = "swept")
  X <- X[, colnames(X) != "(Intercept)"]
  s <- svd(X / rep(sqrt(colSums(X^2)), each = nrow(X)))$d
  expect_equal(attr(result, "condition"), max(s) / min(s), tolerance = 1e-8)
  pooled <- fit_pooled(y ~ x1 + x2, panel)
  X <- cbind(1, data$x1, data$x2)
  s <- svd(X / rep(sqrt(colSums(X^2)), each = nrow(X)))$d
  expect_equal(attr(collinearity(pooled), "condition"), max(s) / min(s), tolerance = 1e-8)
})

test_that("influence is that of estimating without each group", {
  data <- gap_data(N = 12)
  panel <- panel_frame(data, id, year)
  for (fit in list(fit_pooled(y ~ x1 + x2, panel), fit_fixed(y ~ x1 + x2, panel),
                   fit_fixed(y ~ x1 + x2, panel, "both"))) {
    for (by in c("id", "year", "region")) {
      moved <- influence_by(fit, by)
      for (g in unique(data[[by]])) {
        without <- tryCatch(coef(update(fit, data = panel[panel[[by]] != g, ])), wavetax_error = function(cnd) NA)
        if (anyNA(without)) next
        mine <- moved[as.character(moved$group) == as.character(g), ]
        expect_equal(mine$without, unname(without), tolerance = 1e-7, info = paste(fit$method, by, g))
      }
    }
  }
})
