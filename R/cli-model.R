# Models as commands take them: one of the fits, its effects, weights, rows and errors.

models_option <- function(help, default = NULL, repeated = NULL) {
  told <- c(pooled = "all rows together", fixed = "effects swept out", random = "effects as draws",
            correlated = "random effects beside means of entities", between = "means of entities",
            difference = "changes from period to period",
            gls = "rows weighed by estimated variances: feasible generalised least squares")
  new_option("model", "choices", help, if (is.null(repeated)) "NAME" else "LIST", default = default,
             told = told[intersect(fit_method_names, names(told))], repeated = repeated)
}

# Those that are compared where none is named.
usual_models <- c("pooled", "fixed", "random")
chosen_models <- function(values) if (is.null(values$model)) usual_models else values$model

# The options of a command that looks at one model, by head.
one_model_options <- function(tests = NULL, output, data = NULL) {
  options_under(
    data = c(key_options(), list(rows_option(), let_option()), data), read = reader_options(),
    model = c(list(formula_option(), models_option("one of", default = "fixed"), effects_option(), variance_option(),
                   weights_option(), serial_option(), rho_option(), variances_option(), across_option()),
              instrument_options()),
    errors = list(errors_option("standard errors", one = TRUE), clusters_option("to cluster by [default: the entity]")),
    tests = tests, output = output
  )
}

check_one_model <- function(values) {
  if (length(values$model) != 1) stop_usage("--model takes one model here.")
  if (all_errors(values) || length(values$errors) > 1) stop_usage("--errors takes one kind here.")
  check_model_options(values)
  check_rho_option(values)
  check_error_options(values)
}

check_rho_option <- function(values) {
  if (is.null(values$rho) || identical(values$serial, "ar1")) return(invisible())
  stop_usage("--rho has no effect: it is of --serial ar1.")
}

values_serial <- function(values) if (is.null(values$serial)) "none" else values$serial

chosen_fit <- function(panel, values) cli_one_fit(values$model, panel, chosen_errors(values)[[1]], values)

variance_option <- function() {
  choices <- names(core_variance_methods)
  new_option("variance", "choice", paste("how the components of random effects are estimated:", list_or(choices)),
             "METHOD", choices = choices)
}

serial_option <- function() {
  new_option("serial", "choice", paste("disturbances over time: none, ar1 for AR(1) within each entity, with gls also",
                                       "ar1-own, a rho for each"), "KIND",
             choices = c("none", "ar1", "ar1-own"))
}

variances_option <- function() {
  new_option("variances", "choice", "of gls: common, or entity for a variance of each [default: common]", "KIND",
             choices = c("common", "entity"))
}

across_option <- function() {
  new_option("across", "flag", "of gls: entities are related within a period, each with a variance of its own")
}

rho_option <- function() {
  new_option("rho", "rho", sprintf("of AR(1), how rho is estimated: %s; or a number [default: corrected]",
                                   list_or(rho_methods)), "METHOD", choices = rho_methods)
}

option_rho <- function(text, option) {
  if (text %in% rho_methods) return(text)
  reader <- number_reader(sprintf("%s, or a number between -1 and 1", list_or(rho_methods)), function(rho) abs(rho) < 1)
  reader(text, option)
}

# Two of them instrument any model that takes instruments.
instrument_options <- function() {
  list(
    new_option("endogenous", "regressors", "terms of the formula to instrument, such as 'log(berths)'", "TEXT"),
    new_option("instruments", "regressors", "what instruments them, such as relief", "TEXT"),
    new_option("method", "choice", paste("of instruments: 2sls for two stages, liml for limited information, gmm for",
                                         "the method of moments [default: 2sls]"), "METHOD",
               choices = names(instrument_method_words))
  )
}

is_instrumenting <- function(values) !is.null(values$instruments)

check_instrument_options <- function(values) {
  for (one in c("endogenous", "method")) if (!is.null(values[[one]]) && !is_instrumenting(values)) {
    stop_usage(sprintf("--%s has no effect without --instruments.", one))
  }
  if (!is_instrumenting(values)) return(invisible())
  if (is.null(values$endogenous)) stop_usage("--instruments: --endogenous says which terms of the formula they move.")
  plain <- setdiff(chosen_models(values), instrumented_models)
  if (length(plain) > 0) stop_usage(sprintf("--instruments: %s takes none; leave it out of --model.", plain[1]))
  if (values_serial(values) != "none") stop_usage("--serial has no effect with --instruments.")
  if (!is.null(values$variance) && !"random" %in% chosen_models(values)) {
    stop_usage("--variance has no effect: it is of --model random.")
  }
}

# What the options say of disturbances over time; NULL where they say nothing.
chosen_serial <- function(values) {
  if (identical(values$serial, "ar1-own")) return(values$serial)
  if (!identical(values$serial, "ar1")) return(NULL)
  if (is.null(values$rho)) serial_ar1() else serial_ar1(rho = values$rho)
}

# Options that would have no effect are refused, before anything is read.
check_model_options <- function(values) {
  check_instrument_options(values)
  models <- chosen_models(values)
  without <- function(option, takers, why) {
    if (!is.null(values[[option]]) && !any(takers %in% models)) {
      stop_usage(sprintf("--%s has no effect: %s.", option, why))
    }
  }
  takers <- function(argument) methods_with(function(method) argument %in% method$arguments)
  with_effects <- c(takers("effects"), if (is_instrumenting(values)) "difference")
  without("effects", with_effects, paste("a", list_or(models), "model has none"))
  without("variance", takers("variance"), "only random and correlated effects have variance components")
  without("variances", takers("variances"), "it is of --model gls")
  if (isTRUE(values$across)) {
    if (!"gls" %in% models) stop_usage("--across has no effect: it is of --model gls.")
    if (identical(values$variances, "common")) {
      stop_usage("--across gives each entity a variance: leave --variances out.")
    }
  }
  if (values_serial(values) != "none") {
    plain <- setdiff(models, if (values$serial == "ar1-own") "gls" else takers("serial"))
    if (length(plain) > 0) {
      stop_usage(sprintf("--serial %s: %s takes none; leave it out of --model.", values$serial, plain[1]))
    }
  }
  if (!is.null(values$weights)) {
    plain <- Filter(function(model) !fit_method(model)$weighted(values$variance), models)
    if (length(plain) > 0) {
      likelihood <- if (fit_method(plain[1])$weighted("maximum-likelihood")) {
        ", or say --variance maximum-likelihood"
      }
      stop_usage(sprintf("--weights: %s takes none; leave it out of --model", plain[1]), likelihood, ".")
    }
  }
}

# Each model is given the options that its descriptor has; sets of effects that it does not take are
# left to the models that do, and it keeps the entity's.
cli_one_fit <- function(model, panel, errors, values) {
  do.call(cli_door(model, values), c(list(values$formula(panel), panel), fit_arguments(model, panel, errors, values)))
}

cli_door <- function(model, values) if (is_instrumenting(values)) fit_instrumented else fit_door(model)

fit_arguments <- function(model, panel, errors, values) {
  method <- fit_method(model)
  # A model that can do without effects has none unless they are named.
  effects <- if (!is.null(values$effects)) values$effects(panel) else if (is.null(method$varies)) "entity"
  sets <- if (!is.null(effects)) effect_sets(effects, panel)
  fits <- length(sets) <= method$sets$most && (method$sets$trends || core_only_levels(sets))
  given <- list(effects = if (fits) effects else "entity", variance = values$variance, weights = values$weights,
                serial = chosen_serial(values), variances = values$variances,
                across = if (isTRUE(values$across)) TRUE)
  given <- c(list(errors = errors, rows = if (!is.null(values$rows)) values$rows(panel)),
             given[intersect(names(given), method$arguments)],
             if (is_instrumenting(values)) instrument_arguments(model, panel, values))
  Filter(Negate(is.null), given)
}

instrument_arguments <- function(model, panel, values) {
  period <- panel_index(panel)$period
  effects <- if (model == "difference" && !is.null(values$effects)) values$effects(panel)
  of_periods <- !is.null(effects) && identical(effect_columns(effect_sets(effects, panel)), period)
  list(endogenous = values$endogenous(panel), instruments = values$instruments(panel), model = model,
       method = values$method, effects = if (of_periods) effects)
}
