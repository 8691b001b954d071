# How a panel frame and its shape are printed.

#' @export
print.panel_frame <- function(x, ..., n = 6) {
  check_print_dots(..., of = print.panel_frame)
  check_number(n, "n", 0, whole = TRUE)
  show_blocks(blocks_of(x, n = n))
  invisible(x)
}

#' @export
blocks_of.panel_frame <- function(x, n = 6, ...) {
  shape <- panel_counts(panel_index(x))
  rows <- utils::head(plain_data_frame_keeping_names(x), n)
  cells <- lapply(rows, cell_text)
  fitting <- columns_that_fit(cells)
  more <- c(
    if (nrow(x) > n) count_of(nrow(x) - n, "more row"),
    if (!all(fitting)) paste("columns", list_words(names(x)[!fitting]))
  )
  columns <- lapply(which(fitting)[-1], function(j) {
    table_column(names(cells)[j], new_cells("text", text = cells[[j]]), j)
  })
  list(
    heading_block(shape_size(shape)), text_block(shape_evenness(shape)), text_block(simulated_words(x)),
    table_block(new_panel_table(table_rows(cells[[1]], key = seq_len(nrow(rows))), columns, stub = names(cells)[1])),
    if (length(more) > 0) text_block("and ", list_words(more))
  )
}

# Leading columns whose printed widths fit the line.
columns_that_fit <- function(cells) {
  widths <- vapply(seq_along(cells), function(j) {
    max(nchar(visible_text(c(names(cells)[j], cells[[j]])), "width")) + 2L
  }, numeric(1))
  fits <- cumsum(widths) <= table_width()
  fits[1] <- TRUE
  fits
}

#' @export
print.panel_shape <- function(x, ..., members = FALSE) {
  check_print_dots(..., of = print.panel_shape)
  check_flag(members, "members")
  show_blocks(blocks_of(x, members = members))
  invisible(x)
}

#' @export
blocks_of.panel_shape <- function(x, members = FALSE, ...) {
  per <- x$per_entity
  cells <- as.numeric(x$entities) * x$periods
  absent <- absent_words(x)
  list(
    heading_block(shape_size(x)), if (!is.null(x$chosen)) text_block(choice_words(x)), text_block(shape_evenness(x)),
    if (length(per) > 1) {
      text_block("Rows of one ", x$entity, ": ", count_words(min(per)), " to ", count_words(max(per)), ", ",
                 format_number(mean(per), 3), " on average")
    },
    text_block(format_number(100 * x$rows / cells, 3), " percent of the ", format_number(cells, decimals = 0),
               " cells of the full grid are there"),
    text_block(connected_words(x)),
    if (!x$balanced && nrow(x$patterns) > 0) text_block(pattern_words(x)),
    if (length(absent) > 0) text_block(absent),
    if (nrow(x$gaps) > 0) text_block("Gaps: ", list_some(sprintf("%s (%s)", x$gaps$entity, x$gaps$missing), 4)),
    if (members) member_blocks(x)
  )
}

# A period of the clock that no row has is no gap of anyone's, and counts in lags.
absent_words <- function(shape) {
  runs <- shape$absent
  if (nrow(runs) == 0) return(NULL)
  between <- sprintf("%s and %s", runs$after, runs$before)
  sprintf("No %s has a row between %s (%s of the clock); lags and changes count %s", shape$entity,
          list_some(between, 3),
          count_of(sum(runs$steps), "step"), if (sum(runs$steps) == 1) "it" else "them")
}

# Who is not there from the first period to the last.
member_blocks <- function(x) {
  odd <- x$members[x$members$late | x$members$early | nzchar(x$members$missing), ]
  if (nrow(odd) == 0) return(NULL)
  list(gap_block(), table_block(new_panel_table(
    table_rows(odd$entity), stub = x$entity, columns = list(
      table_column("from", word_cells(odd$first)), table_column("to", word_cells(odd$last)),
      table_column("rows", count_cells(odd$rows)),
      table_column("missing between", word_cells(short_text(odd$missing, 30)))
    )
  )))
}

connected_words <- function(shape) {
  if (shape$components == 1) {
    return(sprintf("Connected: effects of %s and %s can be told apart", plural_of(shape$entity),
                   plural_of(shape$period)))
  }
  sprintf("Not connected: %s of %s that share no %s; effects compare only within one",
          count_words(shape$components), plural_of("group"), shape$period)
}

# The commonest patterns of presence.
pattern_words <- function(shape) {
  top <- utils::head(shape$patterns, 4)
  paste0(
    "Seen: ", paste(count_words(top$entities), "in", top$pattern, collapse = "; "),
    if (nrow(shape$patterns) > 4) paste0("; ", count_of(nrow(shape$patterns) - 4, "more pattern"))
  )
}

shape_size <- function(shape) {
  span <- paste(unique(format_period(c(shape$first, shape$last))), collapse = " to ")
  step <- step_words(shape)
  sprintf(
    "Panel of %s: %s, %s (%s)", count_of(shape$rows, "row"), count_of(shape$entities, shape$entity),
    count_of(shape$periods, shape$period), paste0(span, if (nzchar(step)) ", ", step)
  )
}

shape_evenness <- function(shape) {
  if (shape$balanced) {
    return(sprintf("Balanced: every %s in every %s", shape$entity, shape$period))
  }
  parts <- c(
    if (shape$late > 0) paste(count_words(shape$late), verb(shape$late, "enter"), "late"),
    if (shape$early > 0) paste(count_words(shape$early), verb(shape$early, "leave"), "early"),
    if (shape$gap_entities > 0) {
      sprintf("%s %s gaps (%s in all)", count_words(shape$gap_entities),
              if (shape$gap_entities == 1) "has" else "have", count_of(shape$gap_cells, shape$period))
    },
    if (shape$once > 0) paste(count_words(shape$once), "seen once")
  )
  if (length(parts) == 0) {
    return(sprintf("Unbalanced: all %s skip the same step", plural_of(shape$entity)))
  }
  paste("Unbalanced:", list_words(parts))
}
