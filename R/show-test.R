# How a test is printed: title, question, both hypotheses, the result, one sentence; cautions before notes.

#' @export
print.panel_test <- function(x, ...) {
  check_print_dots(..., of = print.panel_test)
  say_heading(x$method)
  # What is offered for comparison only is cautioned against before anything else.
  if (isTRUE(x$for_comparison)) for (caution in x$cautions) say("Caution: ", caution)
  if (!is.null(x$question)) say("Question: ", x$question)
  say("Equation: ", x$data.name)
  say("Null: ", x$null)
  say("Alternative: ", x$alternative)
  writeLines("")
  show_test_table(x)
  for (line in estimate_words(x$estimate)) say(line)
  say(result_words(x))
  say(x$reading)
  if (!isTRUE(x$for_comparison)) for (caution in x$cautions) say("Caution: ", caution)
  for (note in x$notes) say("Note: ", note)
  invisible(x)
}

result_words <- function(test) {
  df <- df_words(test$distribution$df)
  on <- if (length(df) == 0) "" else if (length(df) == 1) paste(" on", df, "df") else
    paste(" on", df[1], "and", df[2], "df")
  paste0(names(test$statistic), " = ", format_number(test$statistic), on, ", ",
         p_words(test$p.value))
}

# What the test estimates, a line each.
estimate_words <- function(estimate) {
  if (length(estimate) == 0) return(NULL)
  paste0(upper_first(names(estimate)), ": ", format_number(unname(estimate)))
}

show_test_table <- function(test) {
  if (!is.null(test$table)) writeLines(c(format_columns(typed_columns(test$table)), ""))
}

#' @export
print.collinearity <- function(x, ...) {
  check_print_dots(..., of = print.collinearity)
  if (!all(c("term", "inflation", "of_error") %in% names(x))) return(print(as.data.frame(x)))
  words <- attr(x, "words")
  say_heading(sprintf("Collinearity of the regressors of %s%s", attr(x, "of"), if (is.null(words)) "" else
    paste0(", ", words)))
  table <- typed_table(as.data.frame(x), list(
    typed_column("term", "", "text"), typed_column("coefficients", "coefficients", "count"),
    typed_column("inflation", "inflation", "ratio"), typed_column("of_error", "of a std. error", "ratio")
  ))
  writeLines(format_columns(typed_columns(table)))
  say("Condition number ", format_number(attr(x, "condition"), 3))
  say(collinearity_reading(x))
  invisible(x)
}

#' @export
print.nested_test <- function(x, ...) {
  check_print_dots(..., of = print.nested_test)
  heading <- attr(x, "heading")
  say_heading(heading[1])
  for (line in heading[-1]) say(line)
  writeLines("")
  table <- typed_table(data.frame(unclass(x), step = seq_len(nrow(x)), check.names = FALSE), list(
    typed_column("step", "", "count"), typed_column("Res.Df", "residual df", "count"),
    typed_column("RSS", "sum of squares", "number"), typed_column("Df", "restrictions lifted", "count"),
    typed_column("F", "F", "number"), typed_column("Pr(>F)", "p", "p")
  ))
  writeLines(format_columns(typed_columns(table)))
  invisible(x)
}
