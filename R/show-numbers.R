# Numbers as they are printed: thousands separated, a point for decimals whatever the session's
# options, exact zeros as 0, aligned on the decimal point.

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
