# Printed cells for a spreadsheet: thousands not separated, and text that a spreadsheet would take for a formula behind
# an apostrophe.
writer_csv <- function() text_table_writer(table_csv)

table_csv <- function(table) {
  cells <- lapply(table$cells, cells_as_text, thousands = FALSE)
  names <- c(if (nzchar(table$stub)) table$stub else "row", table$columns$head)
  quote <- function(x) paste0('"', gsub('"', '""', visible_text(harmless_cells(x)), fixed = TRUE), '"')
  c(
    paste(quote(names), collapse = ","),
    do.call(paste, c(lapply(c(list(table$rows$label), unname(cells)), quote), sep = ","))
  )
}

harmless_cells <- function(x) {
  formula <- grepl("^[=+@-]", x) & is.na(suppressWarnings(as.numeric(x)))
  ifelse(formula, paste0("'", x), x)
}
