# The command line: arguments and exit codes; the work is the exported functions'.
# Exit status 0 done, 1 the data or the model was refused, 2 wrong usage.

# Each command: what it does, how its arguments are parsed, and what runs it.
cli_command <- function(words, parser, run) list(words = words, parser = parser, run = run)
cli_commands <- function() {
  list(
    demo = cli_command("run the whole job on the made-up harbours", cli_demo_parser, cli_demo),
    check = cli_command("find what is broken in a table", cli_check_parser, cli_check),
    repair = cli_command("mend what was found, with a log", cli_repair_parser, cli_repair),
    profile = cli_command("the shape of a panel, and where its variables vary", cli_profile_parser, cli_profile),
    reshape = cli_command("a row for each entity and period, or a column for each period", cli_reshape_parser,
                          cli_reshape),
    balance = cli_command("a panel without gaps: filled up, or cut to what is whole", cli_balance_parser, cli_balance),
    join = cli_command("bring in columns from another table", cli_join_parser, cli_join),
    fit = cli_command("estimate and compare models of a table", cli_fit_parser, cli_fit),
    diagnose = cli_command("what is wrong with a model, and what to do", cli_diagnose_parser, cli_diagnose),
    appraise = cli_command("which model, and which errors: the guided choice", cli_appraise_parser, cli_appraise),
    compare = cli_command("set saved fits side by side", cli_compare_parser, cli_compare),
    completion = cli_command("a shell's completion of all this, for bash or zsh", cli_completion_parser,
                             cli_completion),
    manual = cli_command("the manual page", cli_manual_parser, cli_manual)
  )
}

cli_main <- function(args) {
  options(width = 80L, OutDec = ".", scipen = 0, digits = 7)
  if (length(args) == 0 || args[1] %in% c("--help", "-h", "help")) {
    writeLines(cli_overview())
    return(if (length(args) == 0) 2L else 0L)
  }
  if (args[1] == "--version") {
    writeLines(paste("wavetax", utils::packageVersion("wavetax")))
    return(0L)
  }
  commands <- cli_commands()
  if (!args[1] %in% names(commands)) {
    near <- near_names(args[1], names(commands))
    return(cli_usage_error(c(
      sprintf("There is no command %s.", sQuote(args[1], FALSE)),
      if (length(near) > 0) sprintf("Did you mean %s?", near[1])
    ), "wavetax --help"))
  }
  run <- commands[[args[1]]]$run
  done <- cli_collect(cli_guard(run(args[-1]), args[1]))
  if (length(done$printed) > 0 && !cpp_write_output(done$printed)) {
    writeLines("Error: the results could not be written to standard output.", stderr())
    return(1L)
  }
  done$status
}

# What is printed is collected in memory and written at once, where a full device can be noticed; R's own
# printing does not say, and a full folder for temporary files loses nothing.
cli_collect <- function(work) {
  options(cli.num_colors = cli::num_ansi_colors())
  connection <- rawConnection(raw(), "wb")
  sink(connection)
  status <- tryCatch(work, finally = sink())
  printed <- rawConnectionValue(connection)
  close(connection)
  list(status = status, printed = printed)
}

cli_overview <- function() {
  commands <- cli_commands()
  c(
    "wavetax: from panel data to compared models", "",
    "Usage: wavetax COMMAND ...", "",
    paste0("  ", format(names(commands)), "  ", vapply(commands, `[[`, "", "words")), "",
    "wavetax COMMAND --help tells the options of one. wavetax --version tells the version.",
    "Exit status: 0 done, 1 the data or the model was refused, 2 wrong usage."
  )
}

cli_usage_error <- function(lines, help) {
  writeLines(c(lines, sprintf("See `%s`.", help)), stderr())
  2L
}

# Runs a command; what is wrong is told in words on standard error.
cli_guard <- function(work, command) {
  tryCatch(
    withCallingHandlers(
      {
        work
        0L
      },
      warning = function(cnd) {
        writeLines(c(paste("Warning:", cli_words(conditionMessage(cnd)))), stderr())
        invokeRestart("muffleWarning")
      },
      wavetax_message_kinds = function(cnd) invokeRestart("muffleMessage"),
      message = function(cnd) {
        writeLines(cli_words(sub("\n$", "", conditionMessage(cnd))), stderr())
        invokeRestart("muffleMessage")
      }
    ),
    wavetax_usage = function(cnd) {
      cli_usage_error(conditionMessage(cnd), sprintf("wavetax %s --help", command))
    },
    wavetax_help = function(cnd) 0L,
    wavetax_refused = function(cnd) 1L,
    error = function(cnd) {
      if (grepl("SIGPIPE", conditionMessage(cnd))) return(0L) # the reader has closed the pipe
      writeLines(paste("Error:", cli_words(visible_lines(cli::ansi_strip(conditionMessage(cnd))))), stderr())
      1L
    }
  )
}

# What messages say to write in R, `sheet = "Data", header = 2`, as options: --sheet Data --header 2.
cli_words <- function(text) {
  found <- gregexpr("`[^`]+`", text)
  regmatches(text, found) <- lapply(regmatches(text, found), function(codes) vapply(codes, code_as_options, ""))
  text
}

code_as_options <- function(code) {
  call <- tryCatch(str2lang(sprintf("list(%s)", substr(code, 2, nchar(code) - 1))), error = function(cnd) NULL)
  parts <- if (is.call(call)) as.list(call)[-1]
  flags <- gsub("_", "-", names(parts), fixed = TRUE)
  known <- length(parts) > 0 && length(flags) > 0 && all(paste0("--", flags) %in% reading_flags())
  if (!known || !all(vapply(parts, function(part) is.atomic(part) || is_operator(part, "c"), TRUE))) return(code)
  values <- vapply(parts, option_value, "")
  paste0("`", paste0("--", flags, ifelse(values == "", "", paste0(" ", shell_words(values))), collapse = " "), "`")
}

# A literal, or c() of them with or without names, as an option takes it.
option_value <- function(part) {
  if (isTRUE(part)) return("")
  if (is.atomic(part)) return(as.character(part))
  values <- vapply(as.list(part)[-1], as.character, "")
  keys <- if (!is.null(names(values))) ifelse(nzchar(names(values)), paste0(names(values), "="), "")
  list_option(paste0(keys, values))
}

reading_flags <- function() {
  options <- c(cli_reader_options(), cli_repair_parser()@options, cli_join_parser()@options,
               cli_reshape_parser()@options)
  vapply(options, function(option) option@long_flag, "")
}

# A message's own lines, each without signs that a terminal would obey.
visible_lines <- function(text) paste(visible_text(strsplit(text, "\n", fixed = TRUE)[[1]]), collapse = "\n")

stop_usage <- function(...) rlang::abort(paste0(...), class = "wavetax_usage", call = NULL)

# Options and positional arguments; help is printed and ends the command.
cli_arguments <- function(args, parser, positional) {
  parsed <- tryCatch(
    optparse::parse_args(
      parser, args, positional_arguments = TRUE, print_help_and_exit = FALSE,
      convert_hyphens_to_underscores = TRUE
    ),
    error = function(cnd) stop_usage(conditionMessage(cnd)),
    warning = function(cnd) stop_usage(conditionMessage(cnd))
  )
  if (isTRUE(parsed$options$help)) {
    optparse::print_help(parser)
    rlang::abort("help", class = "wavetax_help")
  }
  given <- length(parsed$args)
  if (!is.null(positional) && given != positional) {
    stop_usage(sprintf("%s given, %d needed.", count_of(given, "argument"), positional))
  }
  parsed
}

cli_option <- function(flag, metavar, help, default = NULL) {
  optparse::make_option(flag, type = "character", metavar = metavar, help = help, default = default)
}
