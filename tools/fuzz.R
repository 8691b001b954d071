# Random arguments to every exported function: whatever they are given, they answer or end in a
# typed error of the package. `make fuzz`; `Rscript tools/fuzz.R 20000 7` for more calls and another
# seed. Lists the calls that ended otherwise, and closes with a count.
suppressPackageStartupMessages(library(wavetax))
given <- commandArgs(trailingOnly = TRUE)
calls <- as.integer(c(given, "2000")[1])
set.seed(as.integer(c(given[-1], "1")[1]))
grDevices::pdf(NULL)

panel <- panel_frame(harbours, harbour, season)
small <- panel[panel$coast == "Ember", ]
eq <- log(nights) ~ levy + storms
fixed <- fit_fixed(eq, small)
random <- suppressWarnings(fit_random(eq, small))
raw <- utils::head(data.table::fread(system.file("extdata", "harbours-raw.csv", package = "wavetax"),
                                     data.table = FALSE), 200)
folder <- tempfile("fuzz-")
dir.create(folder)
good <- list(
  formula = eq, data = small, fit = fixed, object = fixed, x = small, errors = se_classical(), consistent = fixed,
  efficient = random, table = spec_table(fixed), file = file.path(folder, "t.csv"), findings = panel_problems(raw,
      harbour, season),
  steps = list(~storms, "entity"), repaired = small, y = data.frame(season = 2009:2020, rate = 1), by = ~coast,
  entity = "harbour", period = "season", variable = "levy", f = c("a", "b"), base = "a", k = 1, effects = "entity"
)
strange <- list(
  NULL, NA, NaN, Inf, -1, 0, 1e300, 1L, 2:5, numeric(), character(), "", "no such", "entity", "levy", letters, TRUE,
  c(TRUE, NA), list(), list(1,
                            "a"), mean, function() NULL, quote(a + b), ~x, y ~ x, ~levy, y ~ ., Sys.Date(), factor("a"),
  data.frame(), data.frame(a = 1), matrix(1:4, 2), as.POSIXlt(Sys.time()), 1i, raw(2), small, fixed, random, new.env(),
  structure(1, class = "odd"), structure(list(), class = "panel_fit"), structure(list(), class = "spec_table"),
  se_clustered(~coast), lm(levy ~ storms, harbours), "\033[31m", strrep("x", 1e4), c(a = 1), as.raw(1), expression(a)
)
doors <- getNamespaceExports("wavetax")
generics <- c("predict", "residuals", "fitted", "confint", "vcov", "model.matrix", "update", "as.data.frame", "plot",
              "anova")

random_call <- function() {
  generic <- stats::runif(1) < 0.3
  name <- sample(if (generic) generics else doors, 1)
  f <- if (generic) utils::getS3method(name, "panel_fit") else get(name, asNamespace("wavetax"))
  args <- setdiff(names(formals(f)), "...")
  args <- args[stats::runif(length(args)) < 0.7 | args %in% names(good)]
  values <- lapply(args, function(arg) {
    if (arg %in% names(good) && stats::runif(1) < 0.6) good[arg] else sample(strange, 1)
  })
  if ("..." %in% names(formals(f)) && stats::runif(1) < 0.3) {
    values <- c(values, list(sample(strange, 1)))
    args <- c(args, sample(c("", "extra"), 1))
  }
  values <- lapply(values, `[[`, 1)
  if (generic) {
    values[[1]] <- fixed
    args[1] <- names(formals(f))[1]
  }
  list(name = name, generic = generic, args = stats::setNames(values, args))
}

words <- function(x) {
  paste(utils::head(utils::capture.output(utils::str(x, max.level = 0, give.attr = FALSE)), 1), collapse = "")
}
untyped <- 0L
for (i in seq_len(calls)) {
  one <- random_call()
  f <- if (one$generic) get(one$name) else get(one$name, asNamespace("wavetax"))
  bad <- tryCatch({
    suppressWarnings(suppressMessages(utils::capture.output(result <- do.call(f, one$args, quote = TRUE))))
    if (inherits(result, c("panel_fit", "panel_test", "spec_table", "panel_shape", "panel_problems"))) {
      suppressWarnings(utils::capture.output(print(result)))
    }
    NULL
  }, wavetax_error = function(cnd) NULL, error = function(cnd) cnd)
  if (is.null(bad)) next
  untyped <- untyped + 1L
  cat(sprintf("%s(%s)\n  %s: %s\n", one$name, paste(names(one$args), vapply(one$args, words, ""), sep = " =",
                                                    collapse = ", "),
              class(bad)[1], substr(conditionMessage(bad), 1, 200)))
}
unlink(folder, recursive = TRUE)
cat(sprintf("%d calls, %d ended in an error that is none of the package's\n", calls, untyped))
quit(save = "no", status = as.integer(untyped > 0))
