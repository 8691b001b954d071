# Bootstraps through sums of scores, against refits of every draw.

# The data with 7 clusters of whole entities, and dense dummies of the effects.
drawn_case <- function(both, seed = 5) {
  data <- gappy_panel(21, 6, seed = seed, keep = 0.8, plain = TRUE)
  data$district <- letters[data$id %% 7 + 1]
  D <- cbind(dummies_of(data$id), if (both) dummies_of(data$year)[, -1])
  list(data = data, D = D, fit = fit_fixed(y ~ x1 + x2, panel_frame(data, id, year), if (both) "both" else "entity"))
}

# t of the coefficient `j` against `null` by CR1 without its factor, refitted on an outcome y.
dense_t <- function(y, case, j, null = 0) {
  d <- dense_regression(y, cbind(case$data$x1, case$data$x2), case$D)
  b <- drop(d$A %*% crossprod(d$X, y))
  (b[j] - null) / sqrt(dense_cr(d, case$data$district, "CR0")[j, j])
}

dense_wild_p <- function(case, j, null) {
  data <- case$data
  own <- dense_t(data$y, case, j, null)
  x <- cbind(data$x1, data$x2)
  base <- qr(cbind(case$D, x[, -j]))
  left <- data$y - null * x[, j]
  signs <- as.matrix(expand.grid(rep(list(c(1, -1)), 7)))
  labels <- sort(unique(data$district))
  t <- apply(signs, 1, function(v) {
    star <- qr.fitted(base, left) + null * x[, j] + v[match(data$district, labels)] * qr.resid(base, left)
    dense_t(star, case, j, null)
  })
  mean(abs(t) >= abs(own) * (1 - 1e-9))
}

test_that("the wild bootstrap is that of refits with the null imposed, and its interval inverts it", {
  for (both in c(FALSE, TRUE)) {
    case <- drawn_case(both)
    fit <- with_errors(case$fit, se_bootstrap(~district))
    table <- as.data.frame(fit)
    for (j in 1:2) {
      expect_equal(table$p_value[j], dense_wild_p(case, j, 0), tolerance = 1e-12)
      inside <- 1e-6 * (table$high[j] - table$low[j])
      expect_gt(dense_wild_p(case, j, table$low[j] + inside), 0.05)
      expect_lte(dense_wild_p(case, j, table$low[j] - inside), 0.05)
    }
    expect_match(fit$errors$type, "all 128 patterns of signs")
    shuffled <- case$data[sample(nrow(case$data)), ]
    again <- with_errors(fit_fixed(y ~ x1 + x2, panel_frame(shuffled, id, year), if (both) "both" else "entity"),
                         se_bootstrap(~district))
    expect_equal(as.data.frame(again)[-4], table[-4], tolerance = 1e-7)
  }
})

test_that("pairs of clusters are drawn with their effects, each a cluster of its own", {
  case <- drawn_case(TRUE)
  data <- case$data
  fit <- with_errors(case$fit, se_bootstrap(~district, "pairs", draws = 40, seed = 3))
  times <- with_own_seed(3, stats::rmultinom(40, 7, rep(1, 7)))
  labels <- sort(unique(data$district))
  b <- apply(times, 2, function(m) {
    drawn <- do.call(rbind, lapply(seq_len(sum(m)), function(copy) {
      one <- data[data$district == rep(labels, m)[copy], ]
      transform(one, id = paste(id, copy))
    }))
    coef(lm(y ~ x1 + x2 + factor(id) + factor(year), drawn))[2:3]
  })
  expect_equal(unname(vcov(fit)), unname(cov(t(b))), tolerance = 1e-8)
  expect_identical(unique(errors_df(fit)), 6)
})

test_that("seeded draws repeat, leave the session's random numbers alone, and use six points of few clusters", {
  fit <- fit_fixed(harbour_equation, harbour_panel())
  set.seed(1)
  before <- .Random.seed
  a <- with_errors(fit, se_bootstrap(draws = 199, seed = 4))
  expect_identical(.Random.seed, before)
  expect_identical(as.data.frame(a), as.data.frame(with_errors(fit, se_bootstrap(draws = 199, seed = 4))))
  expect_true(all(as.data.frame(a)$p_value %in% ((1:200) / 200)))
  coasts <- with_errors(fit, se_bootstrap(~coast, draws = 500))
  expect_match(coasts$errors$type, "500 draws of six points")
  expect_error(se_bootstrap(draws = 0), class = "wavetax_error_argument")
  expect_error(with_errors(fit_random(harbour_equation, harbour_panel()), se_bootstrap("period")), "several clusters",
               class = "wavetax_error_errors")
})

test_that("a joint test under a wild bootstrap of one restriction is the test of that coefficient", {
  case <- drawn_case(TRUE)
  fit <- with_errors(case$fit, se_bootstrap(~district))
  expect_equal(test_joint(fit, "x1")$p.value, as.data.frame(fit)$p_value[1])
  both <- test_joint(fit)
  V <- dense_cr(dense_regression(case$data$y, cbind(case$data$x1, case$data$x2), case$D), case$data$district, "CR0")
  expect_equal(unname(both$statistic), drop(coef(fit) %*% solve(V, coef(fit))), tolerance = 1e-8)
})

test_that("effects that cut across clusters in too many levels for columns are swept once a cluster", {
  set.seed(8)
  data <- data.frame(id = rep(1:7, 1600), t = rep(1:1600, each = 7), x1 = rnorm(11200), x2 = rnorm(11200))
  data$y <- data$x1 / 150 + rnorm(11200)
  fit_of <- function(y, formula) {
    data$y <- y
    fit_fixed(formula, panel_frame(data, id, t), "both", errors = se_clustered(type = "CR0"))
  }
  p_of <- function(term) {
    null <- fit_of(data$y, stats::reformulate(setdiff(c("x1", "x2"), term), "y"))
    t_of <- function(y) abs(as.data.frame(fit_of(y, y ~ x1 + x2))[match(term, c("x1", "x2")), "statistic"])
    signs <- as.matrix(expand.grid(rep(list(c(1, -1)), 6)))  # a pattern and its opposite have one |t|
    t <- apply(cbind(1, signs), 1, function(v) t_of(fitted(null) + v[data$id] * residuals(null)))
    mean(t >= t_of(data$y) * (1 - 1e-9))
  }
  fit <- with_errors(fit_of(data$y, y ~ x1 + x2), se_bootstrap())
  expect_equal(as.data.frame(fit)$p_value, c(p_of("x1"), p_of("x2")))
  expect_equal(test_joint(fit, "x1")$p.value, as.data.frame(fit)$p_value[1])
  expect_error(with_errors(fit, se_bootstrap(scheme = "pairs")), "sweeps them once", class = "wavetax_error_errors")
})
