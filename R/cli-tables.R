# wavetax repair, reshape and join: a table in, a table out.

cli_out_option <- function() {
  cli_option(c("-o", "--out"), "FILE", "file to write: .csv, .tsv, .xlsx or .parquet; - for standard output")
}

cli_reshape_parser <- function() {
  cli_parser(
    "wavetax reshape FILE --to long|wide --entity COLUMN --period COLUMN -o OUT",
    "Makes a row for each entity and period out of other layouts, or a column for each period.",
    c(list(cli_option("--to", "SHAPE", "long or wide")), cli_key_options(), list(
      cli_out_option(), cli_option("--indicator", "COLUMN", "column that names the indicators [default: found]"),
      cli_option("--value", "COLUMN", "column of the values; with entities across, its name to be"),
      cli_option("--pattern", "PATTERN", "of column names, with groups (?<variable>...) and (?<period>...)"),
      cli_option("--variables", "LIST", "to wide: columns that get one a period [default: those that vary]")
    ), cli_reader_options())
  )
}

cli_reshape <- function(args) {
  parsed <- cli_arguments(args, cli_reshape_parser(), positional = NULL)
  options <- parsed$options
  cli_needs(options, c("to", "entity", "out"))
  if (!options$to %in% c("long", "wide")) stop_usage("--to takes long or wide, not ", sQuote(options$to, FALSE), ".")
  without <- if (options$to == "wide") c("indicator", "value", "pattern") else "variables"
  for (one in without) {
    if (!is.null(options[[one]])) stop_usage(sprintf("--%s has no effect with --to %s.", one, options$to))
  }
  check_data_output(options$out, cli_inputs(parsed$args, options))
  files <- cli_files(parsed$args, options)
  period <- if (is.null(options$period)) "period" else options$period
  out <- if (options$to == "long") {
    entity <- options$entity
    optional <- Filter(Negate(is.null), options[c("indicator", "value")])
    rlang::inject(panel_to_long(
      files, !!entity, !!period, pattern = options$pattern, periods = option_list(options$periods), !!!optional,
      !!!cli_reader(options)
    ))
  } else {
    options$period <- period
    panel_to_wide(cli_panel(files, options), option_list(options$variables))
  }
  cli_write_data(out, options$out)
}

cli_repair_parser <- function() {
  cli_parser(
    "wavetax repair FILE --entity COLUMN --period COLUMN [repairs] -o OUT",
    "Mends what `wavetax check` finds: only what is named is done, and all of it is in the log.",
    c(cli_key_options(), list(
      cli_out_option(),
      cli_option("--names", "PAIRS", "tidy, or wrong=right; may be repeated"),
      cli_option("--drop", "LIST", "kinds of findings whose rows go, such as 'missing keys,total row'"),
      cli_option("--repeated", "WHICH", "row of a repeated key that stays: first or last"),
      cli_option("--log", "FILE", "log of all changes: .json, or .R for the calls that do the same")
    ), cli_reader_options())
  )
}

cli_repair <- function(args) {
  parsed <- cli_arguments(join_repeated(args, "--names", "\u001f"), cli_repair_parser(), positional = NULL)
  options <- parsed$options
  cli_needs(options, c("entity", "period", "out"))
  inputs <- cli_inputs(parsed$args, options)
  check_data_output(options$out, c(inputs, options$log))
  if (!is.null(options$log)) {
    tryCatch(check_ending(options$log, c("json", "r"), "The log"), wavetax_error = function(cnd) {
      stop_usage("--log: ", conditionMessage(cnd))
    })
    check_not_over(options$log, inputs)
  }
  names <- cli_names(options$names)
  reader <- options
  cells <- c("numbers", "decimal", "thousands", "percent")
  reader[cells] <- NULL
  data <- cli_table(cli_files(parsed$args, options), reader)
  entity <- options$entity
  period <- options$period
  found <- panel_problems(data, !!entity, !!period, periods = option_list(options$periods),
                          date_format = options$date_format)
  mended <- panel_repair(
    data, found, names = names, numbers = option_list(options$numbers), drop = option_list(options$drop),
    repeated = options$repeated, decimal = options$decimal, thousands = options$thousands, percent = options$percent,
    missing = option_list(options$missing)
  )
  log <- repair_log(mended)
  cli_write_data(mended, options$out)
  if (!is.null(options$log)) {
    write_repair_log(log, options$log)
    cli_wrote(options$log)
  }
  if (options$out != "-") print(log)
}

# tidy, or pairs of a wrong and a right name.
cli_names <- function(text) {
  if (is.null(text)) return(NULL)
  if (text == "tidy") return(text)
  pairs <- strsplit(strsplit(text, "\u001f", fixed = TRUE)[[1]], "=", fixed = TRUE)
  if (any(lengths(pairs) != 2)) stop_usage("--names takes tidy, or pairs such as --names 'wrong=right'.")
  stats::setNames(vapply(pairs, `[`, "", 2), vapply(pairs, `[`, "", 1))
}

cli_balance_parser <- function() {
  cli_parser(
    "wavetax balance FILE --entity COLUMN --period COLUMN --how fill|entities|block -o OUT",
    "Makes a panel in which every entity has every period; what is given up is told.",
    c(cli_key_options(), list(
      cli_out_option(), cli_option("--how", "HOW", paste(
        "fill: rows of blanks for gaps; entities: those seen in every period;",
        "block: the run of periods that keeps most rows"
      ))
    ), cli_reader_options())
  )
}

cli_balance <- function(args) {
  parsed <- cli_arguments(args, cli_balance_parser(), positional = NULL)
  options <- parsed$options
  cli_needs(options, c("entity", "period", "how", "out"))
  if (!options$how %in% balance_ways) {
    stop_usage("--how takes fill, entities or block, not ", sQuote(options$how, FALSE), ".")
  }
  check_data_output(options$out, cli_inputs(parsed$args, options))
  cli_write_data(panel_balance(cli_panel(cli_files(parsed$args, options), options), options$how), options$out)
}

cli_join_parser <- function() {
  cli_parser(
    "wavetax join FILE OTHER --entity COLUMN --period COLUMN [--by PAIRS] -o OUT",
    "Brings columns of another table into a panel: each row takes the one row that has its key.",
    c(cli_key_options(), list(
      cli_out_option(),
      cli_option("--by", "LIST", "key columns, such as season, or harbour=name where the other table's is name"),
      cli_option("--match", "HOW", "exact, or tidy: without regard to case, accents, spaces, zeros [default: exact]",
                 "exact"),
      optparse::make_option("--replace", action = "store_true", default = FALSE,
                            help = "columns that both tables have are the other table's"),
      cli_option("--other-sheet", "NAME", "sheet of the other table")
    ), cli_reader_options())
  )
}

cli_join <- function(args) {
  parsed <- cli_arguments(args, cli_join_parser(), positional = 2)
  options <- parsed$options
  cli_needs(options, c("entity", "period", "out"))
  if (!options$match %in% c("exact", "tidy")) stop_usage("--match takes exact or tidy, not ",
                                                         sQuote(options$match, FALSE), ".")
  check_data_output(options$out, cli_inputs(parsed$args, options))
  files <- cli_files(parsed$args, options)
  panel <- cli_panel(files[1], options)
  other <- options[c("missing", "decimal", "thousands", "percent", "delimiter", "encoding")]
  other$sheet <- options$other_sheet
  y <- do.call(table_of, c(list(files[2], settle = TRUE), cli_reader(other)))
  joined <- withCallingHandlers(
    panel_join(panel, y, by = cli_by(options$by), match = options$match, replace = options$replace),
    wavetax_message_joined = function(cnd) invokeRestart("muffleMessage")
  )
  report <- join_report(joined)
  cli_write_data(joined, options$out)
  if (options$out != "-") writeLines(cli_words(utils::capture.output(print(report))))
}

# harbour=name,season as c(harbour = "name", season = "season").
cli_by <- function(text) {
  if (is.null(text)) return(NULL)
  pairs <- strsplit(option_list(text), "=", fixed = TRUE)
  if (any(!lengths(pairs) %in% 1:2)) stop_usage("--by takes columns, or pairs such as harbour=name.")
  stats::setNames(vapply(pairs, function(pair) pair[length(pair)], ""), vapply(pairs, `[`, "", 1))
}
