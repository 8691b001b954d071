# A table among blocks, in every medium.

block_table <- function() {
  new_block_kind(
    terminal = function(block) table_lines(block$table, block$indent, block$width),
    markdown = function(block) c("", table_markdown(block$table), ""),
    html = function(block) html_table(block$table, block$number),
    latex = function(block) latex_table(block$table, turns = TRUE),
    word = function(block, doc) add_word_table(doc, block$table, word_room(officer::docx_dim(doc), FALSE))
  )
}
