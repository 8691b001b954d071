# wavetax repair, reshape, balance and join: a table in, a table out.

reshape_command <- function() {
  new_command(
    "a row for each entity and period, or a column for each period",
    "wavetax reshape FILE --to long|wide --entity COLUMN --period COLUMN -o OUT",
    "Makes a row for each entity and period out of other layouts, or a column for each period.",
    options_under(data = key_options(), read = reader_options(), output = list(
      new_option("to", "choice", "long or wide", "SHAPE", choices = c("long", "wide")), data_file_option(),
      new_option("indicator", "text", "column that names the indicators [default: found]", "COLUMN"),
      new_option("value", "text", "column of the values; with entities across, its name to be", "COLUMN"),
      new_option("pattern", "text", "of column names, with groups (?<variable>...) and (?<period>...)", "PATTERN"),
      new_option("variables", "texts", "to wide: columns that get one a period [default: those that vary]", "LIST")
    )),
    run_reshape, needs = c("to", "entity", "out"), check = function(values) {
      without <- if (values$to == "wide") c("indicator", "value", "pattern") else "variables"
      for (one in intersect(without, names(values))) {
        stop_usage(sprintf("--%s has no effect with --to %s.", one, values$to))
      }
    }
  )
}

run_reshape <- function(values, files) {
  if (is.null(values$period)) values$period <- "period"
  data <- if (values$to == "long") {
    optional <- unclass(values)[intersect(c("indicator", "value"), names(values))]
    rlang::inject(panel_to_long(files, !!values$entity, !!values$period, pattern = values$pattern,
                                periods = values$periods, !!!optional, !!!reader_values(values)))
  } else {
    panel_to_wide(cli_panel(files, values), values$variables)
  }
  new_results(text = function() NULL, data = data)
}

repair_command <- function() {
  new_command(
    "mend what was found, with a log", "wavetax repair FILE --entity COLUMN --period COLUMN [repairs] -o OUT",
    "Mends what `wavetax check` finds: only what is named is done, and all of it is in the log.",
    options_under(data = key_options(), read = reader_options(), output = list(
      data_file_option(),
      new_option("names", "pairs", "tidy, or wrong=right; may be repeated", "PAIRS", repeated = "\u001f"),
      new_option("drop", "texts", "kinds of findings whose rows go, such as 'missing keys,total row'", "LIST"),
      new_option("repeated", "text", "row of a repeated key that stays: first or last", "WHICH",
                 choices = c("first", "last")),
      new_option("log", "log_file", "log of all changes: .json, or .R for the calls that do the same", "FILE")
    )),
    run_repair, needs = c("entity", "period", "out")
  )
}

run_repair <- function(values, files) {
  cells <- c("numbers", "decimal", "thousands", "percent")
  data <- cli_table(files, values[setdiff(names(values), cells)])
  found <- panel_problems(data, !!values$entity, !!values$period, periods = values$periods,
                          date_format = values$date_format)
  repairs <- c("names", "drop", "repeated", cells, "missing")
  mended <- rlang::inject(panel_repair(data, found, !!!unclass(values)[intersect(repairs, names(values))]))
  log <- repair_log(mended)
  new_results(text = function() blocks_of(log), data = mended,
              files = list(log = function(file) write_repair_log(log, file)))
}

balance_command <- function() {
  new_command(
    "a panel without gaps: filled up, or cut to what is whole",
    "wavetax balance FILE --entity COLUMN --period COLUMN --how fill|entities|block -o OUT",
    "Makes a panel in which every entity has every period; what is given up is told.",
    options_under(data = c(key_options(), list(let_option())), read = reader_options(), output = list(
      data_file_option(),
      new_option("how", "choice", paste(
        "fill: rows of blanks for gaps; entities: those seen in every period;",
        "block: the run of periods that keeps most rows"
      ), "HOW", choices = balance_ways),
      new_option("least", "number", "with --how entities: all that have at least so many rows", "ROWS")
    )),
    function(values, files) {
      data <- panel_balance(cli_panel(files, values), values$how, least = values$least)
      new_results(text = function() NULL, data = data)
    },
    needs = c("entity", "period", "how", "out")
  )
}

join_command <- function() {
  new_command(
    "bring in columns from another table",
    "wavetax join FILE OTHER --entity COLUMN --period COLUMN [--by PAIRS] -o OUT",
    "Brings columns of another table into a panel: each row takes the one row that has its key.",
    options_under(data = c(key_options(), list(let_option())), read = reader_options(), output = list(
      data_file_option(),
      new_option("by", "keys", "key columns, such as season, or harbour=name where the other table's is name", "LIST"),
      new_option("match", "choice",
                 "exact, or tidy: without regard to case, accents, spaces, zeros", "HOW",
                 default = "exact", choices = c("exact", "tidy")),
      new_option("replace", "flag", "columns that both tables have are the other table's"),
      new_option("other-sheet", "sheets", "sheet of the other table", "NAME")
    )),
    run_join, files = 2, needs = c("entity", "period", "out")
  )
}

run_join <- function(values, files) {
  panel <- cli_panel(files[1], values)
  shared <- c("missing", "decimal", "thousands", "percent", "delimiter", "encoding")
  other <- c(unclass(values)[intersect(shared, names(values))], list(sheet = values$other_sheet))
  y <- do.call(table_of, c(list(files[2], settle = TRUE), reader_values(Filter(Negate(is.null), other))))
  joined <- muffled(panel_join(panel, y, by = values$by, match = values$match, replace = values$replace),
                    "wavetax_message_joined")
  new_results(text = function() blocks_of(join_report(joined)), data = joined)
}
