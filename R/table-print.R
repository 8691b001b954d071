# How a specification table is printed: as many columns at a time as fit the width.

#' @export
print.spec_table <- function(x, ...) {
  check_print_dots(..., of = print.spec_table)
  say_heading(table_title(x))
  cells <- table_cells(x)
  words <- cells_as_text(cells)
  of <- lapply(x$models, function(model) cells$model == model)
  one <- cells[of[[1]], ]
  labels <- pad_right(c("", short_text(one$label, 40)))
  columns <- lapply(seq_along(of), function(m) {
    model_column(x$models[m], words[of[[m]]], has_decimals(cells[of[[m]], ]))
  })
  widths <- vapply(columns, function(column) nchar(column[1], "width"), integer(1))
  blocks <- fitting_blocks(widths + 2L, line_width() - nchar(labels[1], "width"))
  for (block in blocks) {
    lines <- sub(" +$", "", do.call(paste, c(list(labels), columns[block], sep = "  ")))
    # What no model of this block has is not shown in it.
    told <- Reduce(`|`, lapply(of[block], function(mine) words[mine] != ""))
    part <- function(name) lines[-1][one$part == name & told]
    writeLines(c("", lines[1], part("coefficients"), "", part("facts")))
  }
  if (length(x$notes) > 0) writeLines("")
  for (note in x$notes) say(note)
  invisible(x)
}

table_title <- function(table) {
  if (length(table$outcome) == 1) return(paste("Specifications of", table$outcome))
  paste("Specifications of", list_words(table$outcome))
}

# Numbers on their decimal points, words to the right, below the model's name.
model_column <- function(model, values, numeric) {
  values[numeric] <- align_decimal(values[numeric])
  pad_left(c(model, values))
}

# Column numbers in blocks of which each fits `room`, at least one in each.
fitting_blocks <- function(widths, room) {
  block <- integer(length(widths))
  used <- 0
  current <- 1L
  for (j in seq_along(widths)) {
    if (used > 0 && used + widths[j] > room) {
      current <- current + 1L
      used <- 0
    }
    used <- used + widths[j]
    block[j] <- current
  }
  unname(split(seq_along(widths), block))
}
