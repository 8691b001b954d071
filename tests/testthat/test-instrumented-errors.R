# Errors of instrumented fits against what they say: refits without each cluster, leverages of fitted regressors written
# out, every draw of both stages.
slopes_of <- function(fit) {
  b <- kept <- coef(fit)
  b[names(b) != "(Intercept)"]
}

test_that("CR3 is the sum of squared changes of refits without each cluster", {
  d <- instrumented_sample()
  d$g <- sample(letters[1:7], nrow(d), TRUE)
  p <- panel_frame(d, id, year)
  cases <- expand.grid(effects = c("none", "entity", "both"), method = c("2sls", "liml", "gmm"), m = 1:2,
                       by = c("id", "g", "year"), stringsAsFactors = FALSE)
  # Each way of clustering with each method, and weights in turn.
  cases <- cases[seq(1, nrow(cases), by = 2), ]
  for (i in seq_len(nrow(cases))) {
    case <- cases[i, ]
    q <- c("q1", "q2")[seq_len(case$m)]
    by <- stats::reformulate(case$by)
    fit_on <- function(data, type) {
      fit_instrumented(stats::reformulate(c("x1", "f", q), "y"), panel_frame(data, id, year), stats::reformulate(q),
                       ~ z1 + z2 + z3, case$effects, method = case$method, weights = if (i %% 3 == 0) ~ w else NULL,
                       errors = se_clustered(!!by, type))
    }
    fit <- fit_on(d, "CR3")
    changes <- vapply(unique(d[[case$by]]), function(g) {
      slopes_of(fit_on(d[d[[case$by]] != g, ], "CR0")) - slopes_of(fit)
    }, slopes_of(fit))
    at <- names(slopes_of(fit))
    expect_equal(vcov(fit)[at, at], tcrossprod(changes), tolerance = 1e-8, ignore_attr = TRUE)
    expect_equal(df.residual(fit), fit$df$residual)
    expect_equal(unname(fit$errors$df), length(unique(d[[case$by]])) - 1)
  }
  fit <- fit_instrumented(y ~ x1 + q1, p, ~ q1, ~ z1)
  alone <- influence_by(fit, year)
  without <- stats::update(fit, data = panel_frame(d[d$year != d$year[1], ], id, year))
  expect_equal(alone$without[alone$group == d$year[1]], unname(coef(without)), tolerance = 1e-9)
})

test_that("a cluster without which the slope is not told has no CR3, and is named", {
  d <- instrumented_sample()
  d$only <- ifelse(d$id == 3, d$z1, 0)
  d$late <- d$id == 5
  p <- panel_frame(d, id, year)
  fit <- fit_instrumented(y ~ x1 + q1, p, ~ q1, ~ only, errors = se_clustered(~ id, "CR3"))
  expect_true(all(is.na(as.data.frame(fit)$std_error)))
  expect_match(paste(fit$errors$notes, collapse = " "), "Without id 3 .*cannot be estimated")
  # One that two instruments share, of which one goes with the cluster, is told by the other.
  both <- fit_instrumented(y ~ x1 + q1, p, ~ q1, ~ z1 + only, errors = se_clustered(~ id, "CR3"))
  changes <- vapply(unique(d$id), function(g) {
    some <- panel_frame(d[d$id != g, ], id, year)
    coef(fit_instrumented(y ~ x1 + q1, some, ~ q1, if (g == 3) ~ z1 else ~ z1 + only)) - coef(both)
  }, coef(both))
  expect_equal(unname(vcov(both)), tcrossprod(unname(changes)), tolerance = 1e-8)
  # A regressor of one cluster goes with it, and takes no other along.
  own <- fit_instrumented(y ~ x1 + I(late * x2) + q1, p, ~ q1, ~ z1, errors = se_clustered(~ id, "CR3"))
  expect_identical(is.na(as.data.frame(own)$std_error), c(FALSE, TRUE, FALSE))
})

test_that("robust errors take leverages of effects and fitted regressors", {
  d <- instrumented_sample()
  p <- panel_frame(d, id, year)
  for (effects in c("none", "entity", "both")) for (method in c("2sls", "liml")) {
    fit <- fit_instrumented(y ~ x1 + f + q1, p, ~ q1, ~ z1 + z2 + z3, effects, method = method)
    dense <- dense_instrumented(d, effects, "q1", method = method)
    shown <- t(solve(dense$bread, dense$to_b))
    D <- switch(effects, none = matrix(1, nrow(d), 1), entity = dummies_of(d$id),
                both = cbind(dummies_of(d$id), dummies_of(d$year)[, -1]))
    h <- rowSums(qr.Q(qr(cbind(D, shown)))^2)
    p_h <- sum(h) / nrow(d)
    for (type in c("HC2", "HC3", "HC4")) {
      omega <- dense$e^2 / switch(type, HC2 = 1 - h, HC3 = (1 - h)^2, HC4 = (1 - h)^pmin(4, h / p_h))
      V <- dense$to_b %*% (t(dense$to_b) * omega)
      under <- with_errors(fit, se_robust(type))
      at <- utils::tail(seq_len(nrow(vcov(under))), nrow(V))
      expect_equal(unname(vcov(under)[at, at]), unname(V), tolerance = 1e-8)
      expect_match(under$errors$notes[1], "approximate")
    }
  }
})

test_that("of several dimensions the negative directions of fitted regressors are set to 0", {
  d <- instrumented_sample()
  p <- panel_frame(d, id, year)
  removed <- 0
  for (effects in c("entity", "both")) for (formula in list(y ~ x1 + f + q1, y ~ x1 + q1)) {
    fit <- fit_instrumented(formula, p, ~ q1, ~ z1 + z2 + z3, effects, errors = se_clustered(~ id + year, "CR0"))
    X1 <- stats::model.matrix(formula, d)[, c(-1, -ncol(stats::model.matrix(formula, d))), drop = FALSE]
    D <- if (effects == "entity") dummies_of(d$id) else cbind(dummies_of(d$id), dummies_of(d$year)[, -1])
    left <- function(X) qr.resid(qr(D), as.matrix(X))
    X <- left(cbind(X1, d$q1))
    Z <- left(cbind(X1, as.matrix(d[c("z1", "z2", "z3")])))
    own <- qr(Z %*% qr.coef(qr(Z), X))
    U <- qr.Q(own)
    M <- crossprod(rowsum(U * residuals(fit, "transformed"), d$id)) +
      crossprod(rowsum(U * residuals(fit, "transformed"), d$year)) - crossprod(U * residuals(fit, "transformed"))
    parts <- eigen(M)
    removed <- removed + sum(parts$values < 0)
    M <- parts$vectors %*% (pmax(parts$values, 0) * t(parts$vectors))
    back <- solve(qr.R(own))
    expect_equal(unname(vcov(fit)), unname(back %*% M %*% t(back)), tolerance = 1e-7)
  }
  expect_gt(removed, 0)
})

# p of the null that a coefficient is 0 from every pattern of signs, both stages drawn from restricted residuals.
dense_wild_p <- function(d, effects, endogenous, by, coefficient, instruments = c("z1", "z2", "z3"),
                         exogenous = ~ x1 + f) {
  D <- switch(effects, none = matrix(1, nrow(d), 1), entity = dummies_of(d$id),
              both = cbind(dummies_of(d$id), dummies_of(d$year)[, -1]))
  left <- function(X) qr.resid(qr(D), as.matrix(X))
  X1 <- left(stats::model.matrix(exogenous, d)[, -1, drop = FALSE])
  X2 <- left(d[endogenous])
  Z <- cbind(X1, left(d[instruments]))
  y <- drop(left(d$y))
  X <- cbind(X1, X2)
  j <- match(coefficient, colnames(X))
  two_stage <- function(X, y) {
    shown <- Z %*% qr.coef(qr(Z), X)
    list(b = drop(solve(crossprod(shown, X), crossprod(shown, y))), shown = shown)
  }
  square_t <- function(X, y) {
    done <- two_stage(X, y)
    B <- solve(crossprod(done$shown, X))
    V <- B %*% crossprod(rowsum(done$shown * drop(y - X %*% done$b), by)) %*% t(B)
    done$b[j]^2 / V[j, j]
  }
  restricted <- numeric(ncol(X))
  if (ncol(X) > 1) restricted[-j] <- two_stage(X[, -j, drop = FALSE], y)$b
  u <- y - drop(X %*% restricted)
  Pi <- as.matrix(qr.coef(qr(cbind(Z, u)), X2))[seq_len(ncol(Z)), , drop = FALSE]
  V <- X2 - Z %*% Pi
  groups <- sort(unique(by))
  patterns <- as.matrix(expand.grid(rep(list(c(1, -1)), length(groups))))
  squares <- apply(patterns, 1, function(s) {
    s <- s[match(by, groups)]
    drawn <- Z %*% Pi + s * V
    square_t(cbind(X1, left(drawn)), drop(left(cbind(X1, drawn) %*% restricted + s * u)))
  })
  mean(squares >= square_t(X, y) * (1 - 2e-9))
}

test_that("wild draws are restricted, draw the first stage too and are swept again", {
  d <- instrumented_sample()
  d$y <- d$y - 0.45 * d$q1 + 0.3 * d$q2
  d$g <- sample(letters[1:7], nrow(d), TRUE)
  d$h <- letters[1 + d$id %% 7]
  p <- panel_frame(d, id, year)
  for (effects in c("none", "both")) for (by in c("g", "h")) for (m in 1:2) {
    q <- c("q1", "q2")[seq_len(m)]
    fit <- fit_instrumented(stats::reformulate(c("x1", "f", q), "y"), p, stats::reformulate(q), ~ z1 + z2 + z3, effects)
    table <- as.data.frame(with_errors(fit, se_bootstrap(!!stats::reformulate(by))))
    for (term in c("x1", q[m])) {
      expect_equal(table$p_value[table$term == term], dense_wild_p(d, effects, q, d[[by]], term), tolerance = 1e-12)
    }
  }
  alone <- with_errors(fit_instrumented(y ~ q1, p, ~ q1, ~ z1), se_bootstrap(~ g, seed = 2))
  row <- as.data.frame(alone)
  expect_equal(row$p_value, dense_wild_p(d, "entity", "q1", d$g, "q1", "z1", ~ 1), tolerance = 1e-12)
  # The interval ends where the null there is rejected.
  for (end in c(row$low, row$high)) {
    moved <- d
    moved$y <- d$y - end * d$q1
    expect_lt(abs(dense_wild_p(moved, "entity", "q1", d$g, "q1", "z1", ~ 1) - 0.05), 0.02)
  }
})

test_that("errors that instrumented fits do not have say what to use", {
  d <- instrumented_sample()
  p <- panel_frame(d, id, year)
  fit <- fit_instrumented(y ~ x1 + q1, p, ~ q1, ~ z1 + z2)
  moments <- stats::update(fit, method = "gmm")
  refused <- function(fit, spec, use) {
    expect_error(with_errors(fit, spec), use, class = "wavetax_error_errors", fixed = TRUE)
  }
  refused(fit, se_clustered(~ id, "CR2"), "se_clustered(type = \"CR3\")")
  refused(fit, se_clustered(~ id, df = "satterthwaite"), "se_clustered(type = \"CR3\")")
  refused(fit, se_panel_corrected(), "se_driscoll_kraay()")
  refused(fit, se_bootstrap(scheme = "pairs"), "the wild one")
  refused(stats::update(fit, method = "liml"), se_bootstrap(), "method = \"2sls\"")
  for (spec in list(se_classical(), se_newey_west(), se_driscoll_kraay(), se_clustered(~ id + year))) {
    refused(moments, spec, "method = \"2sls\"")
    expect_error(stats::update(moments, errors = spec), "method = \"2sls\"", class = "wavetax_error_errors",
                 fixed = TRUE)
  }
  few <- panel_frame(d[d$id %in% d$id[1:2], ], id, year)
  expect_error(fit_instrumented(y ~ q1, few, ~ q1, ~ z1 + z2 + z3, method = "gmm"), "more clusters than instruments")
})
