# Signs of text that a terminal would obey or a reader cannot see.

# Text of any encoding as UTF-8; what is none of it is taken for Latin-1.
as_utf8_text <- function(x) {
  x <- enc2utf8(x)
  broken <- !validUTF8(x) & !is.na(x)
  x[broken] <- iconv(x[broken], "latin1", "UTF-8", sub = "byte")
  x
}

# Signs that a terminal would obey, or that turn or hide text, as their code points: labels come
# from files.
visible_text <- function(x) {
  odd <- which(grepl("[^ -~]", x, useBytes = TRUE))
  x[odd] <- vapply(x[odd], escape_signs, "", USE.NAMES = FALSE)
  x
}

hidden_signs <- function(point) {
  within <- function(from, to) point >= from & point <= to
  within(1, 31) | within(127, 159) | point %in% c(173, 1564, 6158, 65279) | within(8203, 8207) | within(8232, 8238) |
    within(8288, 8303) | within(65529, 65531) | within(917504, 917631)
}

escape_signs <- function(text) {
  text <- as_utf8_text(text)
  points <- utf8ToInt(text)
  odd <- hidden_signs(points)
  if (!any(odd)) return(text)
  signs <- intToUtf8(points, multiple = TRUE)
  signs[odd] <- sprintf("<U+%04X>", points[odd])
  for (short in c("n", "t", "r")) signs[points == c(n = 10, t = 9, r = 13)[[short]]] <- paste0("\\", short)
  paste(signs, collapse = "")
}

# What a finding is, before its label.
mark_words <- function(mark) {
  signs <- status_marks()[mark]
  ifelse(is.na(signs), "", paste0(signs, " "))
}

status_marks <- function() {
  if (l10n_info()[["UTF-8"]]) return(c(found = "\u25cf", clear = "\u25cb", skipped = "-"))
  c(found = "*", clear = "o", skipped = "-")
}
