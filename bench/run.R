# Speed and memory, side by side with base R's .lm.fit() on the same columns in the
# same run. `make bench` runs it; `Rscript bench/run.R 1e6` with fewer rows. Medians of
# interleaved runs; prints the table of bench/README.md.
suppressPackageStartupMessages(library(wavetax))

rows <- as.numeric(c(commandArgs(trailingOnly = TRUE), "1e7")[1])
per_entity <- 10
repeats <- 5

make_data <- function(n, shuffled) {
  set.seed(1)
  id <- rep(seq_len(n / per_entity), each = per_entity)
  t <- rep(seq_len(per_entity), n / per_entity)
  u <- rnorm(n / per_entity)
  x1 <- rnorm(n) + 0.5 * u[id]
  x2 <- runif(n)
  x3 <- rnorm(n, 3)
  data <- data.frame(id = id, t = t, x1 = x1, x2 = x2, x3 = x3, y = x1 - x2 + u[id] + rnorm(n))
  if (shuffled) data <- data[sample(n), ]
  rownames(data) <- NULL
  data
}

seconds <- function(expr) {
  gc(FALSE)
  system.time(expr, gcFirst = FALSE)[["elapsed"]]
}

median_of <- function(tasks, repeats) {
  times <- replicate(repeats, vapply(tasks, function(task) seconds(task()), numeric(1)))
  apply(matrix(times, nrow = length(tasks)), 1, stats::median)
}

# Peak memory of a fit and its data against the data, in a process of its own.
peak_ratio <- function(fit, how) {
  if (!file.exists("/proc/self/clear_refs")) return("not measured")
  system2(file.path(R.home("bin"), "Rscript"),
          c("bench/memory.R", format(rows, scientific = FALSE), how, fit),
          env = "MALLOC_MMAP_THRESHOLD_=131072", stdout = TRUE)
}

equation <- y ~ x1 + x2 + x3
report <- list()
note <- function(what, ratio, aim) report[[length(report) + 1]] <<- c(what, ratio, aim)

for (shuffled in c(FALSE, TRUE)) {
  data <- make_data(rows, shuffled)
  panel <- panel_frame(data, id, t)
  X <- as.matrix(data[c("x1", "x2", "x3")])
  y <- data$y
  tasks <- list(
    base = function() .lm.fit(X, y), fixed = function() fit_fixed(equation, panel),
    random = function() fit_random(equation, panel), pooled = function() fit_pooled(equation, panel),
    both = function() fit_fixed(equation, panel, "both"),
    random_both = function() suppressWarnings(fit_random(equation, panel, "both"))
  )
  medians <- stats::setNames(median_of(tasks, repeats), names(tasks))
  how <- if (shuffled) "shuffled" else "sorted"
  ratio <- function(a, b) sprintf("%.2f", medians[[a]] / medians[[b]])
  note(sprintf("fixed, clustered, %s rows, against .lm.fit (%.2f s)", how, medians[["base"]]),
       ratio("fixed", "base"), if (shuffled) "0.6" else "0.3")
  note(sprintf("two-way fixed, 10 periods, clustered, %s rows, against .lm.fit", how), ratio("both", "base"),
       if (shuffled) "1.2" else "0.7")
  note(sprintf("pooled, clustered, %s rows, against .lm.fit", how), ratio("pooled", "base"), "")
  note(sprintf("random, %s rows, against fixed", how), ratio("random", "fixed"), "1.3")
  note(sprintf("two-way random, 10 periods, %s rows, against two-way fixed", how), ratio("random_both", "both"),
       "1.7")
  rm(X, y)
  for (fit in c("fixed", "random", "both", "random_both")) {
    note(sprintf("peak memory of %s, %s: fit and data together, against the data", fit, how),
         peak_ratio(fit, how), "1.5")
  }
}

# Three sets: workers, firms and years. A tenth of the workers change the firm in a year, to any
# firm; or 3 in 100, and only to the next one in a ring, so that the graph of firms is poorly
# connected.
make_mobility <- function(n, hard) {
  set.seed(1)
  workers <- n / per_entity
  firms <- workers / 10
  worker <- rep(seq_len(workers), each = per_entity)
  moves <- matrix(runif(n) < if (hard) 0.03 else 0.1, per_entity)
  moves[1, ] <- FALSE
  firm <- matrix(0, per_entity, workers)
  firm[1, ] <- sample(firms, workers, TRUE)
  for (year in seq_len(per_entity)[-1]) {
    next_one <- (firm[year - 1, ] + sample(c(-1, 1), workers, TRUE) - 1) %% firms + 1
    to <- if (hard) next_one else sample(firms, workers, TRUE)
    firm[year, ] <- ifelse(moves[year, ], to, firm[year - 1, ])
  }
  firm <- as.integer(firm)
  data <- data.frame(worker = worker, firm = firm, year = rep(seq_len(per_entity), workers),
                     x1 = rnorm(n) + rnorm(firms)[firm], x2 = runif(n) + rnorm(workers)[worker], x3 = rnorm(n))
  data$y <- data$x1 - data$x2 + rnorm(workers)[worker] + rnorm(firms)[firm] + rnorm(n)
  data
}
for (hard in c(FALSE, TRUE)) {
  data <- make_mobility(rows, hard)
  X <- as.matrix(data[c("x1", "x2", "x3")])
  fit <- NULL
  three <- function() fit <<- fit_fixed(equation, data, ~ worker + firm + year)
  medians <- median_of(list(base = function() .lm.fit(X, data$y), three = three), 3)
  figures <- fit_figures(fit)
  note(sprintf("workers, firms and years, %s, %d steps to %.0e, against .lm.fit",
               if (hard) "poorly connected" else "realistic moves", as.integer(figures$iterations), figures$achieved),
       sprintf("%.1f", medians[2] / medians[1]), "4")
  rm(data, X, fit)
}

small <- panel_frame(make_data(200, FALSE), id, t)
fits <- 200
times <- seconds(for (i in seq_len(fits)) fit_fixed(equation, small)) / fits
note("200 rows, fixed with clustered errors, milliseconds", sprintf("%.1f", 1000 * times), "5")

sizes <- rows / c(100, 10, 1)
times <- vapply(sizes, function(n) {
  panel <- panel_frame(make_data(n, FALSE), id, t)
  stats::median(replicate(repeats, seconds(fit_fixed(equation, panel))))
}, numeric(1))
slope <- stats::coef(stats::lm(log(times) ~ log(sizes)))[[2]]
note(sprintf("exponent of time in rows, %s to %s", format(sizes[1]), format(rows)),
     sprintf("%.2f", slope), "1.05")

processor <- if (file.exists("/proc/cpuinfo")) {
  sub(".*: ", "", grep("^model name", readLines("/proc/cpuinfo"), value = TRUE)[1])
}
cat(sprintf("%s; %d processors; %s; %s rows, %s entities, 3 regressors\n\n", processor,
            parallel::detectCores(), R.version.string, format(rows, big.mark = ",", scientific = FALSE),
            format(rows / per_entity, big.mark = ",", scientific = FALSE)))
cat("| measured | ratio or value | at most |\n| :-- | --: | --: |\n")
for (line in report) cat(sprintf("| %s |\n", paste(line, collapse = " | ")))
