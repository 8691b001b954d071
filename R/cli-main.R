# The command line: arguments and exit codes; the work is the exported functions'.
# Exit status 0 done, 1 the data or the model was refused, 2 wrong usage.

cli_main <- function(args) {
  options(width = cli_width(), OutDec = ".", scipen = 0, digits = 7)
  if (length(args) == 0 || args[1] %in% c("--help", "-h") || identical(args, "help")) {
    writeLines(overview_help(getOption("width")))
    return(if (length(args) == 0) 2L else 0L)
  }
  if (args[1] == "help") {
    if (length(args) > 2) return(cli_usage_error("help takes one command.", "wavetax --help"))
    args <- c(args[2], "--help")
  }
  if (args[1] %in% c("--version", "-V")) {
    writeLines(paste("wavetax", utils::packageVersion("wavetax")))
    return(0L)
  }
  if (!args[1] %in% command_names) {
    near <- near_names(args[1], command_names)
    return(cli_usage_error(c(
      sprintf("There is no command %s.", sQuote(args[1], FALSE)),
      if (length(near) > 0) sprintf("Did you mean %s?", near[1])
    ), "wavetax --help"))
  }
  done <- cli_collect(cli_guard(carry_out_command(cli_command(args[1]), args[-1]), args[1]))
  if (length(done$printed) > 0 && !core_write_output(done$printed)) {
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
  status <- tryCatch(
    withCallingHandlers(work, wavetax_bytes = function(cnd) writeBin(cnd$bytes, connection)), finally = sink()
  )
  printed <- rawConnectionValue(connection)
  close(connection)
  list(status = status, printed = printed)
}

# COLUMNS is the terminal's width where standard output is one: exec/wavetax asks for it.
cli_width <- function() {
  columns <- Sys.getenv("COLUMNS")
  if (!grepl("^[0-9]{1,6}$", columns)) return(80L)
  min(max(as.integer(columns), cli_widths[1]), cli_widths[2])
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
        writeLines(paste("Warning:", said_of_files(conditionMessage(cnd))), stderr())
        invokeRestart("muffleWarning")
      },
      wavetax_message_kinds = function(cnd) invokeRestart("muffleMessage"),
      message = function(cnd) {
        writeLines(said_of_files(sub("\n$", "", conditionMessage(cnd))), stderr())
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
      # Of a study file it is its keys that are told of, no options.
      said <- if (inherits(cnd, "wavetax_error_study")) identity else said_of_files
      writeLines(paste("Error:", visible_lines(cli::ansi_strip(said(conditionMessage(cnd))))), stderr())
      1L
    }
  )
}

# What is said in words of the command line, of files by the names that were given.
said_of_files <- function(text) {
  for (kept in ls(piped_files)) text <- gsub(sQuote(kept, FALSE), piped_files[[kept]], text, fixed = TRUE)
  as_options(text)
}

# A message's own lines, each without signs that a terminal would obey.
visible_lines <- function(text) paste(visible_text(strsplit(text, "\n", fixed = TRUE)[[1]]), collapse = "\n")
