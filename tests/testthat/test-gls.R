# Feasible generalised least squares against the steps written out with whole matrices.

# The estimate from V, with a dummy for each entity where D is given: list(b, inverse, s2, left).
dense_gls <- function(y, A, V) {
  cross <- solve(crossprod(A, solve(V, A)))
  b <- unname(drop(cross %*% crossprod(A, solve(V, y))))
  left <- drop(y - A %*% b)
  list(b = b, inverse = cross, left = left, s2 = sum(left * solve(V, left)) / (length(y) - ncol(A)))
}

# The root of AR(1) rows by entity, in order of entity and period; `rho` by entity.
ar1_root_of <- function(d, rho) {
  R <- outer(d$id, d$id, `==`) * rho[as.character(d$id)]^abs(outer(d$year, d$year, `-`))
  diag(sqrt(1 - rho[as.character(d$id)]^2)) %*% forwardsolve(t(chol(R)), diag(nrow(d)))
}

uneven <- function(seed, N, periods, keep) {
  d <- gappy_panel(N, periods, plain = TRUE, seed = seed, keep = keep)
  d[order(d$id, d$year), ]
}

test_that("a variance for each entity: weights from least squares residuals, with and without AR(1) and dummies", {
  d <- uneven(3, 15, 12, 0.8)
  p <- panel_frame(d[sample(nrow(d)), ], id, year)
  X <- cbind(d$x1, d$x2)
  D <- dummies_of(d$id)
  size <- ave(d$id, d$id, FUN = length)
  for (effects in c("none", "entity")) for (rho in c(0, 0.35)) {
    A <- if (effects == "entity") cbind(D, X) else cbind(1, X)
    root <- ar1_root_of(d, stats::setNames(rep(rho, ncol(D)), unique(d$id)))
    first <- qr.resid(qr(root %*% A), root %*% d$y)
    sigma2 <- ave(drop(first)^2, d$id)
    V <- solve(crossprod(root / sqrt(sigma2)))
    dense <- dense_gls(d$y, A, V)
    fit <- fit_gls(y ~ x1 + x2, p, variances = "entity", serial = serial_ar1(rho), effects = effects,
                   errors = se_classical())
    validate_panel_fit(fit)
    k <- ncol(A) - 1:0
    expect_equal(unname(fit$coefficients$estimate[2:3]), dense$b[k], tolerance = 1e-9)
    expect_equal(fit$scale, dense$s2)
    expect_equal(unname(fit$variance$sigma2_e), unname(dense$s2 * sigma2[match(unique(d$id), d$id)] / (1 - rho^2)))
    rows <- root %*% A / sqrt(sigma2)
    inverse <- solve(crossprod(rows))
    V_of <- function(times) inverse %*% crossprod(rows * times) %*% inverse * dense$s2
    slopes <- nrow(vcov(fit)) - 1:0
    of <- function(fit) unname(vcov(fit)[slopes, slopes])
    expect_equal(of(fit), unname(V_of(size / (size - 2))[k, k]), tolerance = 1e-8)
    textbook <- fit_gls(y ~ x1 + x2, p, variances = "entity", serial = serial_ar1(rho), effects = effects,
                        adjust = FALSE)
    expect_equal(of(with_errors(textbook, se_classical())), unname(V_of(1)[k, k]), tolerance = 1e-8)
    # Clustered by entity: scores times T / (T - 2).
    e <- drop(root %*% dense$left) / sqrt(sigma2)
    scores <- rowsum(rows * e * size / (size - 2), d$id)
    G <- nrow(scores)
    k_star <- if (effects == "entity") 3 else 3
    cr1 <- inverse %*% crossprod(scores) %*% inverse * G / (G - 1) * (nrow(d) - 1) / (nrow(d) - k_star)
    expect_equal(of(with_errors(fit, se_clustered())), unname(cr1[k, k]), tolerance = 1e-8)
    expect_equal(unname(residuals(fit)), dense$left[match(paste(p$id, p$year), paste(d$id, d$year))], tolerance = 1e-9)
    expect_equal(c(logLik(fit)), -nrow(d) / 2 * (log(2 * pi * fit$ssr / nrow(d)) + 1) - c(determinant(V)$modulus) / 2,
                 tolerance = 1e-8)
    expect_match(paste(capture.output(print(fit)), collapse = " "), "15 variances by id are estimated from")
  }
})

test_that("one variance is least squares, or that of the same rows with AR(1)", {
  p <- panel_frame(uneven(5, 12, 9, 0.8), id, year)
  expect_equal(coef(fit_gls(y ~ x1 + x2, p)), coef(fit_pooled(y ~ x1 + x2, p)))
  expect_equal(vcov(fit_gls(y ~ x1 + x2, p)), vcov(fit_pooled(y ~ x1 + x2, p)))
  both <- list(fit_gls(y ~ x1 + x2, p, serial = "ar1", effects = "entity"), fit_fixed(y ~ x1 + x2, p, serial = "ar1"))
  expect_equal(coef(both[[1]]), coef(both[[2]]))
  expect_equal(vcov(both[[1]]), vcov(both[[2]]))
  expect_equal(both[[1]]$serial[c("rho", "low", "high", "pairs")], both[[2]]$serial[c("rho", "low", "high", "pairs")])
  expect_equal(both[[1]]$r_squared, both[[2]]$r_squared)
})

test_that("each entity's own rho is that of its own rows", {
  d <- uneven(6, 8, 30, 0.85)
  p <- panel_frame(d, id, year)
  for (effects in c("none", "entity")) {
    fit <- fit_gls(y ~ x1 + x2, p, serial = "ar1-own", effects = effects)
    plain <- if (effects == "none") fit_pooled(y ~ x1 + x2, p) else fit_fixed(y ~ x1 + x2, p)
    for (i in unique(d$id)) {
      e <- residuals(plain)[d$id == i]
      year <- d$year[d$id == i]
      B <- (abs(outer(year, year, `-`)) == 1) / 2
      M <- diag(length(e)) - if (effects == "none") 0 else 1 / length(e)
      E <- function(rho) {
        R <- rho^abs(outer(year, year, `-`))
        sum(diag(M %*% B %*% M %*% R)) / sum(diag(M %*% R))
      }
      expect_equal(E(fit$serial$rho[[as.character(i)]]), sum(e * (B %*% e)) / sum(e^2), tolerance = 1e-8)
    }
    A <- if (effects == "entity") cbind(dummies_of(d$id), d$x1, d$x2) else cbind(1, d$x1, d$x2)
    root <- ar1_root_of(d, fit$serial$rho)
    b <- qr.coef(qr(root %*% A), root %*% d$y)
    expect_equal(unname(fit$coefficients$estimate[2:3]), unname(b[ncol(A) - 1:0]), tolerance = 1e-8)
  }
  expect_match(paste(capture.output(print(fit)), collapse = " "), "under 60")
})

# The slope of the normal likelihood of what is seen of U, by each covariance, over its size.
likelihood_slopes <- function(U, sigma) {
  value <- function(S) {
    total <- 0
    for (t in seq_len(nrow(U))) {
      seen <- !is.na(U[t, ])
      own <- S[seen, seen, drop = FALSE]
      total <- total + c(determinant(own)$modulus) + sum(U[t, seen] * solve(own, U[t, seen]))
    }
    total / 2
  }
  outer(seq_len(ncol(U)), seq_len(ncol(U)), Vectorize(function(i, j) {
    step <- matrix(0, ncol(U), ncol(U))
    step[i, j] <- step[j, i] <- 1e-5 * sqrt(sigma[i, i] * sigma[j, j])
    (value(sigma + step) - value(sigma - step)) / 2e-5
  }))
}

test_that("related across entities: the likeliest covariance, and generalised least squares by it", {
  for (case in list(list(keep = 1, rho = 0), list(keep = 0.8, rho = 0), list(keep = 1, rho = 0.3),
                    list(keep = 0.85, rho = 0.3))) for (effects in c("none", "entity")) {
    d <- uneven(11, 4, 30, case$keep)
    d$id <- c("d", "a", "c", "b")[d$id] # labels in another order than rows
    d <- d[order(d$id, d$year), ]
    shock <- rnorm(60)
    d$y <- d$y + shock[d$year - 2000] * match(d$id, letters) / 2
    p <- panel_frame(d[sample(nrow(d)), ], id, year)
    fit <- fit_gls(y ~ x1 + x2, p, across = TRUE, effects = effects,
                   serial = if (case$rho == 0) "none" else serial_ar1(case$rho))
    validate_panel_fit(fit)
    A <- if (effects == "entity") cbind(dummies_of(d$id), d$x1, d$x2) else cbind(1, d$x1, d$x2)
    root <- ar1_root_of(d, c(a = 1, b = 1, c = 1, d = 1) * case$rho)
    whole <- case$keep == 1
    before <- paste(d$id, d$year - 1) %in% paste(d$id, d$year)
    use <- if (case$rho == 0 || whole) rep(TRUE, nrow(d)) else before
    root <- root[use, ]
    expect_identical(nobs(fit), sum(use))
    left <- drop(qr.resid(qr(root %*% A), root %*% d$y))
    U <- matrix(NA, 30, 4, dimnames = list(NULL, letters[1:4]))
    U[cbind(d$year[use] - 2000, match(d$id[use], letters))] <- left
    U <- U[rowSums(!is.na(U)) > 0, ]
    if (whole) expect_equal(fit$covariance, crossprod(U) / nrow(U), tolerance = 1e-9, ignore_attr = TRUE)
    expect_lt(max(abs(likelihood_slopes(U, fit$covariance))), 1e-5)
    expect_identical(rownames(fit$covariance), letters[1:4])
    V <- fit$covariance[d$id[use], d$id[use]] * outer(d$year[use], d$year[use], `==`)
    dense <- dense_gls(drop(root %*% d$y), root %*% A, V)
    k <- ncol(A) - 1:0
    expect_equal(fit$coefficients$estimate[2:3], dense$b[k], tolerance = 1e-8)
    common <- crossprod(!is.na(U))
    T_mean <- mean(common[upper.tri(common)])
    factor <- (T_mean / (T_mean - 5))^2
    own <- nrow(vcov(fit)) - 1:0
    expect_equal(unname(vcov(fit)[own, own]), unname(dense$inverse[k, k] * dense$s2 * factor), tolerance = 1e-7)
    if (effects == "entity") {
      share <- table(d$id[use]) / sum(use)
      expect_equal(fit$coefficients$estimate[1], sum(share * dense$b[1:4]), tolerance = 1e-8)
      expect_equal(sum(fit$regression$root[1, ]^2), sum(c(share, 0, 0) * (dense$inverse %*% c(share, 0, 0))),
                   tolerance = 1e-8)
      level <- effect_levels(fit)
      expect_equal(level$level, dense$b[match(level$group, letters)], tolerance = 1e-7)
      expect_true(all(is.na(level$std_error)))
    } else {
      expect_equal(unname(vcov(fit)), unname(dense$inverse * dense$s2 * factor), tolerance = 1e-7)
    }
    expect_equal(sum(residuals(fit, "transformed")^2), fit$ssr)
    expect_match(paste(capture.output(print(fit)), collapse = " "), "4 variances by id and 6 covariances")
    if (case$rho == 0) expect_equal(c(logLik(fit)), -nobs(fit) / 2 * (log(2 * pi * fit$ssr / nobs(fit)) + 1) -
                                      c(determinant(V)$modulus) / 2, tolerance = 1e-7)
    expect_error(with_errors(fit, se_clustered()), class = "wavetax_error_errors")
    expect_error(with_errors(fit, se_panel_corrected()), class = "wavetax_error_errors")
  }
})

test_that("own rho and covariances across: the first block has what two entities of different rho have", {
  d <- uneven(4, 3, 40, 1)
  p <- panel_frame(d, id, year)
  fit <- fit_gls(y ~ x1 + x2, p, variances = "entity", across = TRUE, serial = "ar1-own")
  rho <- fit$serial$rho
  root <- ar1_root_of(d, rho)
  A <- cbind(1, d$x1, d$x2)
  left <- drop(qr.resid(qr(root %*% A), root %*% d$y))
  U <- matrix(left, 40)
  expect_equal(unname(fit$covariance), crossprod(U) / 40, tolerance = 1e-9)
  # The covariance of levels over all periods, written out from innovations.
  S <- unname(fit$covariance)
  V <- matrix(0, nrow(d), nrow(d))
  for (i in 1:3) for (j in 1:3) {
    apart <- outer(1:40, 1:40, `-`)
    fade <- ifelse(apart >= 0, rho[i]^pmax(apart, 0), rho[j]^pmax(-apart, 0))
    V[d$id == i, d$id == j] <- S[i, j] / (1 - rho[i] * rho[j]) * fade
  }
  dense <- dense_gls(d$y, A, V)
  expect_equal(unname(coef(fit)), dense$b, tolerance = 1e-8)
  expect_equal(fit$scale, dense$s2, tolerance = 1e-8)
})

test_that("iterated it is a fixed point of its own steps", {
  d <- uneven(8, 10, 15, 0.9)
  p <- panel_frame(d, id, year)
  fit <- fit_gls(y ~ x1 + x2, p, variances = "entity", iterate = TRUE)
  e <- d$y - cbind(1, d$x1, d$x2) %*% coef(fit)
  again <- fit_pooled(y ~ x1 + x2, cbind(p, v = ave(drop(e)^2, d$id)), weights = ~ 1 / v)
  expect_equal(coef(fit), coef(again), tolerance = 1e-7)
})

test_that("what cannot be estimated is refused", {
  d <- uneven(2, 6, 12, 1)
  p <- panel_frame(d, id, year)
  refused <- function(call, class) expect_error(call, class = paste0("wavetax_error_", class))
  refused(fit_gls(y ~ x1, p, variances = "common", across = TRUE), "across")
  refused(fit_gls(y ~ x1, d), "not_a_panel")
  refused(fit_gls(y ~ x1, p, variances = "each"), "variances")
  refused(fit_gls(y ~ x1, p, effects = "period"), "effects")
  refused(fit_gls(y ~ x1, p, serial = "ar2"), "serial")
  refused(fit_gls(y ~ x1, p, variances = "entity", across = TRUE, iterate = TRUE, rows = ~ year <= 2010), "across")
  refused(fit_gls(y ~ x1, p, variances = "entity", across = TRUE, rows = ~ year <= 2007), "across")
  refused(fit_gls(y ~ x1, p, variances = "entity", rows = ~ id > 1 | year < 2003), "variances")
  d$y[d$id == 2] <- d$y[d$id == 1]
  d$x1[d$id == 2] <- d$x1[d$id == 1]
  refused(fit_gls(y ~ x1, panel_frame(d, id, year), variances = "entity", across = TRUE, effects = "entity"), "across")
  apart <- d[!(d$id == 3 & d$year > 2006) & !(d$id == 4 & d$year <= 2006), ]
  refused(fit_gls(y ~ x1, panel_frame(apart, id, year), variances = "entity", across = TRUE), "across")
  expect_error(fit_gls(y ~ x1, panel_frame(apart, id, year), variances = "entity", across = TRUE), "3 and 4")
})

test_that("errors that make up for estimated variances cover the truth", {
  set.seed(5)
  covered <- replicate(150, {
    d <- data.frame(id = rep(1:10, each = 20), t = 1:20, x = rnorm(200))
    d$y <- d$x + as.vector(matrix(rnorm(200), 20) %*% chol(0.5 + diag(0.5, 10)))
    ends <- confint(fit_gls(y ~ x, panel_frame(d, id, t), variances = "entity", across = TRUE))["x", ]
    ends[1] < 1 && 1 < ends[2]
  })
  expect_gt(mean(covered), 0.89)
})
