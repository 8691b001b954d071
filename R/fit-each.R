#' The same model in each group
#'
#' Question answered: *is the answer the same on every coast?* The model on the rows of each value of a column.
#'
#' Lags and other operators see the whole panel, as with `rows =`.
#'
#' @param formula,data As for the fit.
#' @param by A column, bare, quoted, or as a one-sided formula `~ coast`.
#' @param fit The function that fits: [fit_fixed()], [fit_pooled()], ...
#' @param ... What it takes besides: `effects`, `errors`, `weights`.
#' @param rows As for [fit_fixed()]: which rows are used at all, within each value of `by`.
#' @param all Whether the fit on all rows stands before them.
#' @return A named list of fits, which [spec_table()] and [plot_estimates()] take: one for
#'   each value, in order, and with `all` before them `all`.
#' @section Errors:
#' `wavetax_error_by` when `by` is not one column, `wavetax_error_unknown_column`. A group on
#' which the model cannot be fitted is left out with the warning `wavetax_warning_group`.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' # The truth of the demo world is -0.05 on every coast.
#' spec_table(fit_each(log(nights) ~ levy + storms, panel, by = ~ coast))
#' @export
fit_each <- function(formula, data, by, fit = fit_fixed, ..., rows = NULL, all = FALSE) {
  check_is_table(data)
  check_flag(all, "all")
  if (!is.function(fit)) stop_argument("fit", value_words(fit), "Give the function that fits, such as `fit_fixed`.")
  if (missing(by)) {
    stop_argument("by", "missing", sprintf("Name a column: `by = ~ %s`.", code_name(names(data)[1])), kind = "by")
  }
  name <- one_column_argument(rlang::enquo(by), data, "by")
  column <- plain_column(data[[name]])
  values <- if (is.factor(column)) levels(droplevels(column)) else sort(unique(column), method = "radix")
  rows <- columns_argument(rlang::enquo(rows), data, "rows")
  whole <- function() {
    if (is.null(rows)) fit(formula, data, ...) else rlang::inject(fit(formula, data, ..., rows = !!rows))
  }
  each <- lapply(values, function(value) {
    condition <- rlang::new_formula(NULL, call("==", as.name(name), value), env = baseenv())
    if (!is.null(rows)) {
      both <- call("&", call("(", rlang::f_rhs(rows)), rlang::f_rhs(condition))
      condition <- rlang::new_formula(NULL, both, env = rlang::f_env(rows))
    }
    tryCatch(rlang::inject(fit(formula, data, ..., rows = !!condition)), wavetax_error = function(cnd) {
      if (inherits(cnd, "wavetax_error_argument")) rlang::cnd_signal(cnd)
      warn_wavetax("group", sprintf("No fit where %s is %s.", name, label_text(value)),
                   where = sub("\n.*", "", conditionMessage(cnd)))
      NULL
    })
  })
  names(each) <- label_text(values)
  each <- Filter(Negate(is.null), each)
  if (length(each) == 0 && !all) {
    stop_wavetax("by", sprintf("The model cannot be fitted for any value of `%s`.", name),
                 todo = "The warnings say why.")
  }
  c(if (all) list(all = whole()), each)
}
