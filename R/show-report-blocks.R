# Blocks that only documents have: figures, an equation, the path of a choice.

# A figure; `caption` is its title, `says` what is drawn.
figure_block <- function(plot) {
  heads <- attr(plot, "heads")
  new_block("figure", plot = plot, caption = one_line(heads$title), says = one_line(heads$says))
}

one_line <- function(text) if (is.null(text)) "" else gsub("\\s+", " ", paste(text, collapse = " "))

block_figure <- function() {
  new_block_kind(
    terminal = function(block) wrap_lines(sprintf("[Figure: %s]", block$caption)),
    markdown = function(block) {
      c("", sprintf("![%s](%s)", markdown_text(block$caption), block$path), "",
        sprintf("*Figure %d. %s.* %s", block$number, markdown_text(block$caption), markdown_text(block$says)), "")
    },
    html = function(block) {
      data <- function(size) base64_png(figure_bytes(block$plot, size))
      alt <- gsub("\"", "&quot;", html_safe(paste0(block$caption, ". ", block$says)), fixed = TRUE)
      c("<figure class=\"drawing\">",
        sprintf(paste0("<figcaption><span class=\"title\"><b>Figure %d</b>%s</span>",
                       "<span class=\"says\">%s</span></figcaption>"), block$number, html_safe(block$caption),
                html_safe(block$says)),
        "<picture>", sprintf("<source media=\"(max-width: 40em)\" srcset=\"%s\">", data("column")),
        sprintf("<img src=\"%s\" alt=\"%s\">", data("page"), alt), "</picture>", "</figure>")
    },
    latex = function(block) {
      c("\\begin{figure}[htbp]", "\\raggedright", sprintf("\\caption{%s}", latex_text(block$caption)),
        sprintf("{\\panelsmall %s\\par}\\smallskip", latex_text(block$says)),
        sprintf("\\includegraphics[width=\\linewidth]{%s}", block$path), "\\end{figure}", "")
    },
    word = function(block, doc) {
      file <- figure_file(block$plot, "png", "page")
      on.exit(unlink(file))
      grey <- word_text(10, word_grey)
      caption <- officer::fpar(
        officer::run_autonum(seq_id = "fig", pre_label = "Figure ", post_label = "", prop = grey),
        officer::ftext("\u2002", grey), officer::ftext(visible_text(block$caption), word_text(10, bold = TRUE)),
        fp_p = officer::fp_par(padding.top = 10, padding.bottom = 1, keep_with_next = TRUE, text.align = "left")
      )
      doc <- officer::body_add_fpar(doc, caption, style = word_caption)
      doc <- officer::body_add_fpar(doc, word_line(block$says, 9, word_grey, after = 3, keep = TRUE))
      shape <- png_size(file)
      width <- min(6.5, word_room(officer::docx_dim(doc), FALSE))
      officer::body_add_img(doc, file, width = width, height = width * shape[2] / shape[1])
    }
  )
}

# The drawing alone: its heads stand in the caption.
bare_figure <- function(plot) {
  attr(plot, "heads") <- list(title = NULL, says = NULL)
  plot$labels[c("title", "subtitle")] <- list(NULL, NULL)
  plot
}

figure_file <- function(plot, ending, size, dpi = 200) {
  file <- tempfile(fileext = paste0(".", ending))
  suppressMessages(save_figure(bare_figure(plot), file, size = size, dpi = dpi))
  file
}

figure_bytes <- function(plot, size) {
  file <- figure_file(plot, "png", size)
  on.exit(unlink(file))
  readBin(file, "raw", file.size(file))
}

base64_png <- function(bytes) {
  check_package("jsonlite", "writes figures into a page")
  paste0("data:image/png;base64,", gsub("\n", "", jsonlite::base64_enc(bytes), fixed = TRUE))
}

# Width and height in dots, of a PNG's head.
png_size <- function(file) {
  head <- as.integer(readBin(file, "raw", 24))
  c(sum(head[17:20] * 256^(3:0)), sum(head[21:24] * 256^(3:0)))
}

# ---- the equation ----

# A sum of terms: `left` and `terms` as texts with subscript()s, `where` what the symbols of effects are.
equation_block <- function(left, terms, where) new_block("equation", left = left, terms = terms, where = where)

# A subscript within such a text, between signs that no text has.
subscript <- function(text) paste0("\u0001", text, "\u0002")

# Text with its subscripts in the ways of a medium.
with_subscripts <- function(text, safe, before, after) {
  parts <- strsplit(text, "[\u0001\u0002]")[[1]]
  below <- seq_along(parts) %% 2 == 0
  paste0(ifelse(below, paste0(before, safe(parts), after), safe(parts)), collapse = "")
}

block_equation <- function() {
  line <- function(block, safe, before, after) {
    whole <- paste(c(block$left, "=", paste(block$terms, collapse = " + ")), collapse = " ")
    c(with_subscripts(whole, safe, before, after), vapply(block$where, with_subscripts, "", safe, before, after,
                                                          USE.NAMES = FALSE))
  }
  new_block_kind(
    terminal = function(block) wrap_lines(line(block, identity, "(", ")"), 2, 4),
    markdown = function(block) {
      said <- line(block, markdown_text, "<sub>", "</sub>")
      c("", said[1], "", if (length(said) > 1) c(paste(said[-1], collapse = " "), ""))
    },
    html = function(block) {
      said <- line(block, html_safe, "<sub>", "</sub>")
      c(sprintf("<p class=\"equation\">%s</p>", said[1]),
        if (length(said) > 1) sprintf("<p class=\"where\">%s</p>", paste(said[-1], collapse = " ")))
    },
    latex = function(block) {
      greek <- function(text) {
        text <- gsub("{[}U+", "[U+", latex_text(text), fixed = TRUE)
        for (sign in names(greek_letters)) {
          text <- gsub(sprintf("[U+%04X]", utf8ToInt(sign)), greek_letters[[sign]], text, fixed = TRUE)
        }
        text
      }
      as.vector(rbind(line(block, greek, "$_{\\mathrm{", "}}$"), ""))
    },
    word = function(block, doc) {
      said <- line(block, identity, "\u0001", "\u0002")
      for (one in said) doc <- officer::body_add_fpar(doc, word_subscripts(one))
      doc
    }
  )
}

greek_letters <- c("\u03b2" = "$\\beta$", "\u03b1" = "$\\alpha$", "\u03b3" = "$\\gamma$", "\u03b5" = "$\\varepsilon$",
                   "\u0394" = "$\\Delta$", "\u03b4" = "$\\delta$")

word_subscripts <- function(text) {
  parts <- strsplit(text, "[\u0001\u0002]")[[1]]
  runs <- lapply(seq_along(parts), function(i) {
    low <- i %% 2 == 0
    officer::ftext(visible_text(parts[i]), officer::fp_text(vertical.align = if (low) "subscript" else "baseline",
                                                            font.size = 11, font.family = "Cambria", italic = !low))
  })
  do.call(officer::fpar, c(runs, list(fp_p = officer::fp_par(padding.bottom = 4))))
}

# ---- the path ----

# Steps of a choice, each a question, what was found, its p in words or "", and what follows.
path_block <- function(questions, found, p, follows) {
  new_block("path", questions = questions, found = found, p = p, follows = follows)
}

block_path <- function() {
  said <- function(block) {
    sprintf("%s %s%s. %s", block$questions, upper_first(block$found),
            ifelse(nzchar(block$p), sprintf(" (%s)", block$p), ""), as_sentences(upper_first(block$follows)))
  }
  numbers <- function(block) sprintf("%d.", seq_along(block$questions))
  new_block_kind(
    terminal = function(block) wrap_lines(paste(numbers(block), said(block)), 0, 3),
    markdown = function(block) c("", paste(numbers(block), markdown_text(said(block))), ""),
    html = function(block) {
      c("<ol class=\"path\">", sprintf(
        "<li><span>%s</span><span class=\"found\"><b>%s</b>%s</span><span class=\"so\">%s</span></li>",
        html_safe(block$questions), html_safe(upper_first(block$found)),
        ifelse(nzchar(block$p), sprintf("<span class=\"p\">%s</span>", html_safe(block$p)), ""),
        html_sentences(upper_first(block$follows))
      ), "</ol>")
    },
    latex = function(block) latex_items(latex_text(said(block)), "enumerate"),
    word = function(block, doc) add_word_lines(doc, paste(numbers(block), said(block)))
  )
}
