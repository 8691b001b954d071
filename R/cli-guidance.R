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

report_command <- function() {
  new_command(
    "write the document that defends a result",
    "wavetax report FILE --entity COLUMN --period COLUMN --formula TEXT -o REPORT",
    paste("Looks at what varies in the regressor of interest, as `wavetax appraise` does, and writes the report: the",
          "answer with its interval, the data, models, tests, other choices, limits, methods."),
    options_under(
      data = c(key_options(), list(rows_option(), let_option())), read = reader_options(),
      model = list(
        formula_option(), new_option("focus", "text", "regressor of interest [default: the first]", "NAME"),
        weights_option()
      ),
      output = list(
        new_option("out", "report_file", paste("the report:", list_or(paste0(".", names(report_writers())))), "FILE",
                   short = "o"),
        new_option("title", "text", "the question, as its title", "TEXT"),
        new_option("author", "texts", "who answers for it; several by commas", "LIST"),
        new_option("date", "text", "the date that stands in it", "TEXT"),
        new_option("parts", "choices", paste("parts, in their order:", paste(report_parts, collapse = ", ")), "LIST",
                   choices = report_parts)
      )
    ),
    run_report, needs = c("entity", "period", "formula", "out")
  )
}

run_report <- function(values, files) {
  panel <- cli_panel(files, values)
  chosen <- appraise(values$formula(panel), panel, focus = values$focus, weights = values$weights,
                     rows = if (!is.null(values$rows)) values$rows(panel))
  write_report(chosen, values$out, title = values$title, author = values$author, date = values$date,
               parts = values$parts)
  new_results(text = function() list(text_block(chosen$recommendation), text_block("Written: ", values$out)))
}
