# Text that stands in a page as it is.

# Text that means something in Markdown stands as it is.
markdown_text <- function(x) {
  html_safe(gsub("([\\\\`*_|#~]|\\[|\\])", "\\\\\\1", visible_text(x), perl = TRUE))
}

# Text that means something in a page of HTML stands as it is.
html_safe <- function(x) {
  x <- visible_text(x)
  x <- gsub("&", "&amp;", x, fixed = TRUE)
  x <- gsub("<", "&lt;", x, fixed = TRUE)
  gsub(">", "&gt;", x, fixed = TRUE)
}
