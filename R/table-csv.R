# Printed cells for a spreadsheet: thousands not separated, and text that a spreadsheet would take for a formula behind
# an apostrophe.
writer_csv <- function() text_table_writer(function(tables, fragment) table_csv(tables[[1]]))

table_csv <- function(table) {
  cells <- lapply(table$cells, function(cells) {
    words <- cells_as_text(cells, thousands = FALSE)
    ifelse(has_decimals(cells), words, harmless_cells(words))
  })
  names <- c(if (nzchar(table$stub)) table$stub else "row", whole_heads(table))
  quote <- function(x) paste0('"', gsub('"', '""', visible_text(x), fixed = TRUE), '"')
  labels <- harmless_cells(whole_label(table$rows$label, table$rows$unit))
  c(
    paste(quote(harmless_cells(names)), collapse = ","),
    do.call(paste, c(lapply(c(list(labels), unname(cells)), quote), sep = ","))
  )
}

harmless_cells <- function(x) {
  formula <- grepl("^[=+@-]", x) & is.na(suppressWarnings(as.numeric(x)))
  ifelse(formula, paste0("'", x), x)
}
