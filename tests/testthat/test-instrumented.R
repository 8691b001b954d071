# Instrumented fits against projections written out, on an uneven panel with gaps and weights.
inside <- asNamespace("wavetax")

test_that("two-stage least squares, limited information and moments are the projections written out", {
  d <- instrumented_sample()
  p <- panel_frame(d[sample(nrow(d)), ], id, year)
  d <- as.data.frame(p)
  for (effects in c("none", "entity", "both")) for (method in c("2sls", "liml", "gmm")) {
    for (many in c(FALSE, TRUE)) for (weighted in c(FALSE, TRUE)) {
      fit <- fit_instrumented(
        y ~ x1 + f + q1 + q2, p, instruments = ~ z1 + z2 + z3, effects = effects, method = method,
        endogenous = ~ q1 + q2, weights = if (weighted) "w" else NULL, errors = se_clustered(~ id, "CR0")
      )
      endogenous <- c("q1", "q2")
      if (!many) {
        fit <- stats::update(fit, . ~ . - q2, endogenous = ~ q1)
        endogenous <- "q1"
      }
      inside$validate_panel_fit(fit)
      w <- if (weighted) d$w / mean(d$w) * mean(weights(fit)) else rep(1, nrow(d))
      dense <- dense_instrumented(d, effects, endogenous, w, method)
      slopes <- function(V) unname(V)[nrow(V) + 1 - rev(seq_along(dense$b)), ncol(V) + 1 - rev(seq_along(dense$b))]
      expect_equal(unname(utils::tail(coef(fit), length(dense$b))), dense$b, tolerance = 1e-9)
      expect_equal(fit$scale, sum(dense$e^2) / dense$df, tolerance = 1e-9)
      expect_equal(df.residual(fit), dense$df)
      expect_equal(fit$instrumented$kappa, dense$kappa, tolerance = 1e-9)
      meat <- crossprod(rowsum(t(dense$to_b) * dense$e, d$id))
      expect_equal(slopes(vcov(fit)), unname(meat), tolerance = 1e-8)
      G <- 20
      k <- length(dense$b) + if (effects == "none") 1 else if (effects == "both") qr(dummies_of(d$year))$rank - 1 else 0
      k <- k + (effects != "none")
      expect_equal(slopes(vcov(with_errors(fit, se_clustered(~ id)))), unname(meat) * G / (G - 1) * (nrow(d) - 1) /
                     (nrow(d) - k), tolerance = 1e-8)
      expect_equal(slopes(vcov(with_errors(fit, se_robust("HC1")))),
                   unname(crossprod(t(dense$to_b) * dense$e)) * nrow(d) / dense$df, tolerance = 1e-8)
      if (method == "gmm") next
      expect_equal(slopes(vcov(with_errors(fit, se_classical()))), unname(dense$bread) * fit$scale, tolerance = 1e-8)
      expect_true(is.na(fit$log_lik))
    }
  }
})

test_that("the effective F, its critical value and the joint F are those written out", {
  d <- instrumented_sample()
  p <- panel_frame(d, id, year)
  fit <- fit_instrumented(y ~ x1 + f + q1, p, ~ q1, ~ z1 + z2 + z3)
  dense <- dense_instrumented(d, "entity", "q1")
  Z <- qr.Q(qr(dense$Z2 - dense$X1 %*% qr.coef(qr(dense$X1), dense$Z2)))
  told <- drop(crossprod(Z, dense$X2))
  v <- drop(dense$X2 - dense$X1 %*% qr.coef(qr(dense$X1), dense$X2) - Z %*% told)
  n <- nrow(d)
  l <- 3
  for (errors in list(se_clustered(~ id), se_classical())) {
    row <- inside$stage_strength(with_errors(fit, errors))
    clustered <- inherits(errors, "se_clustered")
    W <- if (clustered) crossprod(rowsum(Z * v, d$id)) * 20 / 19 * (n - 1) / (n - 3 - l - 1) else
      diag(sum(v^2) / (n - 20 - 3 - l), l)
    df <- if (clustered) 19 else n - 20 - 3 - l
    total <- sum(diag(W))
    expect_equal(row$effective_f, sum(told^2) / total, tolerance = 1e-9)
    K <- total^2 * 21 / (sum(W^2) + 20 * total * max(eigen(W)$values))
    expect_equal(row$critical, qf(0.95, K, df, 10 * K), tolerance = 1e-7)
    expect_equal(row$weak_p, pf(row$effective_f, K, df, 10 * K, lower.tail = FALSE), tolerance = 1e-7)
    first <- with_errors(fit_fixed(q1 ~ x1 + f + z1 + z2 + z3, p), errors)
    joint <- test_joint(first, c("z1", "z2", "z3"))
    expect_equal(c(row$f, row$df1, row$df2, row$p_value), unname(c(joint$statistic, joint$parameter, joint$p.value)),
                 tolerance = 1e-7)
  }
})

test_that("what cannot be instrumented is refused with what to do", {
  d <- instrumented_sample()
  d$fixed <- d$id^2
  d$twice <- 2 * d$z1
  p <- panel_frame(d, id, year)
  door <- fit_instrumented
  refused <- function(expr, pattern, class = "wavetax_error_instruments") expect_error(expr, pattern, class = class)
  refused(door(y ~ x1 + q1, p, instruments = ~ z1), "`endogenous` is missing")
  refused(door(y ~ x1 + q1, p, ~ q1), "`instruments` is missing")
  refused(door(y ~ x1 + q1, p, ~ q2, ~ z1), "not among the regressors")
  refused(door(y ~ x1 + q1, p, ~ q1, ~ x1), "it is in the formula")
  refused(door(y ~ x1 + q1, p, ~ q1, ~ y), "it is in the formula")
  refused(door(y ~ x1 + q1, p, ~ q1, ~ 1), "names no variable")
  refused(door(y ~ x1 + q1 + q2, p, ~ q1 + q2, ~ z1), "1 instrument for 2 endogenous columns")
  refused(door(y ~ x1 + q1 + q2, p, ~ q1 + q2, ~ z1 + twice), "twice \\(is a combination of others\\)")
  refused(door(y ~ x1 + q1, p, ~ q1, ~ fixed), "fixed \\(does not vary within")
  refused(door(y ~ x1 + fixed, p, ~ fixed, ~ z1), "Nothing of fixed is left")
  refused(door(y ~ x1 + q1, p, ~ q1, ~ I(q1 + x1)), "without residual")
  refused(door(y ~ x1 + q1, p, ~ q1, ~ z1, method = "gmm", errors = se_classical()), "weighs by rows or by one kind")
  some <- door(y ~ x1 + q1, p, ~ q1, ~ fixed + z1 + twice)
  expect_identical(some$instrumented$dropped, c("fixed", "twice"))
  expect_equal(coef(some), coef(door(y ~ x1 + q1, p, ~ q1, ~ z1)))
})

test_that("the set of values not rejected ends where the test written out has p = .05, whatever its shape", {
  shapes <- character()
  # Strong, weak and useless instruments; one and three; instruments that disagree.
  for (case in list(c(1, 0, 1), c(1, 0, 3), c(0.12, 0, 1), c(0.12, 0, 3), c(0, 0, 3), c(0, 0, 1), c(1, 2, 3))) {
    for (seed in 1:3) {
      set.seed(seed)
      d <- gappy_panel(20, 8, plain = TRUE, seed = seed, keep = 0.85)
      n <- nrow(d)
      common <- rnorm(n)
      l <- case[3]
      Z <- matrix(rnorm(n * l), n)
      d[paste0("z", seq_len(l))] <- Z
      d$q <- case[1] * rowSums(Z) + rnorm(n) + common
      d$y <- 100 * (0.5 * d$q + common + rnorm(n) + case[2] * (Z[, 1] - Z[, l]))
      fit <- fit_instrumented(y ~ x1 + q, panel_frame(d, id, year), ~ q,
                                     stats::reformulate(paste0("z", seq_len(l))))
      left <- function(v) qr.resid(qr(cbind(dummies_of(d$id), d$x1)), v)
      y <- left(d$y)
      q <- left(d$q)
      W <- qr.Q(qr(left(Z)))
      df <- n - 20 - 1 - l
      p_of <- function(b, kind) {
        u <- y - b * q
        if (is.infinite(b)) u <- q
        told <- crossprod(W, u)
        if (kind == "classical") return(pf(sum(told^2) / l / (sum((u - W %*% told)^2) / df), l, df, lower.tail = FALSE))
        meat <- if (kind == "clustered") crossprod(rowsum(W * u, d$id)) else crossprod(W * u) * n / (df + l)
        value <- sum(told * solve(meat, told))
        if (kind == "robust") return(pf(value / l, l, df, lower.tail = FALSE))
        pf((20 - l) / l * value / (20 - value), l, 20 - l, lower.tail = FALSE)
      }
      for (kind in c("clustered", "robust", "classical")) {
        set <- inside$anderson_rubin_set(with_errors(fit, switch(kind, clustered = se_clustered(~ id),
                                                                  robust = se_robust(), classical = se_classical())))
        ends <- unlist(set)
        for (end in ends[is.finite(ends)]) expect_equal(p_of(end, kind), 0.05, tolerance = 1e-5)
        expect_identical(any(is.infinite(ends)), p_of(Inf, kind) >= 0.05)
        at <- 100 * tan(seq(-1.57, 1.57, length.out = 400))
        held <- vapply(at, function(b) any(set$low <= b & b <= set$high), TRUE)
        expect_identical(held, vapply(at, p_of, 0, kind) >= 0.05)
        shapes <- c(shapes, if (nrow(set) == 0) "none" else if (all(is.infinite(ends))) "line" else
          if (any(is.infinite(ends))) "open" else "interval")
      }
    }
  }
  expect_setequal(shapes, c("none", "line", "open", "interval"))
})

test_that("in the demo world log(berths) is instrumented as its truth is, strong and weak", {
  panel <- panel_frame(harbours, harbour, season)
  formula <- log(nights) ~ levy + storms + fuel + pennant + log(berths)
  fit <- fit_instrumented(formula, panel, ~ log(berths), ~ relief, "both")
  told <- function(fit) unname(round(as.data.frame(fit)[as.data.frame(fit)$term == "log(berths)", 2:3], 2))
  expect_equal(told(fit_fixed(formula, panel, "both")), list(0.99, 0.06), ignore_attr = TRUE)
  expect_equal(told(fit), list(0.29, 0.06), ignore_attr = TRUE)
  expect_equal(round(test_strength(fit)$statistic), c("effective F" = 580))
  # Values of a grid that the test written out does not reject: 0.16 to 0.40, and -4.2 to 0.75.
  set <- confint(fit, "log(berths)", method = "anderson-rubin")
  expect_equal(c(ceiling(set$low * 100), floor(set$high * 100)), c(16, 40))
  weak <- stats::update(fit, instruments = ~ past(relief))
  expect_equal(round(test_strength(weak)$statistic, 1), c("effective F" = 6.5))
  set <- confint(weak, "log(berths)", method = "anderson-rubin")
  expect_equal(c(ceiling(set$low * 20), floor(set$high * 20)), c(-84, 15))
})

test_that("whether instruments agree is Sargan's statistic, and J by rows and by clusters, as written out", {
  d <- instrumented_sample()
  p <- panel_frame(d, id, year)
  for (effects in c("none", "both")) for (endogenous in list("q1", c("q1", "q2"))) {
    formula <- stats::reformulate(c("x1", "f", endogenous), "y")
    named <- stats::reformulate(endogenous)
    fit <- fit_instrumented(formula, p, named, ~ z1 + z2 + z3, effects)
    dense <- dense_instrumented(d, effects, endogenous)
    left <- function(V) V - dense$X1 %*% qr.coef(qr(dense$X1), V)
    Z <- qr.Q(qr(left(dense$Z2)))
    q <- 3 - length(endogenous)
    found <- inside$instruments_agree(with_errors(fit, se_classical()))
    value <- sum(crossprod(Z, dense$e)^2) / (sum(dense$e^2) / dense$df)
    expect_equal(c(found$statistic, found$df, found$p), c(value, q, pchisq(value, q, lower.tail = FALSE)))
    for (clustered in c(TRUE, FALSE)) {
      S <- if (clustered) crossprod(rowsum(Z * dense$e, d$id)) else crossprod(Z * dense$e)
      y <- dense$e + dense$X2 %*% utils::tail(dense$b, length(endogenous))
      x <- crossprod(Z, dense$X2)
      b <- solve(crossprod(x, solve(S, x)), crossprod(x, solve(S, crossprod(Z, y))))
      m <- crossprod(Z, y) - x %*% b
      J <- sum(m * solve(S, m))
      expected <- if (clustered) {
        value <- (20 - q) / q * J / (20 - J)
        c(value, q, 20 - q, pf(value, q, 20 - q, lower.tail = FALSE))
      } else {
        value <- J * dense$df / nrow(d)
        c(value, q, pchisq(value, q, lower.tail = FALSE))
      }
      found <- inside$instruments_agree(with_errors(fit, if (clustered) se_clustered(~ id) else se_robust()))
      expect_equal(c(found$statistic, found$df, found$p), expected, tolerance = 1e-8)
    }
  }
})

test_that("what one cluster alone tells is no strength, and moments that are 0 by construction are told of", {
  d <- instrumented_sample()
  d$once <- d$z1 * (d$id == 3)
  d$season <- factor(d$year)
  fit <- fit_instrumented(y ~ x1 + q1, panel_frame(d, id, year), ~ q1, ~ once)
  expect_error(test_strength(fit), "once tells of q1 in one cluster alone", class = "wavetax_error_told_once")
  expect_output(print(fit), "Strength: not told under these errors: once tells of q1")
  expect_gt(test_strength(with_errors(fit, se_robust()))$table$f, 0)
  expect_identical(unlist(confint(fit, method = "anderson-rubin")), c(low = -Inf, high = Inf))
  expect_error(test_strength(stats::update(fit, instruments = ~ z1 + once)), class = "wavetax_error_told_once")
  by_year <- fit_instrumented(y ~ x1 + q1, panel_frame(d, id, year), ~ q1, ~ season, "none",
                              errors = se_clustered(~ year))
  expect_error(test_strength(by_year), "do not vary under errors", class = "wavetax_error_no_scores")
  expect_output(print(by_year), "Strength: not told under these errors\n")
})

test_that("units, shifts, order, labels and rows alone in an effect change nothing", {
  d <- instrumented_sample()
  told <- function(d, ...) {
    fit <- fit_instrumented(y ~ x1 + f + q1, panel_frame(d, id, year), ~ q1, ~ z1 + z2 + z3, ...)
    few <- with_errors(fit, se_clustered(type = "CR3"))
    c(coef(fit)[["q1"]], sqrt(vcov(fit)["q1", "q1"]), sqrt(vcov(few)["q1", "q1"]), test_strength(fit)$statistic,
      unlist(anderson_rubin(fit)), test_overidentification(fit)$statistic, test_endogeneity(fit)$statistic,
      by_row(with_errors(fit, se_robust())))
  }
  by_row <- function(fit) {
    c(sqrt(vcov(fit)["q1", "q1"]), test_strength(fit)$statistic, test_overidentification(fit)$statistic,
      test_endogeneity(fit)$statistic, unlist(confint(fit, method = "anderson-rubin")))
  }
  anderson_rubin <- function(fit) confint(with_errors(fit, se_classical()), method = "anderson-rubin", level = 0.999)
  cases <- list(
    units = transform(d, z1 = 1e8 * z1, z2 = 1e-8 * z2), instrument = transform(d, z1 = z1 + 1e8),
    endogenous = transform(d, q1 = q1 + 1e8), outcome = transform(d, y = y + 1e8),
    exogenous = transform(d, x1 = 1e6 * x1 + 1e8), order = d[sample(nrow(d)), ],
    labels = transform(d, id = paste0("e`\\ ", id)),
    alone = rbind(d, transform(d[1:3, ], id = 101:103, y = 1e3, z1 = -50))
  )
  for (case in names(cases)) expect_equal(told(cases[[case]]), told(d), tolerance = 1e-5, label = case)
  # One instrument, no exogenous regressor: matrices of one row.
  one <- fit_instrumented(y ~ q1, panel_frame(d, id, year), ~ q1, ~ z1, errors = se_clustered(~ id, "CR3"))
  expect_true(all(is.finite(c(vcov(one), test_endogeneity(one)$p.value,
                              as.data.frame(with_errors(one, se_bootstrap(draws = 19)))$p_value))))
  names(d)[names(d) %in% c("q1", "z1")] <- c("(Intercept)", "a`b\\c")
  odd <- fit_instrumented(y ~ x1 + `a\`b\\c`, panel_frame(d, id, year), ~ `a\`b\\c`, ~ `(Intercept)` + z2)
  expect_identical(odd$instrumented$endogenous, "a`b\\c")
  expect_output(print(spec_table(odd)), "a`b", fixed = TRUE)
  expect_identical(names(first_stage(odd)), "a`b\\c")
})
