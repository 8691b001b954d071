# wavetax predict FILE: what a model says of each row. wavetax influence FILE: what it would say without each group.

predict_command <- function() {
  new_command(
    "what a model predicts for each row",
    "wavetax predict FILE --entity COLUMN --period COLUMN --formula TEXT -o OUT [options]",
    "Estimates one model and writes the table with what it predicts, of the same rows or of new ones.",
    one_model_options(
      data = list(new_option("new", "text", "rows to predict, a table like FILE [default: FILE]", "FILE")),
      output = list(
        data_file_option(),
        new_option("as", "text", "name of the new column", "NAME", default = "predicted"),
        new_option("interval", "choice", "its limits too, as columns NAME_low and NAME_high", "KIND",
                   told = c(confidence = "of the mean", prediction = "of the outcome")),
        new_option("level", "level", "of the interval [default: 0.95]", "SHARE"),
        new_option("average", "flag", "for an average group: leave the effects out"),
        new_option("disturbance", "flag", "after --serial ar1, what is left of each entity's last disturbance is added")
      )
    ),
    run_predict, needs = c("entity", "period", "formula", "out"), check = function(values) {
      if (values$disturbance && !is.null(values$interval)) {
        stop_usage("--disturbance has no --interval.")
      }
      if (values$disturbance && values_serial(values) == "none") stop_usage("--disturbance takes --serial ar1 with it.")
      if (!is.null(values$level) && is.null(values$interval)) stop_usage("--level has no effect without --interval.")
      check_one_model(values)
    }
  )
}

run_predict <- function(values, files) {
  panel <- cli_panel(files, values)
  fit <- chosen_fit(panel, values)
  new <- if (is.null(values$new)) panel else cli_panel(values$new, values)
  given <- list(effects = !values$average, interval = values$interval, level = values$level,
                disturbance = values$disturbance)
  found <- do.call(predict, c(list(fit, new), Filter(Negate(is.null), given)))
  columns <- if (is.data.frame(found)) found else data.frame(fit = found)
  names(columns) <- paste0(values$as, c(fit = "", low = "_low", high = "_high")[names(columns)])
  taken <- intersect(names(columns), names(new))
  if (length(taken) > 0) {
    stop_usage(sprintf("There is a column %s already: name the new one with --as.", sQuote(taken[1], FALSE)))
  }
  known <- sum(!is.na(columns[[1]]))
  tell_wavetax(sprintf("%s of %s rows have a prediction.", count_words(known), count_words(nrow(new))))
  for (name in names(columns)) new[[name]] <- unname(columns[[name]])
  new_results(text = function() NULL, data = new)
}

influence_command <- function() {
  new_command(
    "whether a conclusion rests on one entity",
    "wavetax influence FILE --entity COLUMN --period COLUMN --formula TEXT [options]",
    "Estimates one model and tells what its coefficients would be without each entity, or without each other group.",
    one_model_options(output = list(
      new_option("without", "text", "whose groups are left out in turn: entity, period or a column", "COLUMN",
                 default = "entity"),
      format_option(names(table_formats)), table_file_option(),
      figure_file_option("draw them: .png, .pdf or .svg; - for a .png on standard output")
    )),
    run_influence, needs = c("entity", "period", "formula"), check = check_one_model
  )
}

run_influence <- function(values, files) {
  found <- influence_by(chosen_fit(cli_panel(files, values), values), by = !!values$without)
  numbers <- function() as.data.frame(found)
  new_results(text = function() blocks_of(found), csv = numbers, json = numbers, table = function() found,
              files = list(figure = function(file) save_figure(plot(found), file)))
}
