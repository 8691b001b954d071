# Tests as rows of a table: the question, the statistic, its degrees of freedom, p, and what the data say.

#' @export
as_table.panel_test <- function(x, ...) {
  table <- tests_table(list(x))
  table$title <- x$method
  table$says <- c(paste("Equation:", x$data.name), paste("Null:", x$null))
  if (is.null(x$table)) return(table)
  with <- table_of_columns(x$table, x$method, table_note(c(result_words(x), x$reading)))
  with$says <- table$says
  with
}

# Several tests in a list are one table.
#' @export
as_table.list <- function(x, ...) {
  if (!is_list_of_tests(x)) return(as_table.default(x))
  tests_table(x)
}

is_list_of_tests <- function(x) is.list(x) && length(x) > 0 && all(vapply(x, inherits, TRUE, "panel_test"))

tests_table <- function(tests) {
  names <- if (is.null(names(tests))) rep("", length(tests)) else names(tests)
  text <- function(field) vapply(tests, function(test) paste(c(test[[field]], "")[1]), "")
  question <- ifelse(nzchar(names), names, upper_first(ifelse(nzchar(text("question")), text("question"),
                                                              text("method"))))
  df <- vapply(tests, function(test) paste(df_words(test$distribution$df), collapse = " and "), "")
  equations <- unique(text("data.name"))
  cautions <- unlist(lapply(seq_along(tests), function(t) {
    if (length(tests[[t]]$cautions) > 0) paste0(if (length(tests) > 1) paste0(question[t], ": "), tests[[t]]$cautions)
  }))
  new_panel_table(
    table_rows(question, key = seq_along(tests)), stub = "question", columns = list(
      table_column("statistic", number_cells(vapply(tests, function(test) as.numeric(test$statistic)[1], 0))),
      table_column("df", word_cells(df)), table_column("p", p_cells(vapply(tests,
                                                                           function(test) as.numeric(test$p.value)[1],
                                                                             0))),
      table_column("what the data say", word_cells(text("reading")), form = "prose")
    ), title = "Tests", notes = table_note(cautions),
    says = if (length(equations) == 1) paste("Equation:", equations) else character()
  )
}
