# What is wrong in a study file is told with its line, once, at its cause; nothing is run.
skip_if_not_installed("yaml")
skip_if_not_installed("jsonlite")

demo_lines <- function() readLines(system.file("examples", "study", "study.yaml", package = "wavetax"))

# The study of the demo world with one place changed, and what is told of it.
told_of <- function(from, to, lines = demo_lines()) {
  folder <- fresh_folder()
  dir.create(file.path(folder, "data"))
  for (name in c("harbours-raw.csv", "wages.csv")) {
    file.copy(system.file("extdata", name, package = "wavetax"), file.path(folder, "data", name))
  }
  for (i in seq_along(from)) {
    at <- grep(from[i], lines, fixed = TRUE)[1]
    lines[at] <- sub(from[i], to[i], lines[at], fixed = TRUE)
  }
  file <- file.path(folder, "study.yaml")
  writeLines(unlist(strsplit(lines, "\n", fixed = TRUE)), file)
  error <- tryCatch(run_study(file, plan = TRUE), wavetax_error_study = function(cnd) cnd)
  expect_s3_class(error, "wavetax_error_study")
  expect_named(error$faults, c("line", "key", "kind", "found", "near"))
  strsplit(cli::ansi_strip(conditionMessage(error)), "\n")[[1]]
}

faults <- list(
  tab = list("  entity: harbour", "\tentity: harbour"),
  colon = list("title: The wave tax and the nights sold", "title: The wave tax: nights"),
  comma = list("add: \"past(levy, 1:2)\"", "add: past(levy, 1:2)"),
  tag = list("since 2013: season > 2012", "open: !sheltered"),
  anchor = list("labels:", "notes: &x y\nlabels:"),
  sign = list("entity: harbour", "entity: `harbour`"),
  "second document" = list("size: column", "size: column", "---"),
  "not closed" = list("sample: [since 2013, seen throughout]}", "sample: [since 2013, seen throughout"),
  "key twice" = list("  random:", "  random:\n  fixed:"),
  "unknown key" = list("effects: both}", "efects: both}"),
  "wrong home" = list("seed: 2020", "formula: y ~ x\nseed: 2020"),
  version = list("study: 1", "study: 2"),
  missing = list("  period: season", ""),
  flag = list("hausman: true", "hausman: ja"),
  "kind of errors" = list("{kind: clustered", "{kind: clusterd"),
  "no model" = list("two-way: {model: fixed, ", "two-way: {"),
  "two models" = list("  between:", "  between: {like: fixed}"),
  "no such fit" = list("fits: [two-way, with wages", "fits: [twoway, with wages"),
  "no such member" = list("lagged, by sample]", "lagged, by sample / since2013]"),
  "no such sample" = list("sample: [since 2013, seen throughout]}", "sample: season > 2012}"),
  circle = list(c("with wages: {like: two-way", "lagged: {like: two-way"), c("with wages: {like: lagged",
                                                                           "lagged: {like: with wages")),
  "not of the model" = list(c("  formula: log(nights)", "  fixed:"), c("  weights: berths\n  formula: log(nights)",
                                                                     "  fixed:\n  changes: {model: difference}")),
  "no file" = list("data/harbours-raw.csv", "data/harbour-raw.csv"),
  "not allowed" = list("crowding: nights / (berths * 365)", "steep: system('ls') + nights"),
  "no column" = list("+ storms + fuel", "+ sotrms + fuel"),
  "leaves the folder" = list("file: data/harbours-raw.csv", "file: ../x.csv"),
  address = list("data/wages.csv", "https://x.example/wages.csv"),
  outputs = list("file: [main.html, main.md]", "file: [../../x.html, robustness.html, main.doc]"),
  "without what is not there" = list("without: fuel", "without: rain"),
  "add what is there" = list("add: wage", "add: fuel"),
  "too many fits" = list("effects: both}", paste0("effects: [entity, period, both, none], outcome: [", paste0(
    "log(nights + ", 1:40, ")", collapse = ", "), "], sample: [since 2013, all, seen throughout], errors: [classical, ",
    "robust, clustered]}")),
  "no rows" = list("since 2013: season > 2012", "since 2013: season > 2100"),
  arguments = list(c("  fixed:", "focus: levy"), c("  fixed: {serial: {rho: 2, x: y}}", "focus: levy, lvel: 0.05")),
  tests = list("  hausman: ", "  foo: {fit: fixed}\n  strength:\n  joint: {fit: by coast}\n  hausman: "),
  "others' words" = list("title: The", "heading: The"),
  sections = list(c("data:", "fits:"), c("dta:", "models:")),
  "parts of the report" = list(c("    - limits", "tables: description, figures", "words: recommended"),
                               c("    - limit\n    - {text: x}",
    "tables: descriptions, figures", "words: recomended, txet: y"))
)

test_that("the faults of a study are told", {
  said <- lapply(faults, function(one) told_of(one[[1]], one[[2]], c(demo_lines(), unlist(one[-(1:2)]))))
  expect_snapshot(for (name in names(said)) writeLines(c(paste0("[", name, "]"), said[[name]])))
})

test_that("files that are no study are refused by what they are", {
  folder <- fresh_folder()
  told <- function(content) {
    file <- file.path(folder, "s.yaml")
    writeBin(content, file)
    tryCatch(run_study(file), wavetax_error_study = function(cnd) cnd$faults$found)
  }
  expect_match(told(raw()), "nothing stands in it")
  expect_match(told(charToRaw("# only this\n\n")), "nothing stands in it")
  expect_match(told(as.raw(c(1, 0, 200, 7))), "this is no text")
  expect_match(told(rep(charToRaw("a: b\n"), 2e6)), "10,000,000 bytes")
  expect_match(told(as.raw(c(utf8ToInt("a: b"), 255))), "not in UTF-8")
  expect_match(told(charToRaw("- a\n- b\n")), "does not take")
  expect_match(told(charToRaw(strrep("[", 5000))), "deeper than 8")
  expect_match(told(charToRaw("a: {b: {c: {d: {e: {f: {g: {h: {i: 1}}}}}}}}\n")), "deeper than 8")
  expect_error(run_study(file.path(folder, "none.yaml")), class = "wavetax_error_no_file")
  expect_error(run_study(folder), class = "wavetax_error_no_file")
  for (wrong in list(1, NULL, NA_character_, c("a", "b"), "")) expect_error(run_study(wrong), class = "wavetax_error")
})

test_that("what is written reads as the text that stands there, with its line", {
  text <- c("study: 1", "a: n", "b: [NO, 012, 1e5, x: ~]", "c:", "- 1.10", "- d: 2014-01-01",
            "  'it''s': \"q # w\" # c",
            "e: log(y) ~ x +", "   z", "f: {g: 'a, b', h: \"c: d\"}", "i: |", "  kept: as", "  it is")
  read <- wavetax:::yaml_tree(text)
  found <- wavetax:::collect_faults(wavetax:::scan_study(text))
  expect_null(found$faults)
  expect_identical(read$a, "n")
  expect_identical(unlist(read$b, use.names = FALSE), c("NO", "012", "1e5", "~"))
  expect_identical(read$c[[2]], list(d = "2014-01-01", "it's" = "q # w"))
  expect_identical(read$e, "log(y) ~ x + z")
  lines <- vapply(found$value, `[[`, 1L, "line")
  names(lines) <- vapply(found$value, function(one) paste(one$path, collapse = "/"), "")
  expect_setequal(names(lines), gsub("\u001f", "/", wavetax:::tree_paths(read)))
  expect_identical(lines[c("c/2/it's", "e", "f/h", "b/4/x")], c("c/2/it's" = 7L, e = 8L, "f/h" = 10L, "b/4/x" = 3L))
})
