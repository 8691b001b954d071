#' The same model in each group
#'
#' Question answered: *is the answer the same on every coast?* The model on all rows, and on
#' those of each value of a column.
#'
#' Lags and other operators see the whole panel, as with `rows =`.
#'
#' @param formula,data As for the fit.
#' @param by A column, as a one-sided formula `~ coast` or its name.
#' @param fit The function that fits: [fit_fixed()], [fit_pooled()], ...
#' @param ... What it takes besides: `effects`, `errors`, `weights`.
#' @param all Whether the fit on all rows comes first.
#' @return A named list of fits, which [spec_table()] and [plot_estimates()] take: `all`, then
#'   one for each value, in order.
#' @section Errors:
#' `wavetax_error_by` when `by` is not one column, `wavetax_error_unknown_column`. A group on
#' which the model cannot be fitted is left out with the warning `wavetax_warning_group`.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' # The truth of the demo world is -0.05 on every coast.
#' spec_table(fit_each(log(nights) ~ levy + storms, panel, by = ~ coast))
#' @export
fit_each <- function(formula, data, by, fit = fit_fixed, ..., all = TRUE) {
  check_is_table(data)
  name <- if (rlang::is_formula(by, lhs = FALSE)) attr(stats::terms(by), "term.labels") else by
  if (!is.character(name) || length(name) != 1) {
    stop_wavetax("by", "`by` is not one column.", todo = "For example `by = ~ coast`.")
  }
  check_columns(name, data)
  column <- data[[name]]
  values <- if (is.factor(column)) levels(droplevels(column)) else sort(unique(column))
  each <- lapply(values, function(value) {
    condition <- rlang::new_formula(NULL, call("==", as.name(name), value), env = baseenv())
    tryCatch(fit(formula, data, ..., rows = condition), wavetax_error = function(cnd) {
      warn_wavetax("group", sprintf("No fit where %s is %s.", name, format(value)),
                   where = sub("\n.*", "", conditionMessage(cnd)))
      NULL
    })
  })
  names(each) <- trimws(format(values))
  c(if (all) list(all = fit(formula, data, ...)), Filter(Negate(is.null), each))
}

# Outcomes of `cbind(a, b) ~ x`: their calls, named as written.
several_outcomes <- function(formula) {
  left <- if (rlang::is_formula(formula, lhs = TRUE)) rlang::f_lhs(formula)
  if (!is.call(left) || !identical(left[[1]], as.name("cbind"))) return(NULL)
  outcomes <- as.list(left)[-1]
  given <- names(outcomes)
  words <- vapply(outcomes, deparse_words, "")
  if (!is.null(given)) words[nzchar(given)] <- given[nzchar(given)]
  stats::setNames(outcomes, words)
}

# One fit an outcome, each on the rows that have it: the call again with its left side.
fit_outcomes <- function(outcomes, formula, call, frame) {
  lapply(outcomes, function(outcome) {
    one <- formula
    rlang::f_lhs(one) <- outcome
    call$formula <- one
    eval(call, frame)
  })
}
