# What is printed, as a list of blocks: the terminal and Markdown render the same list, and a document can. A block is
# a list with `kind`, the name of what says how it is rendered, block_<kind>() below, and its content. How a kind is
# rendered is a list of functions of the block that give lines: `terminal`, `markdown`, `html`, `latex`; and `word`, a
# function(block, doc) that adds it to a Word document.
new_block_kind <- function(terminal, markdown, html = plain_html(terminal), latex = plain_latex(terminal),
                           word = plain_word(terminal)) {
  list(terminal = terminal, markdown = markdown, html = html, latex = latex, word = word)
}

# Of a kind that says nothing of a medium, what a terminal would show.
plain_html <- function(terminal) {
  function(block) sprintf("<pre>%s</pre>", paste(html_safe(terminal(block)), collapse = "\n"))
}
plain_latex <- function(terminal) function(block) as.vector(rbind(latex_text(terminal(block)), ""))
plain_word <- function(terminal) function(block, doc) add_word_lines(doc, terminal(block))

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
    markdown = function(block) c("", paste0("**", markdown_text(block$text), "**"), ""),
    html = function(block) sprintf("<h3>%s</h3>", html_safe(block$text)),
    latex = function(block) sprintf("\\subsection*{%s}", latex_text(block$text)),
    word = function(block, doc) officer::body_add_par(doc, visible_text(block$text), style = "heading 2")
  )
}

# Sentences, an element a paragraph.
text_block <- function(...) new_block("text", text = paste0(...))

block_text <- function() {
  new_block_kind(
    terminal = function(block) wrap_lines(block$text),
    markdown = function(block) as.vector(rbind("", vapply(block$text, markdown_sentences, ""), "")),
    html = function(block) sprintf("<p>%s</p>", html_sentences(block$text)),
    latex = function(block) as.vector(rbind(latex_sentences(block$text), "")),
    word = function(block, doc) add_word_lines(doc, set_sentences(block$text))
  )
}

html_sentences <- function(text) gsub("`([^`]+)`", "<code>\\1</code>", html_safe(set_sentences(text)))
latex_sentences <- function(text) latex_text(gsub("`", "", set_sentences(text), fixed = TRUE))

# Whole, with a true minus before numbers.
set_sentences <- function(text) gsub("(^|[ (])-([0-9])", "\\1\u2212\\2", as_sentences(text))

# Paragraphs of a Word document; what begins with a bullet or a number stands in.
add_word_lines <- function(doc, lines) {
  for (line in lines) {
    point <- grepl("^(\u2022|[0-9]+[.]) ", line)
    doc <- officer::body_add_fpar(doc, officer::fpar(
      officer::ftext(visible_text(gsub("`", "", line, fixed = TRUE)), officer::fp_text(font.size = 11,
                                                                                    font.family = "Cambria")),
      fp_p = officer::fp_par(padding.bottom = if (point) 3 else 6, padding.left = if (point) 10 else 0,
                             line_spacing = 1.1)
    ))
  }
  doc
}

markdown_sentences <- function(text) paste0(markdown_text(text), sentence_end(text), collapse = " ")

# An empty line of the terminal.
gap_block <- function() new_block("gap")

block_gap <- function() {
  nothing <- function(block) NULL
  new_block_kind(terminal = function(block) "", markdown = function(block) "", html = nothing, latex = nothing,
                 word = function(block, doc) doc)
}

# A key to the signs of a terminal, which documents do not have.
legend_block <- function(...) new_block("legend", text = paste0(...))

block_legend <- function() {
  nothing <- function(block) NULL
  new_block_kind(terminal = function(block) wrap_lines(block$text), markdown = nothing, html = nothing, latex = nothing,
                 word = function(block, doc) doc)
}

table_block <- function(table, indent = 2, width = table_width()) {
  new_block("table", table = table, indent = indent, width = width)
}

# Points of equal weight.
list_block <- function(items) if (length(items) > 0) new_block("list", items = items)

block_list <- function() {
  new_block_kind(
    terminal = function(block) wrap_lines(block$items, 2, 4, line_width()),
    markdown = function(block) c("", paste("-", markdown_text(block$items)), ""),
    html = function(block) c("<ul>", sprintf("<li>%s</li>", html_sentences(block$items)), "</ul>"),
    latex = function(block) latex_items(latex_sentences(block$items)),
    word = function(block, doc) add_word_lines(doc, paste("\u2022", set_sentences(block$items)))
  )
}

latex_items <- function(items, kind = "itemize") {
  c(sprintf("\\begin{%s}", kind), paste("\\item", items), sprintf("\\end{%s}", kind))
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
    },
    html = function(block) {
      said <- vapply(said_points(block), function(one) paste(html_sentences(one), collapse = " "), "")
      kind <- if (block$numbered) "ol" else "ul"
      c(sprintf("<%s class=\"points\">", kind), sprintf("<li>%s</li>", said), sprintf("</%s>", kind))
    },
    latex = function(block) {
      said <- vapply(said_points(block), function(one) paste(latex_sentences(one), collapse = " "), "")
      latex_items(said, if (block$numbered) "enumerate" else "itemize")
    },
    word = function(block, doc) {
      said <- vapply(said_points(block), function(one) paste(set_sentences(one), collapse = " "), "")
      add_word_lines(doc, paste(if (block$numbered) numbers(block) else "\u2022", said))
    }
  )
}

# Each point with what stands beneath.
said_points <- function(block) Map(c, block$heads, block$lines)

# Findings, with what is said of each beneath it, nothing as wide as the line.
findings_block <- function(heads, lines = character(length(heads))) new_block("findings", heads = heads, lines = lines)

block_findings <- function() {
  new_block_kind(
    terminal = function(block) {
      unlist(Map(function(head, line) c(wrap_lines(head, 2, 4), if (nzchar(line)) wrap_lines(line, 4, 4)), block$heads,
                 block$lines), use.names = FALSE)
    },
    markdown = function(block) c("", paste("-", trimws(markdown_text(paste(block$heads, block$lines)))), ""),
    html = function(block) {
      c("<ul>", sprintf("<li>%s</li>", html_sentences(trimws(paste(block$heads, block$lines)))), "</ul>")
    },
    latex = function(block) latex_items(latex_sentences(trimws(paste(block$heads, block$lines)))),
    word = function(block, doc) add_word_lines(doc, paste("\u2022", trimws(paste(block$heads, block$lines))))
  )
}

# A text as it stands: code, commands.
code_block <- function(lines) new_block("code", lines = lines)

block_code <- function() {
  new_block_kind(
    terminal = function(block) block$lines,
    markdown = function(block) c("", "```", block$lines, "```", ""),
    html = function(block) sprintf("<pre>%s</pre>", paste(html_safe(block$lines), collapse = "\n")),
    latex = function(block) c("{\\small\\ttfamily\\raggedright", paste0(latex_code(block$lines), "\\par"), "}"),
    word = function(block, doc) {
      for (line in block$lines) {
        doc <- officer::body_add_fpar(doc, officer::fpar(officer::ftext(visible_text(line), officer::fp_text(
          font.family = "Consolas", font.size = 8))))
      }
      doc
    }
  )
}

# Blanks at the start of a line of code stay.
latex_code <- function(lines) {
  indent <- attr(regexpr("^ *", lines), "match.length")
  paste0(strrep("\\ ", indent), latex_text(sub("^ +", "", lines)))
}
