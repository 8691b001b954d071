# wavetax diagnose FILE: what is wrong with a fit. wavetax appraise FILE: which model, and which errors.

level_option <- function() {
  new_option("level", "share", "level that tests are read at", "SHARE", default = "0.05")
}

guidance_output <- function() {
  list(format_option(setdiff(names(table_formats), "csv")), figures_option(), table_file_option())
}

diagnose_command <- function() {
  new_command(
    "what is wrong with a model, and what to do",
    "wavetax diagnose FILE --entity COLUMN --period COLUMN --formula TEXT [options]",
    "Estimates one model and tests what it assumes; prints what was found and what to do.",
    one_model_options(tests = list(level_option()), output = guidance_output()),
    run_diagnose, needs = c("entity", "period", "formula"), check = check_one_model
  )
}

run_diagnose <- function(values, files) {
  panel <- cli_panel(files, values)
  fit <- chosen_fit(panel, values)
  found <- diagnose(fit, level = values$level)
  new_results(
    text = function() blocks_of(found), json = function() values_in_options(diagnosis_values(found)),
    table = function() found,
    figures = list(residuals = function() plot_residuals(fit), influence = function() plot(influence_by(fit)))
  )
}

appraise_command <- function() {
  new_command(
    "which model, and which errors: the guided choice",
    "wavetax appraise FILE --entity COLUMN --period COLUMN --formula TEXT --focus NAME [options]",
    paste("Looks at what varies in the regressor of interest, which decides the model and its errors; tests are shown",
          "beside, and choose nothing."),
    options_under(
      data = c(key_options(), list(rows_option(), let_option())), read = reader_options(),
      model = list(
        formula_option(), new_option("focus", "text", "regressor of interest [default: the first]", "NAME"),
        new_option("unrelated", "flag", "you claim that what is fixed about entities is unrelated to it: drawn by lot"),
        weights_option()
      ),
      tests = list(level_option()), output = guidance_output()
    ),
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
    table = function() chosen,
    figures = list(path = function() plot(chosen), residuals = function() plot_residuals(chosen$fit))
  )
}
