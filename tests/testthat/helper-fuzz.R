# Random calls of every exported function and of R's generics on a fit, with arguments of every wrong
# kind: whatever they are given, they answer or end in a typed error of the package. The tests make
# some, `make fuzz` more.

fuzz_material <- function() {
  panel <- panel_frame(harbours, harbour, season)
  small <- panel[panel$coast == "Ember", ]
  eq <- log(nights) ~ levy + storms
  fixed <- fit_fixed(eq, small)
  random <- suppressWarnings(fit_random(eq, small))
  raw <- utils::head(data.table::fread(system.file("extdata", "harbours-raw.csv", package = "wavetax"),
                                       data.table = FALSE), 200)
  folder <- tempfile("fuzz-")
  dir.create(folder)
  odd <- data.frame(a = rep(c("A", "b;", "`c`"), each = 4), b = rep(as.Date("2020-01-01") + 0:3, 3), c = 1:12 / 7)
  odd$d <- as.list(1:12)
  odd$e <- as.raw(1:12)
  names(odd) <- c("k`; stop('ran'); `", "a\\b", "(Intercept)", "x, y", "\033[31m")
  good <- list(
    formula = eq, data = small, fit = fixed, object = fixed, x = small, errors = se_classical(), consistent = fixed,
    full = fixed,
    efficient = random, table = spec_table(fixed), file = file.path(folder, "t.csv"),
    findings = panel_problems(raw, harbour, season),
    steps = list(~storms, "entity"), repaired = small, joined = small, y = data.frame(season = 2009:2020,
                                                                                      rate = 1), by = ~coast,
    design = simulate_panel(5, 4, seed = 1), estimators = list(pooled = function(panel) fit_pooled(y ~ x, panel)),
    draws = 3, panel = simulate_panel(5, 4, seed = 1),
    entity = "harbour", period = "season", variable = "levy", f = c("a", "b"), base = "a", k = 1, effects = "entity"
  )
  strange <- list(
    NULL, NA, NaN, Inf, -1, 0, 1e300, 1L, 2:5, numeric(), character(), "", "no such", "entity", "levy", letters, TRUE,
    c(TRUE, NA), list(), list(1, "a"), mean, function() NULL, quote(a + b), ~x, y ~ x, ~levy, y ~ ., Sys.Date(),
    factor("a"), data.frame(), data.frame(a = 1), matrix(1:4, 2), as.POSIXlt(Sys.time()), 1i, raw(2), small, fixed,
    random, new.env(), structure(1, class = "odd"), structure(list(), class = "panel_fit"),
    structure(list(), class = "spec_table"), se_clustered(~coast), lm(levy ~ storms, harbours), "\033[31m",
    strrep("x", 1e4), odd, panel_frame(odd, !!names(odd)[1], !!names(odd)[2]), c(a = 1), as.raw(1), expression(a)
  )
  list(good = good, strange = strange, fixed = fixed, folder = folder)
}

fuzz_doors <- getNamespaceExports("wavetax")
fuzz_generics <- c("predict", "residuals", "fitted", "confint", "vcov", "model.matrix", "update", "as.data.frame",
                   "plot", "anova")

random_call <- function(material) {
  good <- material$good
  strange <- material$strange
  generic <- stats::runif(1) < 0.3
  name <- sample(if (generic) fuzz_generics else fuzz_doors, 1)
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
    values[[1]] <- material$fixed
    args[1] <- names(formals(f))[1]
  }
  list(name = name, f = if (generic) get(name) else f, args = stats::setNames(values, args))
}

# What a call ended in that is none of the package's conditions, in words; NULL otherwise.
untyped_end <- function(one) {
  bad <- tryCatch({
    suppressWarnings(suppressMessages(utils::capture.output(result <- do.call(one$f, one$args, quote = TRUE))))
    if (inherits(result, c("panel_fit", "panel_test", "spec_table", "panel_shape", "panel_problems"))) {
      suppressWarnings(utils::capture.output(print(result)))
    }
    NULL
  }, wavetax_error = function(cnd) NULL, error = function(cnd) cnd)
  if (is.null(bad)) return(NULL)
  kind <- function(x) {
    paste(utils::head(utils::capture.output(utils::str(x, max.level = 0, give.attr = FALSE)), 1), collapse = "")
  }
  sprintf("%s(%s)\n  %s: %s", one$name,
          paste(names(one$args), vapply(one$args, kind, ""), sep = " =", collapse = ", "), class(bad)[1],
          substr(conditionMessage(bad), 1, 200))
}

fuzz <- function(calls, seed) {
  set.seed(seed)
  grDevices::pdf(NULL)
  on.exit(grDevices::dev.off())
  material <- fuzz_material()
  on.exit(unlink(material$folder, recursive = TRUE), add = TRUE)
  unlist(lapply(seq_len(calls), function(i) untyped_end(random_call(material))))
}
