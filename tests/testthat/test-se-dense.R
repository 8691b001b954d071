# Every covariance against its formula on uneven panels with gaps, singletons and weights, with and without effects.

dense_case <- function(effects, weighted, seed = 4) {
  data <- as.data.frame(gappy_panel(14, 6, seed = seed, keep = 0.6, plain = TRUE))
  data <- data[order(runif(nrow(data))), ]
  data <- rbind(data, transform(data[1:2, ], id = c(101, 102), x1 = c(3, -2)))
  data$w <- if (weighted) data$w else 1
  D <- switch(effects, none = NULL, entity = dummies_of(data$id), period = dummies_of(data$year),
              both = cbind(dummies_of(data$id), dummies_of(data$year)[, -1]))
  X <- cbind(data$x1, data$x2)
  panel <- panel_frame(data, id, year)
  weights <- if (weighted) ~w
  fit <- if (effects == "none") fit_pooled(y ~ x1 + x2, panel, weights = weights) else
    fit_fixed(y ~ x1 + x2, panel, effects, weights = weights)
  d <- dense_regression(data$y, if (effects == "none") cbind(1, X) else X, D, data$w)
  list(data = data, fit = fit, d = d, effects = effects,
       kept = if (effects == "none") 1:3 else 1:2, words = paste(effects, if (weighted) "weighted"))
}
se_of <- function(fit, spec) {
  V <- vcov(suppressWarnings(with_errors(fit, spec)))
  unname(V)
}
cases <- unlist(lapply(c("none", "entity", "period", "both"), function(effects) {
  lapply(c(FALSE, TRUE), function(weighted) dense_case(effects, weighted))
}), recursive = FALSE)

test_that("HC0 to HC4 take full leverages, of effects and regressors", {
  for (case in cases) for (type in c("HC0", "HC1", "HC2", "HC3", "HC4")) {
    expect_equal(se_of(case$fit, se_robust(type)), unname(dense_hc(case$d, type)), tolerance = 1e-9,
                 info = paste(case$words, type))
  }
})

test_that("CR0 to CR3 are those of the formulas, clusters nested, crossing and finer", {
  for (case in cases) {
    data <- case$data
    for (by in c("id", "year", "region")) for (type in c("CR0", "CR2", "CR3")) {
      expect_equal(se_of(case$fit, se_clustered(by, type)), unname(dense_cr(case$d, data[[by]], type)),
                   tolerance = 1e-7, info = paste(case$words, by, type))
    }
    cell <- paste(data$region, data$year)
    expect_equal(se_of(case$fit, se_clustered(~ region:year, "CR2")), unname(dense_cr(case$d, cell, "CR2")),
                 tolerance = 1e-7, info = case$words)
  }
})

test_that("CR1 counts effects that are not nested, of rows that are not fitted whatever their outcome", {
  k_star <- function(case, by) {
    data <- case$data[case$d$live, ]
    if (case$effects == "none") return(3)
    crossing <- Filter(function(set) any(rowSums(table(data[[set]], data[[by]]) > 0) > 1),
                       switch(case$effects, entity = "id", period = "year", both = c("id", "year")))
    2 + qr(do.call(cbind, c(list(rep(1, nrow(data))), lapply(crossing, function(set) dummies_of(data[[set]])))))$rank
  }
  for (case in cases) for (by in c("id", "year", "region")) {
    expect_equal(se_of(case$fit, se_clustered(by)), unname(dense_cr(case$d, case$data[[by]], "CR1", k_star(case, by))),
                 tolerance = 1e-9, info = paste(case$words, by))
  }
})

test_that("Satterthwaite's and Hotelling's degrees of freedom are those of the formulas", {
  for (case in cases) for (type in c("CR2", "CR3", "CR1")) {
    fit <- with_errors(case$fit, se_clustered(~region, type, "satterthwaite"))
    d <- case$d
    region <- case$data$region
    terms <- kept_terms(fit)
    at <- if (case$effects == "none") seq_along(terms) else which(terms != "(Intercept)")
    expected <- vapply(seq_along(case$kept), function(j) {
      dense_satterthwaite(d, region, type, as.numeric(case$kept == j))
    }, 0)
    expect_equal(errors_df(fit)[at], expected, tolerance = 1e-6, info = paste(case$words, type))
    both <- numeric(length(terms))
    both[utils::tail(at, 2)] <- c(1, -2)
    c <- numeric(length(case$kept))
    c[utils::tail(seq_along(c), 2)] <- c(1, -2)
    expect_equal(errors_df(fit, rbind(both)), dense_satterthwaite(d, region, type, c), tolerance = 1e-6,
                 ignore_attr = TRUE)
    C <- diag(length(c))[utils::tail(seq_along(c), 2), ]
    contrasts <- matrix(0, 2, length(terms))
    contrasts[, at] <- C
    expect_equal(core_hotelling(fit$errors$forms, contrasts %*% fit$regression$root),
                 dense_hotelling(d, region, type, C), tolerance = 1e-6, info = paste(case$words, type))
  }
})

test_that("several dimensions add and subtract, each with its own factor; what is negative is set to 0", {
  for (case in cases) {
    part <- function(by) se_of(case$fit, se_clustered({{ by }}))
    expected <- part(~id) + part(~year) - part(~ id:year)
    fit <- with_errors(case$fit, se_clustered(~ id + year))
    if (!any(grepl("negative", fit$errors$notes))) expect_equal(unname(vcov(fit)), expected, tolerance = 1e-9)
    expect_gte(min(eigen(vcov(fit))$values), -1e-14)
    expect_equal(se_of(case$fit, se_clustered(~ id + year, combine = "sum")), part(~id) + part(~year), tolerance = 1e-9)
    expect_identical(unique(errors_df(fit)), min(fit$errors$clusters) - 1)
  }
})

test_that("Newey-West and Driscoll-Kraay count lags on the clock, and break at gaps", {
  for (case in cases) for (lags in c(0, 1, 3)) {
    data <- case$data
    expect_equal(se_of(case$fit, se_newey_west(lags)), unname(dense_kernel(case$d, data$id, data$year, lags)),
                 tolerance = 1e-9, info = paste(case$words, lags))
    expect_equal(se_of(case$fit, se_driscoll_kraay(lags)),
                 unname(dense_kernel(case$d, data$id, data$year, lags, across = TRUE)), tolerance = 1e-9,
                 info = paste(case$words, lags))
  }
  fit <- with_errors(cases[[3]]$fit, se_driscoll_kraay())
  expect_identical(c(fit$errors$lags, errors_df(fit)[2]), c(2, 5))
})

test_that("random effects use the rows of a root of the inverse covariance", {
  data <- gappy_panel(14, 6, seed = 2, keep = 0.7, plain = TRUE)
  panel <- panel_frame(data, id, year)
  X <- cbind(1, data$x1, data$x2)
  for (effects in c("entity", "both")) {
    fit <- suppressWarnings(fit_random(y ~ x1 + x2, panel, effects))
    sigma2 <- fit$variance$sigma2 / fit$variance$sigma2_e
    expect_true(all(sigma2 > 0))
    if (effects == "entity") {
      D <- dummies_of(data$id)
      V <- diag(nrow(data)) + sigma2 * tcrossprod(D)
      parts <- eigen(V, symmetric = TRUE)
      root <- parts$vectors %*% (parts$values^-0.5 * t(parts$vectors))
    } else {
      D <- dummies_of(data$id)
      theta <- 1 - 1 / sqrt(1 + colSums(D) * sigma2[1])
      R <- diag(nrow(data)) - D %*% (theta / colSums(D) * t(D))
      B <- R %*% dummies_of(data$year) * sqrt(sigma2[2])
      parts <- eigen(diag(nrow(data)) + tcrossprod(B), symmetric = TRUE)
      root <- parts$vectors %*% (parts$values^-0.5 * t(parts$vectors)) %*% R
    }
    d <- dense_regression(drop(root %*% data$y), root %*% X)
    expect_equal(unname(coef(fit)), drop(d$A %*% crossprod(d$X, root %*% data$y)), tolerance = 1e-8)
    for (type in c("HC1", "HC3")) {
      expect_equal(se_of(fit, se_robust(type)), unname(dense_hc(d, type)), tolerance = 1e-7, info = effects)
    }
    for (type in c("CR1", "CR2", "CR3")) for (by in c("id", "region", "year")) {
      expect_equal(se_of(fit, se_clustered(by, type)), unname(dense_cr(d, data[[by]], type, 3)), tolerance = 1e-7,
                   info = paste(effects, type, by))
    }
    expect_equal(se_of(fit, se_newey_west(2)), unname(dense_kernel(d, data$id, data$year, 2)), tolerance = 1e-7)
  }
})

test_that("panel-corrected errors are those of pairs written out, by pairs and over what all have", {
  d <- gappy_panel(12, 9, plain = TRUE, seed = 3)
  d <- d[d$id != 4 | d$year == min(d$year[d$id == 4]), ] # one alone
  p <- panel_frame(d, id, year)
  X <- cbind(d$x1, d$x2)
  cases <- list(
    list(fit_pooled(y ~ x1 + x2, p, weights = ~ w), dense_regression(d$y, cbind(1, X), NULL, d$w)),
    list(fit_fixed(y ~ x1 + x2, p), dense_regression(d$y, X, dummies_of(d$id)))
  )
  whole <- as.data.frame(p)[p$year %in% 2001:2004, ]
  whole <- whole[ave(whole$id, whole$id, FUN = length) == 4, ]
  even <- panel_frame(rbind(whole, d[d$id %in% whole$id & d$year > 2004, names(whole)]), id, year)
  cases[[3]] <- list(fit_fixed(y ~ x1 + x2, even), dense_regression(even$y, cbind(even$x1, even$x2),
                                                                   dummies_of(even$id)))
  for (case in cases) {
    data <- if (nrow(case[[2]]$X) == nrow(d)) d else even
    live <- case[[2]]$live
    for (pairs in c("pairwise", if (!identical(data, d)) "casewise")) {
      fit <- with_errors(case[[1]], se_panel_corrected(pairs))
      e <- ifelse(live, case[[2]]$e, 0)
      all <- ave(data$id, data$year, FUN = length) == length(unique(data$id[live]))
      meat <- 0
      for (r in which(live)) for (s in which(live & data$year == data$year[r])) {
        common <- intersect(data$year[live & data$id == data$id[r]], data$year[live & data$id == data$id[s]])
        if (pairs == "casewise") common <- unique(data$year[all])
        at <- function(i) e[match(paste(i, common), paste(data$id, data$year))]
        meat <- meat + mean(at(data$id[r]) * at(data$id[s])) * case[[2]]$X[r, ] %o% case[[2]]$X[s, ]
      }
      V <- case[[2]]$A %*% meat %*% case[[2]]$A * sum(live) / case[[2]]$df
      slopes <- ncol(V) - 1:0
      expect_equal(unname(vcov(fit))[seq_len(2) + (nrow(vcov(fit)) > 2), seq_len(2) + (nrow(vcov(fit)) > 2)],
                   unname(V[slopes, slopes]), tolerance = 1e-8)
      expect_equal(fit$errors$df, length(unique(data$year[live])) - 1)
    }
  }
  expect_match(paste(capture.output(print(with_errors(cases[[1]][[1]], se_panel_corrected()))), collapse = " "),
               "panel-corrected \\(66 pairs of ids, t with 8 df\\)")
  expect_error(with_errors(fit_difference(y ~ x1, p), se_panel_corrected()), class = "wavetax_error_errors")
  expect_error(with_errors(cases[[2]][[1]], se_panel_corrected("casewise")), class = "wavetax_error_errors")
})

test_that("panel-corrected errors say what they pass over, and clusters only where nothing is shared", {
  set.seed(7)
  said <- function(shared, rho) {
    d <- expand.grid(year = 1:30, id = 1:12)
    e <- replicate(12, as.numeric(stats::filter(rnorm(30), rho, "recursive"))) + shared * rnorm(30)
    d$x <- rnorm(360)
    d$y <- d$x + c(e)
    fit <- with_errors(fit_pooled(y ~ x, panel_frame(d, id, year)), se_panel_corrected())
    paste(fit$errors$notes, collapse = " ")
  }
  expect_match(said(0, .6), "related over time .* first, or cluster$")
  expect_match(said(1, .6), "first. Clusters by id alone would not see the shocks that ids share$")
  expect_identical(said(1, 0), "")
})
