# A table value in LaTeX: a piece to be read in, which needs booktabs alone, or a document that compiles by itself.

writer_tex <- function() {
  text_table_writer(function(tables, fragment) {
    body <- unlist(lapply(tables, latex_table, turns = !fragment))
    if (fragment) return(c(latex_needs, latex_macros, body))
    c(latex_preamble, latex_macros, "\\begin{document}", body, "\\end{document}")
  }, several = TRUE, join = join_latex, fragments = TRUE)
}

# Into a document before its end, to a piece at its end.
join_latex <- function(before, lines) {
  end <- which(startsWith(trimws(before), "\\end{document}"))
  is_document <- length(end) > 0
  tables <- which(startsWith(lines, "\\begin{table}") | startsWith(lines, "\\begin{landscape}"))[1]
  own <- if (any(startsWith(lines, "\\begin{document}"))) {
    lines[tables:(which(startsWith(lines, "\\end{document}")) - 1)]
  } else {
    lines[tables:length(lines)]
  }
  if (!is_document) return(c(before, own))
  append(before, own, end[1] - 1)
}

latex_needs <- "% To be read in with \\input{}. It needs \\usepackage{booktabs} and nothing else."

# A document may define these otherwise before it reads a table in.
latex_macros <- c(
  "\\providecommand{\\panelsmall}{\\footnotesize}  % units, what stands beneath, notes",
  "\\providecommand{\\panelgap}{1.1em}  % between one group of columns and the next",
  "\\ifdefined\\panelroom\\else\\newlength{\\panelroom}\\fi  % behind the decimal point",
  "\\providecommand{\\belowfill}[1]{\\setbox0=\\hbox{\\panelsmall #1}\\kern\\dimexpr\\panelroom-\\wd0\\relax}"
)

latex_preamble <- c(
  "\\documentclass[11pt]{article}", "\\usepackage[utf8]{inputenc}", "\\usepackage[margin=1in]{geometry}",
  "\\usepackage{booktabs}", "\\usepackage{xcolor}", "\\usepackage{pdflscape}",
  "\\newcommand{\\panelsmall}{\\footnotesize\\color[HTML]{55656F}}",
  "\\makeatletter",
  "\\renewcommand{\\@makecaption}[2]{\\raggedright{\\color[HTML]{55656F}#1}\\enspace\\textbf{#2}\\par\\vskip 2pt}",
  "\\makeatother"
)

# Type steps down with the width of the table; a document of its own turns the page for very many columns.
latex_table <- function(table, turns) {
  look <- table_layout(table)
  turned <- turns && length(look$heads) > most_upright[["turned"]]
  page <- latex_measure(look, if (turned) 9 else 6.5)
  if (!page$fits && turns && !turned) {
    turned <- TRUE
    page <- latex_measure(look, 9)
  }
  c(
    if (!page$fits) "% Wider than the page: turn it (pdflscape), or leave columns or what stands beneath out.",
    if (turned) "\\begin{landscape}", "\\begin{table}[tbp]", "\\raggedright",
    if (nzchar(look$title)) {
      sprintf("\\caption{%s}\\label{tab:%s}", latex_text(look$title),
              gsub("^-|-$", "", gsub("[^a-z0-9]+", "-", lower_case(look$title))))
    },
    paste0("\\", page$size),
    if (page$size != "small") "\\let\\panelusual\\panelsmall\\renewcommand{\\panelsmall}{\\panelusual\\scriptsize}",
    if (page$size != "small") "\\renewcommand{\\panelgap}{0.7em}",
    sprintf("\\settowidth{\\panelroom}{.%s}", strrep("0", max(c(0, look$places)))),
    sprintf("\\setlength{\\tabcolsep}{%.1fpt}", page$apart),
    if (length(look$says) > 0) sprintf("{\\panelsmall %s\\par}\\smallskip",
                                       latex_text(paste(look$says, collapse = " "))),
    sprintf("\\begin{tabular}{@{}l%s@{}}", latex_columns(look)), latex_heads(look), "\\midrule[\\heavyrulewidth]",
    latex_lines(look, page), "\\bottomrule", "\\end{tabular}",
    if (length(look$notes) > 0) c("\\par\\smallskip", "\\begin{minipage}{\\linewidth}\\raggedright\\panelsmall",
                                  paste0(latex_text(look$notes), "\\par"), "\\end{minipage}"),
    "\\end{table}", if (turned) "\\end{landscape}"
  )
}

# list(fits, size, apart, the points between columns; stub and prose, inches of labels and of columns of sentences): the
# first
# size at which the table fits into `room` inches.
latex_measure <- function(look, room) {
  words <- vapply(seq_along(look$cells), function(j) {
    cell <- look$cells[[j]]
    most <- if (is_prose(cell)) 0 else max(c(0, nchar(cell$words) +
                                             ifelse(cell$place == "point", max(look$places) - cell$places, 0)))
    head <- two_lines(look$heads[j])
    max(most, nchar(head$first), nchar(head$second))
  }, 0)
  prose <- vapply(look$cells, is_prose, TRUE)
  labels <- max(c(nchar(look$stub), 4, nchar(look$lines$label[look$lines$kind != "part"])))
  sizes <- c(small = 0.073, footnotesize = 0.067, scriptsize = 0.06)
  for (size in names(sizes)) {
    em <- sizes[[size]]
    apart <- if (size == "small") 4.5 else if (size == "footnotesize") 3.3 else 2.5
    stub <- min(labels * em, if (size == "small") 2.3 else 1.5)
    taken <- stub + sum(words[!prose]) * em + 2 * apart / 72 * length(words) + 0.1 * sum(look$over$to < length(words))
    left <- if (any(prose)) (room - taken) / sum(prose) else 0
    fits <- if (any(prose)) left >= 1.8 else taken <= room
    if (fits) break
  }
  list(fits = fits || any(prose), size = size, apart = apart, stub = stub, em = em, prose = max(1.2, left))
}

latex_columns <- function(look) {
  form <- vapply(look$cells, function(one) if (all(one$place == "left")) "l" else "r", "")
  last <- seq_along(form) %in% utils::head(look$over$to, -1) & any(nzchar(look$over$head))
  paste0(form, ifelse(last, "@{\\hspace{\\panelgap}}", ""), collapse = "")
}

# Heads stand on the rule, of two lines at most; those over them have a fine rule that ends with their group.
latex_heads <- function(look) {
  over <- look$over
  grouped <- any(nzchar(over$head))
  last <- seq_len(nrow(over)) == nrow(over)
  gap <- ifelse(last, "@{}", "@{\\hspace{\\panelgap}}")
  n <- length(look$heads)
  heads <- two_lines(look$heads, vapply(look$cells, is_prose, TRUE))
  form <- vapply(look$cells, function(one) if (all(one$place == "left")) "l" else "r", "")
  end <- rep("", n)
  if (grouped) end[over$to] <- gap
  if (n > 0) end[n] <- "@{}"
  line <- function(words) {
    sprintf("\\multicolumn{1}{%s%s}{%s}", form, end, latex_text(words))
  }
  row <- function(stub, words) paste0(paste(c(stub, if (n > 0) line(words)), collapse = " & "), " \\\\")
  c(
    if (grouped) {
      cells <- sprintf("\\multicolumn{%d}{c%s}{%s}", over$to - over$from + 1, gap, latex_text(over$head))
      rules <- sprintf("\\cmidrule(l{\\tabcolsep}r{%s}){%d-%d}", ifelse(last, "0pt", "\\panelgap"), over$from + 1,
                       over$to + 1)
      c(paste0(paste(c("", cells), collapse = " & "), " \\\\"), paste(rules[nzchar(over$head)], collapse = ""))
    },
    if (any(nzchar(heads$first))) row("", heads$first), row(latex_text(look$stub), heads$second)
  )
}

# Long heads broken once, as evenly as their words allow; short ones stand in the second line.
two_lines <- function(heads, whole = logical(length(heads)), most = 12) {
  parts <- lapply(seq_along(heads), function(j) {
    head <- heads[j]
    words <- strsplit(head, " ", fixed = TRUE)[[1]]
    if (nchar(head) <= most || length(words) < 2 || whole[j]) return(c("", head))
    ends <- cumsum(nchar(words) + 1)
    cut <- which.min(abs(ends[-length(ends)] - max(ends) / 2))
    c(paste(words[seq_len(cut)], collapse = " "), paste(words[-seq_len(cut)], collapse = " "))
  })
  list(first = vapply(parts, `[`, "", 1), second = vapply(parts, `[`, "", 2))
}

latex_lines <- function(look, page) {
  lines <- look$lines
  below <- lines$kind == "below"
  cells <- lapply(look$cells, function(cell) {
    words <- latex_text(cell$words)
    point <- cell$place == "point" & nzchar(cell$words) & any(cell$places > 0)
    if (is_prose(cell)) words <- sprintf("\\parbox[t]{%.2fin}{\\raggedright %s\\strut}", page$prose, words)
    # The cell is the number; what its column's longest decimals take more stands behind it.
    behind <- ifelse(grepl(".", cell$words, fixed = TRUE), sub("^[^.]*", "", cell$words), "")
    lacks <- paste0(ifelse(nzchar(behind) | max(cell$places) == 0, "", "."),
                    strrep("0", max(look$places) - cell$places))
    fill <- ifelse(nzchar(lacks), sprintf("\\phantom{%s}", lacks), "")
    mark <- ifelse(nzchar(cell$mark), sprintf("\\rlap{%s}", latex_text(cell$mark)), "")
    words[point] <- ifelse(below, sprintf("{\\panelsmall %s}\\belowfill{%s}", words, behind),
                           paste0(words, mark, fill))[point]
    plain <- below & !point & nzchar(words)
    words[plain] <- sprintf("{\\panelsmall %s}", words[plain])
    words
  })
  labels <- latex_label(lines$label, below, page)
  labels <- ifelse(lines$depth > 0, paste0("\\hspace*{0.8em}", labels), labels)
  rows <- if (length(cells) == 0) labels else do.call(paste, c(list(labels), cells, sep = " & "))
  part <- lines$kind == "part"
  rows[part] <- sprintf("\\multicolumn{%d}{@{}l@{}}{%s}", length(look$heads) + 1,
                        latex_label(lines$label[part], FALSE, page, bold = TRUE))
  # A term and what stands beneath are one thing: the space is behind the pair.
  follows <- c(lines$kind[-1], "end")
  closes <- lines$kind %in% c("term", "below") & follows == "term"
  first_fact <- match("fact", lines$kind, nomatch = 0)
  c(
    unlist(lapply(seq_along(rows), function(r) {
      c(if (r == first_fact && r > 1) "\\midrule", if (part[r] && r > 1) "\\addlinespace",
        paste0(rows[r], " \\\\", if (closes[r]) "[3pt]"))
    }))
  )
}

# A long label breaks into lines of its own, an estimate stands on its last and what is beneath on the unit's first;
# its type is set outside of the box, or its first line moves.
latex_label <- function(label, small, page, bold = FALSE) {
  text <- latex_text(label)
  if (bold) text <- sprintf("\\textbf{%s}", text)
  long <- nchar(label) * page$em > page$stub + 0.01 & !bold
  text[long] <- sprintf("\\parbox[%s]{%.2fin}{\\raggedright\\hangindent=0.8em\\strut %s\\strut}",
                        ifelse(rep_len(small, length(label))[long], "t", "b"), page$stub, text[long])
  ifelse(small & nzchar(label), sprintf("{\\panelsmall %s}", text), text)
}
