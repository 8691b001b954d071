# What is printed to be pasted: the one writer of R's text, of R's names, of shell words and of list
# options. Names and cells come from files, and none may end the code that they stand in.

# Text in quotes. Signs that end the text, that a terminal would obey, or spaces that cannot be told
# apart by eye stand as their code; where the locale lacks a sign, so does it.
code_text <- function(x) {
  vapply(as.character(x), function(one) {
    if (is.na(one)) return("NA")
    points <- utf8ToInt(as_utf8_text(one))
    space <- points == 32
    double <- space & c(FALSE, utils::head(space, -1))
    edge <- space & (seq_along(points) == 1 | seq_along(points) == length(points))
    odd <- points %in% c(160, 8192:8202, 8239, 12288) | double | edge | hidden_signs(points) |
      points > 127 & !l10n_info()[["UTF-8"]]
    paste0("\"", coded_signs(points, odd, c(34, 92)), "\"")
  }, "", USE.NAMES = FALSE)
}

# Signs as text, the odd ones as their codes and the marked ones behind a backslash.
coded_signs <- function(points, odd, marked) {
  signs <- intToUtf8(points, multiple = TRUE)
  behind <- points %in% marked
  signs[behind] <- paste0("\\", signs[behind])
  signs[odd] <- vapply(points[odd], function(point) {
    switch(as.character(point), "10" = "\\n", "9" = "\\t", "13" = "\\r",
           sprintf(if (point > 65535) "\\U%08x" else "\\u%04x", point))
  }, "")
  paste(signs, collapse = "")
}

# "a", or c("a", "b"); with names c(x = "a").
code_texts <- function(x) {
  text <- code_text(x)
  if (!is.null(names(x))) text <- paste0(ifelse(nzchar(names(x)), paste0(code_argument(names(x)), " = "), ""), text)
  if (length(x) == 1 && is.null(names(x))) text else sprintf("c(%s)", paste(text, collapse = ", "))
}

plain_names <- function(x) {
  grepl("^([A-Za-z]|[.][A-Za-z._])[A-Za-z0-9._]*$", x) & !x %in% c(
    "if", "else", "repeat", "while", "function", "for", "next", "break", "in", "TRUE", "FALSE", "NULL", "Inf", "NaN",
    "NA", "NA_integer_", "NA_real_", "NA_character_", "NA_complex_"
  )
}

# A column where a function takes one bare or quoted.
code_argument <- function(names) ifelse(plain_names(names), names, code_text(names))

# A column within a formula.
code_name <- function(names) {
  vapply(names, function(name) {
    if (plain_names(name)) return(name)
    paste0("`", visible_text(gsub("([`\\\\])", "\\\\\\1", name)), "`")
  }, "", USE.NAMES = FALSE)
}

# Words of a command: what a shell would take apart stands in quotes, and signs that a terminal would
# obey in the quotes of bash and zsh that have codes.
shell_words <- function(words) {
  vapply(words, function(word) {
    if (grepl("^[A-Za-z0-9_./:,=@%+-]+$", word)) return(word)
    points <- utf8ToInt(as_utf8_text(word))
    if (!any(hidden_signs(points))) return(paste0("'", gsub("'", "'\\\\''", word), "'"))
    paste0("$'", coded_signs(points, hidden_signs(points), c(39, 92)), "'")
  }, "", USE.NAMES = FALSE)
}

# Several values in one option, by commas; one with a comma, a quote or blanks at its ends in quotes. And back.
list_option <- function(values) {
  odd <- grepl("[,\"]|^\\s|\\s$|^$", values)
  paste(ifelse(odd, paste0("\"", gsub("\"", "\"\"", values, fixed = TRUE), "\""), values), collapse = ",")
}

list_outside_brackets <- function(text) {
  signs <- strsplit(text, "")[[1]]
  depth <- cumsum((signs %in% c("(", "[")) - (signs %in% c(")", "]")))
  at <- which(signs == "," & depth == 0)
  parts <- trimws(substring(text, c(1, at + 1), c(at - 1, nchar(text))))
  parts[nzchar(parts)]
}

option_list <- function(text) {
  if (is.null(text)) return(NULL)
  if (!grepl("\"", text, fixed = TRUE)) return(trimws(strsplit(text, ",", fixed = TRUE)[[1]]))
  cut <- gregexpr("(?:^|,)\\s*(?:\"(?:[^\"]|\"\")*\"\\s*(?=,|$)|[^,]*)", text, perl = TRUE)[[1]]
  values <- trimws(sub("^,", "", substring(text, cut, cut + attr(cut, "match.length") - 1)))
  quoted <- grepl("^\".*\"$", values) & nchar(values) > 1
  values[quoted] <- gsub("\"\"", "\"", substring(values[quoted], 2, nchar(values[quoted]) - 1), fixed = TRUE)
  values
}

call_lines <- function(call) sub("\\s+$", "", deparse(call, width.cutoff = 100L))
