# How findings, repairs and variation are printed.

#' @export
print.panel_problems <- function(x, ...) {
  check_print_dots(..., of = print.panel_problems)
  show_blocks(blocks_of(x))
  invisible(x)
}

problem_heads <- c(stops = "Stops a fit", likely = "Likely wrong", note = "To know")

#' @export
blocks_of.panel_problems <- function(x, ...) {
  if (nrow(x) == 0) return(text_block("Nothing found."))
  weights <- intersect(names(problem_heads), x$weight)
  lapply(weights, function(weight) {
    rows <- x$weight == weight
    list(
      if (weight != x$weight[1]) gap_block(), heading_block(problem_heads[[weight]], " (", sum(rows), ")"),
      findings_block(paste0(x$kind, ": ", x$where)[rows], x$todo[rows])
    )
  })
}

#' @export
print.repair_log <- function(x, ..., code = FALSE) {
  check_print_dots(..., of = print.repair_log)
  check_flag(code, "code")
  show_blocks(blocks_of(x, code = code))
  invisible(x)
}

#' @export
blocks_of.repair_log <- function(x, code = FALSE, ...) {
  if (code) return(code_block(repair_code(x)))
  if (nrow(x) == 0) return(text_block("Nothing was changed."))
  parts <- split(x, factor(paste(x$action, x$column), unique(paste(x$action, x$column))))
  list(
    heading_block("Repairs: ", if (nrow(x) == 1) "1 cell or row" else paste(count_words(nrow(x)), "cells or rows")),
    findings_block(vapply(parts, mended_words, "", USE.NAMES = FALSE))
  )
}

# What was done to one column, or to rows.
mended_words <- function(part) {
  whole_rows <- is.na(part$column[1])
  how_many <- paste0(count_of(nrow(part), if (whole_rows) "row" else "cell"), ", ", row_words(sort(part$row), 5))
  if (whole_rows) return(paste0(part$action[1], ": ", how_many))
  cells <- sprintf("%s to %s", dQuote(part$before, FALSE),
                   ifelse(is.na(part$after), "missing", dQuote(part$after, FALSE)))
  sprintf("%s, %s: %s; %s", part$action[1], part$column[1], how_many, list_some(cells, 4))
}

#' @export
print.panel_variation <- function(x, ...) {
  check_print_dots(..., of = print.panel_variation)
  show_blocks(blocks_of(x))
  invisible(x)
}

#' @export
blocks_of.panel_variation <- function(x, ...) {
  list(
    heading_block(variation_title(x)),
    if (!is.null(x$numbers)) variation_blocks(x),
    if ("range" %in% x$show && !is.null(x$numbers)) list(gap_block(), table_block(range_table(x))),
    if (!is.null(x$missing)) missing_blocks(x),
    if (!is.null(x$correlations)) lapply(names(correlation_kinds(x)), function(kind) correlation_blocks(x, kind)),
    lapply(unique(x$categories$variable), function(name) category_blocks(x, name))
  )
}

#' @export
as_table.panel_variation <- function(x, ...) {
  if (is.null(x$numbers)) return(new_panel_table(table_rows(character()), list(), variation_title(x)))
  table <- variation_table(x$numbers, variation_title(x))
  if (is.null(x$by)) table else with_headings(table, paste(x$by, x$numbers$group))
}

variation_title <- function(x) sprintf("Where variables vary, by %s and %s", x$entity, x$period)

variation_blocks <- function(x) {
  groups <- if (is.null(x$by)) list(x$numbers) else split(x$numbers, x$numbers$group)
  lapply(groups, function(group) {
    words <- split(group$variable, group$varies)
    list(
      if (!is.null(x$by)) list(gap_block(), heading_block(x$by, " ", group$group[1])),
      table_block(variation_table(group)),
      if (length(words) > 0) text_block(upper_first(names(words)), ": ", vapply(words, list_words, ""))
    )
  })
}

variation_table <- function(numbers, title = NULL) {
  value <- function(name) table_column(name, number_cells(numbers[[name]]))
  new_panel_table(
    table_rows(numbers$variable, key = seq_len(nrow(numbers))), title = title,
    columns = list(
      table_column("rows", count_cells(numbers$rows)),
      if (any(numbers$missing > 0)) table_column("missing", count_cells(numbers$missing)),
      value("mean"), value("overall"), value("between"), value("within")
    )
  )
}

range_table <- function(x) {
  numbers <- x$numbers
  value <- function(head, name) table_column(head, number_cells(numbers[[name]]), name)
  table <- new_panel_table(
    table_rows(numbers$variable, key = seq_len(nrow(numbers))),
    list(value("minimum", "min"), value("lower quartile", "q1"), value("median", "median"),
         value("upper quartile", "q3"), value("maximum", "max"))
  )
  if (is.null(x$by)) table else with_headings(table, paste(x$by, numbers$group))
}

# A row a period, a column for each variable that misses something.
missing_blocks <- function(x) {
  gone <- unique(x$missing$variable[x$missing$missing > 0])
  if (length(gone) == 0) return(list(gap_block(), text_block("Nothing is missing.")))
  columns <- lapply(gone, function(name) {
    table_column(name, count_cells(x$missing$missing[x$missing$variable == name]))
  })
  list(gap_block(), text_block("Missing by ", x$period),
       table_block(new_panel_table(table_rows(unique(x$missing$period)), columns)))
}

correlation_kinds <- function(x) {
  c(overall = paste0("of rows, on ", count_of(x$correlations$rows, "row")),
    between = sprintf("of %s (means)", plural_of(x$entity)), within = paste("within", plural_of(x$entity)))
}

# The lower half.
correlation_blocks <- function(x, kind) {
  table <- x$correlations[[kind]]
  columns <- lapply(seq_len(ncol(table)), function(j) {
    cells <- number_cells(table[, j], 2)
    unknown <- is.na(table[, j])
    cells$kind[unknown] <- "text"
    cells$text[unknown] <- "-"
    cells$kind[seq_len(nrow(table)) < j] <- "empty"
    table_column(colnames(table)[j], cells)
  })
  list(gap_block(), text_block("Correlations ", correlation_kinds(x)[[kind]]),
       table_block(new_panel_table(table_rows(rownames(table)), columns)))
}

category_blocks <- function(x, name) {
  part <- x$categories[x$categories$variable == name, ]
  shown <- utils::head(part[order(-part$rows), ], 8)
  moves <- x$transitions[[name]]
  moved <- if (is.null(moves)) 0 else sum(moves) - sum(diag(moves))
  list(
    gap_block(), text_block(name, ", ", count_of(nrow(part), "category"), "; ", x$varies[[name]]),
    table_block(new_panel_table(table_rows(shown$value), list(
      table_column("rows", count_cells(shown$rows)),
      table_column(plural_of(x$entity), count_cells(shown$entities), "entities")
    ))),
    if (nrow(part) > 8) text_block("  and ", count_of(nrow(part) - 8, "more category")),
    if (moved > 0) {
      text_block("From one ", x$period, " to the next ", count_words(moved), " of ", count_words(sum(moves)),
                 " change")
    }
  )
}
