# Help, from the options of commands. What the shell prints of it without starting R is written when the package is
# built: see cli-shell.R.

# Lines no wider than `width`, of plain letters in any locale.
command_help <- function(command, width) {
  options <- c(command$options, list(help_option()))
  c(
    strwrap(paste("Usage:", command$usage), width + 1, exdent = 4), "", strwrap(command$about, width + 1),
    unlist(lapply(names(option_heads), function(head) {
      under <- Filter(function(option) option$head == head, options)
      if (length(under) > 0) c("", paste0(option_heads[[head]], ":"), unlist(lapply(under, option_help, width)))
    }))
  )
}

help_option <- function() {
  options_under(output = list(new_option("help", "flag", "this", short = "h")))[[1]]
}

# A flag and beside it what it is, or below it where the flag is long.
option_help <- function(option, width) {
  flag <- trimws(paste(paste(option_flags(option), collapse = ", "), option$metavar))
  column <- min(24, width %/% 3)
  words <- wrapped_help(paste0(option$help, default_words(option)), width - column + 1)
  told <- if (!is.null(option$told)) {
    at <- nchar(names(option$told)) + 2
    beside <- min(max(at), (width - column) %/% 2)
    unlist(Map(function(name, words) two_columns(name, words, beside, width - column), names(option$told), option$told))
  }
  two_columns(paste0("  ", flag), c(words, told), column, width, wrap = FALSE)
}

# What stands in quotes or brackets stays on one line.
wrapped_help <- function(text, width) {
  whole <- gregexpr("'[^' ]+( [^' ]+){1,3}'|\\[default: [^]]{1,20}\\]", text)
  regmatches(text, whole) <- lapply(regmatches(text, whole), function(parts) gsub(" ", "\001", parts, fixed = TRUE))
  gsub("\001", " ", strwrap(text, width), fixed = TRUE)
}

default_words <- function(option) if (!is.null(option$default)) sprintf(" [default: %s]", option$default)

# `left`, and from column `at` on the lines of `right`; on lines of their own where `left` is too wide.
two_columns <- function(left, right, at, width, wrap = TRUE) {
  if (wrap) right <- strwrap(right, width - at + 1)
  lines <- paste0(strrep(" ", at), right)
  if (nchar(left) + 2 > at) return(unname(c(left, lines)))
  substr(lines[1], 1, nchar(left)) <- left
  unname(lines)
}

overview_help <- function(width) {
  commands <- cli_commands()
  at <- max(nchar(names(commands))) + 4
  c(
    strwrap("wavetax: from panel data to compared models", width + 1), "", "Usage: wavetax COMMAND ...", "",
    unlist(Map(function(name, command) two_columns(paste0("  ", name), command$words, at, width), names(commands),
               commands), use.names = FALSE),
    "",
    strwrap("wavetax help COMMAND tells the options of one, wavetax --version (-V) the version.", width + 1),
    strwrap("Exit status: 0 done, 1 the data or the model was refused, 2 wrong usage.", width + 1)
  )
}
