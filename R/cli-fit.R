# wavetax fit FILE: estimates and compares models of a table. wavetax compare: sets saved fits side by side.

fit_command <- function() {
  new_command(
    "estimate and compare models of a table",
    "wavetax fit FILE --entity COLUMN --period COLUMN --formula TEXT [options]",
    paste("Estimates models of one equation on a table, and sets them side by side.",
          "Standard errors are clustered by entity unless told otherwise."),
    options_under(
      data = c(key_options(), list(rows_option(), let_option())), read = reader_options(),
      model = c(list(
        formula_option(),
        models_option("of the equation; may be repeated [default: pooled,fixed,random]", repeated = ","),
        effects_option(), variance_option(), weights_option(), serial_option(),
        rho_option(), variances_option(), across_option(),
        new_option("each", "text", "each model on the rows of each of its values", "COLUMN"),
        new_option("and-all", "flag", "with --each, on all rows before them"),
        new_option("steps", "steps", paste(
          "a ladder instead of models: regressors such as '~ storms', or effects such as harbour, each added to what",
          "was before; may be repeated"
        ), "LIST", repeated = ",")
      ), instrument_options()),
      errors = list(errors_option(), clusters_option(paste(
        "to cluster by; harbour+season are two dimensions, coast:season combinations [default: the entity]"
      ))),
      tests = list(
        new_option("tests", "flag", paste("test for serial correlation and, with fixed and random, Hausman's; of",
                                          "instruments their strength, agreement and need")),
        new_option("test", "restrictions", paste("test coefficients jointly in each model: 'levy, storms' (both 0) or",
                                                 "'levy = -0.05'; may be repeated"), "TEXT", repeated = "\u001f")
      ),
      output = c(list(
        format_option(names(table_formats)),
        new_option("save", "fits_file", "save the fits too: .json; - prints them alone", "FILE"), table_file_option(),
        figure_file_option("draw the slopes across the models: .png, .pdf or .svg; - for a .png on standard output")
      ), spec_table_options())
    ),
    run_fit_command, needs = c("entity", "period", "formula"), check = check_fit_options
  )
}

figure_file_option <- function(help) new_option("figure", "figure_file", help, "FILE")

run_fit_command <- function(values, files) {
  panel <- cli_panel(files, values)
  errors <- chosen_errors(values)
  fits <- if (!is.null(values$steps)) cli_ladder(panel, errors[[1]], values) else cli_models(panel, errors[[1]], values)
  tests <- if (values$tests) if (is_instrumenting(values)) cli_instrument_tests(fits) else
    cli_tests(first_of_models(fits))
  fits <- cli_under_errors(fits, errors)
  joint <- lapply(fits, function(fit) lapply(values$test, function(terms) test_joint(fit, terms)))
  table <- function() cli_spec_table(fits, values)
  fitted_results(fits, table, text = function() {
    compared <- if (all_errors(values)) lapply(unname(fits), compare_errors)
    beside <- unlist(Map(c, lapply(unname(fits), list), unname(joint)), recursive = FALSE)
    each <- lapply(c(beside, compared, tests), function(one) {
      list(blocks_of(one, constant = values$constant), gap_block())
    })
    asked <- setdiff(table_arguments_of_fits, "constant") %in% names(values)
    list(each, if (length(fits) > 1 || any(asked)) blocks_of(table()))
  })
}

# The models, each of the rows of every value too where that is asked.
cli_models <- function(panel, errors, values) {
  models <- chosen_models(values)
  fits <- lapply(stats::setNames(models, models), function(model) {
    if (is.null(values$each)) return(cli_one_fit(model, panel, errors, values))
    do.call(fit_each, c(list(values$formula(panel), panel, values$each, cli_door(model, values), all = values$and_all),
                        fit_arguments(model, panel, errors, values)))
  })
  if (is.null(values$each)) return(fits)
  if (length(models) == 1) return(fits[[1]])
  unlist(lapply(models, function(model) {
    stats::setNames(fits[[model]], paste(model, names(fits[[model]]), sep = ", "))
  }), recursive = FALSE)
}

cli_ladder <- function(panel, errors, values) {
  given <- list(weights = values$weights, errors = errors, rows = if (!is.null(values$rows)) values$rows(panel),
                serial = chosen_serial(values))
  do.call(spec_ladder, c(list(values$formula(panel), values$steps(panel), panel), Filter(Negate(is.null), given)))
}

check_fit_options <- function(values) {
  if (!is.null(values$steps)) {
    for (one in intersect(c("model", "effects", "variance", "variances", "endogenous", "instruments", "method",
                          if (isTRUE(values$across)) "across", "each"),
                          names(values))) {
      stop_usage(sprintf("--%s has no effect with --steps: each step is a model of its own.", one))
    }
  } else {
    check_model_options(values)
  }
  for (one in c("each", "steps")) if (values$tests && !is.null(values[[one]])) {
    stop_usage(sprintf("--tests has no effect with --%s.", one))
  }
  for (one in c(if (values$tests) "tests", if (!is.null(values$test)) "test")) {
    if (values$format != "text") {
      stop_usage(sprintf("--%s has no effect: tests are printed as text only, not as %s.", one, values$format))
    }
    for (out in c("table", "save", "figure")) if (identical(values[[out]], "-")) {
      stop_usage(sprintf("--%s has no effect: --%s - prints one thing alone.", one, out))
    }
  }
  if (values$and_all && is.null(values$each)) {
    stop_usage("--and-all has no effect without --each: name the column, --each COLUMN.")
  }
  check_rho_option(values)
  check_error_options(values)
}

# Fits and their table, for `fit` and `compare`.
fitted_results <- function(fits, table, text) {
  new_results(
    text = text, markdown = function() blocks_of(table()),
    csv = function() as.data.frame(table()), json = function() fits_json(fits),
    table = table, files = list(
      save = function(file) write_fits(fits, file = file),
      figure = function(file) save_figure(plot_estimates(fits), file)
    )
  )
}

# A fit of each model, whatever its errors.
first_of_models <- function(fits) {
  models <- vapply(fits, `[[`, "", "method")
  stats::setNames(fits[!duplicated(models)], models[!duplicated(models)])
}

cli_tests <- function(fits) {
  levels <- fits[names(fits) %in% methods_with(function(method) method$levels && method$constant != "drift")]
  c(
    if (all(c("fixed", "random") %in% names(fits))) list(test_hausman(fits$fixed, fits$random)),
    if (length(levels) > 0) list(test_serial(levels[[match("fixed", names(levels), nomatch = 1L)]]))
  )
}

cli_instrument_tests <- function(fits) {
  unlist(lapply(unname(fits), function(fit) {
    facts <- fit$instrumented
    c(list(test_strength(fit), test_endogeneity(fit)),
      if (length(facts$instruments) > length(facts$endogenous)) list(test_overidentification(fit)),
      if (facts$model == "random") list(test_mundlak(fit)))
  }), recursive = FALSE)
}

compare_command <- function() {
  new_command(
    "set saved fits side by side", "wavetax compare FILE.json [FILE.json ...] [options]",
    "Sets saved fits side by side.",
    options_under(
      errors = list(new_option("errors", "errors", paste("of the fits only those under these errors, in the words of",
                                                         "`wavetax fit`"), "LIST", choices = names(error_words()))),
      output = c(spec_table_options(), list(
        new_option("labels", "text", "file of names and labels, a codebook", "FILE"),
        format_option(names(table_formats)), table_file_option(),
        figure_file_option("draw the slopes across the fits: .png, .pdf or .svg")
      ))
    ),
    function(values, files) {
      fits <- cli_saved_under(saved_fits(files), values$errors)
      table <- function() cli_spec_table(fits, values)
      fitted_results(fits, table, text = function() blocks_of(table()))
    },
    check = function(values) if (all_errors(values)) stop_option(list(name = "errors"), "words of errors", "all")
  )
}

# Names that stand in several files are headed by the file's.
saved_fits <- function(files) {
  fits <- lapply(files, read_fits)
  names <- unlist(lapply(fits, names))
  if (anyDuplicated(names)) {
    stems <- sub("\\.[Jj][Ss][Oo][Nn]$", "", basename(files))
    piped <- dirname(files) == tempdir()
    stems[piped] <- which(piped)
    names <- unlist(Map(function(stem, one) {
      if (length(one) == 1) stem else paste(stem, names(one))
    }, stems, fits))
  }
  stats::setNames(unlist(fits, recursive = FALSE), names)
}

# What a table of specifications shows, for `fit` and `compare`.
spec_table_options <- function() {
  list(
    new_option("terms", "terms", "coefficients to show, such as 'Wave tax=levy,past(levy*'", "LIST"),
    new_option("hide", "hidden", "terms not to show, such as 'factor(season) + coast': a row says where they are",
               "TEXT"),
    new_option("beneath", "choices", sprintf("beneath each estimate: %s [default: std_error]",
                                             paste(names(beneath_words), collapse = ", ")),
               "LIST", choices = names(beneath_words)),
    new_option("facts", "texts", "what is told below, such as 'effects,rows,r_squared,outcome_mean'", "LIST",
               choices = fact_names),
    new_option("marks", "marks", "signs of your own by p, such as '+=0.05'", "PAIRS"),
    new_option("decimals", "number", "decimals of estimates [default: as many as errors ask for]", "N"),
    new_option("constant", "flag", "the constant of models with effects too, from which these deviate"),
    new_option("title", "text", "title of the table", "TEXT"),
    new_option("over", "over", "heads over columns, such as 'All harbours=1-3,Tallow coast=4-6'", "PAIRS")
  )
}

table_arguments_of_fits <- c("terms", "hide", "beneath", "facts", "marks", "decimals", "title", "over",
                             "constant")

cli_spec_table <- function(fits, values) {
  given <- unclass(values)[intersect(c(table_arguments_of_fits, "labels"), names(values))]
  do.call(spec_table, c(list(fits), given))
}
