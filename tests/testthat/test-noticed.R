# What one-line changes went unnoticed in: p and df beside statistics, factors, points, draws, rules, and the command
# line against numbers that are written here.

test_that("p follows from statistic and df, of every test", {
  panel <- harbour_panel()
  eq <- log(nights) ~ levy + storms
  fixed <- fit_fixed(eq, panel)
  random <- fit_random(eq, panel)
  pooled <- fit_pooled(eq, panel)
  few <- fit_fixed(eq, panel, errors = se_clustered(~ coast, "CR2", df = "satterthwaite"))
  both <- fit_fixed(eq, panel, "both")
  whole <- names(which(table(panel$harbour) == 12))[1:4]
  long <- panel_frame(panel[panel$harbour %in% whole, ], harbour, season)
  tests <- list(
    two = list(test_serial(fixed), test_serial(fixed, lag = 2), test_serial(random), test_serial(pooled)),
    upper = list(
      test_hausman(fixed, random), test_mundlak(random), test_joint(fixed), test_joint(few),
      test_effects(fixed), test_variance(fixed), test_variance(pooled), test_form(fixed), test_serial(fixed, lag = 1:3),
      test_serial(pooled, "breusch-godfrey"), test_cross_section(both, draws = NULL), test_normality(fixed)
    ),
    two = list(test_cross_section(fixed)),
    upper = list(test_cross_section(fit_pooled(log(nights) ~ levy, long), "lm"),
                 test_cross_section(fit_pooled(log(nights) ~ levy, long), "scaled"))
  )
  for (k in seq_along(tests)) for (test in tests[[k]]) {
    value <- unname(test$statistic)
    df <- unname(test$parameter)
    p <- switch(names(test$statistic),
      t = 2 * pt(-abs(value), df), F = pf(value, df[1], df[2], lower.tail = FALSE),
      "chi-squared" = pchisq(value, df, lower.tail = FALSE),
      z = if (names(tests)[k] == "two") 2 * pnorm(-abs(value)) else pnorm(value, lower.tail = FALSE)
    )
    asymptotic <- if (is.null(test$simulated)) test$p.value else test$simulated$asymptotic
    expect_equal(unname(asymptotic), p, tolerance = 1e-10, label = test$method)
    level <- if (test$p.value < 0.05) "is rejected" else "is not rejected"
    expect_match(paste(capture.output(print(test)), collapse = " "), level, label = test$method)
  }
})

test_that("joint tests carry their factors", {
  panel <- harbour_panel()
  for (errors in list(se_clustered(~ coast, "CR2", df = "satterthwaite"), se_clustered(~ coast), se_robust("HC1"))) {
    fit <- fit_fixed(log(nights) ~ levy + storms, panel, errors = errors)
    wald <- drop(coef(fit) %*% solve(vcov(fit), coef(fit)))
    test <- test_joint(fit)
    df <- unname(test$parameter)
    q <- 2
    # Of eta df, or of G - 1, that of Hotelling: (eta - q + 1) / eta.
    factor <- if (inherits(errors, "se_clustered")) df[2] / (df[2] + q - 1) else 1
    expect_equal(unname(test$statistic), wald / q * factor, tolerance = 1e-8)
  }
  expect_equal(unname(test$parameter), c(2, df.residual(fit)))
  clustered <- test_joint(fit_fixed(log(nights) ~ levy + storms, panel))
  expect_equal(unname(clustered$parameter), c(2, 94))
})

test_that("the points of the wild bootstrap, negative directions, estimated leverages", {
  kinds <- list(list(5, 1e5, "six points", TRUE, 6^5), list(4, 99, "six points", FALSE, 99),
                list(8, 999, "signs", TRUE, 256), list(20, 99, "signs", FALSE, 99))
  for (kind in kinds) {
    made <- core_wild_weights(kind[[1]], kind[[2]])
    weights <- if (is.function(made$weights)) made$weights(kind[[5]]) else made$weights
    points <- if (kind[[3]] == "signs") c(-1, 1) else sort(c(outer(c(-1, 1), sqrt(c(0.5, 1, 1.5)))))
    expect_equal(sort(unique(as.vector(weights))), points)
    expect_identical(c(made$kind, made$exact), c(kind[[3]], as.character(kind[[4]])))
    expect_equal(dim(weights), c(kind[[1]], kind[[5]]))
    if (kind[[4]]) expect_equal(tcrossprod(weights) / ncol(weights), diag(kind[[1]]))
  }
  expect_identical(core_wild_kind(5, 999, 0.99), "six points")
  turn <- qr.Q(qr(matrix(c(1, 2, 3, 1, 0, 1, 2, 2, 5), 3)))
  meat <- turn %*% diag(c(3, 2, -1)) %*% t(turn)
  mended <- core_without_negative(meat)
  expect_equal(mended$meat, turn %*% diag(c(3, 2, 0)) %*% t(turn))
  expect_identical(c(mended$removed, core_without_negative(diag(3))$removed), c(1L, 0L))
  sets <- list(core_effect_set(core_groups(rep(1:20, each = 3))), core_effect_set(core_groups(rep(1:3, 20))))
  system <- core_effect_system(sets, 60)
  D <- cbind(dummies_of(rep(1:20, each = 3)), dummies_of(rep(1:3, 20)))
  q <- qr(D)
  exact <- rowSums(qr.Q(q)[, seq_len(q$rank)]^2)
  told <- with_own_seed(3, core_estimated_leverage(system, 60, 4000))
  core_release(system)
  expect_lt(max(abs(told - exact)), 0.05)
})

test_that("draws are of the model that they stand for, with its spread", {
  panel <- harbour_panel()
  eq <- log(nights) ~ levy + storms
  spread <- function(fit, variance) {
    draw <- outcome_draws(fit)
    values <- with_own_seed(1, replicate(60, draw()))
    mean <- linear_part(fit, level_design(fit), kept_estimates(fit))
    expect_lt(max(abs(rowMeans(values) - mean)), 6 * sqrt(variance / 60))
    expect_lt(abs(mean((values - mean)^2) / variance - 1), 0.06)
    # What rows of one entity share.
    groups <- level_design(fit)$data$harbour[if (is.null(level_design(fit)$rows)) TRUE else level_design(fit)$rows]
    mean(rowMeans(rowsum(values - mean, groups)^2) / as.vector(table(factor(groups, unique(sort(groups))))))
  }
  random <- fit_random(eq, panel)
  fixed <- fit_fixed(eq, panel)
  expect_gt(spread(random, random$variance$sigma2_e + random$variance$sigma2[[1]]), 3 * random$variance$sigma2_e)
  expect_lt(abs(spread(fixed, fixed$scale) / fixed$scale - 1), 0.1)
  differences <- fit_difference(eq, panel)
  spread(differences, differences$scale / 2)
})

test_that("rules: squared correlations need three periods an entity, letters go on after Z", {
  d <- gappy_panel(3, 9, plain = TRUE, seed = 2)
  d <- data.frame(id = rep(1:3, each = 9), year = rep(1:9, 3), y = sin(1:27), x = cos((1:27)^2))
  expect_s3_class(test_cross_section(fit_pooled(y ~ x, panel_frame(d, id, year)), "lm"), "panel_test")
  expect_error(test_cross_section(fit_pooled(y ~ x, panel_frame(d[d$year < 9, ], id, year)), "lm"), "three times",
               class = "wavetax_error_method")
  at <- c(1, 26, 27, 52, 53, 702, 703, 16384)
  expect_identical(vapply(at, column_letters, ""), c("A", "Z", "AA", "AZ", "BA", "ZZ", "AAA", "XFD"))
  expect_equal(vapply(vapply(at, column_letters, ""), column_number, 0, USE.NAMES = FALSE), at)
  expect_equal(unlist(range_limits("z2:ab10")), c(top = 2, left = 26, bottom = 10, right = 28))
})

# Slope of levy, error and p of each run below; those of least squares were computed apart, by base R.
written_numbers <- matrix(c(
  0.123542, 0.010392, 0.000000,
  -0.043426, 0.008424, 0.000001,
  -0.044669, 0.007854, 0.000000,
  -0.043426, 0.005718, 0.000000,
  -0.043426, 0.006217, 0.000000,
  -0.043426, 0.007637, 0.005039,
  -0.043426, 0.009096, 0.000577,
  -0.010734, 0.008368, 0.202674,
  -0.030448, 0.008264, 0.000381,
  -0.050042, 0.008361, 0.000000,
  0.156453, 0.012228, 0.000000,
  -0.044022, 0.009635, 0.000015,
  -0.043426, 0.006614, 0.000000
), ncol = 3, byrow = TRUE)

test_that("the command line's numbers are these", {
  file <- system.file("extdata", "harbours.csv", package = "wavetax")
  run <- function(...) {
    args <- c(file, "--entity", "harbour", "--period", "season", "--formula", "log(nights) ~ levy + storms",
              "--format", "csv", ...)
    capture.output(done <- cli_collect(cli_guard(carry_out_command(cli_commands()$fit, args), "fit")), type = "message")
    expect_identical(done$status, 0L)
    table <- utils::read.csv(text = rawToChar(done$printed))
    round(unlist(table[table$term == "levy", c("estimate", "std_error", "p_value")]), 6)
  }
  told <- list(
    run("--model", "pooled"), run("--model", "fixed"), run("--model", "fixed", "--effects", "both"),
    run("--model", "fixed", "--errors", "classical"), run("--model", "fixed", "--errors", "robust-hc3"),
    run("--model", "fixed", "--errors", "few-clusters", "--by", "coast"),
    run("--model", "fixed", "--by", "harbour+season"),
    run("--model", "random"), run("--model", "random", "--variance", "maximum-likelihood", "--weights", "berths"),
    run("--model", "difference"), run("--model", "between"), run("--model", "fixed", "--rows", "season > 2012"),
    run("--model", "fixed", "--errors", "serial-3")
  )
  expect_equal(unname(do.call(rbind, told)), written_numbers, tolerance = 1e-6)
})
