# The layers of the design: a file uses its own layer and those above it, never below.
source_root <- function() {
  root <- normalizePath(test_path("..", ".."))
  if (!file.exists(file.path(root, "R", "core-rows.R"))) skip("the sources are not here")
  root
}

layers <- list(
  core = "^(core-|RcppExports)", base = "^(conditions|words|check-|typed-table)", panel = "^panel-",
  model = "^(design|fit-|se-|standard-errors|compare-errors|formula-|effect-levels|variance-parts|spec-)",
  tests = "^(test-|collinearity|diagnose|appraise|influence-|in-words|simulate-|monte-)",
  presentation = "^(show-|table-|plot-|as-table|add-facts|report-|write-report)",
  studies = "^(study-|run-study|init-study)",
  cli = "^cli-"
)

layer_of <- function(file) {
  hit <- which(vapply(layers, grepl, logical(1), x = file))
  if (length(hit) == 1) hit else NA
}

defined_in <- function(code) {
  unlist(lapply(code, function(expr) {
    if (is.call(expr) && identical(expr[[1]], as.name("<-")) && is.symbol(expr[[2]])) as.character(expr[[2]])
  }))
}

test_that("no R file uses a layer below its own", {
  files <- list.files(file.path(source_root(), "R"), full.names = TRUE)
  files <- files[!grepl("-package", files)]
  code <- lapply(files, parse, keep.source = FALSE)
  rank <- vapply(basename(files), layer_of, integer(1))
  expect_false(anyNA(rank))
  defined <- lapply(code, defined_in)
  owner <- setNames(rep(rank, lengths(defined)), unlist(defined))
  expect_false(anyDuplicated(names(owner)) > 0)
  for (f in seq_along(files)) {
    used <- intersect(unique(unlist(lapply(code[[f]], all.names))), names(owner))
    expect_identical(used[owner[used] > rank[f]], character(), label = basename(files[f]))
  }
})

test_that("no files depend on each other in a circle, and only the R core calls the bindings", {
  files <- list.files(file.path(source_root(), "R"), full.names = TRUE)
  files <- files[!grepl("-package|RcppExports", files)]
  code <- lapply(files, parse, keep.source = FALSE)
  used <- lapply(code, function(one) unique(unlist(lapply(one, all.names))))
  for (f in grep("/core-", files, invert = TRUE)) {
    expect_identical(grep("^cpp_", used[[f]], value = TRUE), character(), label = basename(files[f]))
  }
  defined <- lapply(code, defined_in)
  owner <- setNames(rep(seq_along(files), lengths(defined)), unlist(defined))
  reach <- vapply(seq_along(files), function(f) seq_along(files) %in% owner[intersect(used[[f]], names(owner))],
                  logical(length(files)))
  diag(reach) <- FALSE
  for (via in seq_along(files)) reach <- reach | outer(reach[, via], reach[via, ], "&")
  expect_identical(basename(files[diag(reach)]), character())
})

test_that("the R core knows no formula, data frame, factor, message or print; only presentation prints", {
  files <- list.files(file.path(source_root(), "R"), full.names = TRUE)
  names_in <- function(file) unique(unlist(lapply(parse(file, keep.source = FALSE), all.names)))
  for (file in grep("/core-", files, value = TRUE)) {
    forbidden <- c("~", "formula", "data.frame", "factor", "message", "print", "cat", "stop", "warning")
    expect_identical(intersect(names_in(file), forbidden), character(), label = basename(file))
  }
  for (file in grep("/(show|table|plot|report|cli|RcppExports)", files, value = TRUE, invert = TRUE)) {
    printing <- intersect(names_in(file), c("print", "cat", "writeLines"))
    expect_identical(printing, character(), label = basename(file))
  }
})

test_that("the C++ core has no R header, and the bindings only bind", {
  root <- source_root()
  core <- list.files(file.path(root, "inst", "include", "wavetax"), full.names = TRUE)
  lines <- unlist(lapply(core, readLines))
  forbidden <- "#include *[<\"](R|Rcpp|Rinternals|Rmath)[./>\"]|RcppEigen|printf|std::cout"
  expect_false(any(grepl(forbidden, lines)))
})
