# A report as one page of HTML: styles and figures inside, no script.

report_html <- function(report) {
  sections <- numbered_blocks(report$sections)
  contents <- sprintf("<li><a href=\"#%s\">%s</a></li>", vapply(sections, `[[`, "", "id"),
                      html_safe(vapply(sections, `[[`, "", "heading")))
  by <- report_byline(report)
  c(
    "<!doctype html>", "<html lang=\"en\">", "<head>", "<meta charset=\"utf-8\">",
    "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">",
    sprintf("<title>%s</title>",
            html_safe(report$title)), "<style>", look_file("report.css"), table_style(), "</style>",
    "</head>", "<body>", "<a class=\"skip\" href=\"#main\">To the report</a>", "<main id=\"main\" class=\"sheet\">",
    "<div class=\"top\">", "<header>", sprintf("<h1>%s</h1>", html_safe(report$title)),
    if (nzchar(by)) sprintf("<p class=\"by\">%s</p>", html_safe(by)), "</header>", html_answer(report$answer), "</div>",
    if (length(sections) > 1) {
      c("<nav aria-label=\"Contents\"><details open><summary>Contents</summary><ol>", contents, "</ol></details></nav>")
    },
    "<div class=\"rest\">", unlist(lapply(sections, html_section)), "</div>", "</main>", "</body>", "</html>"
  )
}

html_answer <- function(answer) {
  if (is.null(answer)) return(NULL)
  c("<section class=\"answer\" aria-label=\"The answer\">", sprintf("<p>%s</p>", html_sentences(answer$words)),
    if (!is.null(answer$strip)) answer_strip(answer$strip), "</section>")
}

html_section <- function(section) {
  c(sprintf("<section id=\"%s\"><h2>%s</h2>", section$id, html_safe(section$heading)),
    render_blocks(section$blocks, "html"), "</section>")
}

# Tables and figures counted through the whole report.
numbered_blocks <- function(sections) {
  counts <- c(table = 0, figure = 0)
  for (s in seq_along(sections)) {
    for (b in seq_along(sections[[s]]$blocks)) {
      kind <- sections[[s]]$blocks[[b]]$kind
      if (!kind %in% names(counts)) next
      counts[[kind]] <- counts[[kind]] + 1
      sections[[s]]$blocks[[b]]$number <- counts[[kind]]
    }
  }
  sections
}
