# A table value as a page of its own, or as a fragment that brings its style along.

writer_html <- function() {
  text_table_writer(function(tables, fragment) {
    numbers <- if (length(tables) > 1) seq_along(tables)
    body <- unlist(Map(html_table, tables, if (is.null(numbers)) list(NULL) else numbers))
    if (fragment) return(c("<style>", table_style(), "</style>", body))
    title <- tables[[1]]$title
    c("<!doctype html>", "<html lang=\"en\">", "<head>", "<meta charset=\"utf-8\">",
      "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">",
      sprintf("<title>%s</title>", html_safe(if (is.null(title)) "Table" else title)),
      "<style>", table_style(), page_style(), "</style>", "</head>", "<body>", "<main>", body, "</main>", "</body>",
        "</html>")
  }, several = TRUE, fragments = FALSE)
}

html_table <- function(table, number = NULL) {
  look <- table_layout(table)
  id <- paste0("table-", substr(gsub("[^a-z0-9]+", "-", lower_case(look$title)), 1, 40), number)
  width <- length(look$heads)
  sentences <- any(table$columns$form == "prose")
  class <- paste0("panel-table", if (width > most_upright[["close"]]) " close",
                  if (width > most_upright[["turned"]]) " turned",
                  if (sentences) " sentences")
  facts <- match("fact", look$lines$kind, nomatch = length(look$lines$kind) + 1)
  lines <- html_lines(look, sentences)
  body <- list(lines[seq_len(facts - 1)], lines[seq_along(lines) >= facts])
  notes <- look$notes
  c(
    sprintf("<figure class=\"%s\">", class),
    sprintf("<div class=\"scroll\" role=\"region\" tabindex=\"0\" aria-labelledby=\"%s\">", id),
    sprintf("<table%s>", if (length(notes) > 0) sprintf(" aria-describedby=\"%s-notes\"", id) else ""),
    html_caption(look, number, id), html_heads(look),
    if (length(body[[1]]) > 0) c("<tbody>", body[[1]], "</tbody>"),
    if (length(body[[2]]) > 0) c("<tbody class=\"facts\">", body[[2]], "</tbody>"),
    "</table>", "</div>",
    if (length(notes) > 0) c(sprintf("<div class=\"notes\" id=\"%s-notes\">", id),
                             sprintf("<p>%s</p>", html_safe(notes)),
                             "</div>"),
    "</figure>"
  )
}

html_caption <- function(look, number, id) {
  counted <- if (is.null(number)) "" else sprintf("<b>Table %d</b>", number)
  says <- if (length(look$says) > 0) sprintf("<span class=\"says\">%s</span>",
                                             html_safe(paste(look$says, collapse = " ")))
  sprintf("<caption id=\"%s\"><span class=\"title\">%s%s</span>%s</caption>", id, counted,
          html_safe(if (nzchar(look$title)) look$title else "Table"), if (is.null(says)) "" else says)
}

html_heads <- function(look) {
  over <- if (any(nzchar(look$over$head))) {
    cells <- ifelse(nzchar(look$over$head),
                    sprintf("<th class=\"over\" scope=\"colgroup\" colspan=\"%d\"><span>%s</span></th>",
                                                    look$over$to - look$over$from + 1, html_safe(look$over$head)),
                    sprintf("<td colspan=\"%d\"></td>", look$over$to - look$over$from + 1))
    c("<tr><td></td>", cells, "</tr>")
  }
  stub <- if (nzchar(look$stub)) sprintf("<th scope=\"col\">%s</th>", html_safe(look$stub)) else "<td></td>"
  left <- vapply(look$cells, function(one) all(one$place == "left"), TRUE)
  heads <- sprintf("<th scope=\"col\"%s>%s</th>", ifelse(left, " class=\"left\"", ""), html_safe(look$heads))
  c("<thead>", over, sprintf("<tr>%s</tr>", paste(c(stub, heads), collapse = "")), "</thead>")
}

# A row a line. A cell on the point says how many decimals it has, and its column; the text stays whole, so that it is
# copied as a number. On a phone the cells of sentences stand below each other, each with its head: they have it `said`.
html_lines <- function(look, said = FALSE) {
  cells <- lapply(seq_along(look$cells), function(j) {
    cell <- look$cells[[j]]
    class <- ifelse(cell$place == "point", sprintf("D%d d%d", min(9, look$places[j]), pmin(9, cell$places)), cell$place)
    mark <- ifelse(nzchar(cell$mark), sprintf("<span class=\"mark\">%s</span>", html_safe(cell$mark)), "")
    head <- if (said) sprintf(" data-head=\"%s\"", gsub("\"", "&quot;", html_safe(look$heads[j]), fixed = TRUE)) else ""
    values <- look$values[[j]]
    bar <- ifelse(values$kind == "share", sprintf("<i class=\"bar\" style=\"--full:%.1f%%\"></i>", values$value), "")
    sprintf("<td class=\"%s\"%s>%s%s%s</td>", class, head, html_safe(cell$words), mark, bar)
  })
  lines <- look$lines
  inner <- ifelse(lines$depth > 0, sprintf("<span class=\"in\">%s</span>", html_safe(lines$label)),
                  html_safe(lines$label))
  said <- ifelse(nzchar(lines$said), sprintf("<span class=\"said\">%s</span>", html_safe(lines$said)), "")
  rows <- sprintf("<tr class=\"%s\"><th scope=\"row\">%s%s</th>%s</tr>", lines$kind, inner, said,
                  if (length(cells) == 0) "" else do.call(paste0, cells))
  part <- lines$kind == "part"
  rows[part] <- sprintf("<tr class=\"part\"><th scope=\"rowgroup\" colspan=\"%d\">%s</th></tr>", length(look$heads) + 1,
                        html_safe(lines$label[part]))
  rows
}

# A file of the looks that come with the package.
look_file <- function(name) readLines(system.file("looks", name, package = "wavetax"), encoding = "UTF-8")

# Of tables, and of a page of their own.
table_style <- function() look_file("table.css")
page_style <- function() look_file("page.css")
