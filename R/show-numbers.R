# Numbers as they are printed: thousands separated, a point for decimals whatever the session's
# options, exact zeros as 0, aligned on the decimal point.

# Decimals that show `digits` significant ones of x.
decimals_for <- function(x, digits) {
  x <- signif(x, digits) # 0.09999 is 0.100 at three digits
  size <- ifelse(x == 0 | !is.finite(x), 0, floor(log10(abs(x))))
  pmax(digits - 1 - size, 0)
}

most_decimals <- 8

format_number <- function(x, digits = 4, decimals = decimals_for(x, digits)) {
  out <- mapply(function(value, places) {
    if (is.na(value)) return("")
    if (!is.finite(value)) return(if (value > 0) "Inf" else "-Inf")
    if (value == 0) return("0")
    size <- floor(log10(abs(value)))
    if (places > most_decimals || size > 14) {
      shown <- max(0, min(15, if (places > most_decimals) size + places else digits - 1))
      return(formatC(value, format = "e", digits = shown, decimal.mark = "."))
    }
    formatC(value, format = "f", digits = places, big.mark = ",", decimal.mark = ".")
  }, x, decimals, USE.NAMES = FALSE)
  sub("^-(0(\\.0*)?)$", "\\1", as.character(out))
}

# An estimate and its interval go to the second significant digit of the standard error.
estimate_decimals <- function(estimate, std_error) {
  known <- is.finite(std_error) & std_error > 0
  ifelse(known, decimals_for(std_error, 2), decimals_for(estimate, 4))
}

format_p <- function(p) {
  ifelse(is.na(p), "", ifelse(p < 0.001, "<0.001", fixed_decimals(p, 3)))
}

# Right-pads so that the decimal points of the numbers stand below each other.
align_decimal <- function(x) {
  after <- ifelse(grepl("^<?[-0-9,]*\\.[0-9]+$", x), nchar(sub("^[^.]*", "", x)), 0)
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
    cells <- visible_text(c(names(columns)[j], columns[[j]]))
    if (j == 1) pad_right(cells) else pad_left(cells)
  })
  sub(" +$", "", paste0(strrep(" ", indent), do.call(paste, c(blocks, sep = "  "))))
}

line_width <- function() min(80, getOption("width"))

# A sentence on as many lines as it needs.
say <- function(...) {
  writeLines(strwrap(visible_text(paste0(...)), width = line_width() + 1, exdent = 2))
}

say_heading <- function(...) {
  lines <- strwrap(visible_text(paste0(...)), width = line_width() + 1, exdent = 2)
  writeLines(cli::style_bold(lines))
}

# Cells of any column as text, for a look at some rows.
cell_text <- function(x) {
  if (is.matrix(x) || is.list(x) && !inherits(x, "POSIXlt")) return(rep(sprintf("<%s>", class(x)[1]), NROW(x)))
  if (is.double(x) && !is.object(x)) {
    out <- ifelse(is.finite(x) & x != trunc(x), formatC(x, digits = 6, format = "fg", decimal.mark = "."),
                  label_text(x))
    return(align_decimal(ifelse(is.na(x), "NA", out)))
  }
  out <- label_text(x)
  ifelse(is.na(out), "NA", out)
}
