# wavetax fit FILE: estimates and compares models of a table. wavetax compare: sets saved fits side by side.

fit_command <- function() {
  new_command(
    "estimate and compare models of a table",
    "wavetax fit FILE --entity COLUMN --period COLUMN --formula TEXT [options]",
    paste("Estimates models of one equation on a table, and sets them side by side.",
          "Standard errors are clustered by entity unless told otherwise."),
    c(key_options(), list(
      formula_option(),
      new_option("model", "choices", paste0("of ", paste(fit_method_names, collapse = ", "),
                                            "; may be repeated [default: pooled,fixed,random]"),
                 "LIST", default = "pooled,fixed,random", choices = fit_method_names, repeated = ","),
      effects_option(), variance_option(), errors_option(),
      clusters_option(paste("to cluster by; harbour+season are two dimensions, coast:season",
                            "combinations [default: the entity]")),
      weights_option(), rows_option(),
      new_option("tests", "flag", "also test for serial correlation and, with fixed and random, Hausman's"),
      format_option(c("text", "csv", "json", "markdown")),
      new_option("save", "fits_file", "save the fits too: .json", "FILE"), table_file_option(),
      figure_file_option("draw the slopes across the models: .png, .pdf or .svg")
    ), spec_table_options(), reader_options()),
    run_fit_command, needs = c("entity", "period", "formula"), check = check_fit_options
  )
}

variance_option <- function() {
  new_option("variance", "choice", "of the components of random effects", "METHOD",
             choices = names(core_variance_methods))
}

figure_file_option <- function(help) new_option("figure", "figure_file", help, "FILE")

run_fit_command <- function(values, files) {
  panel <- cli_panel(files, values)
  errors <- chosen_errors(values)
  fits <- lapply(stats::setNames(values$model, values$model), function(model) {
    cli_one_fit(model, panel, errors[[1]], values)
  })
  fits <- cli_under_errors(fits, errors)
  table <- cli_spec_table(fits, values)
  tests <- if (values$tests) cli_tests(first_of_models(fits))
  fitted_results(fits, table, text = function() {
    compared <- if (all_errors(values)) lapply(unname(fits), compare_errors)
    each <- lapply(c(unname(fits), compared, tests), function(one) list(blocks_of(one), gap_block()))
    list(each, if (length(fits) > 1) blocks_of(table))
  })
}

# Fits and their table, for `fit` and `compare`.
fitted_results <- function(fits, table, text) {
  new_results(
    text = text, markdown = function() blocks_of(table),
    csv = function() as.data.frame(table), json = function() fits_json(fits),
    files = list(
      table = function(file) write_table(table, file), save = function(file) write_fits(fits, file = file),
      figure = function(file) save_figure(plot_estimates(fits), file)
    )
  )
}

# Options that would have no effect are refused, before anything is read.
check_fit_options <- function(values) {
  models <- values$model
  without <- function(option, takers, why) {
    if (!is.null(values[[option]]) && !any(takers %in% models)) {
      stop_usage(sprintf("--%s has no effect: %s.", option, why))
    }
  }
  takers <- function(argument) methods_with(function(method) argument %in% method$arguments)
  without("effects", takers("effects"), paste("a", list_or(models), "model has none"))
  without("variance", takers("variance"), "only random and correlated effects have variance components")
  if (!is.null(values$weights)) {
    plain <- Filter(function(model) !fit_method(model)$weighted(values$variance), models)
    if (length(plain) > 0) {
      likelihood <- if (fit_method(plain[1])$weighted("maximum-likelihood")) {
        ", or say --variance maximum-likelihood"
      }
      stop_usage(sprintf("--weights: %s takes none; leave it out of --model", plain[1]), likelihood, ".")
    }
  }
  if (isTRUE(values$tests) && values$format != "text") {
    stop_usage("--tests has no effect: tests are printed as text only, not as ", values$format, ".")
  }
  check_error_options(values)
}

# Each model is given the options that its descriptor has; sets of effects that it does not take are
# left to the models that do, and it keeps the entity's.
cli_one_fit <- function(model, panel, errors, values) {
  method <- fit_method(model)
  effects <- if (is.null(values$effects)) "entity" else values$effects(panel)
  sets <- effect_sets(effects, panel)
  fits <- length(sets) <= method$sets$most && (method$sets$trends || core_only_levels(sets))
  given <- list(effects = if (fits) effects else "entity", variance = values$variance, weights = values$weights)
  given <- c(list(errors = errors, rows = if (!is.null(values$rows)) values$rows(panel)),
             given[intersect(names(given), method$arguments)])
  do.call(fit_door(model), c(list(values$formula(panel), panel), Filter(Negate(is.null), given)))
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

compare_command <- function() {
  new_command(
    "set saved fits side by side", "wavetax compare FILE.json [FILE.json ...] [options]",
    "Sets saved fits side by side.",
    c(spec_table_options(), list(
      new_option("labels", "text", "file of names and labels, a codebook", "FILE"),
      new_option("errors", "errors", "of the fits only those under these errors, in the words of `wavetax fit`",
                 "LIST"),
      format_option(c("text", "csv", "json", "markdown")), table_file_option(),
      figure_file_option("draw the slopes across the fits: .png, .pdf or .svg")
    )),
    function(values, files) {
      fits <- cli_saved_under(saved_fits(files), values$errors)
      table <- cli_spec_table(fits, values)
      fitted_results(fits, table, text = function() blocks_of(table))
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
    new_option("facts", "texts", "what is told below, such as 'effects,rows,r_squared,outcome_mean'", "LIST"),
    new_option("marks", "marks", "signs of your own by p, such as '+=0.05'", "PAIRS"),
    new_option("decimals", "number", "decimals of estimates [default: as many as errors ask for]", "N"),
    new_option("title", "text", "title of the table", "TEXT"),
    new_option("over", "over", "heads over columns, such as 'All harbours=1-3,Tallow coast=4-6'", "PAIRS")
  )
}

cli_spec_table <- function(fits, values) {
  given <- unclass(values)[intersect(c("terms", "hide", "beneath", "facts", "marks", "decimals", "labels", "title",
                                       "over"),
                                     names(values))]
  do.call(spec_table, c(list(fits), given))
}
