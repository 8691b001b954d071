# How variance components and figures of fit are printed.

#' @export
print.variance_parts <- function(x, ...) {
  say_heading("Variance components, by ", attr(x, "method"))
  table <- list(
    ifelse(x$part == "within", "within", paste("between", plurals_of(x$part))),
    align_decimal(format_number(x$variance)), align_decimal(format_number(x$sd)),
    align_decimal(formatC(100 * x$share, format = "f", digits = 1))
  )
  writeLines(format_columns(stats::setNames(table, c("", "variance", "sd", "percent"))))
  theta <- attr(x, "theta")
  if (!is.null(theta)) {
    places <- unique(formatC(range(theta), format = "f", digits = 3))
    say("Theta, the share of the group mean that is taken off: ", paste(places, collapse = " to "))
  }
  invisible(x)
}

#' @export
print.fit_figures <- function(x, ...) {
  if (nrow(x) != 1) {
    print(as.data.frame(unclass(x)))
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
    stats::setNames(formatC(unlist(x[r2]), format = "f", digits = 4),
                    sub("^r2_", "R-squared ", gsub("_(?=[a-z])", " ", sub("^r2_", "R-squared ", r2), perl = TRUE))),
    F = if (x$f_df1 > 0) {
      sprintf("%s (%s and %s df, %s)", format_number(x$f), count_words(x$f_df1), count_words(x$f_df2), p_words(x$f_p))
    },
    RMSE = format_number(x$rmse), "log-likelihood" = format_number(x$log_lik),
    parameters = count_words(x$parameters), AIC = format_number(x$aic), BIC = format_number(x$bic),
    iterations = if (x$iterations > 0) count_words(x$iterations),
    "left of a swept column" = if (x$iterations > 0) formatC(x$achieved, format = "e", digits = 0)
  )
  writeLines(paste0("  ", pad_right(names(lines)), "  ", lines))
  invisible(x)
}
