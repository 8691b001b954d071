#' Write a specification table to a file
#'
#' Question answered: *how do I get the table into my paper?* The format follows from
#' the file's extension: `.csv` (the printed cells, for a spreadsheet), `.md` (a
#' Markdown table), `.html` (a page of its own).
#'
#' The file is written beside its place and then renamed: there is never half a file.
#'
#' @param table A [spec_table()].
#' @param file Path with the extension `.csv`, `.md` or `.html`. An existing file is
#'   replaced.
#' @return `file`, invisibly.
#' @section Errors:
#' `wavetax_error_format` for another extension or something that is no table;
#' `wavetax_error_cannot_write` when the folder is not there or is closed.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fixed <- fit_fixed(log(nights) ~ levy + storms, panel)
#' file <- file.path(tempdir(), "table.md")
#' write_table(spec_table(fixed), file)
#' writeLines(readLines(file))
#' @export
write_table <- function(table, file) {
  check_is_spec_table(table)
  writer <- table_writers[[check_table_file(file)]]
  write_text_file(writer(table), file)
}

check_table_file <- function(file) check_ending(file, c("csv", "md", "html"), "The table")

check_is_spec_table <- function(table) {
  if (inherits(table, "spec_table") && is.list(table) && length(table) > 0) return(invisible())
  stop_wavetax("format", sprintf("`table` is %s, not a `spec_table`.", value_words(table)),
               todo = "Make one of your fits: `write_table(spec_table(fit), file)`.")
}

# Printed cells for a spreadsheet: thousands not separated, and text that a spreadsheet would take
# for a formula behind an apostrophe.
table_csv <- function(table) {
  cells <- printed_cells(table, thousands = FALSE)[-1]
  cells[] <- lapply(cells, function(column) harmless_cells(trimws(column)))
  names(cells) <- harmless_cells(c("row", table$models))
  quote <- function(x) paste0('"', gsub('"', '""', visible_text(x), fixed = TRUE), '"')
  c(
    paste(quote(names(cells)), collapse = ","),
    do.call(paste, c(lapply(unname(cells), quote), sep = ","))
  )
}

harmless_cells <- function(x) {
  formula <- grepl("^[=+@-]", x) & is.na(suppressWarnings(as.numeric(x)))
  ifelse(formula, paste0("'", x), x)
}

table_markdown <- function(table) {
  cells <- printed_cells(table)[-1]
  line <- function(x) paste("|", paste(x, collapse = " | "), "|")
  body <- vapply(seq_len(nrow(cells)), function(r) line(markdown_text(trimws(unlist(cells[r, ])))), character(1))
  c(
    paste0(markdown_text(table_title(table)), "."), "",
    line(c("", markdown_text(table$models))), line(c(":--", rep("--:", length(table$models)))),
    body, if (length(table$notes) > 0) c("", paste0(markdown_text(table$notes), ". "))
  )
}

# Text that means something in Markdown or HTML stands as it is.
markdown_text <- function(x) {
  html_safe(gsub("([\\\\`*_|#~]|\\[|\\])", "\\\\\\1", visible_text(x), perl = TRUE))
}

table_html <- function(table) {
  cells <- table_cells(table)
  cells$html <- html_cells(cells, cells_as_text(cells))
  body <- vapply(split(cells, cells$line), function(line) {
    label <- line$label[1]
    first_fact <- line$part[1] == "facts" && line$line[1] == min(cells$line[cells$part == "facts"])
    sprintf("<tr%s><th scope=\"row\">%s</th>%s</tr>",
            if (startsWith(label, "  ")) " class=\"beneath\"" else if (first_fact) " class=\"facts\"" else "",
            html_safe(trimws(label)), paste0("<td>", line$html, "</td>", collapse = ""))
  }, character(1), USE.NAMES = FALSE)
  title <- html_safe(table_title(table))
  c(
    "<!DOCTYPE html>", "<html lang=\"en\">", "<head>", "<meta charset=\"utf-8\">",
    sprintf("<title>%s</title>", title), "<style>", table_style, "</style>", "</head>", "<body>",
    "<table>", sprintf("<caption>%s</caption>", title),
    sprintf("<thead><tr><td></td>%s</tr></thead>",
            paste(sprintf("<th scope=\"col\">%s</th>", html_safe(table$models)), collapse = "")),
    "<tbody>", body, "</tbody>", "</table>",
    sprintf("<p>%s</p>", html_safe(table$notes)), "</body>", "</html>"
  )
}

# Numbers followed by blanks as wide as the decimals that others of their column have more, so that
# the points stand below each other.
html_cells <- function(cells, words) {
  places <- ifelse(has_decimals(cells) & grepl(".", words, fixed = TRUE), nchar(sub("^[^.]*.", "", words)), 0)
  most <- stats::ave(places, cells$model, FUN = max)
  blanks <- ifelse(places > 0, strrep("&#8199;", most - places), "")
  paste0(html_safe(words), blanks)
}

html_safe <- function(x) {
  x <- visible_text(x)
  x <- gsub("&", "&amp;", x, fixed = TRUE)
  x <- gsub("<", "&lt;", x, fixed = TRUE)
  gsub(">", "&gt;", x, fixed = TRUE)
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

table_writers <- list(csv = table_csv, md = table_markdown, html = table_html)
