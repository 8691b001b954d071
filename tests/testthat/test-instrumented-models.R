# Instrumented random effects and differences, and what is tested of them, against dense computations.
inside <- asNamespace("wavetax")

random_sample <- function() {
  d <- instrumented_sample()
  d$fixed <- exp(sin(d$id))
  d$y <- d$y + 0.3 * d$fixed
  d
}

# Variance components and quasi-demeaned two-stage least squares, with dense matrices.
dense_random <- function(d, variance, instruments = c("z1", "z2", "z3"), exogenous = c("x1", "fixed"),
                         constant = TRUE) {
  D <- dummies_of(d$id)
  P <- projection(D)
  n <- nrow(d)
  N <- ncol(D)
  Q <- diag(n) - P
  y <- d$y
  X1 <- cbind(if (constant) 1, as.matrix(d[exogenous]))
  X <- cbind(X1, as.matrix(d["q1"]))
  Z <- cbind(X1, as.matrix(d[instruments]))
  varies <- function(V) V[, colSums((Q %*% V)^2) > 1e-9, drop = FALSE]
  x <- varies(X)
  inner <- projection(Q %*% varies(Z))
  shown <- inner %*% Q %*% x
  b <- solve(crossprod(shown, x), crossprod(shown, y))
  sigma2_e <- sum((Q %*% (y - x %*% b))^2) / (n - N - ncol(x))
  if (variance == "amemiya") {
    B <- projection(X[, colSums((Q %*% X)^2) <= 1e-9, drop = FALSE])
    k_B <- round(sum(diag(B)))
    e <- y - x %*% b
    A <- solve(crossprod(shown))
    sigma2_u <- (sum(e * ((P - B) %*% e)) - sigma2_e * (N - k_B + sum(diag(A %*% t(x) %*% (P - B) %*% x)))) /
      sum(diag(t(D) %*% (P - B) %*% D))
  } else {
    between <- projection(P %*% Z) %*% P %*% X
    e <- P %*% y - P %*% X %*% solve(crossprod(between, P %*% X), crossprod(between, P %*% y))
    A <- solve(crossprod(between))
    sigma2_u <- (sum(e^2) - (N - ncol(X)) * sigma2_e) / (n - sum(diag(A %*% t(between) %*% D %*% t(D) %*% between)))
  }
  theta <- 1 - sqrt(sigma2_e / (sigma2_e + colSums(D) * max(sigma2_u, 0)))
  off <- function(V) as.matrix(V) - drop(D %*% theta) * (P %*% as.matrix(V))
  shown <- projection(off(Z)) %*% off(X)
  to_b <- solve(crossprod(shown, off(X)), t(shown))
  b <- drop(to_b %*% off(y))
  list(sigma2_e = sigma2_e, sigma2_u = sigma2_u, b = unname(b), e = drop(off(y) - off(X) %*% b), to_b = to_b, off = off)
}

test_that("random effects are quasi-demeaned by components of swept and of between two-stage least squares", {
  d <- random_sample()
  p <- panel_frame(d, id, year)
  for (variance in c("amemiya", "swamy-arora")) for (constant in c(TRUE, FALSE)) {
    formula <- if (constant) y ~ x1 + fixed + q1 else y ~ x1 + fixed + q1 - 1
    fit <- fit_instrumented(formula, p, ~ q1, ~ z1 + z2 + z3, model = "random", variance = variance,
                            errors = se_clustered(~ id, "CR0"))
    inside$validate_panel_fit(fit)
    dense <- dense_random(d, variance, constant = constant)
    expect_equal(unlist(fit$variance[c("sigma2_e", "sigma2_u")]),
                 c(sigma2_e = dense$sigma2_e, sigma2_u = dense$sigma2_u), tolerance = 1e-9)
    expect_equal(unname(coef(fit)), dense$b, tolerance = 1e-9)
    expect_equal(unname(vcov(fit)), unname(tcrossprod(t(rowsum(t(dense$to_b) * dense$e, d$id)))), tolerance = 1e-8)
    expect_equal(df.residual(fit), nrow(d) - length(dense$b))
    expect_equal(residuals(fit, "transformed"), dense$e, tolerance = 1e-9, ignore_attr = TRUE)
  }
  # An endogenous regressor that is fixed in time is told between entities alone.
  d$q1 <- d$fixed + stats::ave(d$z1, d$id)
  d$z1 <- stats::ave(d$z1, d$id)
  fixed <- panel_frame(d, id, year)
  expect_error(fit_instrumented(y ~ x1 + q1, fixed, ~ q1, ~ z1, model = "random"), "swamy-arora",
               class = "wavetax_error_variance")
  fit <- suppressWarnings(fit_instrumented(y ~ x1 + q1, fixed, ~ q1, ~ z1, model = "random", variance = "swamy-arora"))
  expect_true(all(is.finite(coef(fit))))
})

test_that("means of what is exogenous give the swept estimates, and Mundlak's test is of them", {
  d <- random_sample()
  p <- panel_frame(d, id, year)
  random <- fit_instrumented(y ~ x1 + fixed + q1, p, ~ q1, ~ z1 + z2 + z3, model = "random")
  swept <- fit_instrumented(y ~ x1 + q1, p, ~ q1, ~ z1 + z2 + z3, errors = se_clustered(~ id, "CR3"))
  wide <- inside$with_instrument_means(random, se_clustered(~ id, "CR3"))
  expect_equal(coef(wide)[c("x1", "q1")], coef(swept), tolerance = 1e-9)
  expect_equal(vcov(wide)[c("x1", "q1"), c("x1", "q1")], vcov(swept), tolerance = 1e-8)
  expect_equal(wide$variance$theta, random$variance$theta)
  test <- test_mundlak(random)
  means <- sprintf("mean(%s)", c("x1", "z1", "z2", "z3"))
  expect_setequal(test$table$term, means)
  b <- coef(wide)[means]
  value <- sum(b * solve(vcov(wide)[means, means], b)) / 4
  expect_equal(unname(c(test$statistic, test$parameter, test$p.value)),
               c(value, 4, 19, pf(value, 4, 19, lower.tail = FALSE)), tolerance = 1e-8)
  expect_error(test_mundlak(swept), "model = \"random\"", class = "wavetax_error_method")
})

test_that("differences are those of instruments too, with a drift or periods", {
  d <- instrumented_sample()
  p <- panel_frame(d, id, year)
  before <- match(paste(d$id, d$year - 1), paste(d$id, d$year))
  changes <- d[!is.na(before), ]
  for (name in c("y", "x1", "q1", "z1", "z2")) changes[[name]] <- changes[[name]] - d[[name]][before[!is.na(before)]]
  for (effects in c("none", "period")) {
    fit <- fit_instrumented(y ~ x1 + q1, p, ~ q1, ~ z1 + z2, effects, "difference")
    inside$validate_panel_fit(fit)
    same <- fit_instrumented(y ~ x1 + q1, panel_frame(changes, id, year), ~ q1, ~ z1 + z2, effects)
    expect_equal(coef(fit), coef(same), tolerance = 1e-9)
    expect_equal(vcov(fit), vcov(same), tolerance = 1e-8)
    expect_equal(test_strength(fit)$statistic, test_strength(same)$statistic, tolerance = 1e-8)
    stage <- first_stage(fit)$q1
    expect_equal(coef(stage)[c("z1", "z2")], coef(first_stage(same)$q1)[c("z1", "z2")], tolerance = 1e-8)
  }
  expect_identical(nobs(fit_instrumented(y ~ x1 + q1, p, ~ q1, ~ z1, model = "difference")), nrow(changes))
})

test_that("exactly identified methods agree, and regressors as their own instruments are least squares", {
  d <- instrumented_sample()
  p <- panel_frame(d, id, year)
  for (model in c("fixed", "random", "difference", "pooled")) {
    each <- lapply(c("2sls", "liml", "gmm"), function(method) {
      fit_instrumented(y ~ x1 + q1, p, ~ q1, ~ z1, model = model, method = method)
    })
    for (fit in each[-1]) {
      expect_equal(coef(fit), coef(each[[1]]), tolerance = 1e-9)
      expect_equal(vcov(fit), vcov(each[[1]]), tolerance = 1e-8)
    }
    expect_equal(each[[2]]$kappa, 1)
  }
  d$copy <- d$q1 + 1e-6 * d$z3
  own <- fit_instrumented(y ~ x1 + q1, panel_frame(d, id, year), ~ q1, ~ copy)
  expect_equal(coef(own), coef(fit_fixed(y ~ x1 + q1, p)), tolerance = 1e-4)
  dummies <- fit_instrumented(y ~ x1 + q1 + factor(id) + factor(year), p, ~ q1, ~ z1 + z2, model = "pooled")
  swept <- fit_instrumented(y ~ x1 + q1, p, ~ q1, ~ z1 + z2, "both")
  expect_equal(coef(dummies)[c("x1", "q1")], coef(swept), tolerance = 1e-9)
})

test_that("of several columns the conditional F and the rank statistic are those written out", {
  d <- instrumented_sample()
  p <- panel_frame(d, id, year)
  fit <- fit_instrumented(y ~ x1 + q1 + q2, p, ~ q1 + q2, ~ z1 + z2 + z3)
  dense <- dense_instrumented(d, "entity", c("q1", "q2"))
  x1 <- qr(dense$X1[, 1])
  left <- function(V) qr.resid(x1, V)
  Z <- qr.Q(qr(left(dense$Z2)))
  X <- left(dense$X2)
  V <- X - Z %*% crossprod(Z, X)
  n <- nrow(d)
  factor <- 20 / 19 * (n - 1) / (n - 1 - 4)
  told <- crossprod(Z, X)
  for (clustered in c(TRUE, FALSE)) {
    test <- test_strength(if (clustered) fit else with_errors(fit, se_classical()))
    df <- n - 20 - 1 - 3
    cov_of <- function(v) if (clustered) crossprod(rowsum(Z * drop(v), d$id)) * factor else diag(sum(v^2) / df, 3)
    for (j in 1:2) {
      delta <- sum(told[, j] * told[, 3 - j]) / sum(told[, 3 - j]^2)
      S <- cov_of(V[, j] - delta * V[, 3 - j])
      least <- optimize(function(b) {
        r <- told[, j] - b * told[, 3 - j]
        sum(r * solve(S, r))
      }, c(-5, 5), tol = 1e-10)$objective
      expected <- if (clustered) c(least / 2 * 18 / 19, 18) else c(least / 2, df)
      expect_equal(test$table$conditional_f[j], expected[1], tolerance = 1e-6)
      expect_equal(test$table$conditional_p[j], pf(expected[1], 2, expected[2], lower.tail = FALSE), tolerance = 1e-5)
    }
    # Kleibergen and Paap's, with Kronecker products: vec of coefficients in residuals of unit variance.
    half <- solve(chol(crossprod(V) / df))
    Theta <- told %*% half
    parts <- svd(Theta, nu = 3, nv = 2)
    A <- parts$u[, 2:3]
    B <- parts$v[, 2]
    scores <- do.call(cbind, lapply(1:2, function(j) Z * drop(V %*% half[, j])))
    W <- if (clustered) crossprod(rowsum(scores, d$id)) * factor else
      kronecker(crossprod(V %*% half) / df, diag(3))
    lambda <- as.vector(t(A) %*% Theta %*% B)
    Omega <- kronecker(t(B), t(A)) %*% W %*% kronecker(B, A)
    value <- sum(lambda * solve(Omega, lambda))
    expect_equal(unname(c(test$statistic, test$parameter, test$p.value)),
                 c(value, 2, pchisq(value, 2, lower.tail = FALSE)), tolerance = 1e-7)
  }
})

test_that("endogeneity is the Wald test of what instruments leave, added to least squares", {
  d <- instrumented_sample()
  for (effects in c("none", "entity", "both")) for (q in list("q1", c("q1", "q2"))) {
    p <- panel_frame(d, id, year)
    fit <- fit_instrumented(stats::reformulate(c("x1", q), "y"), p, stats::reformulate(q), ~ z1 + z2 + z3, effects)
    with <- d
    left <- paste0("left_", q)
    for (j in seq_along(q)) {
      stage <- first_stage(fit)[[q[j]]]
      with[[left[j]]] <- unname(residuals(stage, "transformed"))
    }
    plain <- function(errors) {
      p <- panel_frame(with, id, year)
      formula <- stats::reformulate(c("x1", q, left), "y")
      if (effects == "none") fit_pooled(formula, p, errors = errors) else
        fit_fixed(formula, p, effects, errors = errors)
    }
    for (spec in list(se_clustered(~ id), se_classical(), se_robust("HC1"), se_robust("HC3"), se_clustered(~ id + year),
                      se_newey_west(2))) {
      test <- test_endogeneity(with_errors(fit, spec))
      clustered <- inherits(spec, "se_clustered") && length(spec$by) == 1
      whole <- plain(if (clustered) se_clustered(~ id, "CR3") else spec)
      b <- coef(whole)[left]
      value <- sum(b * solve(vcov(whole)[left, left], b)) / length(q)
      df <- min(whole$errors$df)
      expect_equal(unname(c(test$statistic, test$parameter, test$p.value)),
                   c(value, length(q), df, pf(value, length(q), df, lower.tail = FALSE)), tolerance = 1e-6)
      expect_equal(test$table$estimate, unname(b), tolerance = 1e-7)
    }
  }
})

test_that("the joint F of strength is that of the first stage as a fit, whatever the model", {
  d <- random_sample()
  p <- panel_frame(d, id, year)
  for (model in c("fixed", "random", "difference", "pooled")) for (weights in list(NULL, ~ w)) {
    if (!is.null(weights) && model %in% c("random", "difference")) next
    fit <- fit_instrumented(y ~ x1 + q1, p, ~ q1, ~ z1 + z2, model = model, weights = weights)
    for (spec in list(se_robust("HC3"), se_robust("HC4"), se_clustered(~ id + year), se_clustered(~ id, "CR3"))) {
      under <- with_errors(fit, spec)
      expect_equal(test_strength(under)$table$f, unname(test_joint(first_stage(under)$q1, c("z1", "z2"))$statistic),
                   tolerance = 1e-7)
    }
    joint <- test_joint(first_stage(fit)$q1, c("z1", "z2"))
    row <- test_strength(fit)$table
    expect_equal(c(row$f, row$df1, row$df2, row$p_value), unname(c(joint$statistic, joint$parameter, joint$p.value)),
                 tolerance = 1e-7)
    expect_equal(row$partial_r_squared,
                 1 - first_stage(fit)$q1$ssr / update(first_stage(fit)$q1, . ~ . - z1 - z2)$ssr, tolerance = 1e-7)
  }
})
