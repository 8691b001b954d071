# Numbers as they are printed: at most four significant decimals, thousands
# separated, aligned on the decimal point.

# Decimals that show `digits` significant ones of x.
decimals_for <- function(x, digits) {
  x <- signif(x, digits) # 0.09999 is 0.100 at three digits
  size <- ifelse(x == 0 | !is.finite(x), 0, floor(log10(abs(x))))
  pmin(pmax(digits - 1 - size, 0), 12)
}

format_number <- function(x, digits = 4, decimals = decimals_for(x, digits)) {
  out <- mapply(function(value, places) {
    if (!is.finite(value)) return(if (is.nan(value) || is.na(value)) "" else format(value))
    if (value != 0 && places > 7) return(formatC(value, format = "e", digits = digits - 1))
    formatC(value, format = "f", digits = places, big.mark = ",")
  }, x, decimals, USE.NAMES = FALSE)
  sub("^-(0(\\.0*)?)$", "\\1", out)
}

# An estimate shows four significant decimals, but no more than give its standard
# error three.
estimate_decimals <- function(estimate, std_error) {
  known <- is.finite(std_error) & std_error > 0
  ifelse(known, pmin(decimals_for(std_error, 3), decimals_for(estimate, 4)), decimals_for(estimate, 4))
}

format_p <- function(p) {
  ifelse(is.na(p), "", ifelse(p < 0.001, "<0.001", formatC(p, format = "f", digits = 3)))
}

# Right-pads so that the decimal points of the numbers stand below each other.
align_decimal <- function(x) {
  after <- ifelse(grepl("^[-0-9,]*\\.[0-9]+$", x), nchar(sub("^[^.]*", "", x)), 0)
  paste0(x, strrep(" ", max(after) - after))
}

pad_left <- function(x, width = max(nchar(x, "width"))) {
  paste0(strrep(" ", pmax(0, width - nchar(x, "width"))), x)
}

pad_right <- function(x, width = max(nchar(x, "width"))) {
  paste0(x, strrep(" ", pmax(0, width - nchar(x, "width"))))
}

# Columns of text under headings: the first to the left, the others to the right.
format_columns <- function(columns, indent = 2) {
  blocks <- lapply(seq_along(columns), function(j) {
    cells <- c(names(columns)[j], columns[[j]])
    if (j == 1) pad_right(cells) else pad_left(cells)
  })
  sub(" +$", "", paste0(strrep(" ", indent), do.call(paste, c(blocks, sep = "  "))))
}

line_width <- function() min(80, getOption("width"))

# A sentence on as many lines as it needs.
say <- function(...) {
  writeLines(strwrap(paste0(...), width = line_width() + 1, exdent = 2))
}

say_heading <- function(...) {
  lines <- strwrap(paste0(...), width = line_width() + 1, exdent = 2)
  writeLines(cli::style_bold(lines))
}
