# wavetax diagnose FILE: what is wrong with a fit. wavetax appraise FILE: which model, and which errors.

guidance_options <- function() {
  list(
    weights_option(), rows_option(),
    new_option("level", "share", "level that tests are read at [default: 0.05]", "SHARE", default = "0.05"),
    format_option(c("text", "json", "markdown")), figures_option(), table_file_option()
  )
}

diagnose_command <- function() {
  new_command(
    "what is wrong with a model, and what to do",
    "wavetax diagnose FILE --entity COLUMN --period COLUMN --formula TEXT [options]",
    "Estimates one model and tests what it assumes; prints what was found and what to do.",
    c(key_options(), list(
      formula_option(),
      new_option("model", "choices", paste0("one of ", paste(fit_method_names, collapse = ", "), " [default: fixed]"),
                 "NAME", default = "fixed", choices = fit_method_names),
      effects_option(),
      new_option("errors", "errors", "standard errors, a word of `wavetax fit --help` [default: clustered]", "WORD",
                 choices = names(cli_error_words())),
      clusters_option("to cluster by [default: the entity]")
    ), guidance_options(), reader_options()),
    run_diagnose, needs = c("entity", "period", "formula"), check = function(values) {
      if (length(values$model) != 1) stop_usage("--model takes one model here.")
      if (all_errors(values) || length(values$errors) > 1) stop_usage("--errors takes one kind here.")
      check_fit_options(values)
    }
  )
}

run_diagnose <- function(values, files) {
  panel <- cli_panel(files, values)
  fit <- cli_one_fit(values$model, panel, chosen_errors(values)[[1]], values)
  found <- diagnose(fit, level = values$level)
  new_results(
    text = function() blocks_of(found), json = function() values_in_options(diagnosis_values(found)),
    files = list(table = function(file) write_table(found, file)),
    figures = list(residuals = function() plot_residuals(fit), influence = function() plot(influence_by(fit)))
  )
}

appraise_command <- function() {
  new_command(
    "which model, and which errors: the guided choice",
    "wavetax appraise FILE --entity COLUMN --period COLUMN --formula TEXT --focus NAME [options]",
    paste("Looks at what varies in the regressor of interest, which decides the model and its errors; tests are shown",
          "beside, and choose nothing."),
    c(key_options(), list(
      formula_option(),
      new_option("focus", "text", "regressor of interest [default: the first]", "NAME"),
      new_option("unrelated", "flag",
                 "you claim that what is fixed about entities is unrelated to it: drawn by lot")
    ), guidance_options(), reader_options()),
    run_appraise, needs = c("entity", "period", "formula")
  )
}

run_appraise <- function(values, files) {
  panel <- cli_panel(files, values)
  chosen <- appraise(values$formula(panel), panel, focus = values$focus, weights = values$weights,
                     rows = if (!is.null(values$rows)) values$rows(panel), level = values$level,
                     unrelated = values$unrelated)
  new_results(
    text = function() blocks_of(chosen), json = function() values_in_options(appraisal_values(chosen)),
    files = list(table = function(file) write_table(chosen, file)),
    figures = list(path = function() plot(chosen), residuals = function() plot_residuals(chosen$fit))
  )
}
