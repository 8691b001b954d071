# Doors in and out: what was lost, run or hung once. Each line is a case.

harbour_rows <- harbours[1:60, c("harbour", "season", "nights", "levy")]

typed <- function(expr) {
  tryCatch({
    suppressWarnings(suppressMessages(expr))
    "taken"
  }, wavetax_error = function(cnd) sub("^wavetax_error_", "", class(cnd)[1]), error = conditionMessage)
}

test_that("a file that does not arrive whole leaves the old one as it was, in every format", {
  for (ending in c("csv", "tsv", "xlsx", "parquet")) {
    file <- tempfile(fileext = paste0(".", ending))
    write_panel(harbour_rows, file)
    before <- tools::md5sum(file)
    cut <- function(path) {
      bytes <- readBin(file, "raw", 1e6)
      writeBin(bytes[seq_len(length(bytes) - 40)], path)
    }
    lacks <- if (ending %in% c("csv", "tsv")) text_writer(harbour_rows, if (ending == "csv") "," else "\t")$lacks
    expect_error(write_whole_file(file, cut, lacks), class = "wavetax_error_cannot_write")
    expect_identical(tools::md5sum(file), before)
  }
  # Whole rows may be lost too, or the last cell be cut after an end of line.
  writer <- text_writer(data.frame(a = c("x", "y\nz"), b = 1:2), ",")
  file <- tempfile()
  writer$write(file)
  expect_null(writer$lacks(file))
  whole <- readBin(file, "raw", 1e3)
  for (bytes in list(whole[1:10], whole[-(5:8)], c(whole[seq_len(length(whole) - 2)], as.raw(10)))) {
    writeBin(bytes, file)
    expect_type(writer$lacks(file), "character")
  }
  sheet <- workbook_writer(harbour_rows, "x.xlsx")
  path <- tempfile(fileext = ".xlsx")
  sheet$write(path)
  expect_null(sheet$lacks(path))
  expect_match(workbook_writer(harbour_rows[1:59, ], "x.xlsx")$lacks(path), "not whole")
})

test_that("what was written is read back: blanks, quotes, escapes of sheets, missing text", {
  d <- data.frame(k = c(" a", "b ", "_x0041_", "A_x0042_B", "p\nq"), s = 2001:2005, v = c(1.5, NA, 3:5),
                  w = c("x,y", "q\"q", NA, "1", "NA"))
  names(d)[3] <- "_x0041_ \"v"
  for (ending in c("csv", "tsv", "xlsx", "parquet")) {
    file <- tempfile(fileext = paste0(".", ending))
    write_panel(d, file)
    back <- suppressMessages(read_panel(file, k, s, text = if (ending != "parquet") "w"))
    if (ending == "xlsx") d$w[5] <- NA
    expect_equal(as.data.frame(back), d, label = ending)
  }
  expect_match(conditionMessage(expect_error(write_panel(data.frame(a = strrep("x", 4e4)), tempfile(fileext = ".xlsx")),
                                             class = "wavetax_error_format")), "32,767 signs")
})

test_that("no command writes over what it reads, and no two figures share a name", {
  folder <- tempfile()
  dir.create(folder)
  one <- file.path(folder, "h1.csv")
  write_panel(harbours, one)
  inputs <- function(args, ...) cli_inputs(args, structure(list(...), class = "option_values"))
  expect_identical(inputs(file.path(folder, "h*1.csv")), one)
  expect_identical(inputs(one, labels = "words.csv"), c(one, "words.csv"))
  keys <- c("--entity", "harbour", "--period", "season")
  before <- tools::md5sum(one)
  run <- function(...) capture.output(expect_identical(cli_main(c(...)), 2L), type = "message")
  expect_match(run("balance", file.path(folder, "h*.csv"), keys, "--how", "fill", "-o", one)[1], "not written over")
  expect_match(run("fit", one, keys, "--formula", "nights ~ levy", "--labels", "l.md", "--table", "l.md")[1],
               "not written over")
  expect_identical(tools::md5sum(one), before)
  expect_identical(file_names(c("a b", "a-b", "A B", "\u00e4 b", "\u0416")),
                   c("a-b", "a-b-1", "a-b-2", "a-b-3", "-U-0416-"))
})

test_that("what is printed to be pasted is one text, one name, one word", {
  odd <- c("a", "a b", "a`b", "a\\b", "a\"b", "`;system('id');`", "a\nb", "if", " x", "a  b", "'", "", "sales, total",
           "\033[31m", "(Intercept)")
  for (one in odd) {
    expect_identical(str2lang(code_text(one)), one)
    if (nzchar(one)) expect_true(is.symbol(str2lang(code_name(one))))
    if (nzchar(one) && one != "\033[31m") expect_identical(as.character(str2lang(code_name(one))), one)
    argument <- str2lang(code_argument(one))
    expect_identical(as.character(argument), one)
    expect_false(grepl("\033", paste(code_text(one), code_name(one), shell_words(one)), fixed = TRUE))
  }
  script <- paste("printf '%s|'", paste(shell_words(odd[nzchar(odd)]), collapse = " "))
  words <- system2("bash", c("-c", shQuote(script)), stdout = TRUE)
  expect_identical(paste(words, collapse = "\n"), paste0(paste(odd[nzchar(odd)], collapse = "|"), "|"))
  for (values in list(c("sales, total", "x"), c("a\"b", "c"), c(" lead", "x"), "", c("", "b"), c("\"", ","), "a")) {
    expect_identical(option_list(list_option(values)), values)
  }
  expect_identical(option_list(" a , b "), c("a", "b"))
  data <- data.frame(k = c("A", "a", "A", "B"), t = c(1, 2, 3, 1), n = c("1,5", "2", "3", "4"))
  names(data)[c(1, 3)] <- c("k`; stop(\"ran\"); `", "n`u")
  found <- panel_problems(data, !!names(data)[1], "t")
  mended <- panel_repair(data, found, names = "tidy", numbers = "n`u")
  again <- new.env(parent = asNamespace("wavetax"))
  again$data <- data
  eval(parse(text = repair_code(repair_log(mended))), again)
  expect_identical(as.data.frame(again$data), as.data.frame(mended), ignore_attr = TRUE)
})

test_that("a saved fit that cannot be true is refused, one field changed at a time", {
  panel <- harbour_panel()
  file <- tempfile(fileext = ".json")
  write_fits(a = fit_correlated(log(nights) ~ levy + storms, panel), b = fit_fixed(log(nights) ~ 1, panel),
             c = with_errors(fit_fixed(log(nights) ~ levy, panel), se_bootstrap(draws = 99)), file = file)
  expect_named(read_fits(file), c("a", "b", "c"))
  content <- jsonlite::read_json(file)
  numbers <- list(
    c("coefficients", 2, "p_value"), c("coefficients", 2, "std_error"), c("coefficients", 2, "estimate"),
    c("coefficients", 3, "statistic"), c("coefficients", 1, "low"), c("coefficients", 1, "high"), c("rows"),
    c("errors", "clusters", "harbour"), c("errors", "df", 2), c("entity", "count"), c("r_squared", "value", 2),
    c("variance", "share", 1), c("variance", "sd", 2), c("figures", "rmse"), c("figures", "aic"), c("figures", "bic"),
    c("figures", "f_p"), c("figures", "rows"), c("figures", "parameters"), c("figures", "r2_between")
  )
  for (path in numbers) {
    is_rmse <- "rmse" %in% path
    # A path of names and numbers as numbers alone, down the levels.
    at <- content$fits$a
    path <- vapply(path, function(one) {
      place <- if (grepl("^[0-9]+$", one)) as.integer(one) else match(one, names(at))
      at <<- at[[place]]
      place
    }, 0L)
    for (value in c(57.5, -5, 8)) {
      broken <- content
      broken$fits$a[[path]] <- value
      if (identical(broken, content) || is_rmse && value > 0) next
      jsonlite::write_json(broken, file, auto_unbox = TRUE, null = "null", digits = NA)
      expect_identical(typed(read_fits(file)), "not_fits", label = paste(c(path, value), collapse = " "))
    }
  }
  changes <- list(
    function(fit) {
      fit$covariance <- rev(fit$covariance)
      fit
    },
    function(fit) {
      fit$covariance[[2]][[3]] <- 2 * fit$covariance[[2]][[3]]
      fit
    },
    function(fit) {
      fit$covariance[[2]][[2]] <- -fit$covariance[[2]][[2]]
      fit
    },
    function(fit) {
      fit$coefficients[[2]]$term <- fit$coefficients[[3]]$term
      fit
    },
    function(fit) {
      share <- 5 * fit$coefficients[[2]]$std_error * fit$coefficients[[3]]$std_error
      fit$covariance[[2]][[3]] <- fit$covariance[[3]][[2]] <- share
      fit
    },
    function(fit) {
      fit$r_squared$kind[[2]] <- fit$r_squared$kind[[1]]
      fit
    },
    function(fit) {
      fit$sample <- "7 rows"
      fit
    }
  )
  for (change in changes) {
    broken <- content
    broken$fits$a <- change(broken$fits$a)
    jsonlite::write_json(broken, file, auto_unbox = TRUE, null = "null", digits = NA)
    expect_identical(typed(read_fits(file)), "not_fits")
  }
})

test_that("a broken Parquet file ends typed, with R alive", {
  skip_if_not_installed("nanoparquet")
  skip_on_os("windows")
  file <- tempfile(fileext = ".parquet")
  write_panel(harbour_rows, file)
  bytes <- readBin(file, "raw", 1e5)
  set.seed(4)
  ends <- vapply(1:60, function(i) {
    broken <- replace(bytes, sample(length(bytes), 1), as.raw(sample(0:255, 1)))
    writeBin(broken, file)
    if (i %% 2 == 0) typed(read_panel(file, harbour, season)) else typed(fit_pooled(nights ~ levy, file))
  }, "")
  expect_true(all(grepl("^[a-z_]+$", ends)), label = paste(unique(ends), collapse = "; "))
  expect_gt(mean(ends == "not_a_table"), 0.2)
  expect_null(tried_elsewhere(function() tools::pskill(Sys.getpid(), 9), file))
  expect_identical(tried_elsewhere(function() stop("odd"), file), "odd")
})

test_that("workbooks name no place that a sheet has not", {
  skip_if_not_installed("openxlsx")
  file <- tempfile(fileext = ".xlsx")
  write_panel(harbour_rows, file)
  inner <- tempfile()
  utils::unzip(file, exdir = inner)
  sheet <- file.path(inner, "xl", "worksheets", "sheet1.xml")
  text <- readChar(sheet, file.size(sheet), useBytes = TRUE)
  repacked <- function(from, to) {
    writeChar(sub(from, to, text, fixed = TRUE), sheet, eos = NULL, useBytes = TRUE)
    out <- tempfile(fileext = ".xlsx")
    old <- setwd(inner)
    on.exit(setwd(old))
    utils::zip(out, list.files(".", recursive = TRUE, all.files = TRUE), flags = "-q")
    out
  }
  merged <- function(ref) {
    repacked("</sheetData>", sprintf("</sheetData><mergeCells><mergeCell ref=\"%s\"/></mergeCells>", ref))
  }
  places <- c("ZZZZZZ99999999999", "XFE2", "A1048577", "2A", "")
  for (place in places) {
    broken <- repacked("r=\"A2\"", sprintf("r=\"%s\"", place))
    expect_identical(typed(read_panel(broken, harbour, season)), "not_a_table", label = place)
  }
  for (range in c("A1:ZZZ", "A5:A999999999999", "B9:A1")) {
    expect_identical(typed(read_panel(merged(range), harbour, season)), "not_a_table", label = range)
  }
  for (range in c("A5", "$A$5:$A$6")) expect_identical(typed(read_panel(merged(range), harbour, season)), "taken")
  broken <- repacked("<sheetData>", "<sheetData><row r=\"x\">")
  expect_identical(typed(read_panel(broken, harbour, season)), "not_a_table")
})

test_that("text files: zero bytes, quotes, first names like a packed file's", {
  file <- tempfile(fileext = ".csv")
  zero <- c(charToRaw("id,t,x\na,1,2\nb,2,"), as.raw(0), charToRaw("3\n"))
  writeBin(zero, file)
  expect_identical(typed(read_panel(file, id, t)), "not_a_table")
  expect_identical(typed(fit_pooled(x ~ t, file)), "not_a_table")
  writeBin(c(charToRaw(paste0("id,t,x\n", strrep("a,1,2\n", 3e5))), zero[-(1:7)]), file)
  expect_identical(typed(read_panel(file, id, t)), "not_a_table")
  for (name in c("PK1", "PARISH", "%PDF rate", "PAR1")) {
    writeLines(c(paste0(name, ",t,x"), "a,1,2", "b,2,3"), file)
    expect_identical(typed(read_panel(file, !!name, t)), "taken", label = name)
  }
  writeLines(c("id,t,x", paste0("a,1,", strrep("\"a", 1e5)), "b,2,3"), file)
  expect_identical(typed(read_panel(file, id, t)), "not_a_table")
  pipe <- tempfile()
  if (system2("mkfifo", pipe) == 0) expect_identical(typed(read_panel(pipe, id, t)), "not_a_table")
})

test_that("columns that are no columns, and panels made by hand, end typed", {
  d <- harbours
  d$list <- as.list(d$storms)
  d$matrix <- matrix(d$storms, nrow(d), 2)
  d$table <- data.frame(a = d$storms, b = 1)
  d$raw <- as.raw(d$storms %% 200)
  d$odd <- complex(real = d$storms)
  p <- panel_frame(d, harbour, season)
  for (name in c("list", "matrix", "table", "raw", "odd")) {
    column <- as.name(name)
    by <- rlang::new_formula(NULL, column)
    ends <- c(typed(panel_frame(d, !!column, season)), typed(panel_problems(d, harbour, !!column)),
              typed(fit_each(log(nights) ~ levy, p, by = !!by)), typed(fit_fixed(log(nights) ~ levy, p, effects = by)),
              typed(fit_pooled(log(nights) ~ levy, p, errors = se_clustered(!!by))))
    expect_identical(ends, rep("column_kind", 5), label = name)
  }
  expect_identical(c(typed(panel_balance(p, "fill")), typed(panel_to_wide(p))), rep("column_kind", 2))
  found <- panel_problems(d, harbour, season)
  expect_setequal(found$column[found$kind == "odd column"], c("list", "matrix", "table", "raw", "odd"))
  expect_message(variation <- panel_variation(p), "Not described: `list`")
  expect_false("raw" %in% names(variation$varies))
  d <- harbours
  d$none <- NA_character_
  expect_output(print(panel_variation(panel_frame(d, harbour, season))), "levy")
  by_hand <- list(NULL, 1, list(entity = "harbour"), list(entity = "harbour", period = "season"))
  for (index in by_hand) {
    bad <- structure(harbours, class = c("panel_frame", "data.frame"), panel = index)
    ends <- c(typed(fit_fixed(log(nights) ~ levy, bad)), typed(bad[1:3, ]), typed(bad$z <- 1), typed(panel_shape(bad)))
    expect_identical(ends, rep("not_a_panel", 4))
  }
  registerS3method("is.na", "wavetax_bad", function(x) stop("no is.na"), envir = asNamespace("base"))
  d <- harbours
  d$bad <- structure(d$storms, class = "wavetax_bad")
  expect_identical(typed(fit_pooled(log(nights) ~ bad, d)), "column_kind")
  expect_identical(typed(panel_problems(d, harbour, season)), "taken")
})

test_that("columns have names of their own, and text is UTF-8", {
  named <- function(name) stats::setNames(data.frame(season = 2009:2020, a = 1:12, b = 2:13), c("season", "a", name))
  for (name in c("a", "", NA)) {
    expect_identical(typed(panel_join(harbour_panel(), named(name))), "column_names")
    expect_identical(typed(fit_pooled(a ~ season, named(name))), "column_names")
  }
  broken <- rawToChar(as.raw(c(0x4c, 0xe9)))
  expect_identical(typed(panel_labels(harbour_panel(), c(levy = broken))), "encoding")
  d <- harbours
  d$coast[1:50] <- broken
  expect_identical(typed(fit_pooled(levy ~ coast, d)), "encoding")
  expect_identical(typed(panel_frame(d, coast, season)), "encoding")
})

test_that("formulas and runs have an end", {
  panel <- harbour_panel()
  text <- function(formula) typed(fit_fixed(formula_from_text(formula, panel), panel))
  expect_identical(text("log(nights) ~ I(levy %in% 1:100000000)"), "formula")
  expect_identical(text("log(nights) ~ I(levy %in% 1:10)"), "taken")
  expect_identical(text(paste("log(nights) ~", strrep("levy+", 2e4), "levy")), "formula")
  expect_identical(typed(fit_fixed(log(nights) ~ against(coast, 1:1e7), panel)), "operator")
  for (term in c("log(levy,)", "factor(levy, )")) expect_identical(text(paste("log(nights) ~", term)), "taken")
})

test_that("objects of the caller are R's rule within formulas and transform()", {
  panel <- harbour_panel()
  fits <- list(fe = fit_fixed(log(nights) ~ levy, panel))
  settings <- list(k = 3)
  by_hand <- panel
  by_hand$r <- unname(residuals(fits$fe))
  expect_equal(unname(coef(fit_fixed(log(nights) ~ storms + residuals(fits$fe), panel))),
               unname(coef(fit_fixed(log(nights) ~ storms + r, by_hand))))
  expect_equal(unname(coef(fit_fixed(log(nights) ~ I(levy * settings$k), panel))[2]),
               unname(coef(fits$fe)[2]) / 3)
  expect_equal(transform(panel, z = levy * settings$k)$z, 3 * panel$levy)
  expect_identical(variables_of(quote(f(a$b, p::q(c), function(x) x + d, e@f, g(h)(i)))), c("a", "c", "e", "h", "i"))
  expect_error(fit_fixed(log(nights) ~ levvy, panel), class = "wavetax_error_unknown_column")
})

test_that("ordinary work that was refused", {
  panel <- harbour_panel()
  eq <- log(nights) ~ levy + storms
  fe <- fit_fixed(eq, panel)
  fe2 <- fit_fixed(log(nights) ~ levy, panel)
  re <- fit_random(eq, panel)
  re2 <- fit_random(log(nights) ~ levy, panel)
  late <- fit_random(eq, panel, rows = season > 2010)
  table <- spec_table(fe, fe2, re, re2, late, hausman = TRUE)
  p <- function(model) table$facts$value[table$facts$model == model & table$facts$label == "Hausman p"]
  expect_equal(as.numeric(p("re")), test_hausman(fe, re)$p.value)
  expect_equal(as.numeric(p("re2")), test_hausman(fe2, re2)$p.value)
  expect_true(is.na(p("late")))
  expect_match(as_table(table)$notes$text,
               "re against fe and re2 against fe2|No Hausman test for late: The fits use different rows")
  each <- fit_each(eq, panel, by = ~ coast, rows = season > 2010, all = TRUE)
  alone <- fit_fixed(eq, panel, rows = season > 2010 & coast == "Ember")
  expect_equal(coef(each$Ember), coef(alone))
  expect_equal(coef(each$all), coef(fit_fixed(eq, panel, rows = season > 2010)))
  seasons <- fit_between(log(nights) ~ levy + storms, panel, effects = "period")
  expect_match(seasons$errors$label, "clustered by season")
  expect_identical(panel_problems(panel), panel_problems(panel, harbour, season))
  both <- fit_fixed(eq, panel, "both")
  expect_identical(unique(effect_levels(both, season)$effect), "season")
  expect_equal(effect_levels(both, "harbour")$level, subset(effect_levels(both), effect == "harbour")$level)
  expect_identical(typed(effect_levels(both, coast)), "argument")
  quarters <- fit_fixed(log(nights) ~ levy * coast + factor(season), panel)
  expect_equal(test_joint(quarters, "season")$statistic, test_joint(quarters, "factor(season)*")$statistic)
  expect_equal(test_joint(quarters, "levy:coast")$p.value, test_joint(quarters, "levy:coast*")$p.value)
  expect_error(test_joint(quarters, "seasn"), "Did you mean")
  expect_identical(c(fit_method("difference")$weighted(NULL), fit_method("random")$weighted("nerlove"),
                     fit_method("random")$weighted("maximum-likelihood"), fit_method("fixed")$weighted(NULL)),
                   c(FALSE, FALSE, TRUE, TRUE))
  for (one in list(fe, table, summary(fe), panel_shape(panel), panel, test_joint(fe), diagnose(fe))) {
    expect_identical(typed(print(one, nonsense = 1)), "argument")
  }
  expect_identical(typed(summary(fe, digits = 2)), "argument")
})

test_that("a constant alone, under errors that its effects make zero", {
  fit <- fit_fixed(log(nights) ~ 1, harbour_panel())
  expect_silent(words <- capture.output(print(fit)))
  expect_match(paste(words, collapse = " "), "No standard error for constant: under these errors its variance is 0")
  expect_match(capture.output(print(with_errors(fit, se_clustered(type = "CR2", df = "satterthwaite")))), "\\(CR2\\)",
               all = FALSE)
  expect_identical(typed(with_errors(fit, se_bootstrap())), "no_slope")
})

test_that("a regressor that effects hold but for little has an honest residual and the right slope", {
  set.seed(3)
  n <- 4000
  d <- data.frame(a = sample(700, n, TRUE), b = sample(700, n, TRUE))
  held <- rnorm(700)[d$a] + rnorm(700)[d$b]
  v <- rnorm(n)
  d$y <- v + held
  for (share in c(1e-6, 1e-8)) {
    d$x <- held + share * v
    fit <- fit_fixed(y ~ x, d, ~ a + b)
    expect_equal(unname(coef(fit)["x"] * share), 1, tolerance = 1e-6)
    expect_gt(fit_figures(fit)$achieved, 1e-15 / share)
  }
})
