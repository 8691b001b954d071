# wavetax check, profile and reshape: what is in a file.

cli_key_options <- function() {
  list(
    cli_option("--entity", "COLUMN", "column that names the entity"),
    cli_option("--period", "COLUMN", "column that names the period"),
    cli_option("--sheet", "NAME", "sheet of a spreadsheet, by name or number [default: the first]"),
    cli_option("--format", "KIND", "text, csv or json [default: text]", "text")
  )
}

cli_parser <- function(usage, description, options) {
  optparse::OptionParser(usage = usage, description = paste0("\n", description), option_list = options)
}

check_print_format <- function(format) {
  if (!format %in% c("text", "csv", "json")) {
    stop_usage("--format takes text, csv or json, not ", sQuote(format, FALSE), ".")
  }
}

cli_check <- function(args) {
  parser <- cli_parser(
    "wavetax check FILE --entity COLUMN --period COLUMN [options]",
    "Finds what is broken in a table. Exit status 1 when something would stop a fit.",
    cli_key_options()
  )
  parsed <- cli_arguments(args, parser, positional = 1)
  cli_needs(parsed$options, "entity")
  check_print_format(parsed$options$format)
  data <- cli_read(parsed)
  found <- if (is.null(parsed$options$period)) {
    wide <- problem_shape(data, parsed$options$entity, NULL)
    if (is.null(wide)) cli_needs(parsed$options, "period")
    new_panel_problems(list(wide), NULL, NULL)
  } else {
    check_columns(c(parsed$options$entity, parsed$options$period), data)
    find_problems(data, parsed$options$entity, parsed$options$period)
  }
  cli_print(found, cli_flat_problems(found), parsed$options$format)
  if (any(found$weight == "stops")) rlang::abort("found", class = "wavetax_refused")
}

cli_flat_problems <- function(found) {
  data.frame(
    kind = found$kind, weight = found$weight, column = found$column, where = found$where,
    rows = vapply(found$rows, paste, "", collapse = " "), todo = found$todo
  )
}

cli_profile <- function(args) {
  parser <- cli_parser(
    "wavetax profile FILE --entity COLUMN --period COLUMN [options]",
    "Tells the shape of a panel and where its variables vary.",
    c(cli_key_options(), list(cli_option("--out", "DIR", "folder for the figures")))
  )
  parsed <- cli_arguments(args, parser, positional = 1)
  options <- parsed$options
  cli_needs(options, c("entity", "period"))
  check_print_format(options$format)
  data <- cli_read(parsed)
  check_columns(c(options$entity, options$period), data)
  panel <- new_panel_frame(data, options$entity, options$period)
  variation <- panel_variation(panel)
  if (!is.null(options$out)) {
    make_folder(options$out)
    cli_profile_figures(panel, variation, options$out)
  }
  if (options$format == "text") {
    print(panel_shape(panel))
    writeLines("")
  }
  cli_print(variation, as.data.frame(variation), options$format)
}

most_paths <- 12

# Who is seen when, and the paths of each number that moves within entities.
cli_profile_figures <- function(panel, variation, folder) {
  numbers <- as.data.frame(variation)
  moving <- numbers$variable[which(numbers$within > 0)]
  if (length(moving) > most_paths) {
    tell_wavetax(sprintf("Paths are drawn of the first %d of %d variables.", most_paths, length(moving)))
    moving <- utils::head(moving, most_paths)
  }
  figures <- c(
    list(presence = function() plot_presence(panel)),
    stats::setNames(lapply(moving, function(name) function() plot_paths(panel, !!name)),
                    sprintf("paths-%s", gsub("[^[:alnum:]._-]+", "-", moving)))
  )
  for (i in along_with_progress(figures, "Drawing")) {
    file <- file.path(folder, paste0(names(figures)[i], ".png"))
    save_figure(figures[[i]](), file)
    cli_wrote(file)
  }
}

cli_reshape <- function(args) {
  parser <- cli_parser(
    "wavetax reshape FILE --to long|wide --entity COLUMN --period COLUMN -o OUT",
    "Turns periods as columns into periods as rows, or back.",
    c(utils::head(cli_key_options(), 3), list(
      cli_option("--to", "SHAPE", "long or wide"),
      cli_option(c("-o", "--out"), "FILE", "file to write: .csv, .tsv, .xlsx or .parquet")
    ))
  )
  parsed <- cli_arguments(args, parser, positional = 1)
  options <- parsed$options
  cli_needs(options, c("to", "entity", "out"))
  if (!options$to %in% c("long", "wide")) stop_usage("--to takes long or wide, not ", sQuote(options$to, FALSE), ".")
  tryCatch(check_ending(options$out, c("csv", "tsv", "xlsx", "parquet"), "The data"), wavetax_error = function(cnd) {
    stop_usage("--out: ", conditionMessage(cnd))
  })
  check_not_over(options$out, parsed$args)
  data <- cli_read(parsed)
  check_columns(options$entity, data)
  period <- if (is.null(options$period)) "period" else options$period
  out <- if (options$to == "long") {
    entity <- options$entity
    panel_to_long(data, !!entity, period = period)
  } else {
    check_columns(period, data)
    panel_to_wide(new_panel_frame(data, options$entity, period))
  }
  write_panel(out, options$out)
  cli_wrote(options$out)
}

cli_needs <- function(options, names) {
  for (name in names) if (is.null(options[[name]])) stop_usage(sprintf("--%s is missing.", name))
}

cli_read <- function(parsed) {
  sheet <- parsed$options$sheet
  if (!is.null(sheet) && !file_extension(parsed$args) %in% c("xlsx", "xls")) {
    stop_usage("--sheet has no effect: ", sQuote(parsed$args, FALSE), " is no spreadsheet.")
  }
  if (is.character(sheet) && grepl("^[0-9]{1,6}$", sheet)) sheet <- as.integer(sheet)
  read_tables(parsed$args, read_options(sheet = sheet))
}

cli_print <- function(object, table, format) {
  switch(format,
    text = print(object), csv = cli_csv(table),
    json = {
      check_package("jsonlite", "writes JSON")
      writeLines(jsonlite::toJSON(table, pretty = TRUE, digits = NA, na = "null"))
    }
  )
}

# Through a file, as what data.table writes to a closed pipe ends R.
cli_csv <- function(table) {
  file <- tempfile(fileext = ".csv")
  on.exit(unlink(file))
  data.table::fwrite(table, file, na = "", dec = ".", qmethod = "double")
  writeLines(readLines(file, encoding = "UTF-8"))
}
