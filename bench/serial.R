# AR(1) beside the plain fit, and what memory allows: fits of 1e7 rows, a million entities of ten, three regressors,
# errors clustered, and the passes of a fixed effects fit as bare loops: `Rscript bench/serial.R`. The least of five.
Sys.setenv(PKG_CXXFLAGS = "-O3 -pthread", PKG_LIBS = "-pthread")
suppressPackageStartupMessages(library(wavetax))
Rcpp::sourceCpp("bench/serial.cpp")
set.seed(1)
size <- 10L
n <- 1e7
id <- rep(seq_len(n / size), each = size)
year <- rep(seq_len(size), n / size)
x <- lapply(1:3, function(j) rnorm(n))
e <- rnorm(n)
for (t in seq_len(size)[-1]) {
  rows <- which(year == t)
  e[rows] <- 0.4 * e[rows - 1L] + sqrt(1 - 0.4^2) * e[rows]
}
panel <- panel_frame(data.frame(id, year, x1 = x[[1]], x2 = x[[2]], x3 = x[[3]], y = x[[1]] + e), id, year)
took <- function(expr) {
  call <- substitute(expr)
  where <- parent.frame()
  min(replicate(5, system.time(eval(call, where))[[3]]))
}
cat("             plain   AR(1)  times\n")
for (model in c("pooled", "fixed", "random")) {
  fit <- get(paste0("fit_", model))
  plain <- took(fit(y ~ x1 + x2 + x3, panel))
  under <- took(fit(y ~ x1 + x2 + x3, panel, serial = "ar1"))
  cat(sprintf("%-10s %6.2f s %5.2f s %5.1f\n", model, plain, under, under / plain))
}
# Steps of iterate on 1e6 rows: each is a round of residuals, rho and slopes.
part <- panel[seq_len(n / 10), ]
once <- took(fit_fixed(y ~ x1 + x2 + x3, part, serial = "ar1"))
again <- took(done <- fit_fixed(y ~ x1 + x2 + x3, part, serial = serial_ar1(iterate = TRUE)))
plain <- took(fit_fixed(y ~ x1 + x2 + x3, part))
cat(sprintf("iterate: %d steps of %.3f s, a plain fit %.3f s\n", done$serial$steps, (again - once) / done$serial$steps,
            plain))
# Covariances of 100 entities over 400 periods, beside one solve of as many columns.
N <- 100
wide <- data.frame(id = rep(seq_len(N), each = 400), year = rep(1:400, N), x1 = rnorm(4e4), x2 = rnorm(4e4),
                   x3 = rnorm(4e4))
wide$y <- wide$x1 + c(matrix(rnorm(4e4), 400) %*% chol(0.5 * diag(N) + 0.5))
wide <- panel_frame(wide, id, year)
S <- crossprod(matrix(rnorm(2 * N^2), 2 * N))
X <- matrix(rnorm(N * 1600), N)
solved <- took(for (i in 1:10) backsolve(chol(S), X)) / 10
across <- took(for (i in 1:10) fit_gls(y ~ x1 + x2 + x3, wide, across = TRUE)) / 10
cat(sprintf("across: %.1f ms, backsolve(chol(S), X) %.1f ms, %.1f times\n", 1000 * across, 1000 * solved,
            across / solved))
columns <- c(x, list(panel$y))
loops <- c("levels", "scores", "moments of rho", "AR(1) levels", "AR(1) scores")
seconds <- vapply(loops, function(name) took(bare_serial(columns, id, year, size, name)), 0)
cat("\n", sprintf("%-16s %.3f s\n", loops, seconds), sep = "")
plain <- sum(seconds[1:2])
under <- sum(seconds[c(1, 3:5)])
cat(sprintf("The loops together: plain %.3f s, AR(1) %.3f s, %.1f times\n", plain, under, under / plain))
