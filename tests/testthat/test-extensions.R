# What CONTRIBUTING says of adding to the package, done from outside by toys.
inside <- asNamespace("wavetax")

test_that("a row transformation from outside gives coefficients, errors, tests and draws", {
  # Disturbances that follow each other with a known rho: y_t - rho y_(t-1), the first times sqrt(1 - rho^2).
  rho <- 0.4
  data <- gappy_panel(seed = 5, plain = TRUE)
  panel <- panel_frame(data[order(data$id, data$year), ], id, year)
  pooled <- fit_pooled(y ~ x1 + x2, panel)
  first <- !duplicated(panel$id)
  root <- function(column) {
    ifelse(first, sqrt(1 - rho^2) * column, column - rho * c(0, column[-length(column)]))
  }
  assign("rows_toy", function() inside$root_kind(function(fit) root), globalenv())
  on.exit(rm("rows_toy", envir = globalenv()))
  y <- root(panel$y)
  x <- cbind(root(rep(1, nrow(panel))), root(panel$x1), root(panel$x2))
  solution <- inside$core_least_squares(qr.R(qr(cbind(x, y))), TRUE, nrow(x), sst = pooled$sst,
                                        r_squared = c(overall = NA_real_))
  fit <- inside$new_panel_fit(pooled$request, pooled$design, solution,
                              inside$new_transformation("toy"))
  inside$validate_panel_fit(fit)
  b <- solve(crossprod(x), crossprod(x, y))
  e <- drop(y - x %*% b)
  expect_equal(unname(coef(fit)), drop(b), tolerance = 1e-10)
  bread <- solve(crossprod(x))
  expect_equal(unname(vcov(with_errors(fit, se_classical()))), bread * sum(e^2) / (nrow(x) - 3), tolerance = 1e-10)
  expect_equal(unname(vcov(with_errors(fit, se_clustered("entity", "CR1")))), dense_cr1(x, e, panel$id, 3),
               tolerance = 1e-10)
  added <- root(panel$x1^2)
  expect_equal(drop(inside$row_kind(fit)$apply(fit, cbind(panel$x1^2))), added)
  expect_s3_class(test_normality(fit), "panel_test")
})

test_that("an estimator from outside whose last regression is of a working outcome has that regression's errors", {
  panel <- gappy_panel(seed = 6)
  panel$z <- panel$y^2 - panel$x1
  for (effects in list("entity", "both", ~ id + year + kind)) {
    own <- fit_fixed(z ~ x1 + x2, panel, effects, weights = w)
    user <- fit_fixed(y ~ x1 + x2, panel, effects)
    rows <- inside$core_rows(panel$z, inside$design_rows(user$design)$x, weights = panel$w)
    system <- inside$core_effect_system(lapply(user$effects, inside$fit_effect_set, user$design), rows$n)
    swept <- inside$core_sweep(rows, inside$core_reweight(system, panel$w))
    solution <- inside$core_solve_absorbed(swept)
    solution$r_squared <- own$r_squared
    fit <- inside$new_panel_fit(
      user$request, user$design, solution, inside$swept_rows(swept$layers),
      effects = Map(function(set, of) utils::modifyList(set, list(level = of$level)), user$effects, solution$levels),
      working = list(y = panel$z, weights = panel$w)
    )
    inside$validate_panel_fit(fit)
    expect_equal(coef(fit), coef(own), tolerance = 1e-10)
    for (errors in list(se_classical(), se_robust("HC3"), se_clustered("entity", "CR2"), se_driscoll_kraay(),
                        se_bootstrap(draws = 99))) {
      expect_equal(vcov(with_errors(fit, errors)), vcov(with_errors(own, errors)), tolerance = 1e-9)
    }
    expect_equal(effect_levels(fit, "id")$error, effect_levels(own, "id")$error, tolerance = 1e-9)
    expect_equal(inside$weighted_residuals(fit), inside$weighted_residuals(own), tolerance = 1e-9)
  }
})

test_that("a source from outside gives coefficients and errors from sums alone", {
  # Two tables that stand for where the data lies, each of which gives sums of what it is asked.
  data <- gappy_panel(seed = 7, plain = TRUE)
  tables <- split(data, rep_len(1:2, nrow(data)))
  sum_up <- function(of) Reduce(`+`, lapply(tables, of))
  whole <- fit_pooled(y ~ x1 + x2, data)
  scores <- function(fit, name) {
    labels <- unique(data[[name]])
    sums <- sum_up(function(table) {
      z <- cbind(1, table$x1, table$x2)
      e <- table$y - drop(z %*% fit$coefficients$estimate)
      u <- inside$core_coordinates(fit$regression$frame, z)
      t(rowsum(rbind(u * e, matrix(0, length(labels), 3)), c(match(table[[name]], labels), seq_along(labels))))
    })
    list(scores = sums, labels = labels, count = length(labels), nested = logical())
  }
  robust <- function(fit, power, mean_leverage) {
    list(products = sum_up(function(table) {
      z <- cbind(1, table$x1, table$x2)
      u <- inside$core_coordinates(fit$regression$frame, z)
      crossprod(u * (table$y - drop(z %*% fit$coefficients$estimate)))
    }), fitted = 0)
  }
  assign("source_toy", function() {
    inside$new_source_kind(
      whole = FALSE, refuse = inside$stop_pieces_errors, live = identity, beside = inside$live_as_they_are,
      levels = inside$crossing_rank_in_pieces, clustered = inside$clustered_by_scores(scores),
      robust = inside$robust_by_sums(robust)
    )
  }, globalenv())
  on.exit(rm("source_toy", envir = globalenv()))
  states <- lapply(tables, function(table) {
    columns <- as.matrix(table[c("x1", "x2", "y")])
    inside$core_state_of_products(colMeans(columns), crossprod(scale(columns, scale = FALSE)), nrow(table), nrow(table))
  })
  design <- inside$change_design(inside$design_without_rows(whole$design), source = list(kind = "toy"))
  fit <- inside$new_panel_fit(whole$request, design, inside$core_solve_pooled(Reduce(inside$core_merge_pooled, states)))
  expect_equal(coef(fit), coef(whole), tolerance = 1e-10)
  for (errors in list(se_classical(), se_robust("HC1"), se_clustered(id), se_clustered(id, "CR0"))) {
    expect_equal(vcov(with_errors(fit, errors)), vcov(with_errors(whole, errors)), tolerance = 1e-9)
  }
  expect_error(with_errors(fit, se_clustered(id, "CR2")), class = "wavetax_error_pieces")
  expect_error(residuals(fit), class = "wavetax_error")
})

test_that("a format and a block from outside are written and rendered", {
  assign("writer_toy", function() {
    inside$text_table_writer(function(tables, fragment) {
      vapply(tables[[1]]$cells, function(cells) paste(inside$cells_as_text(cells), collapse = ";"), "")
    })
  }, globalenv())
  assign("block_toy", function() {
    inside$new_block_kind(terminal = function(block) toupper(block$text), markdown = function(block) block$text)
  }, globalenv())
  on.exit(rm("writer_toy", "block_toy", envir = globalenv()))
  parts <- variance_parts(fit_random(harbour_equation, harbour_panel()))
  file <- tempfile(fileext = ".toy")
  write_table(parts, file)
  shown <- as.numeric(strsplit(readLines(file)[3], ";")[[1]])
  expect_equal(shown, 100 * parts$share, tolerance = 1e-2)
  blocks <- list(inside$text_block("before"), inside$new_block("toy", text = "toy"))
  expect_output(inside$show_blocks(blocks), "before\nTOY")
  expect_identical(inside$blocks_markdown(blocks), c("before.", "", "toy"))
})

test_that("an option and a command from outside are read, run and delivered", {
  assign("option_toy", function(text, option) if (text == "no") inside$stop_option(option, "yes", text) else text,
         globalenv())
  on.exit(rm("option_toy", envir = globalenv()))
  folder <- fresh_folder()
  command <- inside$new_command(
    "say it", "wavetax say", "Says it.",
    list(inside$new_option("what-else", "toy", "a word", "WORD"), inside$new_option("loud", "flag", "loudly"),
         inside$format_option(c("text", "csv")), inside$new_option("table", "table_file", "file", "FILE")),
    function(values, files) {
      said <- if (values$loud) toupper(values$what_else) else values$what_else
      inside$new_results(text = function() inside$text_block(said, " `how = \"block\"`"),
                         csv = function() data.frame(said = said),
                         files = list(table = function(file) writeLines(said, file)))
    },
    files = 0, needs = "what_else"
  )
  run <- function(...) capture.output(inside$carry_out_command(command, c(...)))
  expect_identical(run("--what-else", "word"), "word `--how block`")
  expect_identical(run("--what-else=word", "--loud", "--format", "csv"), c("said", "WORD"))
  file <- file.path(folder, "a.md")
  expect_message(expect_identical(run("--what-else", "x", "--table", file), "x `--how block`"), "^Written: ")
  expect_no_message(run("--what-else", "x", "--table", file, "--quiet"))
  expect_identical(readLines(file), "x")
  expect_error(run("--what-else", "no"), "--what-else takes yes, not 'no'", class = "wavetax_usage")
  expect_error(run("--loud"), "--what-else is missing", class = "wavetax_usage")
  expect_error(run("--what-else", ""), "--what-else is empty", class = "wavetax_usage")
  expect_error(run("--what-else", "x", "--table", "a.xyz"), "--table: ", class = "wavetax_usage")
  expect_error(run("--what-else", "x", "file"), "1 argument given, 0 needed", class = "wavetax_usage")
  level <- inside$new_option("level", "share", "level")
  expect_identical(inside$option_share("0.05", level), 0.05)
  for (text in c("0.5", "0", "-1", "a", "5")) {
    expect_error(inside$option_share(text, level), "--level takes a small share", class = "wavetax_usage")
  }
  # A step of a file is the same call.
  expect_identical(command$run(list(what_else = "y", loud = TRUE), character())$forms$csv()$said, "Y")
})

test_that("advice that is R code is said as the options that do the same, and other code stays", {
  said <- function(text) inside$as_options(text)
  pairs <- c(
    "`sheet = \"Data\", header = 2`" = "`--sheet Data --header 2`", "`layout = \"find\"`" = "`--layout find`",
    "`with_errors(fit, se_clustered(~ harbour))`" = "`--by harbour`", "`se_clustered()`" = "`--errors clustered`",
    "`se_clustered(~ harbour:coast, \"CR2\", df = \"satterthwaite\")`" =
      "`--errors few-clusters --by harbour:coast`",
    "`se_clustered(type = \"CR2\", df = \"satterthwaite\")` or `se_bootstrap()`" =
      "`--errors few-clusters` or `--errors wild`",
    "`with_errors(fit, se_robust(\"HC3\"))`" = "`--errors robust-hc3`", "`se_newey_west(3)`" = "`--errors serial-3`",
    "`se_driscoll_kraay()`" = "`--errors cross-section`", "`effects = \"both\"`" = "`--effects both`",
    "`fit_fixed(log(nights) ~ levy, panel)`" = "`--model fixed`", "`date_format = \"%d/%m/%Y\"`" =
      "`--date-format %d/%m/%Y`", "`names = c(a = \"b c\")`" = "`--names 'a=b c'`", "`header`" = "`--header`",
    "`by = c(harbour = \"name\", \"season\")`" = "`--by harbour=name,season`",
    "`replace = TRUE`" = "`--replace`", "`test_joint(fit, \"x\")`" = "`test_joint(fit, \"x\")`",
    "`se_clustered(system(\"x\"))`" = "`se_clustered(system(\"x\"))`", "`a b`" = "`a b`", "a ` b" = "a ` b",
    "`lag = 2`" = "`lag = 2`", "`?remedies`" = "`?remedies` in R", "` `" = "` `"
  )
  for (code in names(pairs)) expect_identical(said(code), pairs[[code]])
  expect_identical(said(c(NA, "x")), c(NA, "x"))
})
