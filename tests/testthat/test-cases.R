# Cases that were wrong once: numbers and conclusions, each against its formula or the refit.

test_that("clusters that cut many levels of effects: CR2, CR3, their df and joint tests are those of whole matrices", {
  d <- gappy_panel(75, 5, plain = TRUE, seed = 8)
  d$era <- d$year %/% 2
  p <- panel_frame(d, id, year)
  X <- cbind(d$x1, d$x2)
  ids <- dummies_of(d$id)
  years <- dummies_of(d$year)
  cases <- list(
    list(fit_fixed(y ~ x1 + x2, p, "both"), cbind(ids, years), ~ year, d$year, NULL),
    list(fit_fixed(y ~ x1 + x2, p), ids, ~ year, d$year, NULL),
    list(fit_fixed(y ~ x1 + x2, p, "both", weights = ~ w), cbind(ids, years), ~ year, d$year, d$w),
    list(fit_fixed(y ~ x1 + x2, p, "both"), cbind(ids, years), ~ era, d$era, NULL),
    list(fit_fixed(y ~ x1 + x2, p, weights = ~ w), ids, ~ era, d$era, d$w)
  )
  for (case in cases) {
    dense <- dense_regression(d$y, X, case[[2]], if (is.null(case[[5]])) rep(1, nrow(d)) else case[[5]])
    for (type in c("CR2", "CR3")) {
      fit <- with_errors(case[[1]], se_clustered(case[[3]], type, df = "satterthwaite"))
      expect_equal(unname(vcov(fit)), dense_cr(dense, case[[4]], type), tolerance = 1e-8)
      df <- vapply(1:2, function(j) dense_satterthwaite(dense, case[[4]], type, diag(2)[j, ]), 0)
      expect_equal(unname(as.data.frame(fit)$p_value), unname(2 * pt(-abs(coef(fit)) / sqrt(diag(vcov(fit))), df)),
                   tolerance = 1e-8)
      eta <- dense_hotelling(dense, case[[4]], type, diag(2))
      if (eta > 1) expect_equal(unname(test_joint(fit)$parameter[2]), eta - 1, tolerance = 1e-8)
    }
  }
})

test_that("trends without levels leave the constant in the regression, in every count and block", {
  d <- gappy_panel(20, 7, plain = TRUE, seed = 5)
  p <- panel_frame(d, id, year)
  X <- cbind(d$x1, d$x2)
  t <- d$year - 2000
  fit <- fit_fixed(y ~ x1 + x2, p, ~ id:trend(year))
  dense <- dense_regression(d$y, X, cbind(1, dummies_of(d$id) * t))
  for (type in c("CR2", "CR3")) {
    under <- with_errors(fit, se_clustered(~ id, type, df = "satterthwaite"))
    expect_equal(unname(vcov(under)), dense_cr(dense, d$id, type), tolerance = 1e-8)
    expect_equal(unname(confint(under)[2, 2] - coef(under)[2]),
                 unname(sqrt(vcov(under)[2, 2]) * qt(0.975, dense_satterthwaite(dense, d$id, type, c(0, 1)))))
  }
  expect_match(paste(capture.output(print(fit)), collapse = " "), "within trends of ids")
  slopes <- dummies_of(d$region) * t
  fit <- fit_fixed(y ~ x1 + x2, p, ~ id + region:trend(year))
  dense <- dense_regression(d$y, X, cbind(dummies_of(d$id), slopes))
  expect_equal(unname(vcov(with_errors(fit, se_clustered(~ id)))),
               dense_cr(dense, d$id, "CR1", 2 + qr(cbind(1, slopes))$rank), tolerance = 1e-8)
  # Entities of two rows are fitted whatever the outcome by a level and a trend.
  fit <- fit_fixed(y ~ x1 + x2, p, ~ id + id:trend(year))
  dense <- dense_regression(d$y, X, cbind(dummies_of(d$id), dummies_of(d$id) * t))
  for (type in c("HC1", "HC3", "HC4")) {
    expect_equal(unname(vcov(with_errors(fit, se_robust(type)))), dense_hc(dense, type), tolerance = 1e-8)
  }
})

test_that("leaving out is the refit for every group, also where a level or a coefficient lives in one of them", {
  d <- gappy_panel(30, 6, plain = TRUE, seed = 2)
  d$only <- (d$year == 2003) * d$x2^2
  d <- rbind(d, transform(d[1, ], id = 99, year = 2004))
  for (model in list(function(d) fit_fixed(y ~ x1 + only + x2, panel_frame(d, id, year), "both"),
                     function(d) fit_fixed(y ~ x1 + only + x2, panel_frame(d, id, year)),
                     function(d) fit_pooled(y ~ x1 + only + x2, panel_frame(d, id, year)))) {
    found <- influence_by(model(d), "period")
    for (g in unique(d$year)) {
      again <- coef(model(d[d$year != g, ]))
      own <- found[found$group == g, ]
      expect_equal(own$without, unname(again[own$term]), tolerance = 1e-8)
    }
  }
})

test_that("a row that an indicator fits alone is not counted by the bootstrap, nor by the test of the form", {
  set.seed(3)
  d <- data.frame(id = rep(1:12, each = 4), t = 1:4, x = rnorm(48))
  d$y <- d$x + rnorm(12)[d$id] + rnorm(48)
  extra <- data.frame(id = 13, t = 1, x = 5, y = 9)
  both <- rbind(d, extra)
  both$alone <- (both$id == 13) + 0
  for (errors in list(se_bootstrap(~ id), se_bootstrap(~ id, "pairs"), se_clustered(~ id), se_robust("HC1"))) {
    a <- with_errors(fit_pooled(y ~ x, panel_frame(d, id, t)), errors)
    b <- with_errors(fit_pooled(y ~ x + alone, panel_frame(both, id, t)), errors)
    expect_equal(unname(confint(b)["x", ]), unname(confint(a)["x", ]), tolerance = 1e-6)
    expect_equal(test_form(b)$parameter, test_form(a)$parameter)
  }
})

test_that("joint tests and predictions under Satterthwaite have the df of their own contrast, however many slopes", {
  set.seed(6)
  n <- 240
  d <- data.frame(id = rep(1:24, each = 10), t = 1:10, matrix(rnorm(n * 26), n))
  names(d)[-(1:2)] <- paste0("v", 1:26)
  d$y <- d$v1 + rnorm(n)
  fit <- fit_pooled(reformulate(paste0("v", 1:26), "y"), panel_frame(d, id, t),
                    errors = se_clustered(~ id, "CR2", df = "satterthwaite"))
  X <- model.matrix(fit)
  dense <- dense_regression(d$y, X)
  C <- diag(27)[2:3, ]
  test <- test_joint(fit, c("v1", "v2"))
  eta <- dense_hotelling(dense, d$id, "CR2", C)
  V <- dense_cr(dense, d$id, "CR2")
  W <- drop((C %*% coef(fit)) |> crossprod(solve(C %*% V %*% t(C), C %*% coef(fit))))
  expect_equal(unname(c(test$statistic, test$parameter)), c(W * (eta - 1) / (eta * 2), 2, eta - 1), tolerance = 1e-8)
  expect_equal(test$p.value, pf(unname(test$statistic), 2, eta - 1, lower.tail = FALSE))
  small <- fit_pooled(y ~ v1 + v2, panel_frame(d[d$id < 7, ], id, t),
                      errors = se_clustered(~ id, "CR2", df = "satterthwaite"))
  new <- d[1, ]
  dense <- dense_regression(small$design$y, model.matrix(small))
  df <- dense_satterthwaite(dense, d$id[d$id < 7], "CR2", c(1, new$v1, new$v2))
  made <- predict(small, new, interval = "confidence", se.fit = TRUE)
  expect_equal(made$df, df, tolerance = 1e-8)
  expect_equal(made$fit$high - made$fit$fit, made$se.fit * qt(0.975, df), tolerance = 1e-8)
})

test_that("an interval of 99 percent of six clusters takes finer draws than all signs", {
  set.seed(2)
  d <- data.frame(id = rep(1:6, each = 8), t = 1:8, x = rnorm(48))
  d$y <- d$x + rnorm(48)
  fit <- with_errors(fit_pooled(y ~ x, panel_frame(d, id, t)), se_bootstrap(~ id))
  expect_true(all(is.finite(confint(fit, level = 0.99))))
  expect_true(all(confint(fit, "x", level = 0.99) != confint(fit, "x")))
  expect_identical(colnames(confint(fit, level = 0.999)), c("0.05 %", "99.95 %"))
  saved <- tempfile(fileext = ".json")
  plain <- fit_pooled(y ~ x, panel_frame(d, id, t))
  write_fits(a = plain, file = saved)
  expect_equal(as.data.frame(read_fits(saved)[[1]], level = 0.9)$high, as.data.frame(plain, level = 0.9)$high)
  write_fits(a = fit, file = saved)
  expect_error(as.data.frame(read_fits(saved)[[1]], level = 0.9), class = "wavetax_error_level")
})

test_that("scores that sum to zero by construction give no error; one treated cluster is told under every form", {
  set.seed(9)
  d <- data.frame(id = rep(1:20, each = 2), t = 1:2, x = rnorm(40), y = rnorm(40))
  fit <- fit_fixed(y ~ x, panel_frame(d, id, t), "both")
  for (errors in list(se_driscoll_kraay(), se_clustered(~ t), se_clustered(~ t, "CR2"))) {
    under <- suppressWarnings(with_errors(fit, errors))
    expect_true(is.na(as.data.frame(under)$std_error) && is.na(as.data.frame(under)$p_value))
    expect_error(test_joint(under, "x"), class = "wavetax_error_errors")
    expect_output(print(under), "by construction")
  }
  d <- data.frame(id = rep(1:12, each = 6), t = 1:6)
  d$x <- (d$id == 3 & d$t > 3) + 0
  d$y <- d$x + rnorm(72)
  fit <- fit_fixed(y ~ x, panel_frame(d, id, t), "both")
  for (errors in list(se_bootstrap(~ id, "pairs"), se_clustered(~ id), se_clustered(~ id + t))) {
    printed <- paste(capture.output(print(with_errors(fit, errors))), collapse = " ")
    expect_match(printed, "x varies only within id 3")
    expect_no_match(printed, "Intercept|x. rests on")
  }
})

test_that("dependence after effects of the periods is asked by squares, however these were written", {
  set.seed(1)
  d <- expand.grid(t = 1:8, id = 1:25)
  d$region <- d$id %% 3
  d$x <- rnorm(200)
  d$y <- d$x + rnorm(8)[d$t] + rnorm(200)
  p <- panel_frame(d, id, t)
  for (fit in list(fit_fixed(y ~ x + factor(t), p), fit_pooled(y ~ x + factor(t), p), fit_fixed(y ~ x, p, "both"),
                   suppressWarnings(fit_random(y ~ x + factor(t), p)), fit_fixed(y ~ x, p, ~ id + region:t),
                   suppressWarnings(fit_random(y ~ x, p, "both")))) {
    expect_match(test_cross_section(fit)$method, "squared correlations")
    expect_error(test_cross_section(fit, "cd"), "rejects every true null", class = "wavetax_error_method")
  }
  expect_match(test_cross_section(fit_fixed(y ~ x + t, p))$method, "CD")
})

test_that("R's own questions are answered of the fit's rows: sigma, weights, model.frame; slim lets go of its caller", {
  panel <- harbour_panel()
  fit <- fit_fixed(log(nights) ~ levy, panel, weights = ~ berths)
  expect_equal(sigma(fit), sqrt(deviance(fit) / df.residual(fit)))
  used <- which(!is.na(panel$nights) & !is.na(panel$levy))
  expect_equal(weights(fit), panel$berths[used])
  nights <- "a variable of the session"
  expect_equal(model.frame(fit)[["log(nights)"]], log(panel$nights[used]))
  make <- function() {
    large <- numeric(1e6)
    slim(fit_fixed(log(nights) ~ levy, panel))
  }
  expect_lt(length(serialize(make(), NULL)), 1e6)
  wild <- with_errors(fit_fixed(log(nights) ~ levy, panel), se_bootstrap(~ coast, draws = 19))
  expect_lt(length(serialize(wild$errors, NULL)), 2e4)
})

test_that("what a panel or a fit holds is its own, also of a data.table changed by reference", {
  dt <- data.table::as.data.table(as.data.frame(harbours))
  panel <- panel_frame(dt, harbour, season)
  of_panel <- fit_fixed(log(nights) ~ levy, panel)
  of_table <- fit_fixed(log(nights) ~ levy, dt, ~ harbour)
  plain <- fit_fixed(log(nights) ~ levy, harbour_panel())
  data.table::setorder(dt, levy)
  data.table::set(dt, 1:50, "nights", 1L)
  expect_equal(coef(fit_fixed(log(nights) ~ levy, panel)), coef(plain))
  for (fit in list(of_panel, of_table)) {
    expect_equal(residuals(fit), residuals(plain))
    expect_equal(vcov(with_errors(fit, se_robust())), vcov(with_errors(plain, se_robust())))
  }
})

test_that("a name is a name, whatever signs it has", {
  d <- gappy_panel(20, 6, plain = TRUE, seed = 4)[c("id", "year", "x1", "y", "region", "w")]
  plain <- fit_fixed(y ~ x1, panel_frame(d, id, year), "both", errors = se_clustered(~ id + year))
  for (names in list(c("h`+`t2", "C:\\id"), c("(Intercept)", ".entity"), c("y", "constant"), c("..1", "a`b"))) {
    e <- d
    names(e)[1:2] <- names
    names(e)[names(e) == "y" & seq_along(e) > 2] <- "out"
    p <- do.call(panel_frame, list(e, names[1], names[2]))
    by <- column_names_formula(names)
    fit <- fit_fixed(out ~ x1, p, "both", errors = do.call(se_clustered, list(by)))
    expect_equal(vcov(fit), vcov(plain))
    expect_equal(unname(test_random_effects(fit)$p.value), unname(test_random_effects(plain)$p.value))
    expect_s3_class(appraise(out ~ x1, p), "appraisal")
    expect_s3_class(diagnose(fit_fixed(out ~ x1, p)), "diagnosis")
    expect_length(spec_ladder(out ~ x1, list("entity", "period"), p), 3)
    expect_s3_class(influence_by(fit), "influence")
    expect_s3_class(test_serial(fit), "panel_test")
  }
})

test_that("sheets keep what is fixed over time in any order, and tell what they differ in", {
  sheet <- function(name, code, who, value) {
    d <- data.frame(land = who, code = toupper(substr(who, 1, 3)), "Indicator Name" = name, "Indicator Code" = code,
                    check.names = FALSE)
    for (year in 2001:2004) d[[as.character(year)]] <- value + seq_along(who) + year
    d
  }
  a <- sheet("pop", "P.1", c("alva", "boria", "cerne"), 10)
  b <- sheet("gdp", "G.1", c("boria", "doria"), 100)
  c <- sheet("lit", "L.1", "alva", 5)
  a[1, "2003"] <- c[1, "2003"] <- NA
  file <- tempfile(fileext = ".xlsx")
  skip_if_not_installed("openxlsx")
  openxlsx::write.xlsx(list(pop = a, gdp = b, lit = c), file)
  for (order in list(c("pop", "gdp", "lit"), c("lit", "gdp", "pop"))) {
    messages <- capture_messages(panel <- read_panel(file, land, year, sheet = order))
    messages <- unlist(strsplit(messages, "\n"))
    expect_identical(nrow(panel), 15L)
    expect_false(anyNA(panel$code))
    expect_match(messages, "`Indicator Code` says which table it is", all = FALSE)
    expect_match(messages, "1 row in which all values are missing", all = FALSE)
  }
  b$code[1] <- "BOX"
  openxlsx::write.xlsx(list(pop = a, gdp = b), file, overwrite = TRUE)
  expect_message(read_panel(file, land, year, sheet = "*"), "`code` differs between tables in 4 rows")
})

test_that("tests of squared correlations take p from draws after trends, and caution where spreads change over time", {
  rejected <- vapply(1:30, function(seed) {
    set.seed(seed)
    d <- expand.grid(t = 1:6, id = 1:40)
    d$x <- rnorm(240)
    d$y <- d$x + rnorm(240)
    test_cross_section(fit_fixed(y ~ x, panel_frame(d, id, t), ~ id + id:trend(t) + t), draws = 49)$p.value < 0.05
  }, TRUE)
  expect_lt(mean(rejected), 0.25)
  set.seed(1)
  d <- expand.grid(t = 1:6, id = 1:40)
  d$x <- rnorm(240)
  d$y <- d$x + rnorm(240) * ifelse(d$t == 3, 3, 1)
  p <- panel_frame(d, id, t)
  expect_match(test_cross_section(fit_fixed(y ~ x, p, "both"))$cautions, "spread more in some", all = FALSE)
  expect_false(is.null(test_cross_section(fit_fixed(y ~ x, p, ~ id + id:trend(t) + t))$simulated))
})
