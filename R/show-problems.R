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
    if ("range" %in% x$show && is.null(x$statistics) && !is.null(x$numbers)) list(gap_block(),
      table_block(range_table(x))),
    if (!is.null(x$missing)) missing_blocks(x),
    if (!is.null(x$correlations)) lapply(names(correlation_kinds(x)), function(kind) correlation_blocks(x, kind)),
    lapply(unique(x$categories$variable), function(name) category_blocks(x, name))
  )
}

#' @export
as_table.panel_variation <- function(x, ...) {
  if (is.null(x$numbers)) return(new_panel_table(table_rows(character()), list(), variation_title(x)))
  wanted <- x$statistics
  if (is.null(wanted)) wanted <- c(usual_statistics(x$numbers), if ("range" %in% x$show) range_statistics)
  table <- variation_table(x, x$numbers, wanted, variation_title(x))
  table$says <- c(x$sample, if (!is.null(x$weighted)) paste("Weighted by", x$weighted))
  if (is.null(x$by)) table else with_headings(table, paste(x$by, x$numbers$group))
}

variation_title <- function(x) sprintf("Where variables vary, by %s and %s", x$entity, x$period)

variation_blocks <- function(x) {
  groups <- if (is.null(x$by)) list(x$numbers) else split(x$numbers, x$numbers$group)
  lapply(groups, function(group) {
    words <- split(group$variable, group$varies)
    list(
      if (!is.null(x$by)) list(gap_block(), heading_block(x$by, " ", group$group[1])),
      table_block(variation_table(x, group, if (is.null(x$statistics)) usual_statistics(x$numbers) else x$statistics)),
      if (length(words) > 0) text_block(upper_first(names(words)), ": ", vapply(words, list_words, "")),
      if (x$parts) parts_blocks(x, group)
    )
  })
}

usual_statistics <- function(numbers) {
  c("rows", if (any(numbers$missing > 0)) "missing", "mean", "sd", "share_within", "sd_within")
}

# How the variance of each variable parts, a line each.
parts_blocks <- function(x, numbers) {
  numbers <- numbers[is.finite(numbers$share_within), ]
  digits <- decimals_for(numbers$sd, 3)
  number <- function(v) format_number(v, decimals = digits)
  percent <- function(share) fixed_decimals(100 * share, 1)
  entities <- plural_of(x$entity)
  list(gap_block(), text_block("How the variance parts, in percent"), text_block(sprintf(
    "  %s: %s between %s, whose means spread by %s, and %s around these means, by %s", numbers$variable,
    percent(1 - numbers$share_within), entities, number(numbers$sd_between), percent(numbers$share_within),
    number(numbers$sd_within)
  )))
}

range_statistics <- c("min", "q1", "median", "q3", "max")

statistic_heads <- c(sd = "deviation", sd_within = "deviation within", sd_between = "deviation of means",
                     min = "minimum",
                     q1 = "lower quartile", q3 = "upper quartile", max = "maximum")

# A row a variable, with as many decimals as three digits of its spread have; least and most as the data have them.
variation_table <- function(x, numbers, wanted, title = NULL) {
  digits <- decimals_for(numbers$sd, 3)
  digits[is.na(digits)] <- 0
  own <- Reduce(pmax, lapply(intersect(range_statistics, names(numbers)), function(name) decimals_of(numbers[[name]])))
  own <- pmin(own, digits)
  heads <- names(wanted)
  if (is.null(heads)) heads <- rep("", length(wanted))
  named <- nzchar(heads)
  statistic_heads["share_within"] <- sprintf("%% within %s", plural_of(x$entity))
  heads[!named] <- ifelse(wanted %in% names(statistic_heads), statistic_heads[wanted], wanted)[!named]
  columns <- lapply(seq_along(wanted), function(s) {
    name <- wanted[[s]]
    value <- numbers[[name]]
    cells <- if (name %in% c("rows", "missing")) count_cells(value) else
      if (name == "share_within") number_cells(100 * value, 1, "share") else
      number_cells(value, if (name %in% range_statistics) own else digits)
    table_column(heads[s], cells, name)
  })
  phrases <- lapply(numbers$variable, function(name) {
    if (name %in% names(x$labels)) phrase_of_label(x$labels[[name]]) else term_phrase(name)
  })
  new_panel_table(table_rows(vapply(phrases, `[[`, "", "label"), key = seq_len(nrow(numbers)),
                             unit = vapply(phrases, `[[`, "", "unit")), columns, title)
}

# Decimals that numbers have, eight at most.
decimals_of <- function(x) {
  out <- rep(0, length(x))
  for (k in seq_len(most_decimals)) {
    more <- is.finite(x) & abs(x - round(x, k - 1)) > 1e-9 * pmax(1, abs(x))
    out[more] <- k
  }
  out
}

range_table <- function(x) {
  table <- variation_table(x, x$numbers, range_statistics)
  if (is.null(x$by)) table else with_headings(table, paste(x$by, x$numbers$group))
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
