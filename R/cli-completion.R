# wavetax completion and manual: made from the parsers of all commands.

cli_completion_parser <- function() {
  cli_parser("wavetax completion bash|zsh", paste(
    "Prints a script that completes commands, options and files.",
    "For bash: wavetax completion bash > ~/.local/share/bash-completion/completions/wavetax"
  ), list())
}

cli_completion <- function(args) {
  shell <- cli_arguments(args, cli_completion_parser(), positional = 1)$args
  switch(shell,
    bash = writeLines(bash_completion()),
    zsh = writeLines(c("#compdef wavetax", "autoload -U bashcompinit", "bashcompinit", bash_completion())),
    stop_usage("Completion is there for bash and zsh, not for ", sQuote(shell, FALSE), "."))
}

parser_flags <- function(parser) {
  lapply(parser@options, function(option) c(if (!is.na(option@short_flag)) option@short_flag, option@long_flag))
}

bash_completion <- function() {
  commands <- cli_commands()
  flags <- vapply(commands, function(command) paste(unlist(parser_flags(command$parser())), collapse = " "), "")
  c(
    "_wavetax() {",
    "  local word=\"${COMP_WORDS[COMP_CWORD]}\" before=\"${COMP_WORDS[COMP_CWORD-1]}\" flags=\"\" values=\"\"",
    "  if [ \"$COMP_CWORD\" -eq 1 ]; then",
    sprintf("    COMPREPLY=($(compgen -W \"%s\" -- \"$word\")); return",
            paste(c(names(commands), "--help", "--version"), collapse = " ")),
    "  fi",
    "  case \"$before\" in",
    sprintf("    %s) values=\"%s\" ;;", names(option_values()), vapply(option_values(), paste, "", collapse = " ")),
    "  esac",
    "  if [ -n \"$values\" ]; then COMPREPLY=($(compgen -W \"$values\" -- \"$word\")); return; fi",
    "  case \"${COMP_WORDS[1]}\" in",
    sprintf("    %s) flags=\"%s\" ;;", names(commands), flags),
    "  esac",
    "  if [ \"${COMP_WORDS[1]}\" = completion ]; then flags=\"bash zsh\"; word=\"${word:-}\"; fi",
    "  case \"$word\" in",
    "    -*) COMPREPLY=($(compgen -W \"$flags\" -- \"$word\")) ;;",
    "    *) if [ \"${COMP_WORDS[1]}\" = completion ]; then COMPREPLY=($(compgen -W \"$flags\" -- \"$word\"));",
    "       else COMPREPLY=($(compgen -f -- \"$word\")); fi ;;",
    "  esac",
    "}",
    "complete -o filenames -F _wavetax wavetax"
  )
}

# What options with few values take.
option_values <- function() {
  list(
    "--to" = c("long", "wide"), "--layout" = "find", "--merged" = "fill", "--percent" = c("share", "number"),
    "--format" = c("text", "csv", "json", "markdown"), "--repeated" = c("first", "last"),
    "--match" = c("exact", "tidy"), "--how" = balance_ways,
    "--model" = fit_method_names, "--effects" = c("entity", "period", "both"), "--errors" = names(cli_error_words()),
    "--variance" = names(core_variance_methods), "--beneath" = names(beneath_words)
  )
}

cli_manual_parser <- function() {
  cli_parser("wavetax manual", "Prints the manual page: wavetax manual | man -l -", list())
}

cli_manual <- function(args) {
  cli_arguments(args, cli_manual_parser(), positional = 0)
  writeLines(manual_page())
}

manual_page <- function() {
  plain <- function(text) gsub("-", "\\\\-", gsub("\\\\", "\\\\e", text))
  command <- function(name, one) {
    parser <- one$parser()
    options <- Filter(function(option) option@long_flag != "--help", parser@options)
    c(
      sprintf(".SS %s", plain(name)), plain(trimws(sub("^Usage: ", "", parser@usage))), ".PP",
      plain(trimws(parser@description)),
      unlist(lapply(options, function(option) {
        flags <- c(if (!is.na(option@short_flag)) option@short_flag, option@long_flag)
        metavar <- if (length(option@metavar) > 0 && !is.na(option@metavar)) paste0(" \\fI", option@metavar, "\\fR")
        c(".TP", paste0("\\fB", plain(paste(flags, collapse = ", ")), "\\fR", metavar), plain(option@help))
      }))
    )
  }
  commands <- cli_commands()
  c(
    sprintf(".TH WAVETAX 1 \"\" \"wavetax %s\"", utils::packageVersion("wavetax")),
    ".SH NAME", "wavetax \\- from panel data to compared models", ".SH SYNOPSIS", ".B wavetax",
    "\\fICOMMAND\\fR [\\fIFILE\\fR ...] [\\fIOPTIONS\\fR]", ".SH DESCRIPTION",
    plain(paste("Reads rows for many entities over many periods, finds and mends what is broken in them,",
                "estimates regressions, tests and compares them. A file named - is standard input, an output named -",
                "standard output. Results go to standard output, everything else to standard error.")),
    ".SH COMMANDS", unlist(Map(command, names(commands), commands), use.names = FALSE),
    ".SH EXIT STATUS", "0 done, 1 the data or the model was refused or the results could not be written, 2 wrong usage."
  )
}
