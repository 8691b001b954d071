# How variance components, figures of fit and effects are printed.

#' @export
print.variance_parts <- function(x, ...) {
  check_print_dots(..., of = print.variance_parts)
  show_blocks(blocks_of(x))
  invisible(x)
}

#' @export
blocks_of.variance_parts <- function(x, ...) {
  table <- as_table(x)
  list(heading_block(table$title), table_block(table), if (nrow(table$notes) > 0) text_block(table$notes$text))
}

#' @export
as_table.variance_parts <- function(x, ...) {
  theta <- attr(x, "theta")
  new_panel_table(
    table_rows(ifelse(x$part == "within", "within", paste("between", plurals_of(x$part))), key = x$part),
    title = paste("Variance components, by", attr(x, "method")),
    columns = list(table_column("variance", number_cells(x$variance)), table_column("sd", number_cells(x$sd)),
                   table_column("percent", number_cells(100 * x$share, 1))),
    notes = if (!is.null(theta)) {
      table_note(paste("Theta, the share of the group mean that is taken off:",
                       paste(unique(fixed_decimals(range(theta), 3)), collapse = " to ")))
    }
  )
}

#' @export
print.fit_figures <- function(x, ...) {
  check_print_dots(..., of = print.fit_figures)
  show_blocks(blocks_of(x))
  invisible(x)
}

#' @export
blocks_of.fit_figures <- function(x, ...) {
  table <- as_table(x)
  list(if (!is.null(table$title)) heading_block(table$title), table_block(table))
}

# The figures of one fit below each other, of several a line each.
#' @export
as_table.fit_figures <- function(x, ...) {
  if (nrow(x) != 1) {
    columns <- lapply(names(x)[-1], function(name) {
      cells <- if (name == "f_p") p_cells(x[[name]]) else new_cells("text", text = cell_text(x[[name]]))
      table_column(name, cells)
    })
    rows <- table_rows(cell_text(x[[1]]), key = seq_len(nrow(x)))
    return(new_panel_table(rows, columns, stub = names(x)[1]))
  }
  figures <- figure_words(x)
  value <- table_column("", word_cells(unname(figures)), "figure", form = "left")
  new_panel_table(table_rows(names(figures)), list(value), "Figures of fit")
}

figure_words <- function(x) {
  r2 <- grep("^r2_", names(x), value = TRUE)
  r2 <- r2[!is.na(unlist(x[r2]))]
  c(
    rows = count_words(x$rows),
    entities = if (!is.na(x$entities)) count_words(x$entities),
    periods = if (!is.na(x$periods)) count_words(x$periods),
    "residual df" = count_words(x$df_residual),
    "df of the effects" = if (x$df_effects > 0) {
      paste0(if (!x$df_exact) "at most ", count_words(x$df_effects))
    },
    if (length(r2) > 0) {
      stats::setNames(fixed_decimals(unlist(x[r2]), 4), paste("R-squared", gsub("_", " ", sub("^r2_", "", r2))))
    },
    F = if (x$f_df1 > 0 && !is.na(x$f)) {
      sprintf("%s (%s and %s df, %s)", format_number(x$f), count_words(x$f_df1), count_words(x$f_df2), p_words(x$f_p))
    },
    RMSE = format_number(x$rmse), "log-likelihood" = if (!is.na(x$log_lik)) format_number(x$log_lik, decimals = 2),
    constant = if (!is.na(x$constant)) constant_figure(x), parameters = count_words(x$parameters),
    AIC = if (!is.na(x$aic)) format_number(x$aic, decimals = 2),
    BIC = if (!is.na(x$bic)) format_number(x$bic, decimals = 2),
    iterations = if (x$iterations > 0) count_words(x$iterations),
    "left of a swept column" = if (x$achieved > 0) formatC(x$achieved, format = "e", digits = 0, decimal.mark = ".")
  )
}

constant_figure <- function(x) {
  places <- estimate_decimals(x$constant, x$constant_error)
  number <- function(value) format_number(value, decimals = places)
  told <- c(if (!is.na(x$constant_error)) paste("std. error", number(x$constant_error)),
            if (x$df_effects > 0) "effects average zero over rows")
  paste0(number(x$constant), if (length(told) > 0) sprintf(" (%s)", paste(told, collapse = "; ")))
}

# The highest and lowest effects of each set, and how many stand between.
shown_levels <- 5

#' @export
print.effect_levels <- function(x, ..., n = shown_levels) {
  check_print_dots(..., of = print.effect_levels)
  check_number(n, "n", 1, whole = TRUE)
  show_blocks(blocks_of(x, n = n))
  invisible(x)
}

#' @export
blocks_of.effect_levels <- function(x, n = shown_levels, ...) {
  why <- attr(x, "no_errors")
  list(lapply(unique(x$effect), function(set) {
    part <- x[x$effect == set, ]
    list(heading_block(levels_title(set, part)), table_block(levels_table(part, n)))
  }), if (!is.null(why)) text_block("Note: no errors of effects, since ", why))
}

#' @export
as_table.effect_levels <- function(x, n = shown_levels, ...) {
  sets <- unique(x$effect)
  parts <- lapply(sets, function(set) x[x$effect == set, ])
  stack_tables(lapply(parts, levels_table, n), Map(levels_title, sets, parts))
}

levels_title <- function(set, part) {
  paste0(upper_first(plural_of(set)), ": ", count_of(nrow(part), "effect"), ", the highest first")
}

levels_table <- function(part, n) {
  part <- part[order(-part$deviation), ]
  between <- nrow(part) - 2 * n
  if (between > 0) part <- part[c(seq_len(n), nrow(part) - rev(seq_len(n)) + 1L), ]
  places <- max(estimate_decimals(part$deviation, part$deviation_error))
  value <- function(name, head) {
    cells <- number_cells(part[[name]], places)
    if (any(cells$kind != "empty")) table_column(head, cells, name)
  }
  table <- new_panel_table(
    table_rows(label_text(part$group), key = seq_len(nrow(part))),
    list(table_column("rows", count_cells(part$rows)), value("level", "level"), value("std_error", "std. error"),
         value("deviation", "deviation"), value("deviation_error", "its error"))
  )
  if (between > 0) with_line(table, n, sprintf("(%s between)", count_words(between))) else table
}
