# Typed tables as text.

# The columns as text under their headings.
typed_columns <- function(table) {
  columns <- attr(table, "columns")
  cells <- lapply(columns, function(column) {
    x <- table[[column$name]]
    switch(column$kind,
      text = label_text(x), count = ifelse(is.na(x), "", count_words(x)), p = format_p(x),
      number = align_decimal(format_number(x)),
      estimate = align_decimal(format_number(x, decimals = estimate_decimals(table[[column$like[1]]], table[[column$like[2]]])))
    )
  })
  stats::setNames(cells, vapply(columns, `[[`, "", "heading"))
}
