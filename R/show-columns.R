# Typed tables as text.

# The columns as text under their headings.
typed_columns <- function(table) {
  columns <- attr(table, "columns")
  cells <- lapply(columns, function(column) {
    x <- table[[column$name]]
    switch(column$kind,
      text = label_text(x), count = ifelse(is.na(x), "", count_words(x)), p = format_p(x),
      number = align_decimal(format_number(x)),
      estimate = align_decimal(format_number(x, decimals = decimals_like(table, column$like)))
    )
  })
  stats::setNames(cells, vapply(columns, `[[`, "", "heading"))
}

# Decimals of estimates by their errors, from the two columns of these names.
decimals_like <- function(table, like) estimate_decimals(table[[like[1]]], table[[like[2]]])
