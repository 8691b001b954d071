# A source of many pieces, and the same rows at once.
pieces_of <- function(data, size) {
  state <- new.env()
  state$at <- 0
  function() {
    if (state$at >= nrow(data)) {
      state$at <- 0
      return(NULL)
    }
    rows <- seq(state$at + 1, min(nrow(data), state$at + size))
    state$at <- max(rows)
    data[rows, ]
  }
}
expect_same_fit <- function(a, b) {
  expect_equal(a$coefficients$estimate, b$coefficients$estimate, tolerance = 1e-10)
  expect_equal(vcov(a), vcov(b), tolerance = 1e-10)
  expect_equal(c(a$n, a$df), c(b$n, b$df))
  expect_equal(c(logLik(a), a$r_squared), c(logLik(b), b$r_squared), tolerance = 1e-10)
}

test_that("a fit in pieces is the fit at once: files and functions, weights, missing rows, any order", {
  data <- gappy_panel(plain = TRUE)
  data$x1[7] <- NA
  file <- tempfile(fileext = ".csv")
  data.table::fwrite(data, file)
  for (source in list(file, pieces_of(data, 20), pieces_of(data[order(data$id), ], 33))) {
    expect_same_fit(fit_pooled(y ~ x1 + log(size), source), fit_pooled(y ~ x1 + log(size), data))
    for (effects in list(~id, ~ id + year)) {
      expect_same_fit(fit_fixed(y ~ x1 + x2, source, effects), fit_fixed(y ~ x1 + x2, data, effects))
      for (errors in list(se_classical(), se_clustered(~region), se_clustered(~kind))) {
        expect_same_fit(fit_fixed(y ~ x1 + x2, source, effects, weights = ~w, errors = errors, rows = ~ year > 2001),
                        fit_fixed(y ~ x1 + x2, data, effects, weights = ~w, errors = errors, rows = ~ year > 2001))
      }
    }
  }
  a <- fit_fixed(y ~ x1 + x2 + size, source, ~ id + year, weights = ~w)
  b <- fit_fixed(y ~ x1 + x2 + size, data, ~ id + year, weights = ~w)
  expect_identical(a$coefficients$reason, b$coefficients$reason)
  both <- merge(effect_levels(a), effect_levels(b), by = c("effect", "group"))
  expect_equal(both$deviation.x, both$deviation.y)
  expect_equal(predict(a, data), predict(b, data))
  expect_s3_class(spec_table(a, b), "spec_table")
})

test_that("bridges between two sets are found in pieces, and nobody counts them", {
  data <- gappy_panel(plain = TRUE)[c("id", "year", "region", "x1", "y")]
  # A second graph that hangs on one row, and a chain of rows each alone between two levels.
  far <- transform(data[data$id < 15, ], id = id + 100, year = year + 50)
  link <- transform(data[1:4, ], id = c(101, 200, 200, 201), year = c(2003, 2055, 2070, 2070), region = "bridge")
  all <- rbind(data, far, link)
  for (rows in list(seq_len(nrow(all)), rev(seq_len(nrow(all))))) {
    for (errors in list(se_clustered(~region), se_clustered(~year), se_clustered(~id), se_robust("HC1"))) {
      expect_same_fit(fit_fixed(y ~ x1, pieces_of(all[rows, ], 17), ~ id + year, errors = errors),
                      fit_fixed(y ~ x1, all, ~ id + year, errors = errors))
    }
  }
})

test_that("what does not go piece by piece is refused", {
  data <- gappy_panel(plain = TRUE)
  source <- pieces_of(data, 50)
  refused <- function(expr, words, kind = "pieces") {
    expect_error(expr, words, class = paste0("wavetax_error_", kind))
  }
  refused(fit_pooled(y ~ scale(x1), source), "scale")
  refused(fit_pooled(y ~ x1 + kind, pieces_of(data, 50)), "categories")
  refused(fit_fixed(y ~ x1, source), "one or two columns", "effects")
  renamed <- list(data[1:20, ], setNames(data[21:40, ], sub("x2", "z2", names(data))), NULL)
  turn <- new.env()
  turn$at <- 0
  refused(fit_pooled(y ~ x2, function() renamed[[turn$at <- turn$at + 1]]), "the first had")
  turn$at <- 0
  once <- list(data[1:100, ], NULL, NULL)
  refused(fit_fixed(y ~ x2, function() once[[turn$at <- turn$at + 1]], ~id), "start again")
  refused(residuals(fit_pooled(y ~ x1, pieces_of(data, 50))), "no residuals")
  text <- data
  text$x1 <- ifelse(seq_along(text$x1) > 60, "many", text$x1)
  refused(fit_pooled(y ~ x1, pieces_of(transform(text, x1 = x1), 50)), "text", "text_numbers")
  refused(fit_pooled(y ~ nowhere, tempfile()), "no file", "no_file")
})

test_that("a Parquet file is read by its row groups", {
  skip_if_not_installed("nanoparquet", "0.3.0")
  set.seed(8)
  n <- 600000
  data <- data.frame(id = sample(500L, n, TRUE), x = round(rnorm(n), 2), kind = sample(c("a", "b"), n, TRUE))
  data$y <- data$x + data$id / 100 + round(rnorm(n), 2)
  data$x[3] <- NA
  file <- tempfile(fileext = ".parquet")
  nanoparquet::write_parquet(data, file, options = nanoparquet::parquet_options(num_rows_per_row_group = 70000))
  expect_same_fit(fit_fixed(y ~ x, file, ~id, errors = se_clustered(~kind)),
                  fit_fixed(y ~ x, data, ~id, errors = se_clustered(~kind)))
  broken <- tempfile(fileext = ".parquet")
  writeBin(utils::head(readBin(file, "raw", 1e5), 5e4), broken)
  expect_error(fit_pooled(y ~ x, broken), class = "wavetax_error_not_a_table")
})
