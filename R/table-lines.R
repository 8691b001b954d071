# A table value as lines of a terminal: as many columns at a time as fit the width.

table_lines <- function(table, indent = 2, width = table_width()) {
  rows <- table$rows
  optional <- rows$role %in% c("estimate", "beneath", "fact")
  span <- rows$role == "span"
  labels <- visible_text(paste0(strrep("  ", rows$depth), mark_words(rows$mark),
                                terminal_sign(whole_label(rows$label, rows$unit))))
  if (is.finite(width)) labels[optional] <- short_text(labels[optional], most_label)
  words <- lapply(table$cells, function(cells) visible_text(cells_as_text(cells, marks = FALSE)))
  beside <- which(table$columns$form != "prose")
  columns <- lapply(beside, function(j) {
    cells <- words[[j]]
    pointed <- has_decimals(table$cells[[j]])
    cells[pointed] <- align_decimal(cells[pointed], visible_text(mark_of(table$cells[[j]])[pointed]))
    shared <- table$cells[[j]]$kind == "share"
    if (any(shared)) cells[shared] <- paste(pad_left(cells[shared]), share_bars(table$cells[[j]]$value[shared]))
    pad <- if (table$columns$form[j] == "left") pad_right else pad_left
    pad(c(visible_text(table$columns$head[j]), cells[!span]))
  })
  over <- visible_text(table$columns$over[beside])
  columns <- wide_enough(columns, over)
  widths <- vapply(columns, function(column) nchar(column[1], "width"), 1L) + 2L
  # Long labels are broken before columns are.
  broken <- broken_labels(labels, !optional & !span, width - indent - sum(widths))
  stub <- pad_right(c(visible_text(table$stub), vapply(broken[!span], `[`, "", 1)))
  blocks <- fitting_blocks(widths, width - indent - nchar(stub[1], "width"), over)
  if (length(columns) == 0) blocks <- list(integer())
  lines <- lapply(seq_along(blocks), function(b) {
    lines <- do.call(paste, c(list(stub), columns[blocks[[b]]], sep = "  "))
    shown <- sub(" +$", "", paste0(strrep(" ", indent), lines))
    told <- Reduce(`|`, lapply(words[beside[blocks[[b]]]], nzchar), !optional)
    body <- vector("list", nrow(rows))
    more <- lapply(broken[!span], function(lines) if (length(lines) > 1) paste0(strrep(" ", indent), lines[-1]))
    body[!span] <- unname(Map(c, shown[-1], more))
    body[span] <- lapply(which(span), function(r) span_lines(rows$label[r], rows$depth[r]))
    if (b == length(blocks)) body <- Map(c, body, prose_lines(words[table$columns$form == "prose"], nrow(rows)))
    first_fact <- utils::head(which(told & rows$role == "fact"), 1)
    body[first_fact] <- lapply(body[first_fact], function(line) c("", line))
    c(if (b > 1) "", over_line(over[blocks[[b]]], widths[blocks[[b]]], indent + nchar(stub[1], "width")),
      if (nzchar(shown[1])) shown[1], unlist(body[told]))
  })
  unlist(lines)
}

# Columns under one head are as wide as it takes: the first of them has more room on its left.
wide_enough <- function(columns, over) {
  runs <- head_runs(over)
  for (g in which(nzchar(runs$head))) {
    own <- runs$from[g]:runs$to[g]
    room <- sum(vapply(columns[own], function(column) nchar(column[1], "width"), 1L) + 2L) - 2L
    more <- max(0, nchar(runs$head[g], "width") - room)
    columns[[own[1]]] <- paste0(strrep(" ", more), columns[[own[1]]])
  }
  columns
}

# Heads over heads, each at the right edge of its last column; NULL where there are none.
over_line <- function(over, widths, stub) {
  if (!any(nzchar(over))) return(NULL)
  runs <- head_runs(over)
  room <- vapply(seq_len(nrow(runs)), function(g) sum(widths[runs$from[g]:runs$to[g]]), 0)
  sub(" +$", "", paste0(strrep(" ", stub), paste(pad_left(runs$head, room), collapse = "")))
}

most_label <- 40

# Labels as one or several lines: those of `may` that are longer than most are have as many as their room asks for.
broken_labels <- function(labels, may, room) {
  may <- may & nchar(labels, "width") > most_label
  lines <- as.list(labels)
  lines[may] <- lapply(labels[may], function(label) {
    depth <- nchar(sub("[^ ].*$", "", label))
    strwrap(label, max(room, most_label %/% 2) + 1, indent = depth, exdent = depth + 2)
  })
  lines
}

# Where the locale has no sign for times.
terminal_sign <- function(text) if (l10n_info()[["UTF-8"]]) text else gsub("\u00d7", "x", text, fixed = TRUE)

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

# Column numbers in blocks of which each fits `room`, at least one in each; columns under one head stay together where a
# block holds them.
fitting_blocks <- function(widths, room, over = rep("", length(widths))) {
  block <- integer(length(widths))
  used <- 0
  current <- 1L
  runs <- head_runs(over)
  for (j in seq_along(widths)) {
    run <- which(runs$from == j & nzchar(runs$head))
    ahead <- if (length(run) == 1) sum(widths[j:runs$to[run]]) else widths[j]
    if (ahead > room) ahead <- widths[j]
    if (used > 0 && used + ahead > room) {
      current <- current + 1L
      used <- 0
    }
    used <- used + widths[j]
    block[j] <- current
  }
  unname(split(seq_along(widths), block))
}
