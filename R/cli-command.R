# A command as data, and the one way it is run: its options are read, what they ask is refused or done, what it gives is
# delivered. A call with the same values is the same work, wherever they come from.
#   words     what it does, for the overview; `usage` and `about` for its help
#   options   new_option()s
#   run       function(values, files): the work, gives new_results()
#   files     how many files it takes, Inf for one or more
#   needs     arguments that must be given
#   check     function(values): refuses options that would have no effect, before anything is read
#   reads     whether it has results of data, so that options for them have an effect
new_command <- function(words, usage, about, options, run, files = Inf, needs = character(), check = identity,
                        reads = TRUE) {
  if (reads) options <- c(options, options_under(output = common_options()))
  list(words = words, usage = usage, about = about, options = options, run = run, files = files,
       needs = needs, check = check)
}

# What a command gives:
#   text, markdown   functions that give blocks, csv a data frame, json values or text: only that of the format is asked
#   table            a function that gives what goes to `--table`
#   files            by argument of another output option, a function that writes it
#   data             what goes to `out`; on standard output nothing else is printed
#   figures          by name, functions that give one each, for the folder `figures`, of `size` in inches
#   status           0, or 1 where the data were found wanting
new_results <- function(text, markdown = text, csv = NULL, json = NULL, table = NULL, files = list(), data = NULL,
                        figures = list(), size = NULL, status = 0L) {
  list(forms = list(text = text, markdown = markdown, csv = csv, json = json), table = table, files = files,
       data = data, figures = figures, size = size, status = status)
}

carry_out_command <- function(command, args) {
  given <- command_arguments(command, args)
  for (option in Filter(function(option) option$argument %in% command$needs, command$options)) {
    if (is.null(given$texts[[option$argument]])) stop_usage(sprintf("--%s is missing.", option$name))
  }
  values <- option_values(command$options, given$texts)
  values$named <- given$files
  if (!is.null(values$width)) options(width = values$width)
  command$check(values)
  kinds <- option_kinds(command$options, output_kinds)
  outputs <- unlist(values[names(kinds)])
  piped <- names(outputs)[outputs == "-"]
  if (length(piped) > 1) stop_usage("Only one thing can go to standard output: name files for the others.")
  check_not_over(outputs[outputs != "-"], cli_inputs(given$files, values))
  muffled(classes = if (isTRUE(values$quiet)) "message" else character(), {
    values <- values_from_pipes(values)
    results <- command$run(values, cli_files(given$files, values, command$files))
    deliver(results, values, if (length(piped) > 0) list(argument = piped, kind = kinds[[piped]]))
  })
}

# Kinds of options by argument.
option_kinds <- function(options, kinds) {
  found <- Filter(function(option) option$kind %in% kinds, options)
  stats::setNames(vapply(found, `[[`, "", "kind"), vapply(found, `[[`, "", "argument"))
}

# Files first, so that they are there also when nobody reads what is printed to its end. What goes to standard output
# has it for itself.
deliver <- function(results, values, piped = NULL) {
  writers <- output_writers(results)
  for (argument in setdiff(intersect(names(writers), names(values)), piped$argument)) {
    writers[[argument]](values[[argument]])
    cli_wrote(values[[argument]])
  }
  deliver_figures(results, values$figures)
  if (!is.null(piped)) return(deliver_piped(results, values, piped))
  if (!is.null(results$data)) {
    write_panel(results$data, values$out)
    cli_wrote(values$out)
  }
  format <- if (is.null(values$format)) "text" else values$format
  if (format %in% c("html", "latex")) {
    return(deliver_piped(results, values, list(argument = "table", kind = "table_file")))
  }
  content <- results$forms[[format]]()
  switch(format,
    text = show_blocks(blocks_in_options(content)),
    markdown = writeLines(blocks_markdown(blocks_in_options(content))),
    csv = cli_csv(content),
    json = writeLines(if (is.character(content)) content else json_text(content))
  )
  if (results$status != 0L) rlang::abort("found", class = "wavetax_refused")
}

# As a file's content, whose ending says what it is: a table's is that of the format asked for.
piped_endings <- c(data_file = "csv", fits_file = "json", figure_file = "png", log_file = "json")
table_formats <- c(text = "txt", markdown = "md", csv = "csv", json = "json", html = "html", latex = "tex")

deliver_piped <- function(results, values, piped) {
  if (piped$argument == "out") return(cli_csv(results$data))
  ending <- if (piped$kind == "table_file") table_formats[[values$format]] else piped_endings[[piped$kind]]
  file <- tempfile(fileext = paste0(".", ending))
  on.exit(unlink(file))
  if (ending == "txt") return(show_blocks(blocks_in_options(blocks_of(results$table()))))
  output_writers(results)[[piped$argument]](file)
  print_bytes(readBin(file, "raw", file.size(file)))
}

# Where what is printed is collected.
print_bytes <- function(bytes) rlang::signal("printed", class = "wavetax_bytes", bytes = bytes)

output_writers <- function(results) {
  c(results$files, if (!is.null(results$table)) list(table = function(file) write_table(results$table(), file)))
}

# One that does not exist of these data is told.
deliver_figures <- function(results, folder) {
  if (is.null(folder)) return(invisible())
  make_folder(folder)
  for (i in along_with_progress(results$figures, "Drawing")) {
    name <- names(results$figures)[i]
    figure <- tryCatch(results$figures[[i]](), wavetax_error = function(cnd) {
      message(sprintf("Not drawn: %s. %s", name, first_line(cnd)))
    })
    if (is.null(figure)) next
    file <- file.path(folder, paste0(name, ".png"))
    do.call(save_figure, c(list(figure, file), results$size))
    cli_wrote(file)
  }
}

cli_wrote <- function(file) message(paste("Written:", file))

cli_csv <- function(table) text_writer(table, ",")$write("")

json_text <- function(values) {
  check_package("jsonlite", "writes JSON")
  jsonlite::toJSON(values, pretty = TRUE, digits = NA, na = "null", auto_unbox = !is.data.frame(values))
}

# Nothing that is read, or written already, is written over.
check_not_over <- function(outputs, inputs) {
  place <- function(path) file.path(normalizePath(dirname(path), mustWork = FALSE), basename(path))
  same <- function(a, b) {
    place(a) == place(b) || (file.exists(a) && file.exists(b) && normalizePath(a) == normalizePath(b))
  }
  for (i in seq_along(outputs)) {
    one <- outputs[[i]]
    if (any(vapply(inputs, same, TRUE, one))) {
      stop_usage("The file ", sQuote(one, FALSE), " is read; it is not written over.")
    }
    if (any(vapply(outputs[seq_len(i - 1)], same, TRUE, one))) {
      stop_usage("The file ", sQuote(one, FALSE), " is named twice.")
    }
  }
}

# The texts of options by argument, and the files; help is printed and ends the command.
command_arguments <- function(command, args) {
  parser <- command_parser(command)
  for (option in command$options) if (!is.null(option$repeated)) args <- join_repeated(args, option)
  # Behind `--` all are files, whatever they are called.
  bar <- match("--", args)
  behind <- if (is.na(bar)) character() else args[-seq_len(bar)]
  if (!is.na(bar)) args <- args[seq_len(bar - 1)]
  wrong <- function(cnd) stop_usage(parser_words(cnd, command))
  parsed <- tryCatch(
    optparse::parse_args(parser, args, positional_arguments = TRUE, print_help_and_exit = FALSE),
    error = wrong, warning = wrong
  )
  parsed$args <- c(parsed$args, behind)
  if (isTRUE(parsed$options$help)) {
    writeLines(command_help(command, getOption("width")))
    rlang::abort("help", class = "wavetax_help")
  }
  n <- length(parsed$args)
  if (is.finite(command$files) && n != command$files) {
    stop_usage(sprintf("%s given, %d needed.", count_of(n, "argument"), command$files))
  }
  names(parsed$options) <- option_argument_names(command$options)[names(parsed$options)]
  list(texts = parsed$options, files = parsed$args)
}

# What the parser says, in our words, without where in its code.
parser_words <- function(cnd, command) {
  words <- trimws(sub("^Error in [^\n]*:\\s*", "", conditionMessage(cnd)))
  found <- function(pattern) sub("^-*", "", regmatches(words, regexec(pattern, words))[[1]][2])
  plain <- found("\"([^\"]+)\" accepts no arguments")
  if (!is.na(plain)) return(sprintf("--%s takes nothing: it is there or not.", plain))
  bare <- found("\"([^\"]+)\" requires an argument")
  if (!is.na(bare)) return(sprintf("--%s is given nothing.", bare))
  unknown <- c(found("no such option: *(.+)$"), found("flag \"([^\"]+)\" is invalid"))
  unknown <- unknown[!is.na(unknown)]
  if (length(unknown) == 0) return(words)
  name <- sub("=.*", "", unknown[1])
  near <- near_names(name, vapply(command$options, `[[`, "", "name"))
  paste(c(sprintf("There is no option %s%s.", if (nchar(name) == 1) "-" else "--", name), if (length(near) > 0) {
    sprintf("Did you mean %s?", list_or(paste0("--", near)))
  }), collapse = " ")
}

option_argument_names <- function(options) {
  c(stats::setNames(vapply(options, `[[`, "", "argument"), vapply(options, `[[`, "", "name")), help = "help")
}

command_parser <- function(command) {
  optparse::OptionParser(usage = command$usage, option_list = lapply(command$options, parsed_option))
}

parsed_option <- function(option) {
  if (option$kind == "flag") {
    return(optparse::make_option(option_flags(option), action = "store_true", default = FALSE))
  }
  optparse::make_option(option_flags(option), type = "character", metavar = option$metavar, default = option$default)
}

# `--model a --model b` as `--model a,b`.
join_repeated <- function(args, option) {
  flag <- paste0("--", option$name)
  args <- unlist(lapply(args, function(one) {
    if (startsWith(one, paste0(flag, "="))) c(flag, substring(one, nchar(flag) + 2)) else one
  }))
  at <- which(args == flag)
  if (length(at) < 2 || max(at) == length(args)) return(args)
  c(args[-c(at, at + 1)], flag, paste(args[at + 1], collapse = option$repeated))
}
