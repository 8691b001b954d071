# A report as Markdown with a folder of figures, as a Word document, and as a PDF by LaTeX.

# Figures go to `folder`, beside the file; the blocks say where.
with_figure_files <- function(sections, folder, ending, write) {
  for (s in seq_along(sections)) {
    for (b in seq_along(sections[[s]]$blocks)) {
      block <- sections[[s]]$blocks[[b]]
      if (block$kind != "figure") next
      name <- sprintf("figure-%d.%s", block$number, ending)
      write(block$plot, name)
      sections[[s]]$blocks[[b]]$path <- if (nzchar(folder)) file.path(folder, name) else name
    }
  }
  sections
}

write_report_md <- function(report, file) {
  folder <- paste0(sub("\\.md$", "", basename(file), ignore.case = TRUE), "-figures")
  sections <- with_figure_files(numbered_blocks(report$sections), folder, "png", function(plot, name) {
    place <- file.path(dirname(file), folder)
    if (!dir.exists(place)) dir.create(place)
    suppressMessages(save_figure(bare_figure(plot), file.path(place, name), dpi = 200))
  })
  by <- report_byline(report)
  lines <- c(
    paste("#", markdown_text(report$title)), "", if (nzchar(by)) c(markdown_text(by), ""),
    if (!is.null(report$answer)) c(paste0("**", markdown_text(paste(as_sentences(report$answer$words), collapse = " ")),
                                          "**"), ""),
    unlist(lapply(sections, function(section) {
      c(paste("##", markdown_text(section$heading)), "", blocks_markdown(section$blocks), "")
    }))
  )
  write_text_file(lines, file)
}

write_report_html <- function(report, file) write_text_file(report_html(report), file)

write_report_docx <- function(report, file) {
  for (package in c("officer", "flextable", "xml2")) check_package(package, "writes Word files")
  doc <- word_document(NULL)
  doc <- officer::body_add_par(doc, visible_text(report$title), style = "heading 1")
  by <- report_byline(report)
  if (nzchar(by)) doc <- officer::body_add_fpar(doc, word_line(by, 10, word_grey, after = 8))
  for (line in set_sentences(report$answer$words)) {
    doc <- officer::body_add_fpar(doc, officer::fpar(
      officer::ftext(visible_text(line), officer::fp_text(font.size = 13, font.family = "Cambria", color = word_ink)),
      fp_p = officer::fp_par(padding.bottom = 8, line_spacing = 1.15)
    ))
  }
  for (section in numbered_blocks(report$sections)) {
    doc <- officer::body_add_par(doc, visible_text(section$heading), style = "heading 2")
    for (block in section$blocks) doc <- word_block(block, doc)
  }
  write_packed(file, "docx", function(path) print(doc, target = path), "word/document.xml", "</w:document>",
               list("word/document.xml" = function(text) keep_rows_together(plain_headings(text), 0)))
}

# The headings of the template are numbered; these are not, and stay headings.
plain_headings <- function(text) {
  gsub("(<w:pStyle w:val=\"Titre[1-3]\"/>)", "\\1<w:numPr><w:ilvl w:val=\"0\"/><w:numId w:val=\"0\"/></w:numPr>", text)
}

word_block <- function(block, doc) {
  if (block$kind == "heading") return(officer::body_add_par(doc, visible_text(block$text), style = "heading 3"))
  get(paste0("block_", block$kind), mode = "function")()$word(block, doc)
}

write_report_pdf <- function(report, file) {
  if (!nzchar(Sys.which("pdflatex"))) {
    stop_wavetax("package_needed", "A PDF needs `pdflatex`, which is not on the path.",
                 todo = c("Install a TeX distribution, or write `.html`, which browsers print to PDF,", "or `.docx`."))
  }
  folder <- tempfile("report")
  dir.create(folder)
  on.exit(unlink(folder, recursive = TRUE))
  sections <- with_figure_files(numbered_blocks(report$sections), "", "pdf", function(plot, name) {
    suppressMessages(save_figure(bare_figure(plot), file.path(folder, name)))
  })
  write_text_file(report_latex(report, sections), file.path(folder, "report.tex"))
  run_latex(folder)
  made <- file.path(folder, "report.pdf")
  write_whole_file(file, function(path) write_bytes(list(readBin(made, "raw", file.size(made))), path, file))
}

report_latex <- function(report, sections) {
  by <- report_byline(report)
  c(
    latex_preamble, "\\usepackage{graphicx}", "\\usepackage{parskip}", "\\usepackage{float}",
    "\\makeatletter\\def\\fps@figure{H}\\def\\fps@table{H}\\makeatother",
    latex_macros, "\\begin{document}", sprintf("{\\LARGE\\bfseries\\raggedright %s\\par}", latex_text(report$title)),
    if (nzchar(by)) sprintf("{\\color[HTML]{55656F}%s\\par}", latex_text(by)),
    if (!is.null(report$answer)) sprintf("\\medskip{\\large\\raggedright %s\\par}\\medskip",
                                         paste(latex_sentences(report$answer$words), collapse = " ")),
    unlist(lapply(sections, function(section) {
      lines <- render_blocks(section$blocks, "latex")
      # Where they are told of, not where there is room.
      lines <- sub("\\begin{table}[tbp]", "\\begin{table}[H]", lines, fixed = TRUE)
      c(sprintf("\\section*{%s}", latex_text(section$heading)),
        sub("\\begin{figure}[htbp]", "\\begin{figure}[H]", lines,
                                                                    fixed = TRUE))
    })),
    "\\end{document}"
  )
}

# Twice the same bytes: the date is a constant unless the caller set one.
run_latex <- function(folder) {
  epoch <- Sys.getenv("SOURCE_DATE_EPOCH", "1609459200")
  before <- setwd(folder)
  on.exit(setwd(before))
  log <- suppressWarnings(system2("pdflatex", c("-interaction=nonstopmode", "-halt-on-error", "report.tex"),
                                  stdout = TRUE,
                                  stderr = TRUE, env = c(paste0("SOURCE_DATE_EPOCH=", epoch), "FORCE_SOURCE_DATE=1")))
  if (file.exists("report.pdf")) return(invisible())
  wrong <- grep("^!", log, value = TRUE)
  stop_wavetax("report", "LaTeX could not set the report.", where = utils::head(wrong, 2),
               todo = "Write `.html` or `.docx`, and tell us of it.")
}
