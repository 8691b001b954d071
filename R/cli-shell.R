# What the shell tells without starting R, written into inst/shell when the package is documented: by file, its lines.
shell_texts <- function() {
  commands <- cli_commands()
  help <- function(width) {
    sections <- c(list(wavetax = overview_help(width)), lapply(commands, command_help, width))
    unlist(Map(function(name, lines) c(paste("==", name), lines), names(sections), sections), use.names = FALSE)
  }
  widths <- c(60, 80)
  c(
    stats::setNames(lapply(widths, help), sprintf("help-%d.txt", widths)),
    stats::setNames(lapply(shells, completion_script), paste0("completion.", shells)), list(wavetax.1 = manual_page())
  )
}

write_shell_texts <- function(folder) {
  dir.create(folder, showWarnings = FALSE)
  texts <- shell_texts()
  for (file in names(texts)) writeLines(texts[[file]], file.path(folder, file))
}
