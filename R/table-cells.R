# Cells as values: what is printed and written is made of them, and no number is read back out of text. Of a column, a
# list of vectors with an element a row:
#   kind       "estimate", "std_error", "number", "p", "interval", "count", "text", "share" (percent of a whole,
#              drawn as a bar too where lines can be) or "empty"
#   value      the number; `upper` the other end of an interval
#   decimals   how many are shown
#   text       that of a text, the noun of a count, or the sign behind an estimate
new_cells <- function(kind, value = NA_real_, upper = NA_real_, decimals = NA_real_, text = "",
                      n = max(length(value), length(text))) {
  list(kind = rep_len(kind, n), value = rep_len(as.numeric(value), n), upper = rep_len(as.numeric(upper), n),
       decimals = rep_len(as.numeric(decimals), n), text = rep_len(as.character(text), n))
}

cell_fields <- c("kind", "value", "upper", "decimals", "text")

cell_kinds <- c("estimate", "std_error", "number", "p", "interval", "count", "text", "share", "empty")

number_cells <- function(x, decimals = decimals_for(x, 4), kind = "number", upper = NA_real_) {
  new_cells(ifelse(is.na(x), "empty", kind), x, upper, decimals, n = length(x))
}

p_cells <- function(p) number_cells(p, 3, "p")

count_cells <- function(x, noun = "") new_cells(ifelse(is.na(x), "empty", "count"), x, text = noun, n = length(x))

word_cells <- function(x) {
  words <- label_text(x)
  words[is.na(words)] <- ""
  new_cells(ifelse(nzchar(words), "text", "empty"), text = words, n = length(words))
}

empty_cells <- function(n) new_cells("empty", n = n)

cells_at <- function(cells, rows) lapply(cells, `[`, rows)

bind_cells <- function(...) {
  parts <- list(...)
  stats::setNames(lapply(cell_fields, function(field) unlist(lapply(parts, `[[`, field))), cell_fields)
}

# The text of each cell; without separated thousands for a program that reads numbers, with another sign of minus for a
# reader.
cells_as_text <- function(cells, thousands = TRUE, minus = "-", marks = TRUE) {
  number <- function(x, decimals) {
    out <- format_number(x, decimals = decimals)
    if (minus != "-") out <- gsub("-", minus, out, fixed = TRUE)
    if (thousands) out else gsub(",", "", out, fixed = TRUE)
  }
  out <- cells$text
  at <- function(kinds) cells$kind %in% kinds
  plain <- at(c("estimate", "std_error", "number", "share"))
  out[plain] <- paste0(number(cells$value[plain], cells$decimals[plain]), if (marks) cells$text[plain])
  out[at("p")] <- format_p(cells$value[at("p")])
  wide <- at("interval")
  out[wide] <- paste(number(cells$value[wide], cells$decimals[wide]), "to",
                     number(cells$upper[wide], cells$decimals[wide]))
  counts <- at("count")
  named <- counts & nzchar(cells$text)
  out[counts] <- if (thousands) count_words(cells$value[counts]) else formatC(cells$value[counts], format = "d")
  out[named] <- as.character(mapply(count_of, cells$value[named], cells$text[named]))
  out[at("empty")] <- ""
  out
}

# Whether a cell shows a number with decimals, to stand on its point.
has_decimals <- function(cells) cells$kind %in% c("estimate", "std_error", "number", "p", "share")

# The sign behind an estimate.
mark_of <- function(cells) ifelse(cells$kind == "estimate", cells$text, "")

# A share of 100 as a bar of ten signs.
share_bars <- function(percent) {
  signs <- if (l10n_info()[["UTF-8"]]) c("\u25a0", "\u00b7") else c("#", ".")
  full <- round(pmin(100, pmax(0, percent)) / 10)
  ifelse(is.na(percent), "", paste0(strrep(signs[1], full), strrep(signs[2], 10 - full)))
}
