# How a panel frame and its shape are printed.

#' @export
print.panel_frame <- function(x, ..., n = 6) {
  check_print_dots(..., of = print.panel_frame)
  shape <- panel_counts(panel_index(x))
  say_heading(shape_size(shape))
  say(shape_evenness(shape))
  check_number(n, "n", 0, whole = TRUE)
  rows <- utils::head(plain_data_frame_keeping_names(x), n)
  cells <- lapply(rows, cell_text)
  fitting <- columns_that_fit(cells)
  writeLines(format_columns(cells[fitting]))
  more <- c(
    if (nrow(x) > n) count_of(nrow(x) - n, "more row"),
    if (!all(fitting)) paste("columns", list_words(names(x)[!fitting]))
  )
  if (length(more) > 0) say("and ", list_words(more))
  invisible(x)
}

# Leading columns whose printed widths fit the line.
columns_that_fit <- function(cells) {
  widths <- vapply(seq_along(cells), function(j) {
    max(nchar(visible_text(c(names(cells)[j], cells[[j]])), "width")) + 2L
  }, numeric(1))
  fits <- cumsum(widths) <= line_width()
  fits[1] <- TRUE
  fits
}

#' @export
print.panel_shape <- function(x, ..., members = FALSE) {
  check_print_dots(..., of = print.panel_shape)
  check_flag(members, "members")
  say_heading(shape_size(x))
  say(shape_evenness(x))
  per <- x$per_entity
  if (length(per) > 1) {
    say("Rows of one ", x$entity, ": ", count_words(min(per)), " to ", count_words(max(per)),
        ", ", format_number(mean(per), 3), " on average")
  }
  cells <- as.numeric(x$entities) * x$periods
  say(format_number(100 * x$rows / cells, 3), " percent of the ",
      format_number(cells, decimals = 0), " cells of the full grid are there")
  say(connected_words(x))
  if (!x$balanced) show_patterns(x)
  for (line in absent_words(x)) say(line)
  if (nrow(x$gaps) > 0) {
    say("Gaps: ", list_some(sprintf("%s (%s)", x$gaps$entity, x$gaps$missing), 4))
  }
  if (members) show_members(x)
  invisible(x)
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

show_members <- function(x) {
  odd <- x$members[x$members$late | x$members$early | nzchar(x$members$missing), ]
  if (nrow(odd) == 0) return(invisible())
  writeLines("")
  columns <- list(odd$entity, odd$first, odd$last, count_words(odd$rows), short_text(odd$missing, 30))
  names(columns) <- c(x$entity, "from", "to", "rows", "missing between")
  writeLines(format_columns(columns))
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
show_patterns <- function(shape) {
  if (nrow(shape$patterns) == 0) return(invisible())
  top <- utils::head(shape$patterns, 4)
  say(
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
