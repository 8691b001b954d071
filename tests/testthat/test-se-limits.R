# What errors must not depend on, where they lose their meaning, and what is refused.

every_error <- list(
  hc3 = se_robust("HC3"), hc4 = se_robust("HC4"), cr1 = se_clustered(), cr3 = se_clustered(~region, "CR3"),
  cr2 = se_clustered(~region, "CR2", "satterthwaite"), both = se_clustered(~ id + year), serial = se_newey_west(2),
  across = se_driscoll_kraay(1), wild = se_bootstrap(~region), pairs = se_bootstrap(~region, "pairs", draws = 99)
)
answers <- function(fit, terms = slope_names(fit)) {
  lapply(every_error, function(spec) {
    under <- suppressWarnings(with_errors(fit, spec))
    at <- match(terms, kept_terms(under))
    table <- coefficient_table(under, at)
    list(unname(vcov(under)[terms, terms]), errors_df(under)[at], table$p_value)
  })
}

test_that("units, order of rows, labels of clusters and an entity seen once change nothing", {
  data <- gappy_panel(30, 7, seed = 3, keep = 0.8, plain = TRUE)
  fit_of <- function(data) fit_fixed(y ~ x1 + x2, panel_frame(data, id, year), "both")
  base <- answers(fit_of(data))
  set.seed(1)
  expect_equal(answers(fit_of(data[sample(nrow(data)), ])), base, tolerance = 1e-7)
  renamed <- transform(data, region = c(east = "a5", far = "b4", north = "c3", south = "d2", west = "e1")[region])
  expect_equal(answers(fit_of(renamed))[-(9:10)], base[-(9:10)], tolerance = 1e-7)
  expect_equal(answers(fit_of(rbind(data, transform(data[1, ], id = 999, region = "lone", x1 = 9, y = -3))))[-10],
               base[-10],
               tolerance = 1e-7)
  scaled <- answers(fit_of(transform(data, y = 1e3 * y, x1 = x1 / 1e3)))
  for (kind in names(base)) {
    expect_equal(scaled[[kind]][[1]], base[[kind]][[1]] * outer(c(1e6, 1e3), c(1e6, 1e3)), tolerance = 1e-7,
                 info = kind)
    expect_equal(scaled[[kind]][-1], base[[kind]][-1], tolerance = 1e-7, info = kind)
  }
})

test_that("digits hold beside a shift of 1e6, a year and its square, and weights over nine orders", {
  data <- gappy_panel(30, 8, seed = 8, keep = 0.8, plain = TRUE)
  for (effects in list(NULL, "entity")) {
    fit_of <- function(formula, data, weights = NULL) {
      panel <- panel_frame(data, id, year)
      if (is.null(effects)) fit_pooled(formula, panel, weights) else fit_fixed(formula, panel, effects, weights)
    }
    plain <- answers(fit_of(y ~ x1 + x2, data), c("x1", "x2"))
    expect_equal(answers(fit_of(y ~ x1 + x2, transform(data, x1 = x1 + 1e6)), c("x1", "x2")), plain, tolerance = 1e-7)
    centred <- answers(fit_of(y ~ t + I(t^2) + x1, transform(data, t = year - 2004)), c("I(t^2)", "x1"))
    raw <- answers(fit_of(y ~ year + I(year^2) + x1, data), c("I(year^2)", "x1"))
    expect_equal(raw, centred, tolerance = 1e-6)
    heavy <- transform(data, w = 10^runif(nrow(data), -4.5, 4.5))
    weighted <- answers(fit_of(y ~ x1 + x2, heavy, ~w), c("x1", "x2"))
    D <- if (!is.null(effects)) dummies_of(heavy$id)
    X <- cbind(if (is.null(effects)) 1, heavy$x1, heavy$x2)
    d <- dense_regression(heavy$y, X, D, heavy$w)
    two <- utils::tail(seq_len(ncol(X)), 2)
    expect_equal(weighted$hc3[[1]], unname(dense_hc(d, "HC3"))[two, two], tolerance = 1e-6)
    expect_equal(weighted$cr2[[1]], unname(dense_cr(d, heavy$region, "CR2"))[two, two], tolerance = 1e-6)
  }
})

test_that("rows that two sets of effects fit are found: bridges of their graph", {
  leaf <- function(n, a, b) {
    sets <- list(core_groups(a), core_groups(b))
    D <- cbind(dummies_of(a), dummies_of(b))
    expect_identical(as.integer(cpp_bridges(sets[[1]], sets[[2]], n)), which(1 - diag(projection(D)) < 1e-9))
  }
  set.seed(2)
  for (trial in 1:60) {
    n <- sample(2:40, 1)
    rank <- function(x) match(x, sort(unique(x)))
    leaf(n, rank(sample(sample(2:15, 1), n, TRUE)), rank(sample(sample(2:15, 1), n, TRUE)))
  }
  n <- 3000
  chain <- rep(seq_len(n / 2), each = 2)
  expect_length(cpp_bridges(core_groups(chain), core_groups(c(chain[-1], 1L) * 1L), n), 0)
  expect_length(cpp_bridges(core_groups(chain), core_groups(c(chain[-1], max(chain) + 1L)), n), n)
})

test_that("a regressor that one cluster alone tells has no honest error, and print names the cluster", {
  panel <- harbour_panel()
  panel$treated <- as.numeric(panel$coast == "Ember" & panel$season > 2014)
  fit <- fit_fixed(log(nights) ~ levy + treated, panel, "both")
  expect_match(with_errors(fit, se_clustered(~coast))$errors$notes, "treated varies only within coast Ember",
               all = FALSE)
  honest <- with_errors(fit, se_clustered(~coast, "CR2", "satterthwaite"))
  expect_identical(is.na(as.data.frame(honest)$std_error), c(FALSE, TRUE))
  expect_output(print(honest), "no\\s+clustered error of it is honest")
  expect_error(test_joint(honest), "treated has no standard error", class = "wavetax_error_errors")
  expect_false(any(grepl("only within", with_errors(fit, se_clustered())$errors$notes)))
})

test_that("effective clusters follow their formula, and few of them bring advice", {
  panel <- harbour_panel()
  fit <- fit_fixed(harbour_equation, panel, errors = se_clustered(~coast))
  X <- model.matrix(fit, type = "swept")[, slope_names(fit)]
  gamma <- rowsum((X %*% solve(crossprod(X)))^2, panel$coast)
  expected <- apply(gamma, 2, function(g) 5 / (1 + mean((g / mean(g) - 1)^2)))
  expect_equal(fit$errors$effective$coast, expected, tolerance = 1e-8)
  expect_match(fit$errors$notes, "few", all = FALSE)
  expect_null(with_errors(fit, se_clustered(~coast, "CR2", "satterthwaite"))$errors$notes)
})

test_that("errors that cannot be had are refused with what to use", {
  panel <- harbour_panel()
  fit <- fit_fixed(harbour_equation, panel)
  plain <- fit_pooled(harbour_equation, harbours)
  refused <- function(expr, kind, words) expect_error(expr, words, class = paste0("wavetax_error_", kind))
  refused(with_errors(plain, se_newey_west()), "not_a_panel", "periods")
  refused(with_errors(fit_between(harbour_equation, panel), se_driscoll_kraay()), "not_a_panel", "between")
  refused(with_errors(fit, se_newey_west(40)), "lags", "spans 12")
  refused(se_newey_west(-1), "lags", "whole number")
  refused(se_driscoll_kraay("a"), "lags", "whole number")
  refused(se_clustered(~ harbour + season, df = "satterthwaite"), "errors", "one dimension")
  refused(se_robust("HC9"), "errors", "HC0")
  refused(with_errors(fit, se_own(diag(3))), "errors", "names")
  refused(with_errors(fit, se_own(-diag(3) |> `dimnames<-`(list(names(coef(fit)), names(coef(fit)))))), "errors",
          "negative")
  refused(with_errors(fit, se_own(function(fit) stop("no"))), "errors", "failed")
  refused(with_errors(slim(fit), se_robust()), "slim", "rows")
  own <- with_errors(fit, se_own(vcov))
  expect_equal(vcov(own), vcov(fit))
  expect_equal(unname(test_joint(own)$statistic), unname(test_joint(fit)$statistic) * 95 / 93, tolerance = 1e-8)
  crossed <- fit_fixed(harbour_equation, panel, ~ coast:season)
  expect_true(all(is.finite(unlist(predict(crossed, harbours[1:3, ], interval = "confidence")))))
  rows <- with_errors(fit, se_clustered(~ harbour:season))
  hc <- with_errors(fit, se_robust("HC0"))
  cr0 <- with_errors(fit, se_clustered(~ harbour:season, "CR0"))
  expect_equal(vcov(cr0), vcov(hc), tolerance = 1e-10)
  expect_match(rows$errors$notes, "lie within the harbour effects", all = FALSE)
})

test_that("several errors are columns of one model, and a comparison says what they differ by", {
  fit <- fit_fixed(harbour_equation, harbour_panel())
  several <- with_errors(fit, se_classical(), own = se_robust("HC3"), se_clustered())
  expect_named(several, c("classical", "own", "by harbour"))
  expect_s3_class(spec_table(several), "spec_table")
  compared <- compare_errors(fit)
  expect_identical(nrow(compared), 24L)
  levy <- compared[compared$term == "levy", ]
  expect_equal(levy$std_error[levy$errors == "robust HC3"], sqrt(vcov(several$own)["levy", "levy"]))
  expect_equal(levy$ratio[levy$errors == "classical"], 1)
  expect_output(print(compared), "Clustered, the error is 1.4 times the classical one")
  between <- compare_errors(fit_between(harbour_equation, harbour_panel()))
  expect_output(print(between), "Not computed: Newey-West")
})

test_that("with ten clusters and serial correlation CR2 with its own df and the wild p hold their size", {
  set.seed(7)
  walk <- function() as.vector(replicate(10, stats::filter(rnorm(8), 0.9, "recursive")))
  p <- replicate(250, {
    panel <- panel_frame(data.frame(id = rep(1:10, each = 8), t = 1:8, x = walk(), y = walk()), id, t)
    fit <- fit_fixed(y ~ x, panel, errors = se_classical())
    specs <- list(se_clustered(type = "CR2", df = "satterthwaite"), se_bootstrap(draws = 199))
    c(as.data.frame(fit)$p_value, vapply(specs, function(spec) as.data.frame(with_errors(fit, spec))$p_value, 0))
  })
  rate <- rowMeans(p < 0.05)
  expect_gt(rate[1], 0.13)
  expect_true(all(rate[-1] > 0.015 & rate[-1] < 0.095))
})

test_that("a row that an indicator of its own fits changes no errors", {
  data <- gappy_panel(20, 6, seed = 3, keep = 0.8, plain = TRUE)
  more <- rbind(data, transform(data[c(5, 9), ], year = max(data$year) + 1:2, y = c(9, -7)))
  alone <- c(numeric(nrow(data)), 1, 0)
  more$one <- alone
  more$two <- rev(c(1, numeric(nrow(more) - 1)))
  a <- panel_frame(data, id, year)
  b <- panel_frame(more, id, year)
  errors <- list(se_robust("HC1"), se_robust("HC4"), se_clustered(), se_clustered("year"), se_clustered(~ id + region),
                 se_newey_west(2), se_driscoll_kraay(2))
  same <- function(f, g) {
    for (spec in errors) {
      se <- function(fit) {
        table <- as.data.frame(suppressWarnings(with_errors(fit, spec)))
        unlist(table[table$term %in% c("x1", "x2"), c("std_error", "p_value")])
      }
      expect_equal(se(g), se(f), tolerance = 1e-8, info = spec$kind)
    }
  }
  same(fit_pooled(y ~ x1 + x2, a), fit_pooled(y ~ x1 + x2 + one + two, b))
  same(fit_fixed(y ~ x1 + x2, a), fit_fixed(y ~ x1 + x2 + one + two, b))
})

test_that("a regressor that one of few clusters tells alone is found among many rows too, whatever it is mixed with", {
  n <- 1.2e5
  data <- data.frame(id = rep(seq_len(n / 4), each = 4), t = rep(1:4, n / 4))
  data$x1 <- sin(seq_len(n) * 1.7)
  data$x2 <- cos(seq_len(n) * 2.3) * (data$t == 2)
  data$mixed <- data$x1 / 2 + data$x2
  data$y <- data$x1 + sin(seq_len(n)^1.1)
  expect_identical(fit_fixed(y ~ x1 + x2, data, ~ id, errors = se_clustered(~ id + t))$errors$told_once,
                   "x2")
  expect_identical(fit_fixed(y ~ x1 + mixed, data, ~ id, errors = se_clustered(~ t))$errors$told_once,
                   c("x1", "mixed"))
  expect_identical(fit_fixed(y ~ x1, data, ~ id, errors = se_clustered(~ id + t))$errors$told_once, character())
})

test_that("the largest share of any direction that a cluster has is the largest eigenvalue of its part", {
  for (skip in 0:1) for (p in 1:5) {
    axes <- coordinate_pairs(p + skip, skip)
    grams <- lapply(1:4, function(g) crossprod(matrix(sin(g * seq_len(9 * (p + skip))^1.3), 9)))
    parts <- vapply(grams, function(gram) diag(crossprod(axes, gram %*% axes)), numeric(ncol(axes)))
    own <- vapply(grams, function(gram) {
      max(eigen(gram[seq_len(p) + skip, seq_len(p) + skip, drop = FALSE], symmetric = TRUE)$values)
    }, 0)
    expect_equal(largest_share(matrix(parts, ncol = 4), 1), max(own), tolerance = 1e-10)
  }
  expect_identical(largest_share(matrix(0, ncol(coordinate_pairs(20, 0)), 3), 0.7), 0.7)
})
