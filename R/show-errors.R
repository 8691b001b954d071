# How errors side by side are printed, with what they say.

#' @export
print.errors_comparison <- function(x, ...) {
  check_print_dots(..., of = print.errors_comparison)
  if (!all(c("term", "errors", "ratio") %in% names(x))) return(print(as.data.frame(x)))
  show_blocks(blocks_of(x))
  invisible(x)
}

#' @export
blocks_of.errors_comparison <- function(x, ...) {
  kinds <- length(unique(x$errors))
  skipped <- attr(x, "skipped")
  list(
    heading_block(attr(x, "model")),
    text_block("Under ", if (kinds == 1) "one kind of errors" else paste(count_words(kinds), "kinds of errors")),
    gap_block(),
    lapply(unique(x$term), function(term) {
      rows <- x[x$term == term, ]
      list(text_block(compared_words(rows[1, ])), table_block(table_of_columns(comparison_columns(rows))),
           text_block(comparison_reading(x, rows)), plain_beside_words(x, term), gap_block())
    }),
    if (length(skipped) > 0) text_block("Not computed: ", names(skipped), ". ", unlist(skipped))
  )
}

# "Without AR(1): estimate -0.0504, std. error 0.0079 (clustered by harbour)"
plain_beside_words <- function(x, term) {
  plain <- attr(x, "without_serial")
  plain <- plain[plain$term == term, ]
  if (NROW(plain) == 0) return(NULL)
  places <- estimate_decimals(plain$estimate, plain$std_error)
  text_block(sprintf("Without AR(1): estimate %s, std. error %s (%s).",
                     format_number(plain$estimate, decimals = places),
                     format_number(plain$std_error, decimals = places), plain$errors))
}

compared_words <- function(rows) paste0(term_words(rows$term), ": estimate ", format_number(rows$estimate))

comparison_columns <- function(rows) {
  like <- c("estimate", "std_error")
  typed_table(rows, list(
    typed_column("errors", "errors", "text"), typed_column("std_error", "std. error", "estimate", like),
    typed_column("ratio", "of classical", "ratio"), typed_column("df", "df", "df"), typed_column("p_value", "p", "p")
  ))
}

# A line for each coefficient, its errors below it.
#' @export
as_table.errors_comparison <- function(x, ...) {
  with_headings(table_of_columns(comparison_columns(x), attr(x, "model")), compared_words(x))
}

# What the differences say, in a sentence or two.
comparison_reading <- function(x, rows) {
  of <- function(pattern) {
    at <- grep(pattern, rows$errors)
    if (length(at) > 0) rows$ratio[at[1]] else NA_real_
  }
  entity <- attr(x, "entity")
  period <- attr(x, "period")
  clustered <- if (!is.null(entity)) of(sprintf("^clustered by %s$", entity)) else of("^clustered by")
  both <- if (!is.null(entity)) of(sprintf("^clustered by %s and %s$", entity, period)) else NA
  robust <- of("^robust HC1$")
  said <- c(
    if (!is.na(clustered) && clustered > 1.2) {
      sprintf("Clustered, the error is %s times the classical one: disturbances of one %s are related, and %s",
              fixed_decimals(clustered, 1), if (is.null(entity)) "cluster" else entity,
              "classical errors are too small")
    },
    if (!is.na(robust) && (robust > 1.15 || robust < 0.87)) "variances differ between rows",
    if (!is.na(both) && !is.na(clustered) && both > 1.2 * clustered) {
      sprintf("clustering by %s too adds to it: shocks are shared within %s", period, one_of_a(period))
    }
  )
  p <- rows$p_value[!is.na(rows$p_value)]
  low <- rows$errors[which(rows$p_value < reading_level)]
  split <- length(p) > 0 && any(p < reading_level) && any(p >= reading_level)
  verdict <- if (split) {
    sprintf("At 5 percent it differs from zero under %s, and not under the others", list_some(low, 4))
  } else if (length(p) > 0) {
    sprintf("All say at 5 percent that it %s", if (p[1] < reading_level) "differs from zero" else "may be zero")
  }
  ratio <- if (all(is.na(rows$ratio))) NULL else range(rows$ratio, na.rm = TRUE)
  if (length(said) == 0 && !is.null(ratio)) {
    said <- if (all(abs(log(ratio)) < log(1.15))) "All errors are near the classical one" else
      sprintf("These errors are %s to %s times the classical one", fixed_decimals(ratio[1], 2),
              fixed_decimals(ratio[2], 2))
  }
  few <- if (any(rows$errors == "Driscoll-Kraay" & rows$df < 29)) {
    sprintf("Driscoll-Kraay errors rest on %s, which are few.",
            count_of(min(rows$df[rows$errors == "Driscoll-Kraay"]) + 1, period))
  }
  text <- paste(c(if (length(said) > 0) paste0(upper_first(paste(said, collapse = "; ")), "."),
                  if (!is.null(verdict)) paste0(verdict, "."), few), collapse = " ")
  text
}
