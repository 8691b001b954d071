#' A fit without its rows
#'
#' Question answered: *how do I keep a hundred fits of large data at hand?*
#'
#' A fit refers to the data it was made of and holds the columns of its regression, so that errors,
#' tests, residuals and predictions can follow. A slim fit holds coefficients, their covariance,
#' effects and figures of fit: a few kilobytes, and some 40 bytes for each level of the effects.
#' `keep = "nothing"` in `fit_fixed()` and its siblings makes one at once.
#'
#' `saveRDS(fit, file)` writes of a fit with rows the columns of the data that it uses, and all of
#' them where the table has at most two million cells; what was computed of them row by row is
#' computed again when it is first asked for after `readRDS()`. Fits of the same columns share
#' these when they are saved together: `saveRDS(list(a, b), file)` writes each column once.
#'
#' @param fit A fit.
#' @param ... Takes nothing; what is misspelt is told.
#' @return The fit without rows. It prints, goes into [spec_table()], [write_fits()] and
#'   [plot_estimates()], and predicts for `newdata`; `with_errors(fit, se_classical())` works.
#' @section Errors:
#' `wavetax_error_not_a_fit`. What needs the rows of a slim fit (residuals, clustered errors, tests)
#' ends in `wavetax_error_slim`.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fit <- fit_fixed(log(nights) ~ levy + storms, panel)
#' small <- slim(fit)
#' small
#' length(serialize(small, NULL)) < length(serialize(fit, NULL))
#' predict(small, head(harbours, 3))
#' @export
slim <- function(fit, ...) {
  check_own_arguments(..., of = slim, name = "slim()")
  check_is_fit(fit)
  if (!keeps_rows(fit)) return(fit)
  sample <- sample_facts(fit)
  told <- if (!is.null(fit$instrumented)) told_of_instruments(fit)
  weighted <- !is.null(fit_rows(fit)$weights)
  weights <- lapply(fit$effects, function(set) if (weighted) group_weights(fit, set))
  fit$design <- design_without_rows(fit$design, sample = sample)
  fit$effects <- Map(function(set, weight) {
    set$groups <- without_codes(set$groups)
    set$groups$weight <- weight
    set
  }, fit$effects, weights)
  fit$transform$layers <- lapply(fit$transform$layers, function(layer) {
    layer$groups <- layer$groups["count"]
    layer["loading"] <- list(NULL)
    layer
  })
  fit$transform[intersect(c("root", "tau", "inflate", "apply", "constant_column"), names(fit$transform))] <- NULL
  if (!is.null(fit$working)) fit$working <- list(y = numeric(), weights = numeric())
  fit$request["data"] <- list(NULL)
  # With its errors, under which it holds.
  if (!is.null(told)) fit$errors$instruments_told <- told
  without_environments(fit)
}

# Formulas keep all that their caller had at hand: theirs is now the session's.
without_environments <- function(fit) {
  plain <- function(formula) {
    if (inherits(formula, "formula")) environment(formula) <- globalenv()
    formula
  }
  fit$design$formula <- plain(fit$design$formula)
  fit$call$formula <- plain(fit$call$formula)
  fit$request$call$formula <- plain(fit$request$call$formula)
  for (part in c("formula", "effects", "weights", "rows")) fit$request[part] <- list(plain(fit$request[[part]]))
  fit$request$options <- lapply(fit$request$options, plain)
  terms <- fit$design$blueprint$terms
  if (!is.null(terms)) attr(fit$design$blueprint$terms, ".Environment") <- globalenv()
  fit
}

without_codes <- function(groups) {
  groups["codes"] <- list(NULL)
  unclass(groups)
}

# What a design is without its rows: the blueprint, and what is told of the sample.
design_without_rows <- function(design, ...) {
  change_design(
    design, x = lapply(design$x, function(x) numeric()), y = numeric(),
    beside = lapply(design$beside, function(x) numeric()),
    weights = if (!is.null(design$weights)) numeric(), offset = if (!is.null(design$offset)) numeric(),
    missing = replace(design$missing, "rows", list(NULL)), rows = NULL, data = NULL, levels = NULL, groups = NULL,
    collapsed = if (!is.null(design$collapsed)) list(n = design$collapsed$n),
    index = if (!is.null(design$index)) {
      c(design$index[c("entity", "period", "labels")], list(periods = design$index$periods[1]))
    }, ...
  )
}

# Bytes of the rows that a fit holds: columns of its regression and codes of its groups.
rows_size <- function(fit) {
  of_design <- function(design) 8 * (length(design$y) * (length(design$x) + 1) + length(design$weights))
  codes <- sum(vapply(fit$effects, function(set) length(set$groups$codes), 0))
  of_design(fit$design) + (if (!is.null(fit$design$levels)) of_design(fit$design$levels) else 0) + 4 * codes
}
