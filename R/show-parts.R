# How variance components and figures of fit are printed.

#' @export
print.variance_parts <- function(x, ...) {
  check_print_dots(..., of = print.variance_parts)
  say_heading("Variance components, by ", attr(x, "method"))
  table <- list(
    ifelse(x$part == "within", "within", paste("between", plurals_of(x$part))),
    align_decimal(format_number(x$variance)), align_decimal(format_number(x$sd)),
    align_decimal(fixed_decimals(100 * x$share, 1))
  )
  writeLines(format_columns(stats::setNames(table, c("", "variance", "sd", "percent"))))
  theta <- attr(x, "theta")
  if (!is.null(theta)) {
    places <- unique(fixed_decimals(range(theta), 3))
    say("Theta, the share of the group mean that is taken off: ", paste(places, collapse = " to "))
  }
  invisible(x)
}

#' @export
print.fit_figures <- function(x, ...) {
  check_print_dots(..., of = print.fit_figures)
  if (nrow(x) != 1) {
    cells <- lapply(unclass(x), cell_text)
    writeLines(format_columns(stats::setNames(cells, names(x))))
    return(invisible(x))
  }
  say_heading("Figures of fit")
  r2 <- grep("^r2_", names(x), value = TRUE)
  r2 <- r2[!is.na(unlist(x[r2]))]
  lines <- c(
    rows = count_words(x$rows),
    entities = if (!is.na(x$entities)) count_words(x$entities),
    periods = if (!is.na(x$periods)) count_words(x$periods),
    "residual df" = count_words(x$df_residual),
    "df of the effects" = if (x$df_effects > 0) {
      paste0(if (!x$df_exact) "at most ", count_words(x$df_effects))
    },
    stats::setNames(fixed_decimals(unlist(x[r2]), 4), paste("R-squared", gsub("_", " ", sub("^r2_", "", r2)))),
    F = if (x$f_df1 > 0) {
      sprintf("%s (%s and %s df, %s)", format_number(x$f), count_words(x$f_df1), count_words(x$f_df2), p_words(x$f_p))
    },
    RMSE = format_number(x$rmse), "log-likelihood" = format_number(x$log_lik, decimals = 2),
    parameters = count_words(x$parameters), AIC = format_number(x$aic, decimals = 2),
    BIC = format_number(x$bic, decimals = 2),
    iterations = if (x$iterations > 0) count_words(x$iterations),
    "left of a swept column" = if (x$achieved > 0) formatC(x$achieved, format = "e", digits = 0, decimal.mark = ".")
  )
  writeLines(paste0("  ", pad_right(names(lines)), "  ", lines))
  invisible(x)
}

# The highest and lowest effects of each set, and how many stand between.
shown_levels <- 5

#' @export
print.effect_levels <- function(x, ..., n = shown_levels) {
  check_print_dots(..., of = print.effect_levels)
  check_number(n, "n", 1, whole = TRUE)
  for (set in unique(x$effect)) {
    part <- x[x$effect == set, ]
    part <- part[order(-part$deviation), ]
    say_heading(upper_first(plural_of(set)), ": ", count_of(nrow(part), "effect"), ", the highest first")
    all_shown <- nrow(part) <= 2 * n
    shown <- if (all_shown) seq_len(nrow(part)) else c(seq_len(n), nrow(part) - rev(seq_len(n)) + 1L)
    part <- part[shown, ]
    places <- estimate_decimals(part$deviation, part$deviation_error)
    places <- rep(max(places), length(places))
    value <- function(v) align_decimal(format_number(v, decimals = places))
    columns <- list(label_text(part$group), count_words(part$rows), value(part$level), value(part$std_error),
                    value(part$deviation), value(part$deviation_error))
    names(columns) <- c("", "rows", "level", "std. error", "deviation", "its error")
    known <- vapply(columns, function(cells) any(nzchar(trimws(cells))), TRUE)
    lines <- format_columns(columns[known])
    if (!all_shown) lines <- append(lines, sprintf("  (%s between)", count_words(sum(x$effect == set) - 2 * n)), n + 1L)
    writeLines(lines)
  }
  invisible(x)
}
