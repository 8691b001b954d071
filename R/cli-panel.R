# wavetax check and profile: what is in a file.

cli_parser <- function(usage, description, options) {
  optparse::OptionParser(usage = usage, description = paste0("\n", description), option_list = options)
}

cli_format_option <- function() cli_option("--format", "KIND", "text, csv or json [default: text]", "text")

check_print_format <- function(format) {
  if (!format %in% c("text", "csv", "json")) {
    stop_usage("--format takes text, csv or json, not ", sQuote(format, FALSE), ".")
  }
}

cli_check_parser <- function() {
  cli_parser(
    "wavetax check FILE --entity COLUMN --period COLUMN [options]",
    "Finds what is broken in a table. Exit status 1 when something would stop a fit.",
    c(cli_key_options(), list(cli_format_option()), cli_reader_options())
  )
}

cli_check <- function(args) {
  parsed <- cli_arguments(args, cli_check_parser(), positional = NULL)
  options <- parsed$options
  cli_needs(options, "entity")
  check_print_format(options$format)
  reader <- options
  reader$date_format <- NULL
  files <- cli_files(parsed$args, options)
  data <- cli_table(files, reader)
  period <- options$period
  if (is.null(period)) {
    shape <- problem_shape(data, options$entity, NULL)
    if (is.null(shape)) cli_needs(options, "period")
    found <- new_panel_problems(list(shape), NULL, NULL)
  } else {
    entity <- options$entity
    found <- panel_problems(data, !!entity, !!period, periods = option_list(options$periods),
                            date_format = options$date_format)
  }
  found$todo <- cli_words(found$todo)
  cli_print(found, cli_flat_problems(found), options$format)
  if (options$format == "text") cli_say_repair(found, parsed$args, options)
  if (any(found$weight == "stops")) rlang::abort("found", class = "wavetax_refused")
}

cli_flat_problems <- function(found) {
  data.frame(
    kind = found$kind, weight = found$weight, column = found$column, where = found$where,
    rows = vapply(found$rows, paste, "", collapse = " "), todo = found$todo
  )
}

# The command that mends what was found, as far as it can be mended in one way.
cli_say_repair <- function(found, files, options) {
  keys <- c("--entity", options$entity, "--period", if (is.null(options$period)) "period" else options$period)
  out <- paste0(sub("\\.[^.]+$", "", if (files[1] == "-") "table" else files[1]))
  shape <- found$kind %in% c("periods as columns", "indicators as rows", "entities as columns")
  command <- if (any(shape)) {
    c("wavetax", "reshape", files, "--to", "long", keys, "-o", paste0(out, "-long.csv"))
  } else {
    mend <- repairs_of(found)
    listed <- function(flag, values) if (length(values) > 0) c(flag, list_option(values))
    mends <- c(if (mend$tidy) c("--names", "tidy"), listed("--numbers", mend$numbers), listed("--drop", mend$drop),
               if (mend$repeated) c("--repeated", "first"))
    if (length(mends) > 0) c("wavetax", "repair", files, keys, mends, "-o", paste0(out, "-mended.csv"))
  }
  if (is.null(command)) return(invisible())
  writeLines(c("", if (any(shape)) "Lay it out anew:" else "Mend what can be mended in one way:",
               command_lines(shell_words(command))))
}

# A command over several lines, cut between words.
command_lines <- function(words) {
  whole <- gsub(" ", "\001", words, fixed = TRUE)
  value <- c(FALSE, startsWith(whole[-length(whole)], "-")) & !startsWith(whole, "-")
  whole <- vapply(split(whole, cumsum(!value)), paste, "", collapse = "\001")
  lines <- strwrap(paste(whole, collapse = " "), line_width() - 2, indent = 2, exdent = 4)
  lines <- gsub("\001", " ", lines, fixed = TRUE)
  last <- length(lines)
  if (last > 1) lines[-last] <- paste(lines[-last], "\\")
  lines
}

cli_profile_parser <- function() {
  cli_parser(
    "wavetax profile FILE --entity COLUMN --period COLUMN [options]",
    "Tells the shape of a panel and where its variables vary.",
    c(cli_key_options(), list(
      cli_option("--by", "COLUMN", "describe the variables for each of its values"),
      cli_option("--show", "LIST", "of range, missing, correlations: show these too"),
      optparse::make_option("--members", action = "store_true", default = FALSE,
                            help = "list who enters late, leaves early or misses what"),
      cli_option("--out", "DIR", "folder for the figures"), cli_format_option()
    ), cli_reader_options())
  )
}

cli_profile <- function(args) {
  parsed <- cli_arguments(args, cli_profile_parser(), positional = NULL)
  options <- parsed$options
  cli_needs(options, c("entity", "period"))
  check_print_format(options$format)
  odd <- setdiff(option_list(options$show), c("range", "missing", "correlations"))
  if (length(odd) > 0) stop_usage("--show takes range, missing and correlations, not ", sQuote(odd[1], FALSE), ".")
  if (options$members && options$format != "text") stop_usage("--members has no effect: it is printed as text only.")
  panel <- cli_panel(cli_files(parsed$args, options), options)
  by <- options$by
  variation <- panel_variation(panel, by = !!by, show = option_list(options$show))
  if (!is.null(options$out)) {
    make_folder(options$out)
    cli_profile_figures(panel, variation, options$out)
  }
  if (options$format == "text") {
    print(panel_shape(panel), members = options$members)
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
                    file_names(sprintf("paths-%s", moving)))
  )
  for (i in along_with_progress(figures, "Drawing")) {
    file <- file.path(folder, paste0(names(figures)[i], ".png"))
    save_figure(figures[[i]](), file)
    cli_wrote(file)
  }
}

# Names that can be files' on every system, no two alike.
file_names <- function(names) {
  bare <- vapply(enc2utf8(names), plain_letters, "", USE.NAMES = FALSE)
  plain <- gsub("[^A-Za-z0-9._-]+", "-", iconv(bare, "UTF-8", "ASCII", sub = "Unicode"))
  lower <- make.unique(lower_case(plain), sep = "-")
  ifelse(lower == lower_case(plain), plain, lower)
}

cli_needs <- function(options, names) {
  for (name in names) if (is.null(options[[name]])) stop_usage(sprintf("--%s is missing.", name))
}

cli_print <- function(object, table, format) {
  switch(format,
    text = print(object), csv = cli_csv(table),
    json = cli_json(table, FALSE)
  )
}

cli_csv <- function(table) text_writer(table, ",")$write("")
