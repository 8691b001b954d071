# wavetax completion and manual: made from the options of all commands.

shells <- c("bash", "zsh", "fish")

completion_command <- function() {
  new_command(
    "a shell's completion of all this, for bash, zsh or fish", "wavetax completion bash|zsh|fish",
    paste("Prints a script that completes commands, options, their values, files, and the columns of the table on the",
          "line. `make install` puts all of them where the shells look."),
    list(),
    function(values, files) new_results(text = function() code_block(completion_script(files))),
    files = 1, check = function(values) {
      shell <- values$named
      if (length(shell) != 1 || !shell %in% shells) {
        stop_usage(sprintf("Completion is there for %s, not for %s.", list_words(shells),
                           list_words(sQuote(shell, FALSE))))
      }
    }, reads = FALSE
  )
}

completion_script <- function(shell) {
  switch(shell, bash = bash_completion(), zsh = zsh_completion(), fish = fish_completion())
}

# What a shell offers for the value of an option: words, the columns of the table on the line, files. Several are joined
# by any of `joins`.
completion_of <- function(option) {
  columns <- option$metavar %in% c("COLUMN", "COLUMNS") ||
    option$argument %in% c("numbers", "text", "variables", "focus", "effects", "without")
  list(words = option$choices, columns = columns, files = option$metavar %in% c("FILE", "DIR"),
       joins = if (option$metavar == "LIST") "," else if (option$metavar == "COLUMNS" || option$name == "effects") "+:")
}

# Options of all commands that take a value, each once for all commands in which a shell offers the same:
# list(name, commands, and what completion_of() gives).
completed_options <- function() {
  commands <- cli_commands()
  all <- unlist(lapply(names(commands), function(command) {
    taking <- Filter(function(option) option$kind != "flag", commands[[command]]$options)
    lapply(taking, function(option) c(list(name = option$name, command = command), completion_of(option)))
  }), recursive = FALSE)
  keys <- vapply(all, function(one) {
    paste(c(one$name, one$columns, one$files, one$joins, one$words), collapse = "\r")
  }, "")
  lapply(unname(split(all, factor(keys, unique(keys)))), function(same) {
    c(same[[1]][c("name", "words", "columns", "files", "joins")], list(commands = vapply(same, `[[`, "", "command")))
  })
}

# The names of columns: the first line of each table on the line.
posix_columns <- c(
  "# The columns of the tables on the line, of their first lines.",
  "_wavetax_columns() {",
  "  local file mark=$(printf '\\357\\273\\277')",
  "  for file in \"$@\"; do",
  "    case $file in -*) continue ;; *.csv|*.tsv|*.txt) ;; *) continue ;; esac",
  "    [ -f \"$file\" ] && head -n 1 -- \"$file\" 2> /dev/null | LC_ALL=C sed \"s/^$mark//\" |",
  "      tr -d '\"\\r' | tr ',;\\t' '\\n\\n\\n'",
  "  done",
  "}"
)

# What options take, as a function of the command and the option: a line a word.
posix_takes <- function() {
  c(
    "_wavetax_takes() {",
    "  case $1:$2 in",
    unlist(lapply(completed_options(), function(one) {
      says <- c(one$words, if (one$columns) "@columns", if (one$files) "@files",
                if (!is.null(one$joins)) paste0("@joins", one$joins))
      if (length(says) == 0) return(NULL)
      sprintf("    %s) printf '%%s\\n' %s ;;", paste(sprintf("%s:--%s", one$commands, one$name), collapse = "|"),
              paste(shell_words(says), collapse = " "))
    })),
    "  esac",
    "}"
  )
}

command_flags <- function(command) c(unlist(lapply(command$options, option_flags)), "-h", "--help")

bash_completion <- function() {
  commands <- cli_commands()
  c(
    "# wavetax completion for bash.", posix_columns, posix_takes(),
    "_wavetax() {",
    "  local IFS=$'\\n' word=${COMP_WORDS[COMP_CWORD]} at=$((COMP_CWORD - 1)) head= value values= joins=",
    "  COMPREPLY=()",
    "  if [ \"$COMP_CWORD\" -eq 1 ]; then",
    sprintf("    COMPREPLY=($(compgen -W $'%s' -- \"$word\")); return",
            paste(c(names(commands), "help", "--help", "--version"), collapse = "\\n")),
    "  fi",
    "  # The shell cuts words at = and :.",
    "  case $word in =|:) word= ; [ \"${COMP_WORDS[COMP_CWORD]}\" = : ] && at=$((at - 1)) ;; esac",
    "  while [ \"${COMP_WORDS[at]}\" = : ]; do at=$((at - 2)); done",
    "  [ \"${COMP_WORDS[at]}\" = = ] && at=$((at - 1))",
    "  case ${COMP_WORDS[at]} in --*) values=$(_wavetax_takes \"${COMP_WORDS[1]}\" \"${COMP_WORDS[at]}\") ;; esac",
    "  case ${COMP_WORDS[1]}:$COMP_CWORD in",
    sprintf("    help:2) values=$'%s' ;;", paste(names(commands), collapse = "\\n")),
    sprintf("    completion:2) values=$'%s' ;;", paste(shells, collapse = "\\n")),
    "  esac",
    "  case $values in *@joins,*) joins=, ;; *@joins+:*) joins=+ ;; esac",
    "  case $word in *\"$joins\"*)",
    "    [ -n \"$joins\" ] && head=${word%\"$joins\"*}$joins word=${word##*\"$joins\"} ;;",
    "  esac",
    "  case $values in *@columns*) values=$values$'\\n'$(_wavetax_columns \"${COMP_WORDS[@]:2}\") ;; esac",
    "  if [ -z \"$values\" ]; then",
    "    case $word in -*) case ${COMP_WORDS[1]} in",
    sprintf("      %s) values=$'%s' ;;", names(commands), vapply(commands, function(command) {
      paste(command_flags(command), collapse = "\\n")
    }, "")),
    "    esac ;; esac",
    "  fi",
    "  # Without the shell's expansion: what stands in a table is no code.",
    "  for value in $values; do",
    "    case $value in @*) ;; \"$word\"*) COMPREPLY+=(\"$head$(printf %q \"$value\")\") ;; esac",
    "  done",
    "  [ -n \"$joins\" ] && compopt -o nospace 2> /dev/null",
    "  return 0",
    "}",
    "complete -o default -F _wavetax wavetax"
  )
}

zsh_completion <- function() {
  commands <- cli_commands()
  described <- function(names, words) {
    sprintf("    %s", shell_words(paste0(gsub(":", "\\:", names, fixed = TRUE), ":", words)))
  }
  unname(c(
    "#compdef wavetax", "# wavetax completion for zsh: a file _wavetax in a folder of fpath.", posix_columns,
    posix_takes(),
    "_wavetax_commands() {",
    "  local -a commands=(",
    described(names(commands), vapply(commands, `[[`, "", "words")),
    "  )",
    "  _describe command commands",
    "}",
    "_wavetax_options() {",
    "  local -a options",
    "  case $1 in",
    unlist(Map(function(name, command) {
      flags <- lapply(c(command$options, list(help_option())), function(option) {
        described(option_flags(option), option$help)
      })
      c(sprintf("  %s) options=(", name), unlist(flags), "  ) ;;")
    }, names(commands), commands)),
    "  esac",
    "  _describe -o option options",
    "}",
    "_wavetax() {",
    "  local option=$words[CURRENT-1]",
    "  local -a says columns",
    "  (( CURRENT == 2 )) && { _wavetax_commands; return }",
    "  [[ $words[2] == help ]] && { _wavetax_commands; return }",
    sprintf("  [[ $words[2] == completion ]] && { compadd -- %s; return }", paste(shells, collapse = " ")),
    "  if [[ $PREFIX == --*=* ]]; then option=${PREFIX%%=*}; compset -P '--[^=]#='; fi",
    "  says=(${(f)\"$(_wavetax_takes $words[2] $option)\"})",
    "  if (( $#says == 0 )); then",
    "    [[ $PREFIX == -* ]] && { _wavetax_options $words[2]; return }",
    "    _files; return",
    "  fi",
    "  (( $says[(Ie)@files] )) && { _files; return }",
    "  local -a end",
    "  [[ -n ${(M)says:#@joins*} ]] && end=(-S '')",
    "  [[ -n ${(M)says:#@joins,} ]] && compset -P '*,'",
    "  [[ -n ${(M)says:#@joins+:} ]] && compset -P '*[+:]'",
    "  (( $says[(Ie)@columns] )) && columns=(${(f)\"$(_wavetax_columns ${(Q)words[3,-1]})\"})",
    "  compadd \"${end[@]}\" -- ${says:#@*} $columns",
    "}",
    "if [[ $funcstack[1] == _wavetax ]]; then _wavetax \"$@\"; else compdef _wavetax wavetax; fi"
  ))
}

fish_completion <- function() {
  commands <- cli_commands()
  offer <- function(...) paste("complete -c wavetax", ...)
  quoted <- function(text) paste0("'", gsub("'", "\\'", gsub("\\", "\\\\", text, fixed = TRUE), fixed = TRUE), "'")
  within <- function(name) paste("-n", quoted(paste("__fish_seen_subcommand_from", name)))
  option_line <- function(name, option) {
    takes <- completion_of(option)
    makes <- c(if (length(takes$words) > 0) paste("printf '%s\\n'", paste(quoted(takes$words), collapse = " ")),
               if (takes$columns) "__wavetax_columns")
    list <- paste(makes, collapse = "; ")
    if (!is.null(takes$joins)) list <- sprintf("__wavetax_joined %s (%s)", quoted(takes$joins), list)
    offer(within(name), if (!is.null(option$short)) paste("-s", option$short), "-l", option$name,
          if (option$kind != "flag") if (takes$files) "-r" else "-x",
          if (length(makes) > 0) paste("-a", quoted(sprintf("(%s)", list))), "-d", quoted(option$help))
  }
  c(
    "# wavetax completion for fish.",
    "function __wavetax_columns --description 'The columns of the tables on the line'",
    "  for file in (commandline -opc)[3..-1]",
    "    string match -qr '\\.(csv|tsv|txt)$' -- $file; and test -f $file",
    "    and head -n 1 -- $file | string replace -r '^\\x{FEFF}' '' | string replace -ra '[\"\\r]' '' |",
    "      string split , | string split ';' | string split \\t",
    "  end",
    "end",
    "# Words behind those that were typed, and what joins them.",
    "function __wavetax_joined",
    "  set -l typed (commandline -ct | string replace -r '^--[^=]*=' '')",
    "  set -l head (string match -r \"^.*[$argv[1]]\" -- $typed)",
    "  printf '%s\\n' \"$head\"$argv[2..-1]",
    "end",
    offer("-n __fish_use_subcommand -f"),
    offer("-n __fish_use_subcommand -a", quoted(names(commands)), "-d", quoted(vapply(commands, `[[`, "", "words"))),
    offer("-n __fish_use_subcommand -a help -d", quoted("the options of a command")),
    offer(within("help"), "-f -a", quoted(paste(names(commands), collapse = " "))),
    offer(within("completion"), "-f -a", quoted(paste(shells, collapse = " "))),
    unlist(Map(function(name, command) {
      vapply(c(command$options, list(help_option())), function(option) option_line(name, option), "")
    }, names(commands), commands), use.names = FALSE)
  )
}

manual_command <- function() {
  new_command(
    "the manual page", "wavetax manual", "Prints the manual page: wavetax manual | man -l -", list(),
    function(values, files) new_results(text = function() code_block(manual_page())), files = 0, reads = FALSE
  )
}

manual_page <- function() {
  plain <- function(text) gsub("-", "\\-", gsub("\\", "\\e", text, fixed = TRUE), fixed = TRUE)
  one_option <- function(option) {
    metavar <- if (nzchar(option$metavar)) paste0(" \\fI", option$metavar, "\\fR")
    told <- if (!is.null(option$told)) {
      c(".RS", unlist(Map(function(name, words) c(".TP", paste0("\\fB", plain(name), "\\fR"), plain(words)),
                          names(option$told), option$told)), ".RE")
    }
    c(".TP", paste0("\\fB", plain(paste(option_flags(option), collapse = ", ")), "\\fR", metavar),
      plain(paste0(option$help, default_words(option))), told)
  }
  command <- function(name, one) {
    c(sprintf(".SS %s", plain(name)), plain(one$usage), ".PP", plain(one$about),
      unlist(lapply(one$options, one_option)))
  }
  commands <- cli_commands()
  c(
    ".TH WAVETAX 1 \"\" wavetax",
    ".SH NAME", "wavetax \\- from panel data to compared models", ".SH SYNOPSIS", ".B wavetax",
    "\\fICOMMAND\\fR [\\fIFILE\\fR ...] [\\fIOPTIONS\\fR]", ".SH DESCRIPTION",
    plain(paste("Reads rows for many entities over many periods, finds and mends what is broken in them,",
                "estimates regressions, tests and compares them. A file named - is standard input, an output named -",
                "standard output. Results go to standard output, everything else to standard error.")),
    ".SH COMMANDS", unlist(Map(command, names(commands), commands), use.names = FALSE),
    ".SH EXIT STATUS",
    "0 done, 1 the data or the model was refused or the results could not be written, 2 wrong usage.",
    ".SH ENVIRONMENT", "COLUMNS is the width of what is printed where \\-\\-width does not say it."
  )
}
