# wavetax completion and manual: made from the options of all commands.

completion_command <- function() {
  new_command(
    "a shell's completion of all this, for bash or zsh", "wavetax completion bash|zsh",
    paste("Prints a script that completes commands, options and files.",
          "For bash: wavetax completion bash > ~/.local/share/bash-completion/completions/wavetax"),
    list(),
    function(values, files) {
      script <- switch(files, bash = bash_completion(),
                       zsh = c("#compdef wavetax", "autoload -U bashcompinit", "bashcompinit", bash_completion()))
      new_results(text = function() code_block(script))
    },
    files = 1, check = function(values) {
      shell <- values$named
      if (!shell %in% c("bash", "zsh")) {
        stop_usage("Completion is there for bash and zsh, not for ", sQuote(shell, FALSE), ".")
      }
    }
  )
}

bash_completion <- function() {
  commands <- cli_commands()
  flags <- vapply(commands, function(command) {
    paste(c(unlist(lapply(command$options, option_flags)), "-h", "--help"), collapse = " ")
  }, "")
  choices <- completed_values(commands)
  c(
    "_wavetax() {",
    "  local word=\"${COMP_WORDS[COMP_CWORD]}\" before=\"${COMP_WORDS[COMP_CWORD-1]}\" flags=\"\" values=\"\"",
    "  if [ \"$COMP_CWORD\" -eq 1 ]; then",
    sprintf("    COMPREPLY=($(compgen -W \"%s\" -- \"$word\")); return",
            paste(c(names(commands), "--help", "--version"), collapse = " ")),
    "  fi",
    "  case \"$before\" in",
    sprintf("    --%s) values=\"%s\" ;;", names(choices), vapply(choices, paste, "", collapse = " ")),
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

# What options with few values take, in any of the commands.
completed_values <- function(commands) {
  options <- Filter(function(option) length(option$choices) > 0, unlist(lapply(commands, `[[`, "options"), FALSE))
  names <- vapply(options, `[[`, "", "name")
  lapply(split(options, factor(names, unique(names))), function(same) unique(unlist(lapply(same, `[[`, "choices"))))
}

manual_command <- function() {
  new_command(
    "the manual page", "wavetax manual", "Prints the manual page: wavetax manual | man -l -", list(),
    function(values, files) new_results(text = function() code_block(manual_page())), files = 0
  )
}

manual_page <- function() {
  plain <- function(text) gsub("-", "\\-", gsub("\\", "\\e", text, fixed = TRUE), fixed = TRUE)
  command <- function(name, one) {
    c(
      sprintf(".SS %s", plain(name)), plain(one$usage), ".PP", plain(one$about),
      unlist(lapply(one$options, function(option) {
        metavar <- if (nzchar(option$metavar)) paste0(" \\fI", option$metavar, "\\fR")
        c(".TP", paste0("\\fB", plain(paste(option_flags(option), collapse = ", ")), "\\fR", metavar),
          plain(option$help))
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
