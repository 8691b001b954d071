# What is printed, as a list of blocks: the terminal and Markdown render the same list, and a document can. A block is
# a list with `kind`, the name of what says how it is rendered, block_<kind>() below, and its content. How a kind is
# rendered is a list of functions of the block that give lines.
new_block_kind <- function(terminal, markdown) list(terminal = terminal, markdown = markdown)

new_block <- function(kind, ...) list(list(kind = kind, ...))

# blocks_of(x) gives what print(x) shows.
blocks_of <- function(x, ...) UseMethod("blocks_of")

render_blocks <- function(blocks, medium) {
  unlist(lapply(flat_blocks(blocks), function(block) {
    get(paste0("block_", block$kind), mode = "function")()[[medium]](block)
  }))
}

# A list of blocks out of lists of them at any depth.
flat_blocks <- function(blocks) {
  if (!is.null(blocks$kind)) return(list(blocks))
  do.call(c, lapply(unname(blocks), flat_blocks))
}

show_blocks <- function(blocks) writeLines(as.character(render_blocks(blocks, "terminal")))

# Paragraphs apart by one line, none at the ends.
blocks_markdown <- function(blocks) {
  lines <- render_blocks(blocks, "markdown")
  blank <- !nzchar(lines)
  lines <- lines[!(blank & c(TRUE, utils::head(blank, -1)))]
  if (length(lines) > 0 && !nzchar(lines[length(lines)])) utils::head(lines, -1) else lines
}

wrap_lines <- function(text, indent = 0, exdent = 2, width = line_width() + 1) {
  unlist(lapply(text, function(one) strwrap(visible_text(one), width, indent = indent, exdent = exdent)))
}

heading_block <- function(...) new_block("heading", text = paste0(...))

block_heading <- function() {
  new_block_kind(
    terminal = function(block) cli::style_bold(wrap_lines(block$text)),
    markdown = function(block) c("", paste0("**", markdown_text(block$text), "**"), "")
  )
}

# Sentences, an element a paragraph.
text_block <- function(...) new_block("text", text = paste0(...))

block_text <- function() {
  new_block_kind(
    terminal = function(block) wrap_lines(block$text),
    markdown = function(block) as.vector(rbind("", vapply(block$text, markdown_sentences, ""), ""))
  )
}

markdown_sentences <- function(text) paste0(markdown_text(text), sentence_end(text), collapse = " ")

# An empty line of the terminal.
gap_block <- function() new_block("gap")

block_gap <- function() new_block_kind(terminal = function(block) "", markdown = function(block) "")

# A key to the signs of a terminal, which documents do not have.
legend_block <- function(...) new_block("legend", text = paste0(...))

block_legend <- function() {
  new_block_kind(terminal = function(block) wrap_lines(block$text), markdown = function(block) NULL)
}

table_block <- function(table, indent = 2, width = table_width()) {
  new_block("table", table = table, indent = indent, width = width)
}

block_table <- function() {
  new_block_kind(
    terminal = function(block) table_lines(block$table, block$indent, block$width),
    markdown = function(block) c("", table_markdown(block$table), "")
  )
}

# Points of equal weight.
list_block <- function(items) if (length(items) > 0) new_block("list", items = items)

block_list <- function() {
  new_block_kind(
    terminal = function(block) wrap_lines(block$items, 2, 4, line_width()),
    markdown = function(block) c("", paste("-", markdown_text(block$items)), "")
  )
}

# Points with what is said beneath each: `lines`, a list of texts a point.
points_block <- function(heads, lines, numbered = FALSE) {
  if (length(heads) > 0) new_block("points", heads = heads, lines = lines, numbered = numbered)
}

block_points <- function() {
  numbers <- function(block) sprintf("%d.", seq_along(block$heads))
  new_block_kind(
    terminal = function(block) {
      heads <- if (block$numbered) paste(numbers(block), block$heads) else block$heads
      unlist(Map(function(head, lines) c(wrap_lines(head), wrap_lines(lines, 3, 5, line_width())), heads, block$lines),
             use.names = FALSE)
    },
    markdown = function(block) {
      said <- Map(function(head, lines) markdown_sentences(c(head, lines)), block$heads, block$lines)
      c("", paste(if (block$numbered) numbers(block) else "-", unlist(said)), "")
    }
  )
}

# Findings, with what is said of each beneath it, nothing as wide as the line.
findings_block <- function(heads, lines = character(length(heads))) new_block("findings", heads = heads, lines = lines)

block_findings <- function() {
  new_block_kind(
    terminal = function(block) {
      unlist(Map(function(head, line) c(wrap_lines(head, 2, 4), if (nzchar(line)) wrap_lines(line, 4, 4)), block$heads,
                 block$lines), use.names = FALSE)
    },
    markdown = function(block) c("", paste("-", trimws(markdown_text(paste(block$heads, block$lines)))), "")
  )
}

# A text as it stands: code, commands.
code_block <- function(lines) new_block("code", lines = lines)

block_code <- function() {
  new_block_kind(
    terminal = function(block) block$lines,
    markdown = function(block) c("", "```", block$lines, "```", "")
  )
}
