# How a test is printed: title, both hypotheses, the result, one sentence.

#' @export
print.panel_test <- function(x, ...) {
  say_heading(x$method)
  say("Equation: ", x$data.name)
  say("Null: ", x$null)
  say("Alternative: ", x$alternative)
  writeLines("")
  show_test_table(x)
  if (!is.null(x$estimate)) say(estimate_words(x$estimate))
  say(result_words(x))
  say(x$reading)
  for (note in x$notes) say("Note: ", note)
  invisible(x)
}

result_words <- function(test) {
  df <- df_words(test$distribution$df)
  on <- if (length(df) == 1) paste("on", df, "df") else paste("on", df[1], "and", df[2], "df")
  paste0(names(test$statistic), " = ", format_number(test$statistic), " ", on, ", ",
         p_words(test$p.value))
}

estimate_words <- function(estimate) {
  places <- estimate_decimals(estimate[1], estimate[2])
  sprintf("Coefficient of the %s: %s, std. error %s", names(estimate)[1],
          format_number(estimate[1], decimals = places), format_number(estimate[2], decimals = places))
}

show_test_table <- function(test) {
  if (!is.null(test$table)) writeLines(c(format_columns(typed_columns(test$table)), ""))
}

#' @export
print.nested_test <- function(x, ...) {
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
