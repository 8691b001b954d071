# Checks of fits, and of what they are made of.

check_is_fit <- function(fit, argument = "fit") {
  if (inherits(fit, "panel_fit") && is.list(fit) && is_one_text(fit$method)) return(invisible())
  stop_wavetax(
    "not_a_fit", sprintf("`%s` is of class %s, not a fitted panel model.", argument, class(fit)[1]),
    todo = if (inherits(fit, "appraisal")) {
      "Take the fit that it recommends: `chosen$fit`."
    } else if (is.list(fit) && !is.data.frame(fit) && any(vapply(fit, inherits, TRUE, "panel_fit"))) {
      "It is a list of fits: take one of them, `fits[[1]]`."
    } else {
      "Give it what `fit_pooled()`, `fit_fixed()` or `fit_random()` returned."
    }
  )
}

check_enough_rows <- function(solution, design, effects) {
  if (solution$df_residual > 0) return(invisible())
  absorbed <- solution$df_effects
  coefficients <- length(solution$coefficients) - (absorbed > 0)
  taken <- c(
    if (coefficients > 0 || absorbed == 0) count_of(coefficients, "coefficient"),
    if (absorbed > 0) sprintf("%s of %s", count_of(absorbed, "effect"),
                              list_words(vapply(effects, `[[`, "", "name")))
  )
  stop_wavetax(
    "too_few_rows",
    sprintf("%s cannot carry %s: no row is left to tell the error variance.",
            count_of(solution$n, "row"), list_words(taken)),
    where = missing_words(design$missing),
    todo = "Use fewer regressors or effects, or more rows."
  )
}

check_some_regressor <- function(status, names, within) {
  if (length(names) == 0 || any(status == 0L)) return(invisible())
  stop_wavetax(
    "no_variation",
    if (is.null(within)) "No regressor varies." else sprintf("No regressor varies within %s.", within),
    where = sprintf("%s.", list_some(names, 6)),
    todo = if (!is.null(within)) {
      "A model with these effects says nothing on them; `fit_pooled()` and `fit_random()` do."
    }
  )
}

missing_words <- function(missing) {
  parts <- c(
    if (missing$total > 0) {
      sprintf("%s left out as incomplete (%s)", count_of(missing$total, "row"),
              paste(names(missing$by_variable), "in", count_words(missing$by_variable), collapse = ", "))
    },
    if (missing$zero_weight > 0) sprintf("%s of weight 0 left out", count_of(missing$zero_weight, "row"))
  )
  if (length(parts) > 0) paste0(list_words(parts))
}

# Two fits of one outcome on the same rows with the same weights.
check_same_data <- function(a, b) {
  for (fit in list(a, b)) check_keeps_rows(fit, "rows to compare")
  if (a$n != b$n) {
    stop_different_rows(a, b, sprintf("The fits use different rows: %s and %s.", count_words(a$n), count_words(b$n)))
  }
  if (!identical(a$design$outcome, b$design$outcome)) {
    stop_different_rows(a, b, sprintf("The fits have different outcomes: `%s` and `%s`.", a$design$outcome,
                                      b$design$outcome))
  }
  same <- (identical(a$design$y, b$design$y) || isTRUE(all.equal(a$design$y, b$design$y, tolerance = 0))) &&
    identical(a$design$weights, b$design$weights)
  if (!same) stop_different_rows(a, b, "The fits use different rows or weights.")
}

stop_different_rows <- function(a, b, found) {
  more <- if (a$design$missing$total > b$design$missing$total) a else b
  stop_wavetax(
    "different_rows", found, where = missing_words(more$design$missing),
    todo = "Estimate both on the same data, formula outcome, weights and effects."
  )
}

# Fits of sources read in pieces, and slim ones, have no rows.
check_keeps_rows <- function(fit, what) {
  if (keeps_rows(fit)) return(invisible())
  pieces <- !row_source(fit)$whole
  stop_wavetax(
    if (pieces) "pieces" else "slim",
    sprintf("%s keeps no rows, so it has no %s.", if (pieces) "A fit from a source read in pieces" else "A slim fit",
            what),
    todo = if (pieces) "Use `predict(fit, newdata)` on the rows that you want." else
      "Estimate again with `keep = \"rows\"`, or before `slim()`."
  )
}

keeps_rows <- function(fit) length(fit$design$y) > 0

# What a generic's method takes, for the check of its dots.
method_call <- function(name, todo = NULL) {
  list(call = get(paste0(name, ".panel_fit")), name = paste0(name, "()"), todo = todo,
       hidden = c("object", "x", "row.names", "optional"))
}

# What R asks of other models, and what answers it here.
stop_not_of_fits <- function(what, fit, found, todo) {
  stop_wavetax("not_of_fits", sprintf("`%s` is not answered by %s fit. %s", what, one_of_a(method_words(fit)), found),
               todo = todo)
}

# What rests on least squares, on a likelihood or on residuals that estimation leaves as they are.
check_without_instruments <- function(fit, what, todo) {
  if (is.null(fit$instrumented)) return(invisible())
  stop_wavetax(c("instrumented", "method"), sprintf("%s is not known of an instrumented fit.", what), todo = todo)
}

check_plain_residuals <- function(fit, what) {
  check_without_instruments(fit, what, c(
    "The estimation error of instruments does not drop out of residuals.",
    "Use errors that allow for it, `se_clustered()`; or test the fit without instruments."
  ))
}

check_is_instrumented <- function(fit, what) {
  check_is_fit(fit)
  if (!is.null(fit$instrumented)) return(invisible())
  stop_wavetax(c("other_fit", "method"),
               sprintf("%s needs instruments, and this is %s fit.", what, one_of_a(method_words(fit))),
               todo = "Estimate it: `fit_instrumented(formula, data, endogenous = ~ x, instruments = ~ z)`.")
}
