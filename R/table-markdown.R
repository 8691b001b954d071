# A table value in Markdown.

table_markdown <- function(table) {
  line <- function(x) paste("|", paste(x, collapse = " | "), "|")
  words <- do.call(cbind, c(list(table$rows$label), lapply(table$cells, cells_as_text)))
  form <- ifelse(table$columns$form == "right", "--:", ":--")
  c(
    line(markdown_text(c(table$stub, table$columns$head))), line(c(":--", form)),
    vapply(seq_len(nrow(words)), function(r) line(markdown_text(words[r, ])), "")
  )
}
