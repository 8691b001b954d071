# Numbers as they are printed: thousands separated, a point for decimals whatever the session's
# options, exact zeros as 0, aligned on the decimal point.

# Right-pads so that the decimal points of the numbers stand below each other; `signs` stand behind them.
align_decimal <- function(x, signs = "") {
  after <- ifelse(grepl("^<?[-0-9,]*\\.[0-9]+$", x), nchar(sub("^[^.]*", "", x)), 0)
  paste0(x, signs, strrep(" ", max(after, 0) - after + max(nchar(signs), 0) - nchar(signs)))
}

pad_left <- function(x, width = max(nchar(x, "width"))) {
  paste0(strrep(" ", pmax(0, width - nchar(x, "width"))), x)
}

pad_right <- function(x, width = max(nchar(x, "width"))) {
  paste0(x, strrep(" ", pmax(0, width - nchar(x, "width"))))
}

# Sentences stay short enough to be read; tables take what there is.
line_width <- function() min(80, getOption("width"))
table_width <- function() getOption("width")

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
