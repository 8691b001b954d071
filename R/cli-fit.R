# wavetax fit FILE: estimates and compares models of a table.

cli_fit_parser <- function() {
  optparse::OptionParser(
    usage = "wavetax fit FILE --entity COLUMN --period COLUMN --formula TEXT [options]",
    description = paste(
      "\nEstimates models of one equation on a CSV file, and sets them side by side.",
      "Standard errors are clustered by entity unless told otherwise."
    ),
    option_list = list(
      cli_option("--entity", "COLUMN", "column that names the entity"),
      cli_option("--period", "COLUMN", "column that names the period: whole numbers or dates"),
      cli_option("--formula", "TEXT", "such as 'log(nights) ~ levy + storms'"),
      cli_option("--model", "LIST", "of pooled, fixed, random [default: all three]",
                 "pooled,fixed,random"),
      cli_option("--effects", "COLUMN", "column of the effects [default: the entity]", "entity"),
      cli_option("--errors", "KIND", "clustered or classical [default: clustered]", "clustered"),
      cli_option("--by", "COLUMN", "column to cluster by [default: the entity]", "entity"),
      cli_option("--weights", "COLUMN", "analytic weights, for pooled and fixed"),
      optparse::make_option("--tests", action = "store_true", default = FALSE,
                            help = "also test for serial correlation and, with fixed and random, Hausman's"),
      cli_option("--table", "FILE", "write the table too: .csv, .md or .html"),
      cli_option("--figure", "FILE", "draw the first slope across the models: .png, .pdf or .svg")
    )
  )
}

cli_fit <- function(args) {
  parsed <- cli_arguments(args, cli_fit_parser(), positional = 1)
  options <- parsed$options
  for (needed in c("entity", "period", "formula")) {
    if (is.null(options[[needed]])) stop_usage(sprintf("--%s is missing.", needed))
  }
  models <- cli_models(options$model)
  errors <- cli_errors(options)
  data <- read_table_file(parsed$args)
  panel <- new_panel_frame(data, check_column(options$entity, data), check_column(options$period, data))
  formula <- formula_from_text(options$formula, panel)
  fits <- lapply(stats::setNames(models, models), function(model) {
    cli_one_fit(model, formula, panel, options, errors)
  })
  cli_show(fits, options)
}

check_column <- function(name, data) {
  check_columns(name, data)
  name
}

cli_models <- function(text) {
  models <- unique(trimws(strsplit(text, ",", fixed = TRUE)[[1]]))
  unknown <- setdiff(models, c("pooled", "fixed", "random"))
  if (length(unknown) > 0 || length(models) == 0) {
    stop_usage("--model takes pooled, fixed and random, separated by commas; not ",
               list_words(sQuote(unknown, FALSE)), ".")
  }
  models
}

cli_errors <- function(options) {
  switch(options$errors,
    clustered = if (options$by != "entity") se_clustered(options$by),
    classical = se_classical(),
    stop_usage("--errors takes clustered or classical, not ", sQuote(options$errors, FALSE), ".")
  )
}

cli_one_fit <- function(model, formula, panel, options, errors) {
  switch(model,
    pooled = fit_pooled(formula, panel, weights = options$weights, errors = errors),
    fixed = fit_fixed(formula, panel, options$effects, weights = options$weights, errors = errors),
    random = fit_random(formula, panel, options$effects, errors = errors, weights = options$weights)
  )
}

cli_show <- function(fits, options) {
  for (fit in fits) {
    print(fit)
    writeLines("")
  }
  if (options$tests) cli_tests(fits)
  table <- spec_table(fits)
  print(table)
  if (!is.null(options$table)) {
    write_table(table, options$table)
    cli_wrote(options$table)
  }
  if (!is.null(options$figure)) {
    save_figure(plot_estimates(fits), options$figure)
    cli_wrote(options$figure)
  }
}

cli_tests <- function(fits) {
  if (all(c("fixed", "random") %in% names(fits))) {
    print(test_hausman(fits$fixed, fits$random))
    writeLines("")
  }
  print(test_serial(fits[[1]]))
  writeLines("")
}

cli_wrote <- function(file) writeLines(paste("Written:", file), stderr())
