# Fits and tests as the tables that the generics package names.

#' Fits and tests as tidy tables
#'
#' Question answered: *how do I go on with the numbers in verbs that take `tidy()`, `glance()` and `augment()`?* The
#' methods are there once the package generics (or one that brings its verbs) is; [as.data.frame()] gives the same
#' numbers without.
#'
#' * `tidy()`: a row a coefficient: `term`, `estimate`, `std.error`, `statistic` (t), `p.value` under the fit's own
#'   errors, and `conf.low`, `conf.high` with `conf.int = TRUE`. Of a test a row: `statistic`, `df`, `df2`, `p.value`,
#'   `method`.
#' * `glance()`: one row: `r.squared` (of the regression as estimated: within, after effects were swept out),
#'   `adj.r.squared`, `sigma`, `statistic` and `p.value` of the classical F test of all slopes, `df`, `logLik`, `AIC`,
#'   `BIC`, `deviance`, `df.residual`, `nobs`. [fit_figures()] has all figures of fit.
#' * `augment()`: the variables of the model, or `data`, with `.fitted`, `.resid`, and `.hat`, `.sigma`, `.cooksd`,
#'   `.std.resid` (see [hatvalues()][row_influence]); `newdata` with `.fitted`. Rows of `data` that were not used have
#'   `NA`. `ggplot2::fortify()` is the same.
#' * `ggplot2::autoplot()` of fits, panels, influence and appraisals draws what `plot()` does, of a panel
#'   [plot_presence()].
#'
#' @param x,model A fit or a test.
#' @param conf.int Whether intervals are given.
#' @param conf.level Their coverage.
#' @param data The data of the fit, or `NULL` for the variables of the model.
#' @param newdata Other rows.
#' @param ... Takes nothing.
#' @return A data frame, a tibble where the package tibble is there.
#' @section Errors:
#' `wavetax_error_argument`; `wavetax_error_slim` from `augment()`; `wavetax_error_different_rows` for `data` of another
#' size.
#' @examplesIf requireNamespace("generics", quietly = TRUE)
#' panel <- panel_frame(harbours, harbour, season)
#' fixed <- fit_fixed(log(nights) ~ levy + storms, panel)
#' generics::tidy(fixed, conf.int = TRUE)
#' generics::glance(fixed)
#' head(generics::augment(fixed))
#' @name tidy_tables
NULL

tidy_table <- function(columns) {
  out <- as.data.frame(columns, check.names = FALSE, stringsAsFactors = FALSE)
  if (requireNamespace("tibble", quietly = TRUE)) tibble::as_tibble(out) else out
}

tidy_call <- function(of, name) list(call = of, name = name, hidden = c("x", "model"))

#' @rdname tidy_tables
#' @exportS3Method generics::tidy
tidy.panel_fit <- function(x, conf.int = FALSE, conf.level = 0.95, ...) {
  check_no_dots(..., of = tidy_call(tidy.panel_fit, "tidy()"))
  check_flag(conf.int, "conf.int")
  check_level(conf.level)
  table <- as.data.frame(x, level = conf.level)
  tidy_table(c(
    list(term = table$term, estimate = table$estimate, std.error = table$std_error, statistic = table$statistic,
         p.value = table$p_value), if (conf.int) list(conf.low = table$low, conf.high = table$high)
  ))
}

#' @rdname tidy_tables
#' @exportS3Method generics::glance
glance.panel_fit <- function(x, ...) {
  check_no_dots(..., of = tidy_call(glance.panel_fit, "glance()"))
  figures <- figures_of(x)
  r_squared <- own_r_squared(x)
  tidy_table(list(
    r.squared = r_squared, adj.r.squared = 1 - (1 - r_squared) * (figures$df_residual + figures$f_df1) /
      figures$df_residual, sigma = figures$rmse, statistic = figures$f, p.value = figures$f_p, df = figures$f_df1,
    logLik = figures$log_lik, AIC = figures$aic, BIC = figures$bic, deviance = x$ssr,
    df.residual = figures$df_residual, nobs = figures$rows
  ))
}

#' @rdname tidy_tables
#' @exportS3Method generics::augment
augment.panel_fit <- function(x, data = NULL, newdata = NULL, ...) {
  check_no_dots(..., of = tidy_call(augment.panel_fit, "augment()"))
  if (!is.null(newdata)) {
    check_is_table(newdata)
    return(tidy_table(c(plain_columns(newdata), list(.fitted = unname(predict(x, newdata))))))
  }
  check_keeps_rows(x, "rows to add to")
  columns <- list(.fitted = stats::fitted(x), .resid = stats::residuals(x))
  rows <- if (is.null(x$instrumented)) tryCatch(row_measures(x), wavetax_error_leverages = function(cnd) {
    tell_wavetax(c(i = paste(first_line(cnd), "The columns that need it are left out.")))
    NULL
  })
  if (!is.null(rows)) {
    columns <- c(columns, list(
      .hat = rows$hat, .sigma = sigma_without(x, rows), .cooksd = cooks_of(x, rows),
      .std.resid = standardized(rows, sqrt(x$scale))
    ))
  }
  columns <- lapply(columns, unname)
  if (is.null(data)) return(tidy_table(c(plain_columns(stats::model.frame(x)), columns)))
  check_is_table(data)
  used <- x$design$rows
  if (!is.null(x$design$between) || nrow(data) != nrow(x$design$data)) {
    stop_wavetax("different_rows", sprintf("`data` has %s, the data of the fit %s.", count_of(nrow(data), "row"),
                                           count_of(nrow(x$design$data), "row")),
                 todo = "Give the data that the fit was made of, or `newdata =` for other rows.")
  }
  if (!is.null(used)) {
    columns <- lapply(columns, function(column) replace(rep(NA_real_, nrow(data)), used, column))
  }
  tidy_table(c(plain_columns(data), columns))
}

plain_columns <- function(data) as.list(plain_data_frame(data))

#' @rdname tidy_tables
#' @rawNamespace S3method(ggplot2::fortify, panel_fit)
fortify.panel_fit <- function(model, data = NULL, ...) as.data.frame(augment.panel_fit(model, data, ...))
