# A table value as a page of its own.
writer_html <- function() text_table_writer(table_html)

table_html <- function(table) {
  rows <- table$rows
  cells <- lapply(table$cells, function(cells) paste0("<td>", html_cells(cells, cells_as_text(cells)), "</td>"))
  first_fact <- seq_len(nrow(rows)) == match("fact", rows$role, nomatch = 0)
  class <- ifelse(rows$role == "beneath", " class=\"beneath\"", ifelse(first_fact, " class=\"facts\"", ""))
  body <- sprintf("<tr%s><th scope=\"row\">%s</th>%s</tr>", class, html_safe(rows$label), do.call(paste0, cells))
  title <- html_safe(table$title)
  c(
    "<!DOCTYPE html>", "<html lang=\"en\">", "<head>", "<meta charset=\"utf-8\">",
    sprintf("<title>%s</title>", title), "<style>", table_style, "</style>", "</head>", "<body>",
    "<table>", sprintf("<caption>%s</caption>", title),
    sprintf("<thead><tr><td>%s</td>%s</tr></thead>", html_safe(table$stub),
            paste(sprintf("<th scope=\"col\">%s</th>", html_safe(table$columns$head)), collapse = "")),
    "<tbody>", body, "</tbody>", "</table>",
    sprintf("<p>%s</p>", html_safe(table$notes$text)), "</body>", "</html>"
  )
}

# Numbers followed by blanks as wide as the decimals that others of their column have more, so that the points stand
# below each other.
html_cells <- function(cells, words) {
  places <- ifelse(has_decimals(cells) & grepl(".", words, fixed = TRUE), nchar(sub("^[^.]*.", "", words)), 0)
  paste0(html_safe(words), ifelse(places > 0, strrep("&#8199;", max(0, places) - places), ""))
}

table_style <- c(
  "body { font: 16px/1.4 Georgia, 'DejaVu Serif', serif; color: #1c2b33; margin: 3rem; }",
  "table { border-collapse: collapse; font-variant-numeric: tabular-nums; }",
  "caption { text-align: left; font-weight: bold; padding-bottom: .6rem; }",
  "th, td { padding: .2rem 0 .2rem 1.8rem; text-align: right; font-weight: normal; }",
  "th[scope=row] { text-align: left; padding-left: 0; }",
  "th[scope=col] { font-style: italic; padding-bottom: .5rem; }",
  "tr.beneath > * { color: #66757d; padding-top: 0; padding-bottom: .55rem; }",
  "tr.beneath > th { padding-left: 1rem; }",
  "tr.facts > * { padding-top: 1.1rem; }",
  "p { color: #56666e; font-size: .85em; margin: .8rem 0 0; }"
)
