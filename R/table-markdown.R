# A table value in Markdown.

table_markdown <- function(table) {
  line <- function(x) paste("|", paste(x, collapse = " | "), "|")
  rows <- table$rows
  label <- whole_label(rows$label, rows$unit)
  over <- table$columns$over
  heads <- ifelse(nzchar(over), paste0(over, ", ", table$columns$head), table$columns$head)
  words <- do.call(cbind, c(list(label), lapply(table$cells, cells_as_text, minus = "\u2212")))
  form <- ifelse(table$columns$form == "right", "--:", ":--")
  c(
    line(markdown_text(c(table$stub, heads))), line(c(":--", form)),
    vapply(seq_len(nrow(words)), function(r) line(markdown_text(words[r, ])), "")
  )
}
