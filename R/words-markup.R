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

# Text that means something in LaTeX stands as it is. Signs that its usual fonts lack are spelt: in letters where
# there is a way, else by their number.
latex_text <- function(x) {
  x <- visible_text(x)
  x <- gsub("\\", "\u0001", x, fixed = TRUE)
  x <- gsub("([{}$&%#_])", "\\\\\\1", x, perl = TRUE)
  for (sign in names(latex_signs)) x <- gsub(sign, latex_signs[[sign]], x, fixed = TRUE)
  odd <- grepl("[^ -~\u0001]", x, perl = TRUE)
  x[odd] <- vapply(x[odd], latex_letters, "", USE.NAMES = FALSE)
  x <- gsub("\u0001", "\\textbackslash{}", x, fixed = TRUE)
  # At the start of a line these would belong to the end of the line before.
  sub("^([[*])", "{\\1}", x)
}

latex_signs <- c(
  "~" = "$\\sim$", "^" = "\\textasciicircum{}", "<" = "\\textless{}", ">" = "\\textgreater{}",
  "|" = "\\textbar{}", "\"" = "''", "--" = "-{}-", "`" = "\\textasciigrave{}",
  "\u2212" = "$-$", "\u00d7" = "$\\times$", "\u2013" = "--", "\u2014" = "---", "\u2026" = "\\ldots{}",
  "\u2264" = "$\\le$", "\u2265" = "$\\ge$", "\u00b2" = "$^2$", "\u00a0" = "~", "\u202f" = "~", "\u00b7" = "$\\cdot$",
  "\u25cf" = "$\\bullet$", "\u25cb" = "$\\circ$"
)

# Letters of Latin alphabets stay.
latex_letters <- function(text) {
  points <- utf8ToInt(as_utf8_text(text))
  plain <- points < 127 | points %in% c(192:214, 216:246, 248:383)
  signs <- intToUtf8(points, multiple = TRUE)
  signs[!plain] <- vapply(which(!plain), function(at) {
    spelt <- suppressWarnings(iconv(signs[at], "UTF-8", "ASCII//TRANSLIT", sub = ""))
    if (is.na(spelt) || !grepl("^[A-Za-z0-9 .,'-]+$", spelt)) sprintf("[U+%04X]", points[at]) else spelt
  }, "")
  paste(signs, collapse = "")
}
