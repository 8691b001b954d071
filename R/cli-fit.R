# wavetax fit FILE: estimates and compares models of a table. wavetax compare: sets saved fits
# side by side.

cli_fit_parser <- function() {
  cli_parser(
    "wavetax fit FILE --entity COLUMN --period COLUMN --formula TEXT [options]",
    paste(
      "Estimates models of one equation on a table, and sets them side by side.",
      "Standard errors are clustered by entity unless told otherwise."
    ),
    c(cli_key_options(), list(
      cli_option("--formula", "TEXT", "such as 'log(nights) ~ levy + storms'"),
      cli_option("--model", "LIST", paste0("of ", paste(fit_method_names, collapse = ", "),
                                           "; may be repeated [default: pooled,fixed,random]"),
                 "pooled,fixed,random"),
      cli_option("--effects", "TEXT", paste("entity, period, both, or columns such as",
                                            "'harbour + coast:season' [default: entity]")),
      cli_option("--variance", "METHOD", "of the components of random effects"),
      cli_option("--errors", "LIST", cli_errors_help()),
      cli_option("--by", "COLUMNS", paste("to cluster by; harbour+season are two dimensions, coast:season",
                                            "combinations [default: the entity]")),
      cli_option("--weights", "COLUMN", "analytic weights"),
      cli_option("--rows", "TEXT", "rows to use, such as 'season > 2012'"),
      optparse::make_option("--tests", action = "store_true", default = FALSE,
                            help = "also test for serial correlation and, with fixed and random, Hausman's"),
      cli_option("--format", "KIND", "text, csv, json or markdown [default: text]", "text"),
      cli_option("--save", "FILE", "save the fits too: .json"),
      cli_option("--table", "FILE", "write the table too: .csv, .md or .html"),
      cli_option("--figure", "FILE", "draw the first slope across the models: .png, .pdf or .svg")
    ), cli_reader_options())
  )
}

cli_fit <- function(args) {
  parsed <- cli_arguments(join_repeated(args, "--model"), cli_fit_parser(), positional = NULL)
  options <- parsed$options
  cli_needs(options, c("entity", "period", "formula"))
  models <- chosen_models(options$model)
  check_fit_options(options, models)
  check_outputs(options, cli_inputs(parsed$args, options))
  errors <- cli_errors(options)
  panel <- cli_panel(cli_files(parsed$args, options), options)
  shared <- list(
    formula = formula_from_text(options$formula, panel), data = panel, errors = errors[[1]],
    rows = condition_from_text(options$rows, panel)
  )
  effects <- if (is.null(options$effects)) "entity" else effects_from_text(options$effects, panel)
  fits <- lapply(stats::setNames(models, models), function(model) {
    cli_one_fit(model, shared, effects, options)
  })
  cli_show(lapply(cli_under_errors(fits, errors), cli_notes), options)
}

# Options that would have no effect are refused, before anything is read.
check_fit_options <- function(options, models) {
  check_format(options$format)
  without <- function(option, takers, why) {
    if (!is.null(options[[option]]) && !any(takers %in% models)) {
      stop_usage(sprintf("--%s has no effect: %s.", option, why))
    }
  }
  takers <- function(argument) methods_with(function(method) argument %in% method$arguments)
  without("effects", takers("effects"), paste("a", list_or(models), "model has none"))
  without("variance", takers("variance"), "only random and correlated effects have variance components")
  if (!is.null(options$weights)) {
    plain <- Filter(function(model) !fit_method(model)$weighted(options$variance), models)
    if (length(plain) > 0) {
      stop_usage(sprintf("--weights: %s takes none; leave it out of --model%s.", plain[1],
                         if (fit_method(plain[1])$weighted("maximum-likelihood")) {
                           ", or say --variance maximum-likelihood"
                         } else {
                           ""
                         }))
    }
  }
  if (options$tests && options$format != "text") {
    stop_usage("--tests has no effect: tests are printed as text only, not as ", options$format, ".")
  }
  if (!is.null(options$variance) && !options$variance %in% names(core_variance_methods)) {
    stop_usage("--variance takes ", list_or(names(core_variance_methods)), ", not ", sQuote(options$variance, FALSE),
               ".")
  }
}

# Endings are known, and nothing that is read or written is written over.
check_outputs <- function(options, inputs) {
  kinds <- list(save = check_fits_file, table = check_table_file, figure = check_figure_file)
  outputs <- options[intersect(names(kinds), names(options))]
  for (option in names(outputs)) {
    tryCatch(kinds[[option]](outputs[[option]]), wavetax_error = function(cnd) {
      stop_usage(sprintf("--%s: %s", option, conditionMessage(cnd)))
    })
  }
  check_not_over(unlist(outputs), inputs)
}

check_not_over <- function(outputs, inputs) {
  place <- function(path) file.path(normalizePath(dirname(path), mustWork = FALSE), basename(path))
  same <- function(a, b) {
    place(a) == place(b) || (file.exists(a) && file.exists(b) && normalizePath(a) == normalizePath(b))
  }
  for (one in outputs) {
    if (any(vapply(inputs, same, TRUE, one))) stop_usage("The file ", sQuote(one, FALSE),
                                                         " is read; it is not written over.")
  }
  for (i in seq_along(outputs)) {
    if (i > 1 && any(vapply(outputs[seq_len(i - 1)], same, TRUE, outputs[i]))) {
      stop_usage("The file ", sQuote(outputs[[i]], FALSE), " is named twice.")
    }
  }
}

# `--model a --model b` as `--model a,b`.
join_repeated <- function(args, flag, between = ",") {
  args <- unlist(lapply(args, function(one) {
    if (startsWith(one, paste0(flag, "="))) c(flag, substring(one, nchar(flag) + 2)) else one
  }))
  at <- which(args == flag)
  if (length(at) < 2 || max(at) == length(args)) return(args)
  c(args[-c(at, at + 1)], flag, paste(args[at + 1], collapse = between))
}

check_format <- function(format) {
  if (format %in% c("text", "csv", "json", "markdown")) return(invisible())
  stop_usage("--format takes text, csv, json or markdown, not ", sQuote(format, FALSE), ".")
}

chosen_models <- function(text) {
  models <- unique(option_list(text))
  unknown <- setdiff(models, fit_method_names)
  if (length(unknown) == 0 && length(models) > 0) return(models)
  stop_usage("--model takes ", list_words(fit_method_names), ", separated by commas; not ",
             list_words(sQuote(unknown, FALSE)), ".")
}

# Each model is given the options that its descriptor has; sets of effects that it does not take are
# left to the models that do, and it keeps the entity's.
cli_one_fit <- function(model, shared, effects, options) {
  method <- fit_method(model)
  sets <- effect_sets(effects, shared$data)
  fits <- length(sets) <= method$sets$most && (method$sets$trends || core_only_levels(sets))
  given <- list(effects = if (fits) effects else "entity", variance = options$variance, weights = options$weights)
  given <- given[intersect(names(given), method$arguments)]
  do.call(fit_door(model), c(shared, Filter(Negate(is.null), given)))
}

# Files first, so that they are there also when nobody reads what is printed to its end.
cli_show <- function(fits, options) {
  table <- spec_table(fits)
  tests <- if (options$tests) cli_tests(first_of_models(fits))
  cli_write_table(table, options)
  if (!is.null(options$save)) {
    write_fits(fits, file = options$save)
    cli_wrote(options$save)
  }
  cli_draw(fits, options)
  if (options$format == "text") {
    compared <- if (identical(options$errors, "all")) lapply(unname(fits), compare_errors)
    for (one in c(unname(fits), compared, tests)) {
      print(one)
      writeLines("")
    }
  }
  if (options$format != "text" || length(fits) > 1) cli_print_table(table, fits, options$format)
}

cli_draw <- function(fits, options) {
  if (is.null(options$figure)) return(invisible())
  save_figure(plot_estimates(fits), options$figure)
  cli_wrote(options$figure)
}

cli_print_table <- function(table, fits, format) {
  switch(format,
    text = print(table), csv = cli_csv(as.data.frame(table)),
    json = writeLines(fits_json(fits)), markdown = writeLines(table_markdown(as_table(table)))
  )
}

cli_write_table <- function(table, options) {
  if (is.null(options$table)) return(invisible())
  write_table(table, options$table)
  cli_wrote(options$table)
}

# A fit of each model, whatever its errors.
first_of_models <- function(fits) {
  models <- vapply(fits, `[[`, "", "method")
  stats::setNames(fits[!duplicated(models)], models[!duplicated(models)])
}

cli_tests <- function(fits) {
  levels <- fits[names(fits) %in% methods_with(function(method) method$levels && method$constant != "drift")]
  tests <- c(
    if (all(c("fixed", "random") %in% names(fits))) list(test_hausman(fits$fixed, fits$random)),
    if (length(levels) > 0) list(test_serial(levels[[match("fixed", names(levels), nomatch = 1L)]]))
  )
  lapply(tests, function(test) {
    said <- intersect(c("reading", "cautions", "notes"), names(test))
    test[said] <- lapply(test[said], cli_advice)
    test
  })
}

cli_wrote <- function(file) writeLines(paste("Written:", file), stderr())

cli_compare_parser <- function() {
  cli_parser(
    "wavetax compare FILE.json [FILE.json ...] [options]", "Sets saved fits side by side.",
    list(
      cli_option("--terms", "LIST", "coefficients to show, separated by commas [default: all]"),
      cli_option("--errors", "LIST", "of the fits only those under these errors, in the words of `wavetax fit`"),
      cli_option("--beneath", "KIND", "std_error, p_value or interval [default: std_error]", "std_error"),
      cli_option("--format", "KIND", "text, csv, json or markdown [default: text]", "text"),
      cli_option("--table", "FILE", "write the table too: .csv, .md or .html"),
      cli_option("--figure", "FILE", "draw the first slope across the fits: .png, .pdf or .svg")
    )
  )
}

cli_compare <- function(args) {
  parsed <- cli_arguments(args, cli_compare_parser(), positional = NULL)
  options <- parsed$options
  if (length(parsed$args) == 0) stop_usage("No file is given.")
  check_format(options$format)
  if (!options$beneath %in% names(beneath_words)) {
    stop_usage("--beneath takes std_error, p_value or interval, not ", sQuote(options$beneath, FALSE), ".")
  }
  check_outputs(options, cli_inputs(parsed$args, options))
  fits <- cli_saved_under(saved_fits(parsed$args), options$errors)
  terms <- option_list(options$terms)
  table <- spec_table(fits, terms = terms, beneath = options$beneath)
  cli_write_table(table, options)
  cli_draw(fits, options)
  cli_print_table(table, fits, options$format)
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
