# The cells of a sheet or a text as a block.

# Rows and columns of a matrix of cells as a data frame of text, under its headings; what R reads as
# plain numbers is numbers.
block_of_cells <- function(cells, found, file) {
  rows <- found$top:min(found$bottom, nrow(cells))
  columns <- found$left:min(found$right, ncol(cells))
  if (found$top >= nrow(cells) || found$left > ncol(cells) || length(rows) <= found$header) {
    stop_not_a_table(file, "The range lies outside its cells.")
  }
  cells <- cells[rows, columns, drop = FALSE]
  names <- combine_headings(cells[seq_len(found$header), , drop = FALSE])
  body <- cells[-seq_len(found$header), , drop = FALSE]
  body <- body[rowSums(!is.na(body)) > 0, , drop = FALSE]
  data <- lapply(seq_len(ncol(body)), function(column) plain_numbers(body[, column]))
  names(data) <- ifelse(is.na(names), "", names)
  structure(data, class = "data.frame", row.names = .set_row_names(nrow(body)))
}
