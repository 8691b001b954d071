# Studies: what is run is what the calls would give, what has not changed is kept, what fails does not stop the rest.
skip_if_not_installed("yaml")
skip_if_not_installed("jsonlite")

started <- function() {
  folder <- fresh_folder()
  suppressMessages(init_study(folder))
  file.path(folder, "study.yaml")
}

change_lines <- function(file, from, to) {
  lines <- readLines(file)
  at <- grep(from, lines, fixed = TRUE)[1]
  lines[at] <- sub(from, to, lines[at], fixed = TRUE)
  writeLines(lines, file)
}

states <- function(run) setNames(run$steps$state, run$steps$name)

# The report is the longest of it: later runs go without.
without_report <- function(file) {
  lines <- readLines(file)
  writeLines(lines[seq_len(grep("^report:", lines) - 1)], file)
  file
}

demo <- started()
first <- run_study(demo)

test_that("what a run made is reported too, by a run that keeps all as by the first one", {
  files <- file.path(fresh_folder(), c("first.md", "kept.md"))
  write_report(first, files[1])
  write_report(run_study(demo), files[2], author = "A. Harbourmaster", parts = c("question", "data", "models", "tests"))
  texts <- lapply(files, readLines)
  expect_match(texts[[1]][1], "The wave tax and the nights sold", fixed = TRUE)
  for (text in texts) {
    for (words in c("A. Harbourmaster", "What the tests say", "Hausman")) expect_match(text, words, all = FALSE)
  }
  expect_match(texts[[1]], "became missing", all = FALSE)
  expect_match(texts[[1]], "Methods and calls", all = FALSE)
  expect_no_match(texts[[2]], "Methods and calls")
})

test_that("the complete study gives what its calls give, and the calls are told", {
  expect_true(all(states(first) == "run"))
  expect_true(all(file.exists(file.path(first$folder, first$outputs$file))))
  code <- study_code(demo)
  expect_snapshot(print(code))
  values <- new.env()
  script <- tempfile(fileext = ".R")
  writeLines(sub("results/", paste0(tempdir(), "/code-"), gsub("/figures/|/tables/", "/", code)), script)
  before <- setwd(dirname(demo))
  on.exit(setwd(before))
  suppressWarnings(suppressMessages(source(script, local = values)))
  expect_setequal(names(values$fits), names(first$fits))
  for (name in setdiff(names(values$fits), "by coast")) {
    expect_identical(coef(values$fits[[name]]), coef(first$fits[[name]]), label = name)
    expect_identical(vcov(values$fits[[name]]), vcov(first$fits[[name]]), label = name)
  }
  expect_identical(lapply(values$fits[["by coast"]], coef), lapply(first$fits[["by coast"]], coef))
  expect_identical(lapply(values$tests, `[[`, "p.value"), lapply(first$tests, `[[`, "p.value"))
  # And by hand.
  raw <- utils::read.csv(file.path(dirname(demo), "data", "harbours-raw.csv"), colClasses = "character",
                         encoding = "UTF-8")
  raw$harbour[grepl("^Oskav", raw$harbour)] <- "Oskavik"
  raw <- raw[nzchar(raw$harbour) & nzchar(raw$season), ]
  raw <- raw[!duplicated(raw[c("harbour", "season")], fromLast = TRUE), ]
  for (name in setdiff(names(raw), c("harbour", "coast"))) {
    raw[[name]] <- suppressWarnings(as.numeric(sub(",", ".", raw[[name]], fixed = TRUE)))
  }
  dense <- lm(log(nights) ~ levy + storms + fuel + factor(harbour) + factor(season), raw, subset = season > 2012)
  expect_equal(coef(first$fits[["by sample / since 2013"]]), coef(dense)[c("levy", "storms", "fuel")], tolerance = 1e-9)
  whole <- raw$harbour %in% names(which(table(raw$harbour) == 12))
  dense <- lm(log(nights) ~ levy + storms + fuel + factor(harbour) + factor(season), raw, subset = whole)
  expect_equal(coef(first$fits[["by sample / seen throughout"]]), coef(dense)[c("levy", "storms", "fuel")],
               tolerance = 1e-9)
  dense <- lm(I(nights / (berths * 365)) ~ levy + storms + factor(harbour), raw)
  expect_equal(coef(first$fits$crowding), coef(dense)[c("levy", "storms")], tolerance = 1e-9)
})

test_that("the report shows what the study made, in the order that it says", {
  expect_setequal(first$outputs$file[first$outputs$step == "report"], c("wave-tax.html", "wave-tax.docx"))
  page <- paste(readLines(file.path(first$folder, "wave-tax.html"), encoding = "UTF-8"), collapse = "\n")
  heads <- regmatches(page, gregexpr("<h2>[^<]+", page))[[1]]
  expect_identical(heads, paste0("<h2>", c("The question", "The data", "Where harbours differ", "What the levy does",
                                           "Which model", "Does it hold", "What no test can tell",
                                           "Methods and calls")))
  for (words in c("The wave tax and the nights sold", "A. Harbourmaster. 2026-03-01", "11 cells and rows repaired",
                  in_words(first$appraised$appraise$fit, "levy")$words, "Harbours that are liked charge more",
                  sub(":.*", "", first$tests$hausman$reading))) {
    expect_true(grepl(words, page, fixed = TRUE), label = words)
  }
  again <- run_study(demo)
  expect_true(all(states(again) == "kept"))
})

test_that("nothing is run again that has not changed, and what has is told", {
  without_report(demo)
  run_study(demo)
  manifest <- readLines(file.path(first$folder, "manifest.json"))
  again <- run_study(demo)
  expect_true(all(states(again) == "kept"))
  expect_true(all(again$outputs$state == "as it was"))
  expect_identical(readLines(file.path(first$folder, "manifest.json")), manifest)
  expect_match(capture.output(print(again)), "Nothing has changed: 30 steps kept, 8 files as they were", all = FALSE)
  # What is kept is what was made.
  expect_identical(coef(again$fits$fixed), coef(first$fits$fixed))
  expect_identical(residuals(again$fits$fixed), residuals(first$fits$fixed))
  expect_identical(again$tests$hausman$statistic, first$tests$hausman$statistic)
  # Comments and order are no change.
  writeLines(c("# a note", "", readLines(demo)), demo)
  expect_true(all(states(run_study(demo)) == "kept"))
  runs <- function() {
    plan <- run_study(demo, plan = TRUE)
    expect_identical(plan$name[plan$state == "runs"], names(states(done <- run_study(demo)))[states(done) == "run"])
    setdiff(plan$name[plan$state == "runs"], c("data", grep("^(join|let|labels|samples)", plan$name, value = TRUE)))
  }
  # A cell of a column that no fit has, then one of a column that one fit has.
  raw <- file.path(dirname(demo), "data", "harbours-raw.csv")
  lines <- readLines(raw, encoding = "UTF-8")
  lines[100] <- sub(",[0-9]+,([01],[0-9]+)$", ",77,\\1", lines[100])
  writeLines(lines, raw, useBytes = TRUE)
  expect_identical(runs(), character())
  change_lines(file.path(dirname(demo), "data", "wages.csv"), "Brindle,2010,", "Brindle,2010,9")
  expect_identical(runs(), c("fits / with wages", "tables / robustness"))
  # Labels belong to what shows them.
  change_lines(demo, "levy: Wave tax, crowns a metre", "levy: The levy")
  expect_identical(runs(), c(paste("tables /", c("description", "main", "robustness", "doubts")),
                             paste("figures /", c("presence", "paths", "slopes"))))
  expect_true("The levy" %in% as_table(run_study(demo)$tables$main)$rows$label)
  # A result that was altered or lost is written again.
  cat("x", file = file.path(first$folder, "tables", "main.md"), append = TRUE)
  unlink(file.path(first$folder, "figures", "paths.png"))
  expect_snapshot(print(run_study(demo, plan = TRUE)))
  done <- run_study(demo)
  expect_setequal(done$outputs$file[done$outputs$state == "again"], c("tables/main.md", "figures/paths.png"))
  # A change of one fit's keys is one of what needs it.
  change_lines(demo, "method: lm, lag: 2", "method: lm, lag: 3")
  expect_identical(runs(), "tests / serial of two")
})

test_that("what fails is told with its line, and the rest goes on without it", {
  file <- without_report(started())
  change_lines(file, "past(levy, 1:2)", "past(levy, 12)")
  change_lines(file, "serial: {fit: fixed}", "serial: {fit: lagged}")
  run <- run_study(file)
  expect_identical(unname(states(run)[c("fits / lagged", "tests / serial", "tables / robustness")]),
                   c("failed", "without", "run"))
  expect_identical(names(run$tables$robustness$records), c("two-way", "with wages", "since 2013", "seen throughout"))
  expect_snapshot(print(run), transform = function(x) sub("to /[^:]*:", "to RESULTS:", x))
  # Mended, it is made.
  change_lines(file, "past(levy, 12)", "past(levy, 1:2)")
  expect_true(all(states(run_study(file)) %in% c("run", "kept")))
})

test_that("steps are chosen with what they need; results go where the caller says; two runs do not mix", {
  file <- without_report(started())
  out <- fresh_folder()
  run <- run_study(file, only = "tables/doubts", out = out)
  expect_setequal(grep("^(fits|tests|tables|figures)", run$steps$name, value = TRUE),
                  c("fits / fixed", "tables / doubts"))
  expect_identical(list.files(file.path(out, "tables")), "doubts.html")
  expect_error(run_study(file, only = "tables/dobuts"), "tables / doubts", class = "wavetax_error_argument")
  lock <- file.path(out, ".kept", "lock")
  # A process that is there, and then one that is not.
  writeLines(c("1", Sys.info()[["nodename"]]), lock)
  expect_error(run_study(file, out = out), class = "wavetax_error_study_locked")
  writeLines(c("4194301", Sys.info()[["nodename"]]), lock)
  expect_s3_class(run_study(file, out = out, only = "fits/fixed"), "study_run")
  expect_false(file.exists(lock))
  skip_if(Sys.info()[["user"]] == "root", "root may write anywhere")
  Sys.chmod(out, "0500")
  expect_error(run_study(file, out = file.path(out, "x")), class = "wavetax_error_cannot_write")
  Sys.chmod(out, "0700")
})

test_that("a study starts from one's own file, and writes over nothing", {
  folder <- fresh_folder()
  own <- file.path(folder, "own")
  suppressMessages(init_study(own, system.file("extdata", "harbours.csv", package = "wavetax"), "harbour", "season",
                              "log(nights) ~ levy + storms"))
  run <- run_study(file.path(own, "study.yaml"))
  direct <- fit_random(log(nights) ~ levy + storms, panel_frame(harbours, harbour, season))
  expect_equal(coef(run$fits$random), coef(direct), tolerance = 1e-10)
  expect_error(init_study(own), class = "wavetax_error_cannot_write")
  expect_error(init_study(file.path(folder, "a"), system.file("extdata", "harbours.csv", package = "wavetax"),
                          "harbour"), class = "wavetax_error_argument")
  expect_error(init_study(file.path(folder, "a"), system.file("extdata", "harbours.csv", package = "wavetax"),
                          "harbour", "season", "system('x') ~ y"),
               class = "wavetax_error_formula")
  expect_error(init_study(file.path(folder, "a"), entity = "harbour"), class = "wavetax_error_argument")
  expect_false(dir.exists(file.path(folder, "a")))
})

test_that("the schema is what the descriptors say, and takes the studies", {
  schema <- system.file("schema", "study.json", package = "wavetax")
  expect_identical(readLines(schema), wavetax:::study_schema_json())
  python <- Sys.which("python3")
  skip_if(!nzchar(python) || system2(python, c("-c", shQuote("import jsonschema")), stderr = FALSE) != 0)
  valid <- function(lines) {
    tree <- tempfile(fileext = ".json")
    writeLines(as.character(jsonlite::toJSON(wavetax:::yaml_tree(lines), auto_unbox = TRUE)), tree)
    code <- sprintf("import json, jsonschema; jsonschema.validate(json.load(open('%s')), json.load(open('%s')))", tree,
                    schema)
    system2(python, c("-c", shQuote(code)), stdout = FALSE, stderr = FALSE) == 0
  }
  lines <- readLines(demo)
  expect_true(valid(lines))
  expect_false(valid(sub("kind: clustered", "knd: clustered", lines, fixed = TRUE)))
  expect_false(valid(sub("lag: 2", "lag: two", lines, fixed = TRUE)))
})
