# wavetax check and profile: what is in a file.

check_command <- function() {
  new_command(
    "find what is broken in a table", "wavetax check FILE --entity COLUMN --period COLUMN [options]",
    "Finds what is broken in a table. Exit status 1 when something would stop a fit.",
    options_under(data = key_options(), output = list(format_option(c("text", "csv", "json"))),
                  read = reader_options()),
    run_check, needs = "entity"
  )
}

run_check <- function(values, files) {
  data <- cli_table(files, values[names(values) != "date_format"])
  found <- if (is.null(values$period)) {
    shape <- problem_shape(data, values$entity, NULL)
    if (is.null(shape)) stop_usage("--period is missing.")
    new_panel_problems(list(shape), NULL, NULL)
  } else {
    panel_problems(data, !!values$entity, !!values$period, periods = values$periods, date_format = values$date_format)
  }
  flat <- function() {
    values_in_options(data.frame(
      kind = found$kind, weight = found$weight, column = found$column, where = found$where,
      rows = vapply(found$rows, paste, "", collapse = " "), todo = found$todo
    ))
  }
  new_results(
    text = function() list(blocks_of(found), mending_blocks(found, values)), csv = flat, json = flat,
    status = if (any(found$weight == "stops")) 1L else 0L
  )
}

# The command that mends what was found, as far as it can be mended in one way.
mending_blocks <- function(found, values) {
  files <- values$named
  keys <- c("--entity", values$entity, "--period", if (is.null(values$period)) "period" else values$period)
  out <- sub("\\.[^.]+$", "", if (files[1] == "-") "table" else files[1])
  if (any(found$kind %in% c("periods as columns", "indicators as rows", "entities as columns"))) {
    command <- c("wavetax", "reshape", files, "--to", "long", keys, "-o", paste0(out, "-long.csv"))
    return(list(gap_block(), text_block("Lay it out anew:"), code_block(command_lines(shell_words(command)))))
  }
  mend <- repairs_of(found)
  listed <- function(flag, values) if (length(values) > 0) c(flag, list_option(values))
  mends <- c(if (mend$tidy) c("--names", "tidy"), listed("--numbers", mend$numbers), listed("--drop", mend$drop),
             if (mend$repeated) c("--repeated", "first"))
  if (length(mends) == 0) return(NULL)
  command <- c("wavetax", "repair", files, keys, mends, "-o", paste0(out, "-mended.csv"))
  list(gap_block(), text_block("Mend what can be mended in one way:"), code_block(command_lines(shell_words(command))))
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

profile_command <- function() {
  new_command(
    "the shape of a panel, and where its variables vary",
    "wavetax profile FILE --entity COLUMN --period COLUMN [options]",
    "Tells the shape of a panel and where its variables vary.",
    options_under(data = c(key_options(), list(let_option())), read = reader_options(), output = list(
      new_option("by", "text", "describe the variables for each of its values", "COLUMN"),
      new_option("show", "choices", "show these too: range, missing, correlations", "LIST",
                 choices = c("range", "missing", "correlations")),
      new_option("parts", "flag", "how the variance parts into what is between entities and what is within"),
      new_option("members", "flag", "list who enters late, leaves early or misses what"),
      format_option(names(table_formats)), figures_option("folder for the figures"), table_file_option()
    )),
    run_profile, needs = c("entity", "period"), check = function(values) {
      if (values$members && values$format %in% c("csv", "json")) {
        stop_usage("--members has no effect: it is printed as text only.")
      }
    }
  )
}

run_profile <- function(values, files) {
  panel <- cli_panel(files, values)
  variation <- panel_variation(panel, by = !!values$by, show = values$show, parts = values$parts)
  numbers <- function() as.data.frame(variation)
  new_results(
    text = function() list(blocks_of(panel_shape(panel), members = values$members), gap_block(), blocks_of(variation)),
    csv = numbers, json = numbers, table = function() variation,
    figures = if (!is.null(values$figures)) profile_figures(panel, numbers())
  )
}

most_paths <- 12

# Who is seen when, and the paths of each number that moves within entities.
profile_figures <- function(panel, numbers) {
  moving <- numbers$variable[which(numbers$sd_within > 0)]
  if (length(moving) > most_paths) {
    tell_wavetax(sprintf("Paths are drawn of the first %d of %d variables.", most_paths, length(moving)))
    moving <- utils::head(moving, most_paths)
  }
  c(
    list(presence = function() plot_presence(panel)),
    stats::setNames(lapply(moving, function(name) function() plot_paths(panel, !!name)),
                    file_names(sprintf("paths-%s", moving)))
  )
}

# Names that can be files' on every system, no two alike.
file_names <- function(names) {
  bare <- vapply(enc2utf8(names), plain_letters, "", USE.NAMES = FALSE)
  plain <- gsub("[^A-Za-z0-9._-]+", "-", iconv(bare, "UTF-8", "ASCII", sub = "Unicode"))
  lower <- make.unique(lower_case(plain), sep = "-")
  ifelse(lower == lower_case(plain), plain, lower)
}
