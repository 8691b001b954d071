# Tests as rows of tidy tables.

#' @rdname tidy_tables
#' @exportS3Method generics::tidy
tidy.panel_test <- function(x, ...) {
  check_no_dots(..., of = tidy_call(tidy.panel_test, "tidy()"))
  df <- as.numeric(x$distribution$df)
  tidy_table(list(statistic = as.numeric(x$statistic)[1], df = df[1], df2 = df[2], p.value = as.numeric(x$p.value)[1],
                  method = x$method))
}

#' @rdname tidy_tables
#' @exportS3Method generics::glance
glance.panel_test <- function(x, ...) tidy.panel_test(x, ...)
