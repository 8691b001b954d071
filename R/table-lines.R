# A table value as lines of a terminal: as many columns at a time as fit the width.

table_lines <- function(table, indent = 2) {
  rows <- table$rows
  optional <- rows$role %in% c("estimate", "beneath", "fact")
  span <- rows$role == "span"
  labels <- visible_text(paste0(strrep("  ", rows$depth), mark_words(rows$mark), rows$label))
  labels[optional] <- short_text(labels[optional], most_label)
  stub <- pad_right(c(visible_text(table$stub), labels[!span]))
  words <- lapply(table$cells, function(cells) visible_text(cells_as_text(cells)))
  beside <- which(table$columns$form != "prose")
  columns <- lapply(beside, function(j) {
    cells <- words[[j]]
    pointed <- has_decimals(table$cells[[j]])
    cells[pointed] <- align_decimal(cells[pointed])
    pad <- if (table$columns$form[j] == "left") pad_right else pad_left
    pad(c(visible_text(table$columns$head[j]), cells[!span]))
  })
  widths <- vapply(columns, function(column) nchar(column[1], "width"), 1L) + 2L
  blocks <- fitting_blocks(widths, line_width() - indent - nchar(stub[1], "width"))
  if (length(columns) == 0) blocks <- list(integer())
  lines <- lapply(seq_along(blocks), function(b) {
    lines <- do.call(paste, c(list(stub), columns[blocks[[b]]], sep = "  "))
    shown <- sub(" +$", "", paste0(strrep(" ", indent), lines))
    told <- Reduce(`|`, lapply(words[beside[blocks[[b]]]], nzchar), !optional)
    body <- vector("list", nrow(rows))
    body[!span] <- shown[-1]
    body[span] <- lapply(which(span), function(r) span_lines(rows$label[r], rows$depth[r]))
    if (b == length(blocks)) body <- Map(c, body, prose_lines(words[table$columns$form == "prose"], nrow(rows)))
    first_fact <- utils::head(which(told & rows$role == "fact"), 1)
    body[first_fact] <- lapply(body[first_fact], function(line) c("", line))
    c(if (b > 1) "", if (nzchar(shown[1])) shown[1], unlist(body[told]))
  })
  unlist(lines)
}

most_label <- 40

span_lines <- function(label, depth) {
  strwrap(visible_text(label), line_width() + 1, indent = 2 * depth, exdent = 2 * depth + 2)
}

# The sentences of each row, set beneath it.
prose_lines <- function(words, n) {
  lapply(seq_len(n), function(r) {
    said <- vapply(words, `[`, "", r)
    strwrap(said[nzchar(said)], line_width(), indent = 6, exdent = 6)
  })
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
