# How findings, repairs and variation are printed.

#' @export
print.panel_problems <- function(x, ...) {
  check_print_dots(..., of = print.panel_problems)
  heads <- c(stops = "Stops a fit", likely = "Likely wrong", note = "To know")
  if (nrow(x) == 0) say("Nothing found.")
  for (weight in intersect(names(heads), x$weight)) {
    rows <- which(x$weight == weight)
    if (weight != x$weight[1]) writeLines("")
    say_heading(heads[[weight]], " (", length(rows), ")")
    for (r in rows) {
      writeLines(strwrap(visible_text(paste0(x$kind[r], ": ", x$where[r])), line_width() + 1, indent = 2, exdent = 4))
      writeLines(strwrap(visible_text(x$todo[r]), line_width() + 1, indent = 4, exdent = 4))
    }
  }
  invisible(x)
}

#' @export
print.repair_log <- function(x, ..., code = FALSE) {
  check_print_dots(..., of = print.repair_log)
  if (code) {
    writeLines(repair_code(x))
    return(invisible(x))
  }
  if (nrow(x) == 0) {
    say("Nothing was changed.")
    return(invisible(x))
  }
  say_heading("Repairs: ", if (nrow(x) == 1) "1 cell or row" else paste(count_words(nrow(x)), "cells or rows"))
  for (part in split(x, factor(paste(x$action, x$column), unique(paste(x$action, x$column))))) {
    rows <- sort(part$row)
    how_many <- paste0(count_of(nrow(part), if (is.na(part$column[1])) "row" else "cell"), ", ", row_words(rows, 5))
    cells <- if (!is.na(part$column[1])) {
      list_some(sprintf("%s to %s", dQuote(part$before, FALSE),
                        ifelse(is.na(part$after), "missing", dQuote(part$after, FALSE))), 4)
    }
    lines <- paste0(part$action[1], if (!is.na(part$column[1])) paste0(", ", part$column[1]), ": ",
                    if (is.null(cells)) how_many else paste0(how_many, "; ", cells))
    writeLines(strwrap(visible_text(lines), line_width() + 1, indent = 2, exdent = 4))
  }
  invisible(x)
}

#' @export
print.panel_variation <- function(x, ...) {
  check_print_dots(..., of = print.panel_variation)
  say_heading("Where variables vary, by ", x$entity, " and ", x$period)
  if (!is.null(x$numbers)) show_variation(x)
  if ("range" %in% x$show && !is.null(x$numbers)) show_range(x)
  if (!is.null(x$missing)) show_missing(x)
  if (!is.null(x$correlations)) show_correlations(x)
  for (name in unique(x$categories$variable)) show_category(x, name)
  invisible(x)
}

show_variation <- function(x) {
  numbers <- x$numbers
  groups <- if (is.null(x$by)) list(numbers) else split(numbers, numbers$group)
  for (group in groups) {
    if (!is.null(x$by)) {
      writeLines("")
      say_heading(x$by, " ", group$group[1])
    }
    value <- function(v) align_decimal(format_number(v))
    columns <- list(
      group$variable, count_words(group$rows), if (any(group$missing > 0)) count_words(group$missing),
      value(group$mean), value(group$overall), value(group$between), value(group$within)
    )
    names(columns) <- c("", "rows", "missing", "mean", "overall", "between", "within")
    writeLines(format_columns(Filter(Negate(is.null), columns)))
    words <- split(group$variable, group$varies)
    for (what in names(words)) say(upper_first(what), ": ", list_words(words[[what]]))
  }
}

show_range <- function(x) {
  numbers <- x$numbers
  writeLines("")
  value <- function(v) align_decimal(format_number(v))
  columns <- list(if (is.null(x$by)) numbers$variable else paste(numbers$variable, numbers$group), value(numbers$min),
                  value(numbers$q1), value(numbers$median), value(numbers$q3), value(numbers$max))
  names(columns) <- c("", "minimum", "lower quartile", "median", "upper quartile", "maximum")
  writeLines(format_columns(columns))
}

# A row a period, a column for each variable that misses something.
show_missing <- function(x) {
  gone <- unique(x$missing$variable[x$missing$missing > 0])
  writeLines("")
  if (length(gone) == 0) return(say("Nothing is missing."))
  say("Missing by ", x$period)
  period <- unique(x$missing$period)
  columns <- c(list(period), lapply(gone, function(name) count_words(x$missing$missing[x$missing$variable == name])))
  names(columns) <- c("", gone)
  widths <- vapply(gone, function(name) max(nchar(c(name, columns[[name]]))) + 2L, 0L)
  for (block in fitting_blocks(widths, line_width() - max(nchar(period)))) {
    writeLines(format_columns(columns[c(1, block + 1)]))
  }
}

show_correlations <- function(x) {
  for (kind in c("overall", "between", "within")) {
    table <- x$correlations[[kind]]
    writeLines("")
    say("Correlations ", c(overall = "of rows", between = paste("of", plural_of(x$entity), "(means)"),
                           within = paste("within", plural_of(x$entity)))[[kind]],
        if (kind == "overall") paste0(", on ", count_of(x$correlations$rows, "row")))
    cells <- lapply(seq_len(ncol(table)), function(j) {
      ifelse(seq_len(nrow(table)) < j, "", ifelse(is.na(table[, j]), "-", fixed_decimals(table[, j], 2)))
    })
    columns <- c(list(rownames(table)), cells)
    names(columns) <- c("", colnames(table))
    widths <- vapply(colnames(table), function(name) max(nchar(name), 5L) + 2L, 0L)
    for (block in fitting_blocks(widths, line_width() - max(nchar(rownames(table))))) {
      writeLines(format_columns(columns[c(1, block + 1)]))
    }
  }
}

show_category <- function(x, name) {
  part <- x$categories[x$categories$variable == name, ]
  writeLines("")
  say(name, ", ", count_of(nrow(part), "category"), "; ", x$varies[[name]])
  shown <- utils::head(part[order(-part$rows), ], 8)
  columns <- list(shown$value, count_words(shown$rows), count_words(shown$entities))
  names(columns) <- c("", "rows", plural_of(x$entity))
  writeLines(format_columns(columns))
  if (nrow(part) > 8) say("  and ", count_of(nrow(part) - 8, "more category"))
  moves <- x$transitions[[name]]
  if (!is.null(moves)) {
    stay <- sum(diag(moves))
    if (sum(moves) > stay) {
      say("From one ", x$period, " to the next ", count_words(sum(moves) - stay), " of ",
          count_words(sum(moves)), " change")
    }
  }
}
