# wavetax diagnose FILE: what is wrong with a fit. wavetax appraise FILE: which model, and which errors.

cli_guidance_options <- function() {
  list(
    cli_option("--weights", "COLUMN", "analytic weights"),
    cli_option("--rows", "TEXT", "rows to use, such as 'season > 2012'"),
    cli_option("--level", "SHARE", "level that tests are read at [default: 0.05]", "0.05"),
    cli_option("--format", "KIND", "text, json or markdown [default: text]", "text"),
    cli_option("--out", "DIR", "folder for figures")
  )
}

cli_diagnose_parser <- function() {
  cli_parser(
    "wavetax diagnose FILE --entity COLUMN --period COLUMN --formula TEXT [options]",
    "Estimates one model and tests what it assumes; prints what was found and what to do.",
    c(cli_key_options(), list(
      cli_option("--formula", "TEXT", "such as 'log(nights) ~ levy + storms'"),
      cli_option("--model", "NAME", paste0("one of ", paste(fit_method_names, collapse = ", "), " [default: fixed]"),
                 "fixed"),
      cli_option("--effects", "TEXT",
                 "entity, period, both, or columns such as 'harbour + coast:season' [default: entity]"),
      cli_option("--errors", "WORD", "standard errors, a word of `wavetax fit --help` [default: clustered]"),
      cli_option("--by", "COLUMNS", "to cluster by [default: the entity]")
    ), cli_guidance_options(), cli_reader_options())
  )
}

cli_diagnose <- function(args) {
  parsed <- cli_arguments(args, cli_diagnose_parser(), positional = NULL)
  options <- parsed$options
  cli_needs(options, c("entity", "period", "formula"))
  models <- chosen_models(options$model)
  if (length(models) != 1) stop_usage("--model takes one model here.")
  options$tests <- FALSE
  check_guidance_format(options$format)
  options$format <- "text"
  check_fit_options(options, models)
  options$format <- parsed$options$format
  level <- cli_level(options$level)
  errors <- cli_errors(options)
  if (length(errors) != 1 || identical(options$errors, "all")) stop_usage("--errors takes one kind here.")
  panel <- cli_panel(cli_files(parsed$args, options), options)
  shared <- list(formula = formula_from_text(options$formula, panel), data = panel, errors = errors[[1]],
                 rows = condition_from_text(options$rows, panel))
  effects <- if (is.null(options$effects)) "entity" else effects_from_text(options$effects, panel)
  fit <- cli_one_fit(models, shared, effects, options)
  found <- diagnose(fit, level = level)
  found <- cli_found(found)
  cli_guidance_figures(options$out, list(
    residuals = function() plot_residuals(fit), influence = function() plot(influence_by(fit))
  ))
  switch(options$format, text = print(found), json = cli_json(diagnosis_values(found)),
         markdown = writeLines(blocks_markdown(blocks_of(found))))
}

# A diagnosis whose advice and cautions name options.
cli_found <- function(found) {
  attr(found, "advice") <- cli_advice(attr(found, "advice"))
  attr(found, "tests") <- lapply(attr(found, "tests"), function(test) {
    if (!is.null(test$cautions)) test$cautions <- cli_advice(test$cautions)
    test
  })
  found
}

cli_appraise_parser <- function() {
  cli_parser(
    "wavetax appraise FILE --entity COLUMN --period COLUMN --formula TEXT --focus NAME [options]",
    paste("Looks at what varies in the regressor of interest, which decides the model and its errors; tests are shown",
          "beside, and choose nothing."),
    c(cli_key_options(), list(
      cli_option("--formula", "TEXT", "such as 'log(nights) ~ levy + storms'"),
      cli_option("--focus", "NAME", "regressor of interest [default: the first]"),
      optparse::make_option("--unrelated", action = "store_true", default = FALSE,
                            help = "you claim that what is fixed about entities is unrelated to it: drawn by lot")
    ), cli_guidance_options(), cli_reader_options())
  )
}

cli_appraise <- function(args) {
  parsed <- cli_arguments(args, cli_appraise_parser(), positional = NULL)
  options <- parsed$options
  cli_needs(options, c("entity", "period", "formula"))
  check_guidance_format(options$format)
  level <- cli_level(options$level)
  panel <- cli_panel(cli_files(parsed$args, options), options)
  chosen <- appraise(formula_from_text(options$formula, panel), panel, focus = options$focus, weights = options$weights,
                     rows = condition_from_text(options$rows, panel), level = level,
                     unrelated = isTRUE(options$unrelated))
  for (part in c("recommendation", "caveats")) chosen[[part]] <- cli_advice(chosen[[part]])
  cli_guidance_figures(options$out, list(path = function() plot(chosen),
                                         residuals = function() plot_residuals(chosen$fit)))
  switch(options$format, text = print(chosen), json = cli_json(appraisal_values(chosen)),
         markdown = writeLines(blocks_markdown(blocks_of(chosen))))
}

# Advice in the words of the command line: each R call that advice can have, and what is said here in its place.
cli_advice <- function(text) {
  if (length(text) == 0) return(text)
  calls <- c(
    "`(?:with_errors\\(fit, )?se_clustered\\(~ ([^`),]+), \"CR2\", df = \"satterthwaite\"\\)\\)?`" =
      "`--errors few-clusters --by \\1`",
    "`(?:with_errors\\(fit, )?se_clustered\\(~ ([^`),]+)\\)\\)?`" = "`--by \\1`",
    "`se_clustered\\(type = \"CR2\", df = \"satterthwaite\"\\)` or `se_bootstrap\\(\\)`" =
      "`--errors few-clusters` or `--errors wild`",
    "`with_errors\\(fit, se_robust\\(\"HC3\"\\)\\)`" = "`--errors robust-hc3`",
    "`(?:with_errors\\(fit, )?se_newey_west\\(\\)\\)?`" = "`--errors serial`",
    "`test_mundlak\\(\\)`( of the random effects fit)? does not" = "`wavetax appraise` has a form that does not",
    "`se_driscoll_kraay\\(\\)`" = "`--errors cross-section`", "`effects = \"both\"`" = "`--effects both`",
    "`fit_(fixed|random|correlated|pooled)\\([^`]*\\)`" = "`--model \\1`",
    ", or `method = \"joint\"` tells the two apart" = "", ": see `influence_by\\(fit\\)`" = "; `--out DIR` draws all"
  )
  for (call in names(calls)) text <- gsub(call, calls[[call]], text, perl = TRUE)
  gsub("(`--(?:errors few-clusters --)?by [^` ]+) [+] ([^`]+`)", "\\1+\\2", text, perl = TRUE)
}

check_guidance_format <- function(format) {
  if (format %in% c("text", "json", "markdown")) return(invisible())
  stop_usage("--format takes text, json or markdown, not ", sQuote(format, FALSE), ".")
}

cli_level <- function(text) {
  level <- suppressWarnings(as.numeric(text))
  if (length(level) == 1 && is.finite(level) && level > 0 && level < 0.5) return(level)
  stop_usage("--level takes a small share such as 0.05, not ", sQuote(text, FALSE), ".")
}

# Figures before what is printed, so that they are there also when nobody reads to the end. One that does not exist of
# this fit is told.
cli_guidance_figures <- function(folder, figures) {
  if (is.null(folder)) return(invisible())
  make_folder(folder)
  for (name in names(figures)) {
    figure <- tryCatch(figures[[name]](), wavetax_error = function(cnd) {
      writeLines(sprintf("Not drawn: %s. %s", name, first_line(cnd)),
                 stderr())
    })
    if (is.null(figure)) next
    file <- file.path(folder, paste0(name, ".png"))
    save_figure(figure, file, width = 11, height = 7)
    cli_wrote(file)
  }
}

cli_json <- function(values, unbox = TRUE) {
  check_package("jsonlite", "writes JSON")
  writeLines(jsonlite::toJSON(values, pretty = TRUE, digits = NA, na = "null", auto_unbox = unbox))
}
