# Typed tables as text.

# The columns as text under their headings.
typed_columns <- function(table) {
  columns <- attr(table, "columns")
  cells <- lapply(columns, function(column) {
    x <- table[[column$name]]
    switch(column$kind,
      text = label_text(x), count = ifelse(is.na(x), "", count_words(x)), p = format_p(x),
      number = align_decimal(format_number(x)), ratio = fixed_decimals(x, 2), df = df_words(x),
      estimate = align_decimal(format_number(x, decimals = decimals_like(table, column$like)))
    )
  })
  stats::setNames(cells, vapply(columns, `[[`, "", "heading"))
}

# Degrees of freedom: whole, or with one decimal where some are not.
df_words <- function(x) {
  known <- x[is.finite(x)]
  out <- if (all(known == trunc(known))) count_words(x) else fixed_decimals(x, 1)
  ifelse(is.na(x), "", out)
}

# Decimals of estimates by their errors, from the two columns of these names.
decimals_like <- function(table, like) estimate_decimals(table[[like[1]]], table[[like[2]]])
