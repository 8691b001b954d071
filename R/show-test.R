# How tests are printed: title, question, both hypotheses, the result, one sentence; cautions before notes.

#' @export
print.panel_test <- function(x, ...) {
  check_print_dots(..., of = print.panel_test)
  show_blocks(blocks_of(x))
  invisible(x)
}

#' @export
blocks_of.panel_test <- function(x, ...) {
  cautions <- if (length(x$cautions) > 0) text_block("Caution: ", x$cautions)
  list(
    heading_block(x$method),
    # What is offered for comparison only is cautioned against before anything else.
    if (isTRUE(x$for_comparison)) cautions,
    if (!is.null(x$question)) text_block("Question: ", x$question),
    text_block("Equation: ", x$data.name), text_block("Null: ", x$null), text_block("Alternative: ", x$alternative),
    gap_block(),
    if (!is.null(x$table)) list(table_block(table_of_columns(x$table)), gap_block()),
    if (length(x$estimate) > 0) text_block(estimate_words(x$estimate)),
    text_block(result_words(x)), text_block(x$reading),
    if (!isTRUE(x$for_comparison)) cautions,
    if (length(x$notes) > 0) text_block("Note: ", x$notes)
  )
}

result_words <- function(test) {
  df <- df_words(test$distribution$df)
  on <- if (length(df) == 0) "" else if (length(df) == 1) paste(" on", df, "df") else
    paste(" on", df[1], "and", df[2], "df")
  paste0(names(test$statistic), " = ", format_number(test$statistic), on, ", ",
         p_words(test$p.value))
}

# What the test estimates, a line each.
estimate_words <- function(estimate) paste0(upper_first(names(estimate)), ": ", format_number(unname(estimate)))

#' @export
print.collinearity <- function(x, ...) {
  check_print_dots(..., of = print.collinearity)
  if (!all(c("term", "inflation", "of_error") %in% names(x))) return(print(as.data.frame(x)))
  show_blocks(blocks_of(x))
  invisible(x)
}

#' @export
blocks_of.collinearity <- function(x, ...) {
  table <- as_table(x)
  list(heading_block(table$title), table_block(table), text_block(table$notes$text))
}

#' @export
as_table.collinearity <- function(x, ...) {
  words <- attr(x, "words")
  data <- typed_table(as.data.frame(x), list(
    typed_column("term", "", "text"), typed_column("coefficients", "coefficients", "count"),
    typed_column("inflation", "inflation", "ratio"), typed_column("of_error", "of a std. error", "ratio")
  ))
  table_of_columns(
    data, paste0("Collinearity of the regressors of ", attr(x, "of"), if (!is.null(words)) paste0(", ", words)),
    table_note(c(paste("Condition number", format_number(attr(x, "condition"), 3)), collinearity_reading(x)))
  )
}

# Tests of terms by sums of squares: in turn, less or more, and of nested fits.

#' @export
print.terms_tested <- function(x, ...) {
  check_print_dots(..., of = print.terms_tested)
  show_blocks(blocks_of(x))
  invisible(x)
}

#' @export
blocks_of.terms_tested <- function(x, ...) {
  table <- as_table(x)
  list(if (!is.null(table$title)) list(heading_block(table$title), text_block(table$notes$text), gap_block()),
       table_block(table))
}

#' @export
as_table.terms_in_turn <- function(x, ...) {
  heading <- attr(x, "heading")
  data <- typed_table(data.frame(term = row.names(x), unclass(x), check.names = FALSE), list(
    typed_column("term", "", "text"), typed_column("Df", "df", "count"),
    typed_column("Sum Sq", "sum of squares", "number"), typed_column("Mean Sq", "mean square", "number"),
    typed_column("F value", "F", "number"), typed_column("Pr(>F)", "p", "p")
  ))
  table_of_columns(data, heading[1], table_note(heading[-1]))
}

#' @export
as_table.terms_compared <- function(x, ...) {
  heading <- attr(x, "heading")
  columns <- list(
    typed_column("Df", "df", "count"), typed_column("Sum of Sq", "sum of squares", "number"),
    typed_column("RSS", "left", "number"), typed_column("AIC", "AIC", "ratio"), typed_column("F value", "F", "number"),
    typed_column("Pr(>F)", "p", "p")
  )
  there <- Filter(function(column) column$name %in% names(x), columns)
  term <- sub("^<none>$", "as it is", row.names(x))
  data <- typed_table(data.frame(term = term, unclass(x), check.names = FALSE),
                      c(list(typed_column("term", "", "text")), there))
  table_of_columns(data, heading[1], table_note(heading[-1]))
}

#' @export
as_table.nested_test <- function(x, ...) {
  heading <- attr(x, "heading")
  data <- typed_table(data.frame(unclass(x), step = seq_len(nrow(x)), check.names = FALSE), list(
    typed_column("step", "", "count"), typed_column("Res.Df", "residual df", "count"),
    typed_column("RSS", "sum of squares", "number"), typed_column("Df", "restrictions lifted", "count"),
    typed_column("F", "F", "number"), typed_column("Pr(>F)", "p", "p")
  ))
  table_of_columns(data, heading[1], table_note(heading[-1]))
}
