# A table value as a Word table: heads that repeat, a caption that Word numbers and lists, numbers on their point, a
# term
# and what stands beneath never parted by the end of a page.

writer_docx <- function() {
  new_table_writer(function(tables, file, how) {
    for (package in c("officer", "flextable")) check_package(package, "writes Word files")
    doc <- word_document(how$onto)
    before <- length(xml2::xml_find_all(officer::docx_body_xml(doc), "//w:tbl"))
    dim <- officer::docx_dim(doc)
    turned <- dim$page[["width"]] > dim$page[["height"]]
    for (table in tables) {
      wide <- nrow(table$columns) > most_upright[["turned"]]
      if (wide != turned) doc <- turn_page(doc, turned, dim)
      turned <- wide
      doc <- add_word_table(doc, table, word_room(dim, turned))
    }
    write_packed(file, "docx", function(path) print(doc, target = path), "word/document.xml", "</w:document>",
                 list("word/document.xml" = function(text) keep_rows_together(text, before)))
  }, several = TRUE, appends = TRUE)
}

# A packed file is made beside, packed again, and looked at: whether its main part is whole.
write_packed <- function(file, ending, make, part, end, edit = list()) {
  made <- tempfile(fileext = paste0(".", ending))
  on.exit(unlink(made))
  write_whole_file(file, function(path) {
    make(made)
    pack_again(made, edit)
    write_bytes(list(readBin(made, "raw", file.size(made))), path, file)
  }, function(path) {
    if (!identical(file.size(path), file.size(made)) || !part_ends(path, part, end)) "It is not whole."
  })
}

word_face <- "Arial"  # lining figures of one width: a digit is 0.556 of its size wide, a point 0.278
word_ink <- "#1B282F"
word_grey <- "#55656F"
word_hair <- "#B9C5CB"

word_document <- function(onto) {
  doc <- if (is.null(onto)) officer::read_docx() else tryCatch(officer::read_docx(onto), error = function(cnd) {
    stop_wavetax("cannot_write", sprintf("%s is no Word file to add to.", sQuote(onto, FALSE)),
                 todo = "Leave `append` out to replace it.")
  })
  if (word_caption %in% officer::styles_info(doc)$style_name) return(doc)
  officer::docx_set_paragraph_style(
    doc, gsub(" ", "", word_caption), word_caption,
    fp_p = officer::fp_par(text.align = "left", padding.top = 16, padding.bottom = 1, keep_with_next = TRUE)
  )
}

word_caption <- "Panel table heading"

word_text <- function(size, color = word_ink, bold = FALSE) {
  officer::fp_text(font.family = word_face, font.size = size, color = color, bold = bold, italic = FALSE)
}

word_line <- function(text, size, color, before = 0, after = 0, keep = FALSE) {
  officer::fpar(officer::ftext(visible_text(text), word_text(size, color)),
                fp_p = officer::fp_par(padding.top = before, padding.bottom = after, keep_with_next = keep,
                                       line_spacing = 1.1))
}

add_word_table <- function(doc, table, room) {
  look <- table_layout(table)
  grey <- word_text(10, word_grey)
  title <- officer::fpar(
    officer::run_autonum(seq_id = "tab", pre_label = "Table ", post_label = "", prop = grey),
    officer::ftext("\u2002", grey),
    officer::ftext(visible_text(look$title), word_text(10, bold = TRUE)),
    fp_p = officer::fp_par(padding.top = 10, padding.bottom = 1, keep_with_next = TRUE, text.align = "left")
  )
  doc <- officer::body_add_fpar(doc, title, style = word_caption)
  if (length(look$says) > 0) {
    doc <- officer::body_add_fpar(doc, word_line(paste(look$says, collapse = " "), 9, word_grey, after = 5,
                                                 keep = TRUE))
  }
  doc <- flextable::body_add_flextable(doc, word_table(look, room), align = "left")
  for (note in look$notes) doc <- officer::body_add_fpar(doc, word_line(note, 8, word_grey, before = 2))
  doc
}

# Inches between the margins.
word_room <- function(dim, turned) {
  across <- if (turned) max else min
  across(dim$page[["width"]], dim$page[["height"]]) - dim$margins[["left"]] - dim$margins[["right"]]
}

# The pages from here on turned where they were upright, and the other way round: what stands before is closed as the
# section that it was.
turn_page <- function(doc, turned, dim) {
  sides <- sort(c(dim$page[["width"]], dim$page[["height"]]))
  margins <- dim$margins[c("top", "bottom", "left", "right", "header", "footer")]
  section <- function(turned) {
    officer::prop_section(
      page_size = officer::page_size(width = sides[1], height = sides[2], orient = if (turned) "landscape" else
                                     "portrait"),
      page_margins = do.call(officer::page_mar, c(as.list(margins), gutter = 0)), type = "nextPage"
    )
  }
  if (length(doc) > 1) doc <- officer::body_end_block_section(doc, officer::block_section(section(turned)))
  officer::body_set_default_section(doc, section(!turned))
}

word_table <- function(look, room) {
  n <- length(look$heads)
  size <- if (n > most_upright[["close"]]) 8 else 9
  small <- size - 1
  keys <- sprintf("c%d", seq_len(n))
  # An empty column between groups: rules under the heads over heads end where their group does.
  grouped <- any(nzchar(look$over$head))
  gaps <- if (grouped) utils::head(look$over$to, -1) else integer()
  columns <- unlist(c("stub", lapply(seq_len(n), function(j) c(keys[j], if (j %in% gaps) paste0("gap", j)))))
  lines <- look$lines
  body <- stats::setNames(lapply(columns, function(column) {
    if (column == "stub") return(visible_text(lines$label))
    if (startsWith(column, "gap")) return(rep("", nrow(lines)))
    cell <- look$cells[[match(column, keys)]]
    visible_text(paste0(cell$words, cell$mark))
  }), columns)
  x <- flextable::flextable(as.data.frame(body))
  x <- flextable::delete_part(x, "header")
  heads <- stats::setNames(rep("", length(columns)), columns)
  heads["stub"] <- visible_text(look$stub)
  heads[keys] <- visible_text(look$heads)
  x <- flextable::add_header_row(x, values = unname(heads), colwidths = rep(1, length(columns)), top = TRUE)
  if (grouped) {
    over <- heads
    over[] <- ""
    for (g in seq_len(nrow(look$over))) over[keys[look$over$from[g]:look$over$to[g]]] <- visible_text(look$over$head[g])
    x <- flextable::add_header_row(x, values = unname(over), colwidths = rep(1, length(columns)), top = TRUE)
    x <- flextable::merge_h(x, i = 1, part = "header")
  }
  x <- word_style(x, look, size, small, match(keys, columns), grouped)
  widths <- word_widths(look, room - 0.1 * length(gaps), size)
  x <- flextable::width(x, j = 1, width = widths[1])
  for (j in seq_len(n)) x <- flextable::width(x, j = keys[j], width = widths[j + 1])
  if (length(gaps) > 0) x <- flextable::width(x, j = grep("^gap", columns), width = 0.1)
  x <- flextable::hrule(flextable::height_all(x, height = 0.01, part = "all"), rule = "auto", part = "all")
  flextable::set_table_properties(x, layout = "fixed", align = "left")
}

word_style <- function(x, look, size, small, numbers, grouped) {
  strong <- officer::fp_border(color = word_ink, width = 1.25)
  fine <- officer::fp_border(color = word_hair, width = 0.75)
  lines <- look$lines
  kind <- lines$kind
  x <- flextable::border_remove(x)
  x <- flextable::font(x, fontname = word_face, part = "all")
  x <- flextable::fontsize(x, size = size, part = "all")
  x <- flextable::color(x, color = word_ink, part = "all")
  x <- flextable::line_spacing(x, space = 1, part = "all")
  x <- flextable::padding(x, padding = 0, part = "all")
  x <- flextable::align(x, align = "right", part = "all")
  left <- c(1, numbers[vapply(look$cells, function(one) length(one$place) > 0 && all(one$place == "left"), TRUE)])
  x <- flextable::align(x, j = left, align = "left", part = "all")
  x <- flextable::valign(x, valign = "bottom", part = "all")
  if (any(vapply(look$cells, is_prose, TRUE))) x <- flextable::valign(x, valign = "top", part = "body")
  heads <- flextable::nrow_part(x, "header")
  x <- flextable::padding(x, i = heads, padding.top = 2, padding.bottom = 3, part = "header")
  x <- flextable::padding(x, j = numbers, padding.left = 7, part = "all")
  if (grouped) {
    x <- flextable::align(x, i = 1, j = numbers, align = "center", part = "header")
    x <- flextable::padding(x, i = 1, padding.bottom = 2, part = "header")
    named <- unlist(Map(function(head, from, to) if (nzchar(head)) numbers[from:to], look$over$head, look$over$from,
                        look$over$to))
    x <- flextable::hline(x, i = 1, j = unname(named), border = fine, part = "header")
  }
  x <- flextable::hline_bottom(x, border = strong, part = "header")
  if (nrow(lines) == 0) return(x)
  at <- function(...) which(kind %in% c(...))
  if (length(at("term")) > 0) x <- flextable::padding(x, i = at("term"), padding.top = 5)
  if (length(at("fact", "row")) > 0) x <- flextable::padding(x, i = at("fact", "row"), padding.top = 2)
  if (length(at("part")) > 0) {
    x <- flextable::padding(flextable::bold(x, i = at("part"), j = 1), i = at("part"), padding.top = 6)
    x <- flextable::merge_h_range(x, i = at("part"), j1 = 1, j2 = max(c(1, numbers)))
  }
  if (any(lines$depth > 0)) x <- flextable::padding(x, i = which(lines$depth > 0), j = 1, padding.left = 9)
  below <- at("below")
  if (length(below) > 0) {
    x <- flextable::color(flextable::fontsize(x, i = below, size = small), i = below, color = word_grey)
    x <- flextable::valign(x, i = below, valign = "top")
  }
  fact <- match("fact", kind, nomatch = 0)
  if (fact > 1) {
    x <- flextable::padding(x, i = fact - 1, padding.bottom = 4)
    x <- flextable::hline(flextable::padding(x, i = fact, padding.top = 4), i = fact - 1, border = fine)
  }
  x <- flextable::padding(x, i = nrow(lines), padding.bottom = 3)
  x <- flextable::hline_bottom(x, border = strong, part = "body")
  for (j in seq_along(numbers)) {
    cell <- look$cells[[j]]
    own <- ifelse(kind == "below", small, size)
    lacks <- size * (0.556 * look$places[j] + 0.278 * (look$places[j] > 0)) -
      own * (0.556 * cell$places + 0.278 * (cell$places > 0))
    # A sign behind hangs over: all others of the column have its room besides.
    hang <- own * 0.5 * nchar(cell$mark)
    lacks <- ifelse(cell$place == "point", round(pmax(0, lacks + max(hang) - hang), 2), 0)
    for (value in setdiff(unique(lacks), 0)) {
      x <- flextable::padding(x, i = which(lacks == value), j = numbers[j], padding.right = value)
    }
  }
  x
}

# Inches of the stub and of each column: what their words take, of sentences what is left.
word_widths <- function(look, room, size) {
  em <- size / 72
  across <- function(words) max(c(0, nchar(words, "width"))) * 0.52 * em
  widths <- vapply(seq_along(look$heads), function(j) {
    head <- two_lines(look$heads[j])
    cell <- look$cells[[j]]
    shown <- nchar(cell$words, "width") + ifelse(cell$place == "point", look$places[j] - cell$places +
                                                 nchar(cell$mark), 0)
    max(0.35, max(c(0, shown)) * 0.6 * em, across(c(head$first, head$second)) * 1.05) + 0.14
  }, 0)
  prose <- widths > 2
  stub <- min(across(look$lines$label[look$lines$kind != "part"]) + 0.1, 2.4, room)
  if (any(prose)) widths[prose] <- max(1.2, (room - stub - sum(widths[!prose])) / sum(prose))
  stub <- max(min(stub, room - sum(widths)), 1.1, across(look$stub) + 0.1)
  if (stub + sum(widths) > room) widths <- widths * max(0.5, (room - stub) / sum(widths))
  c(stub, widths)
}

# In the text of a document, of the tables after the first `before`: stray text between the cells is taken out, and the
# rows of a short one are kept on one page with each other, of a longer one a term with what stands beneath. Cells do
# not break, whatever face the reader has.
keep_rows_together <- function(text, before) {
  starts <- gregexpr("<w:tbl[ >]", text)[[1]]
  ends <- gregexpr("</w:tbl>", text, fixed = TRUE)[[1]]
  if (starts[1] < 0) return(text)
  for (t in rev(seq_along(starts)[seq_along(starts) > before])) {
    table <- substr(text, starts[t], ends[t] - 1)
    table <- gsub("(</w:tc>|</w:trPr>|<w:tr [^>]*>|<w:tr>)[^<]+<", "\\1<", table, perl = TRUE)
    rows <- strsplit(table, "</w:tr>", fixed = TRUE)[[1]]
    numbers <- grepl("<w:jc w:val=\"(right|end)\"/>", rows)
    rows[numbers] <- gsub("<w:tcMar>", "<w:noWrap/><w:tcMar>", rows[numbers], fixed = TRUE)
    joined <- if (length(rows) <= most_kept_rows) seq_along(rows) else seq(1, length(rows), by = 2)
    rows[joined] <- gsub("<w:pPr>(<w:pStyle[^>]*/>)?", "<w:pPr>\\1<w:keepNext/>", rows[joined], perl = TRUE)
    table <- paste0(rows, ifelse(grepl("<w:tr", rows, fixed = TRUE), "</w:tr>", ""), collapse = "")
    text <- paste0(substr(text, 1, starts[t] - 1), table, substr(text, ends[t], nchar(text)))
  }
  text
}

# Longer tables would leave a page half empty before them.
most_kept_rows <- 16
