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
  df <- count_words(test$parameter)
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
  table <- test$table
  if (is.null(table)) return(invisible())
  places <- estimate_decimals(table$consistent, table$std_error)
  value <- function(x) align_decimal(format_number(x, decimals = places))
  columns <- list(
    table$term, value(table$consistent), value(table$efficient), value(table$difference),
    value(table$std_error), format_p(table$p_value)
  )
  names(columns) <- c("", test$methods, "difference", "its error", "p")
  writeLines(c(format_columns(columns), ""))
}

#' @export
print.nested_test <- function(x, ...) {
  heading <- attr(x, "heading")
  say_heading(heading[1])
  for (line in heading[-1]) say(line)
  writeLines("")
  columns <- list(
    as.character(seq_len(nrow(x))), count_words(x$Res.Df), align_decimal(format_number(x$RSS)),
    ifelse(is.na(x$Df), "", count_words(x$Df)), align_decimal(format_number(x$F)), format_p(x[["Pr(>F)"]])
  )
  names(columns) <- c("", "residual df", "sum of squares", "restrictions lifted", "F", "p")
  writeLines(format_columns(columns))
  invisible(x)
}
