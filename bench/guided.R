# Does the interval of appraise() cover? In made worlds, the share of intervals that hold the truth, and their length,
# beside those of a choice by tests on the same data: `Rscript bench/guided.R [draws]` (200 by default; about half an
# hour on two processors) writes docs/guided.md. A report, not a test.
suppressPackageStartupMessages(library(wavetax))

draws <- as.integer(c(commandArgs(trailingOnly = TRUE), "200")[1])
cores <- if (.Platform$OS.type == "unix") parallel::detectCores() else 1L

related_in_time <- function(n, spans, rho = 0.5) {
  out <- matrix(rnorm(n * spans), spans, n)
  for (s in seq_len(spans)[-1]) out[s, ] <- rho * out[s - 1, ] + sqrt(1 - rho^2) * out[s, ]
  out
}

# Each world gives x and what is beside it in y, as periods by entities; the truth is y = x + beside + noise.
worlds <- list(
  "no effects" = function(N, spans) list(x = related_in_time(N, spans), beside = 0),
  "effects unrelated to x" = function(N, spans) {
    list(x = related_in_time(N, spans) + level(N, spans), beside = level(N, spans))
  },
  "weakly related" = function(N, spans) with_level(N, spans, 0.3, 1),
  "strongly related" = function(N, spans) with_level(N, spans, 1, 1),
  "nearly fixed, unrelated" = function(N, spans) with_level(N, spans, 0, 0.2),
  "nearly fixed, related" = function(N, spans) with_level(N, spans, 0.3, 0.2),
  "shared, own loadings" = function(N, spans) list(x = related_in_time(N, spans), beside = shared(N, spans, 0)),
  "shared, loadings of x" = function(N, spans) loaded(N, spans, 0),
  "same, persistent" = function(N, spans) loaded(N, spans, 0.5),
  "two treated" = function(N, spans) treated(N, spans, 2),
  "a quarter treated" = function(N, spans) treated(N, spans, max(2, round(N / 4))),
  "one treated (none promised)" = function(N, spans) treated(N, spans, 1),
  "common, no shocks" = function(N, spans) list(x = matrix(rnorm(spans), spans, N), beside = level(N, spans)),
  "common, shocks" = function(N, spans) {
    list(x = matrix(rnorm(spans), spans, N), beside = level(N, spans) + 0.7 * matrix(rnorm(spans), spans, N))
  },
  "common, persistent shocks" = function(N, spans) {
    list(x = matrix(related_in_time(1, spans), spans, N),
         beside = level(N, spans) + 0.7 * matrix(related_in_time(1, spans), spans, N))
  },
  "fixed, unrelated" = function(N, spans) list(x = level(N, spans), beside = level(N, spans)),
  "fixed, related (none promised)" = function(N, spans) {
    own <- level(N, spans)
    list(x = own, beside = 0.5 * own + level(N, spans))
  }
)
level <- function(N, spans) matrix(rnorm(N), spans, N, byrow = TRUE)
with_level <- function(N, spans, share, spread) {
  own <- level(N, spans)
  list(x = own + spread * related_in_time(N, spans), beside = share * own + level(N, spans))
}
shared <- function(N, spans, rho) matrix(related_in_time(1, spans, rho), spans, N) * level(N, spans)
loaded <- function(N, spans, rho) {
  loading <- 1 + level(N, spans)
  list(x = related_in_time(N, spans) + loading * matrix(related_in_time(1, spans, rho), spans, N),
       beside = level(N, spans) + loading * matrix(related_in_time(1, spans, rho), spans, N))
}
treated <- function(N, spans, count) {
  list(x = outer(seq_len(spans) > spans / 2, seq_len(N) <= count) + 0, beside = level(N, spans))
}

one_draw <- function(world, N, spans, missing) {
  made <- world(N, spans)
  y <- made$x + made$beside + related_in_time(N, spans)
  data <- data.frame(id = rep(seq_len(N), each = spans), t = rep(seq_len(spans), N), x = as.vector(made$x),
                     y = as.vector(y))
  if (missing) data <- data[runif(nrow(data)) < 0.8, ]
  found <- tryCatch(suppressWarnings(appraise(y ~ x, panel_frame(data, id, t))), wavetax_error = function(cnd) NULL)
  if (is.null(found)) return(rep(NA_real_, 4))
  by_tests <- found$choices[found$choices$role == "by tests", ]
  other <- if (nrow(by_tests) == 0) found$interval else c(by_tests$low, by_tests$high)
  c(found$interval, other)
}

cells <- expand.grid(missing = c(FALSE, TRUE), spans = c(5, 10), N = c(8, 20, 50))
cells <- cells[c(1, 3, 6, 7, 10, 11), ]
run_cell <- function(world, cell) {
  blocks <- parallel::mclapply(seq_len(cores), function(core) {
    set.seed(7919 * core + 31 * cell$N + cell$spans)
    replicate(ceiling(draws / cores), one_draw(world, cell$N, cell$spans, cell$missing))
  }, mc.cores = cores, mc.set.seed = FALSE)
  out <- do.call(cbind, blocks)
  holds <- function(low, high) 100 * mean(out[low, ] <= 1 & out[high, ] >= 1, na.rm = TRUE)
  c(given = 100 * mean(!is.na(out[1, ])), covers = holds(1, 2), length = mean(out[2, ] - out[1, ], na.rm = TRUE),
    tests = holds(3, 4), of_tests = mean(out[4, ] - out[3, ], na.rm = TRUE))
}

rows <- lapply(names(worlds), function(name) {
  message(name)
  all <- vapply(seq_len(nrow(cells)), function(c) run_cell(worlds[[name]], cells[c, ]), numeric(5))
  given <- mean(all["given", ])
  number <- function(x) if (all(is.nan(x))) "" else sprintf("%.0f / %.0f", min(x, na.rm = TRUE), mean(x, na.rm = TRUE))
  sprintf("| %s | %.0f | %s | %s | %s |", name, given, number(all["covers", ]), number(all["tests", ]),
          if (given == 0) "" else sprintf("%.2f", mean(all["length", ] / all["of_tests", ], na.rm = TRUE)))
})
intro <- sprintf(paste(
  "`bench/guided.R`: `appraise(y ~ x)` itself in made worlds, %s draws in each of %d cells (N 8, 20, 50; T 5, 10;",
  "half of them with a fifth of the rows missing). Disturbances of an entity are autocorrelated by 0.5. The share",
  "of intervals that hold the truth, in percent, lowest and mean over the cells (one cell is known to about %.1f",
  "either way); beside it that of a choice by tests on the same data, whose errors are clustered by entity; and",
  "how long the interval is over that one's."
), draws, nrow(cells), 196 * sqrt(0.05 * 0.95 / draws))
closing <- paste(
  "An interval after a choice by tests is shorter where it does not hold: nothing is gained by it that is not",
  "lost in coverage. Of a regressor that is fixed over time the interval is that of a comparison, and covers the",
  "effect only where what else is fixed is unrelated to it, which nothing in the data tells."
)
writeLines(c(
  "# Does the interval of the guided choice cover?", "", strwrap(intro, 118), "",
  "| World | intervals given | covers, lowest / mean | by tests, lowest / mean | length over tests' |",
  "| :-- | --: | --: | --: | --: |", unlist(rows), "", strwrap(closing, 118)
), "docs/guided.md")
