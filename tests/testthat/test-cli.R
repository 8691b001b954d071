# The command-line tool, driven as a process.
wavetax <- function(..., before = "") {
  script <- system.file("exec", "wavetax", package = "wavetax")
  out <- tempfile()
  err <- tempfile()
  command <- paste(before, "sh", shQuote(script), paste(shQuote(c(...)), collapse = " "))
  status <- system2(
    "bash", c("-c", shQuote(command)), stdout = out, stderr = err,
    env = c(paste0("R_LIBS=", shQuote(paste(.libPaths(), collapse = .Platform$path.sep))),
            "COLUMNS=", paste0("PATH=", shQuote(paste(R.home("bin"), Sys.getenv("PATH"), sep = .Platform$path.sep))))
  )
  list(status = status, out = readLines(out), err = readLines(err))
}
shipped <- function() system.file("extdata", "harbours.csv", package = "wavetax")
fit_demo <- function(..., file = shipped(), formula = "log(nights) ~ levy + storms") {
  wavetax("fit", file, "--entity", "harbour", "--period", "season", "--formula", formula, ...)
}

test_that("demo runs the whole job and writes the table and the figure", {
  folder <- fresh_folder()
  run <- wavetax("demo", "--out", folder)
  expect_identical(run$status, 0L)
  expect_identical(run$err, character())
  for (words in c("^Pooled least squares", "^Fixed effects by harbour", "^Random effects", "^Hausman test",
                  "^Serial correlation", "^Specifications of", "panel_frame\\(harbours")) {
    expect_match(run$out, words, all = FALSE)
  }
  expect_setequal(list.files(folder), c("harbours-table.html", "harbours-table.md", "harbours-levy.png"))
})

test_that("fit prints what R prints for the same calls", {
  run <- fit_demo("--model", "fixed,random", "--tests")
  expect_identical(run$status, 0L)
  panel <- harbour_panel()
  fixed <- fit_fixed(log(nights) ~ levy + storms, panel)
  random <- fit_random(log(nights) ~ levy + storms, panel)
  expected <- capture.output({
    print(fixed)
    writeLines("")
    print(random)
    writeLines("")
    print(test_hausman(fixed, random))
    writeLines("")
    print(test_serial(fixed))
    writeLines("")
    print(spec_table(fixed = fixed, random = random))
  })
  # In the words of the command line.
  expected <- sub("`test_mundlak(random)`", "`wavetax appraise`", expected, fixed = TRUE)
  expect_identical(run$out, expected)
})

test_that("options reach the fits, and files are written", {
  folder <- fresh_folder()
  table <- file.path(folder, "t.md")
  run <- fit_demo("--model", "pooled", "--by", "coast", "--weights", "berths", "--table", table,
                  "--figure", file.path(folder, "f.png"))
  expect_match(run$out, "clustered by coast: 5 clusters", all = FALSE)
  expect_match(paste(run$out, collapse = " "), "weighted by +berths")
  expect_setequal(list.files(folder), c("t.md", "f.png"))
})

test_that("every model, effects and rows as text, saved and compared", {
  folder <- fresh_folder()
  a <- file.path(folder, "a.json")
  run <- fit_demo("--model", "fixed", "--model", "random,correlated,between,difference", "--effects", "both",
                  "--rows", "season > 2010", "--save", a, "--format", "csv")
  expect_identical(run$status, 0L)
  panel <- harbour_panel()
  fixed <- fit_fixed(log(nights) ~ levy + storms, panel, "both", rows = ~ season > 2010)
  rows <- utils::read.csv(text = run$out)
  expect_equal(rows$estimate[rows$model == "fixed" & rows$term == "levy"], coef(fixed)[["levy"]])
  expect_identical(unique(rows$model), c("fixed", "random", "correlated", "between", "difference"))
  b <- file.path(folder, "b.json")
  own <- fit_demo("--model", "fixed", "--effects", "harbour + harbour:trend(season)", "--save", b, "--format",
                  "markdown")
  expect_match(own$out, "^\\| harbour trends in season \\| fixed", all = FALSE)
  both <- wavetax("compare", a, b, "--terms", "levy")
  expect_match(both$out, "^ +a fixed|^ +fixed", all = FALSE)
  expect_identical(capture.output(print(read_fits(a)$fixed)), capture.output(print(fixed)))
  expect_identical(jsonlite::read_json(a)$format, "wavetax fits")
  expect_identical(wavetax("compare", shipped())$status, 1L)
  expect_identical(fit_demo("--rows", "system('x') > 1")$status, 1L)
  expect_identical(fit_demo("--effects", "harbour + unlink('x')")$status, 1L)
  expect_identical(fit_demo("--format", "pdf")$status, 2L)
})

test_that("refused data and models: status 1, the message, no traceback, nothing on standard output", {
  refused <- function(run, words) {
    expect_identical(run$status, 1L)
    expect_match(paste(run$err, collapse = " "), words)
    expect_false(any(grepl("Backtrace|Calls:|Execution halted", run$err)))
    expect_identical(run$out, character())
  }
  refused(fit_demo(file = "no-such.csv"), "There is no file 'no-such.csv'")
  refused(fit_demo(formula = "log(nights) ~ levvy"), "Did you mean 'levy'")
  refused(fit_demo(formula = "log(nights) ~ system('touch x')"), "`system` is not allowed")
  refused(fit_demo(formula = "log(nights) ~ levy +"), "cannot be used")
  empty <- tempfile(fileext = ".csv")
  file.create(empty)
  refused(fit_demo(file = empty), "It is empty")
  binary <- tempfile(fileext = ".csv")
  writeBin(as.raw(c(1, 0, 200, 3)), binary)
  refused(fit_demo(file = binary), "not text")
  raw <- system.file("extdata", "harbours-raw.csv", package = "wavetax")
  refused(fit_demo(file = raw), "is missing in 1 row")
})

test_that("wrong usage: status 2; help: status 0", {
  expect_identical(wavetax("fit", shipped())$status, 2L)
  expect_match(wavetax("fit", shipped())$err, "--entity is missing", all = FALSE)
  expect_identical(fit_demo("--model", "magic")$status, 2L)
  expect_identical(wavetax("fitt")$status, 2L)
  help <- wavetax("fit", "--help")
  expect_identical(help$status, 0L)
  expect_match(help$out, "--formula", all = FALSE)
})

test_that("check, profile and reshape say what is in a file", {
  file <- function(name) system.file("extdata", name, package = "wavetax")
  keys <- c("--entity", "harbour", "--period", "season")
  raw <- wavetax("check", file("harbours-raw.csv"), keys)
  expect_identical(raw$status, 1L)
  expect_match(raw$out, "missing keys: `harbour` is missing: row 404", all = FALSE)
  expect_identical(wavetax("check", shipped(), keys)$status, 0L)
  profile <- wavetax("profile", shipped(), keys, "--format", "csv")
  expect_equal(utils::read.csv(text = profile$out)$mean[1], mean(harbours$nights))
  folder <- tempfile("figures-")
  wavetax("profile", shipped(), keys, "--format", "json", "--out", folder)
  expect_true(all(c("presence.png", "paths-levy.png") %in% list.files(folder)))
  folder <- fresh_folder()
  long <- file.path(folder, "long.csv")
  expect_identical(wavetax("reshape", file("harbours-wide.csv"), "--to", "long", keys, "-o", long)$status, 0L)
  expect_identical(nrow(utils::read.csv(long)), nrow(harbours))
  failed <- wavetax("reshape", shipped(), "--to", "long", keys, "-o", file.path(folder, "none.csv"))
  expect_identical(failed$status, 1L)
  expect_identical(list.files(folder), "long.csv")
})

test_that("check offers the command that repairs, repair and join do what R does, through pipes too", {
  skip_if_not_installed("readxl")
  untidy <- function(name) system.file("extdata", "untidy", name, package = "wavetax")
  folder <- fresh_folder()
  keys <- c("--entity", "line", "--period", "year")
  file.copy(untidy("faults.csv"), folder)
  faults <- file.path(folder, "faults.csv")
  check <- wavetax("check", faults, keys)
  offered <- gsub("[ \\\\]+", " ", paste(check$out[(grep("^Mend", check$out) + 1):length(check$out)], collapse = " "))
  expect_match(offered, "wavetax repair .*--names tidy --numbers passengers,fare --drop 'total row,blank rows'")
  mended <- file.path(folder, "mended.csv")
  run <- wavetax("repair", faults, keys, "--names", "tidy", "--numbers", "passengers,fare", "--drop",
                 "total row,blank rows", "--repeated", "first", "-o", mended, "--log", file.path(folder, "log.json"))
  expect_identical(run$status, 0L)
  expect_match(run$out, "name, line: 4 cells", all = FALSE)
  expect_identical(jsonlite::read_json(file.path(folder, "log.json"))$repairs$repeated, "first")
  truth <- utils::read.csv(untidy("truth.csv"))
  expect_equal(utils::read.csv(mended), truth)
  whole <- wavetax("balance", mended, keys, "--how", "entities", "-o", "-")
  expect_identical(nrow(utils::read.csv(text = whole$out)), nrow(truth))
  joined <- wavetax("join", mended, untidy("lines.csv"), keys, "--by", "line=name", "--match", "tidy", "-o", "-")
  expect_identical(sum(!is.na(utils::read.csv(text = joined$out)$opened)), 25L)
  long <- wavetax("reshape", "-", "--to", "long", keys, "-o", "-",
                  before = paste("cat", shQuote(untidy("wide.csv")), "|"))
  expect_equal(utils::read.csv(text = long$out), truth[c("line", "year", "passengers", "fare")])
  fit <- wavetax("fit", untidy("titled.xlsx"), "--entity", "line", "--period", "month", "--formula", "fare ~ crew",
                 "--model", "pooled", "--layout", "find")
  expect_match(fit$out[1], "^Pooled least squares")
  refused <- wavetax("fit", untidy("titled.xlsx"), "--entity", "line", "--period", "month", "--formula", "fare ~ crew")
  expect_match(refused$err, "--sheet Figures --range B4:G34", all = FALSE)
  expect_identical(wavetax("check", faults, keys, "--decimal", "x")$status, 2L)
  expect_identical(wavetax("repair", faults, keys, "-o", faults)$status, 2L)
  expect_identical(wavetax("reshape", faults, keys, "--to", "wide", "--pattern", "x", "-o", "-")$status, 2L)
})

test_that("errors are words of the command line, several are columns, and wrong ones are refused at once", {
  fit <- function(...) {
    wavetax("fit", system.file("extdata", "harbours.csv", package = "wavetax"), "--entity", "harbour",
            "--period", "season", "--formula", "log(nights) ~ levy + storms", "--model", "fixed", ...)
  }
  saved <- tempfile(fileext = ".json")
  run <- fit("--errors", "classical,robust-hc3,few-clusters,cross-section-2,wild", "--by", "coast", "--save", saved)
  expect_identical(run$status, 0L)
  expect_match(run$out, "t with 1[.][0-9] to|CR2, t with", all = FALSE)
  panel <- harbour_panel()
  truth <- with_errors(fit_fixed(log(nights) ~ levy + storms, panel), se_robust("HC3"), se_driscoll_kraay(2))
  held <- read_fits(saved)
  hc3 <- held[["robust-hc3"]]$coefficients
  expect_equal(hc3$std_error[hc3$term == "levy"], as.data.frame(truth[[1]])$std_error[1], tolerance = 1e-8)
  expect_equal(held[["cross-section-2"]]$covariance["levy", "levy"], vcov(truth[[2]])["levy", "levy"], tolerance = 1e-8)
  few <- wavetax("compare", saved, "--errors", "few-clusters,wild")
  expect_match(few$out[3], "few-clusters +wild")
  expect_match(fit("--by", "coast")$out, "`--errors few-clusters` or `--errors wild`", all = FALSE)
  expect_match(fit("--by", "harbour+season")$out, "96 harbours and 12 seasons", all = FALSE)
  expect_match(fit("--errors", "all")$out, "Under 8 kinds of errors", all = FALSE)
  for (wrong in list(c("--errors", "robst"), c("--errors", "serial", "--by", "coast"), c("--by", "a++b"),
                     c("--errors", "all", "--format", "csv"))) {
    expect_identical(do.call(fit, as.list(wrong))$status, 2L, info = wrong[2])
  }
  expect_identical(wavetax("compare", saved, "--errors", "pairs")$status, 2L)
})

test_that("completion and the manual know every command and option", {
  script <- wavetax("completion", "bash")$out
  manual <- gsub("\\\\-", "-", wavetax("manual")$out)
  for (word in c("repair", "join", "--date-format", "--period-from")) {
    expect_match(script, word, all = FALSE)
    expect_match(manual, word, all = FALSE)
  }
  expect_identical(wavetax("completion", "tcsh")$status, 2L)
})

test_that("options without effect, wrong endings and outputs over inputs are refused before anything is read", {
  folder <- fresh_folder()
  input <- file.path(folder, "d.csv")
  file.copy(shipped(), input)
  refused <- function(words, ..., file = input) {
    run <- fit_demo(..., file = file)
    expect_identical(run$status, 2L, label = words)
    expect_match(paste(run$err, collapse = " "), words)
  }
  missing <- file.path(folder, "not-there.csv")
  refused("--by has no effect", "--errors", "classical", "--by", "coast", file = missing)
  for (option in c("--errors", "--by")) refused(paste(option, "is empty"), option, "", file = missing)
  refused("--header takes a number, not 'x'", "--header", "x", file = missing)
  refused("^--header is given nothing|header` is -1", "--header", "-1", file = missing)
  refused("--variance has no effect", "--model", "pooled", "--variance", "nerlove", file = missing)
  refused("--effects has no effect", "--model", "pooled", "--effects", "both", file = missing)
  refused("--tests has no effect", "--format", "csv", "--tests", file = missing)
  refused("End the name in .json", "--save", input)
  refused("End the name in .docx, .tex", "--table", "t.doc", file = missing)
  refused("not written over", "--table", input)
  link <- file.path(folder, "link.csv")
  if (suppressWarnings(file.symlink(input, link))) refused("not written over", "--table", link)
  expect_identical(nrow(utils::read.csv(input)), nrow(harbours))
  expect_identical(sort(list.files(folder)), sort(c("d.csv", if (file.exists(link)) "link.csv")))
})

test_that("a reader that leaves early, a full device and a start-up file beside the data", {
  skip_on_os("windows")
  folder <- fresh_folder()
  table <- file.path(folder, "t.md")
  script <- shQuote(system.file("exec", "wavetax", package = "wavetax"))
  libraries <- paste0("R_LIBS=", shQuote(paste(.libPaths(), collapse = ":")), " PATH=", shQuote(R.home("bin")),
                      ":$PATH ")
  bash <- function(line) suppressWarnings(system2("bash", c("-c", shQuote(line)), stdout = TRUE, stderr = FALSE))
  fit <- paste0(libraries, "sh ", script, " fit ", shQuote(shipped()),
                " --entity harbour --period season --formula 'log(nights) ~ levy'")
  out <- bash(paste0(fit, " --table ", table, " | head -1; echo ${PIPESTATUS[0]}"))
  expect_identical(out[2], "0")
  expect_true(file.exists(table))
  skip_if_not(file.exists("/dev/full"))
  expect_identical(bash(paste0(fit, " > /dev/full; echo $?")), "1")
  writeLines("writeLines('run', 'ran.txt')", file.path(folder, ".Rprofile"))
  writeLines("R_DEFAULT_PACKAGES=NULL", file.path(folder, ".Renviron"))
  expect_identical(utils::tail(bash(paste0("cd ", folder, "; ", fit, " > /dev/null; echo $?")), 1), "0")
  expect_false(file.exists(file.path(folder, "ran.txt")))
})

test_that("diagnose and appraise print what R prints, in three forms, and draw; their advice names options", {
  folder <- fresh_folder()
  keys <- c(shipped(), "--entity", "harbour", "--period", "season", "--formula", "log(nights) ~ levy + storms + pier")
  run <- wavetax("diagnose", keys, "--out", folder)
  expect_identical(run$status, 0L)
  panel <- harbour_panel()
  printed <- capture.output(print(diagnose(fit_fixed(log(nights) ~ levy + storms + pier, panel))))
  expect_identical(run$out[seq_len(20)], printed[seq_len(20)])
  expect_match(run$out, "`--effects both`", fixed = TRUE, all = FALSE)
  expect_setequal(list.files(folder), c("residuals.png", "influence.png"))
  run <- wavetax("appraise", keys, "--focus", "pier", "--out", folder)
  expect_identical(run$status, 0L)
  expect_identical(run$out, capture.output(print(appraise(log(nights) ~ levy + storms + pier, panel, focus = "pier"))))
  expect_setequal(list.files(folder), c("residuals.png", "influence.png", "path.png"))
  json <- jsonlite::fromJSON(paste(wavetax("appraise", keys, "--format", "json")$out, collapse = ""))
  expect_identical(json$focus, "levy")
  expect_identical(json$standing, "interval")
  expect_identical(json$path$step[1:3], c("kind", "model", "errors"))
  claimed <- jsonlite::fromJSON(paste(wavetax("appraise", keys, "--unrelated", "--format", "json")$out, collapse = ""))
  expect_equal(claimed$interval$low, -0.0276, tolerance = 1e-2)
  expect_match(wavetax("diagnose", keys, "--format", "markdown")$out, "^\\| question", all = FALSE)
  pooled <- wavetax("diagnose", keys, "--model", "pooled", "--errors", "classical")
  expect_match(paste(pooled$out, collapse = " "), "`--model fixed`", fixed = TRUE)
  expect_match(paste(pooled$out, collapse = " "), "`--by harbour`", fixed = TRUE)
  expect_identical(wavetax("appraise", keys, "--focus", "nothing")$status, 1L)
  expect_identical(wavetax("diagnose", keys, "--model", "fixed,random")$status, 2L)
  expect_identical(wavetax("appraise", keys, "--level", "5")$status, 2L)
  expect_identical(wavetax("appraise", keys, "--format", "csv")$status, 2L)
})

test_that("near misses of options and values are named, `--` ends the options, and help is a command", {
  usual <- c("--entity", "harbour", "--period", "season", "--formula", "log(nights) ~ levy")
  said <- function(...) paste(wavetax("fit", shipped(), usual, ...)$err, collapse = " ")
  for (wrong in list(c("--errrors", "classical"), "--errrors=classical")) {
    expect_match(said(wrong), "There is no option --errrors. Did you mean --errors?", fixed = TRUE)
  }
  expect_match(said("--model", "fixd"), "Did you mean fixed?", fixed = TRUE)
  expect_match(said("--tests=yes"), "--tests takes nothing", fixed = TRUE)
  expect_match(said("-k"), "There is no option -k.", fixed = TRUE)
  odd <- file.path(fresh_folder(), "-odd.csv")
  file.copy(shipped(), odd)
  plain <- wavetax("fit", shipped(), usual)
  dashed <- wavetax("fit", usual, "--", "-odd.csv", before = sprintf("cd %s;", shQuote(dirname(odd))))
  expect_identical(dashed$status, 0L)
  expect_identical(dashed$out, plain$out)
  expect_identical(wavetax("help", "fit")$out, wavetax("fit", "--help")$out)
  expect_match(wavetax("-V")$out, "^wavetax [0-9]")
  titled <- wavetax("fit", shipped(), usual, "--model", "pooled,fixed", "--title", "\u00d1and\u00fa", "--table",
                    file <- file.path(dirname(odd), "t.md"), before = "LC_ALL=C")
  expect_match(readLines(file, encoding = "UTF-8")[1], "\u00d1and\u00fa", fixed = TRUE)
})

test_that("remedies are options of the command line, and what has no effect is refused", {
  file <- system.file("extdata", "harbours.csv", package = "wavetax")
  run <- function(command, ...) {
    wavetax(command, file, "--entity", "harbour", "--period", "season", "--formula", "log(nights) ~ levy + storms", ...)
  }
  saved <- tempfile(fileext = ".json")
  done <- run("fit", "--model", "pooled,fixed,gls", "--serial", "ar1", "--rho", "regression", "--variances", "entity",
              "--save", saved)
  expect_identical(done$status, 0L)
  panel <- harbour_panel()
  by <- serial_ar1("regression")
  truth <- list(fit_pooled(log(nights) ~ levy + storms, panel, serial = by),
                fit_fixed(log(nights) ~ levy + storms, panel, serial = by),
                fit_gls(log(nights) ~ levy + storms, panel, variances = "entity", serial = by))
  held <- read_fits(saved)
  for (m in 1:3) {
    expect_equal(held[[m]]$coefficients$estimate[!held[[m]]$coefficients$aside], unname(coef(truth[[m]])),
                 tolerance = 1e-10)
    expect_equal(held[[m]]$serial$rho, truth[[m]]$serial$rho, tolerance = 1e-10)
  }
  expect_match(done$out, "AR[(]1[)] rho", all = FALSE)
  weighted <- run("fit", "--model", "fixed", "--weights", "variance_of(coast)", "--errors", "panel-corrected")
  expect_match(weighted$out, "5 variances by coast are estimated", all = FALSE)
  expect_match(weighted$out, "Standard errors panel-corrected", all = FALSE)
  ahead <- run("predict", "--serial", "ar1", "--disturbance", "-o", "-")
  fixed <- fit_fixed(log(nights) ~ levy + storms, panel, serial = "ar1")
  expect_equal(utils::read.csv(text = ahead$out)$predicted, unname(predict(fixed, disturbance = TRUE)),
               tolerance = 1e-8)
  for (wrong in list(c("--rho", "0.4"), c("--serial", "ar1", "--rho", "2"), c("--serial", "ar3"),
                     c("--serial", "ar1", "--model", "between"), c("--serial", "ar1-own", "--model", "fixed"),
                     c("--variances", "entity"), c("--across", "--model", "gls", "--variances", "common"),
                     c("--across"))) {
    expect_identical(rlang::inject(run("fit", !!!wrong))$status, 2L, label = paste(wrong, collapse = " "))
  }
  expect_identical(run("predict", "--disturbance", "-o", "-")$status, 2L)
})

test_that("on the command line two options instrument any model that takes them", {
  run <- function(...) fit_demo(..., formula = "log(nights) ~ levy + log(berths)")
  both <- run("--endogenous", "log(berths)", "--instruments", "relief", "--model", "fixed,random", "--tests")
  expect_identical(both$status, 0L)
  own <- fit_instrumented(log(nights) ~ levy + log(berths), harbour_panel(), ~ log(berths), ~ relief)
  text <- paste(both$out, collapse = "\n")
  for (part in c(capture.output(print(own))[4:8], capture.output(print(test_strength(own)))[1],
                 capture.output(print(test_endogeneity(own)))[1], "Mundlak's test")) {
    expect_match(text, part, fixed = TRUE)
  }
  json <- run("--endogenous", "log(berths)", "--instruments", "relief + past(relief)", "--model", "difference",
              "--effects", "period", "--method", "liml", "--format", "json")
  expect_identical(json$status, 0L)
  expect_match(paste(json$out, collapse = ""), "\"method\": *\"liml\"")
  wrong <- function(words, ...) {
    said <- run(...)
    expect_identical(said$status, 2L)
    expect_match(paste(said$err, collapse = " "), words, fixed = TRUE)
  }
  wrong("--method has no effect without --instruments", "--method", "liml")
  wrong("--endogenous says which terms", "--instruments", "relief")
  wrong("between takes none", "--endogenous", "log(berths)", "--instruments", "relief", "--model", "between")
  wrong("--serial has no effect", "--endogenous", "log(berths)", "--instruments", "relief", "--serial", "ar1")
})

test_that("studies are started and run, and reports written, on the command line", {
  skip_if_not_installed("yaml")
  folder <- fresh_folder()
  study <- file.path(folder, "own")
  init <- wavetax("init", study, shipped(), "--entity", "harbour", "--period", "season", "--formula",
                  "log(nights) ~ levy + storms")
  expect_identical(init$status, 0L)
  expect_match(init$out, "Run it: wavetax run", all = FALSE)
  file <- file.path(study, "study.yaml")
  run <- wavetax("run", file)
  expect_identical(run$status, 0L)
  expect_match(run$out, "fits      3 estimated", all = FALSE)
  expect_match(wavetax("run", file)$out, "Nothing has changed: 9 steps kept", all = FALSE)
  expect_match(wavetax("run", file, "--plan", "--only", "fits")$out, "4 steps kept", all = FALSE)
  expect_match(wavetax("run", file, "--code")$out, "fit_random(log(nights) ~ levy + storms, panel)", fixed = TRUE,
               all = FALSE)
  cat("models: [fixed]\n", file = file, append = TRUE)
  wrong <- wavetax("run", file)
  expect_identical(wrong$status, 1L)
  expect_match(wrong$err, "study.yaml:10: a study has no key `models`. Did you mean `fits`?", fixed = TRUE, all = FALSE)
  expect_identical(wavetax("init", study)$status, 1L)
  for (bad in list(c("run"), c("run", file, "--code", "--plan"), c("run", file, "--plan", "--fresh"), c("init"),
                   c("init", folder, "--entity", "x"), c("init", folder, shipped()))) {
    expect_identical(do.call(wavetax, as.list(bad))$status, 2L, label = paste(bad, collapse = " "))
  }
  out <- file.path(folder, "levy.md")
  report <- wavetax("report", shipped(), "--entity", "harbour", "--period", "season", "--formula",
                    "log(nights) ~ levy + storms", "--focus", "levy", "-o", out, "--parts", "question,limits",
                    "--date", "1 March 2026")
  expect_identical(report$status, 0L)
  expect_match(readLines(out), "^# Does levy change nights", all = FALSE)
  expect_match(readLines(out), "1 March 2026", all = FALSE)
  expect_identical(wavetax("report", shipped(), "--entity", "harbour", "--period", "season", "--formula",
                           "log(nights) ~ levy", "-o", "x.doc")$status, 2L)
})
