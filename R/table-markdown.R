# A table value in Markdown.

table_markdown <- function(table) {
  line <- function(x) paste("|", paste(x, collapse = " | "), "|")
  rows <- table$rows
  label <- whole_label(rows$label, rows$unit)
  words <- do.call(cbind, c(list(label), lapply(table$cells, cells_as_text, minus = "\u2212")))
  form <- ifelse(table$columns$form == "right", "--:", ":--")
  c(
    line(markdown_text(c(table$stub, whole_heads(table)))), line(c(":--", form)),
    vapply(seq_len(nrow(words)), function(r) line(markdown_text(words[r, ])), "")
  )
}
