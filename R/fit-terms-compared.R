# Fits with a term more or less: R's own drop1(), add1(), extractAIC(), and so step().

#' A term more, a term less
#'
#' Question answered: *what does each term add, given the others?* R's generics for single terms, each with the model
#' estimated again by [update()] on the same rows.
#'
#' * `drop1()`, `add1()`: a row a term, with `Df`, `Sum of Sq`, `RSS` and `AIC`; `test = "F"` gives the F test under
#'   classical errors, as [anova()] does. Effects stay in every model. Of fits that are not nested by sums of squares
#'   (random effects) `Df` and `AIC` alone. [test_joint()] tests terms under the fit's own errors.
#' * `extractAIC()`: for least squares \eqn{n \log(SSR / n) + k \cdot edf}{n log(SSR / n) + k edf}, effects counted, as
#'   R has it for `lm()`; for other fits \eqn{-2 \log L + k \cdot edf}{-2 log L + k edf}.
#' * With these `step()` runs. It says once what choosing terms by the data does: the p values and intervals that follow
#'   do not know of the choice, and are too small and too short.
#'
#' @param object,fit A fit that holds its rows.
#' @param scope Terms to drop or add, as a one-sided formula; for `drop1()` all that can go.
#' @param scale Ignored: the variance is that of each model.
#' @param test `"none"` or `"F"`.
#' @param k The price of a parameter.
#' @param trace Ignored.
#' @param ... Takes nothing.
#' @return `extractAIC()`: the count of parameters and the criterion. The others a data frame of class `anova`.
#' @section Errors:
#' `wavetax_error_argument`; `wavetax_error_different_rows` where a model has other rows, for missing values;
#' `wavetax_error_unknown_term`; `wavetax_error_not_nested` for `test = "F"` of such fits.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fixed <- fit_fixed(log(nights) ~ levy + storms + fuel, panel)
#' drop1(fixed, test = "F")
#' add1(fixed, ~ . + pennant)
#' @name terms_compared
NULL

#' @rdname terms_compared
#' @importFrom stats extractAIC
#' @export
extractAIC.panel_fit <- function(fit, scale = 0, k = 2, ...) {
  check_without_instruments(fit, "A likelihood", "Use `test_joint(fit, terms)`.")
  caution_of_step()
  least_squares <- method_of(fit)$nests
  edf <- if (least_squares) fit$n - fit$df$residual else fit$parameters
  c(as.numeric(edf), k * edf + if (least_squares) fit$n * log(fit$ssr / fit$n) else -2 * fit$log_lik)
}

# Told once in a search.
caution_of_step <- function() {
  at <- calls_of(stats::step)
  if (length(at) == 0) return(invisible())
  search <- sys.frame(at[1])
  if (!is.null(attr(search, "told"))) return(invisible())
  attr(search, "told") <- TRUE
  tell_wavetax(c(
    "Terms are chosen by the data: p values, errors and intervals of what is left do not know of it.",
    i = "They are too small and too short. Test on other rows, or name the equation beforehand."
  ), "wavetax_message_step")
}

# Which frames are calls of a function.
calls_of <- function(f) {
  which(vapply(seq_len(sys.nframe()), function(frame) identical(sys.function(frame), f), TRUE))
}

#' @rdname terms_compared
#' @importFrom stats drop1
#' @export
drop1.panel_fit <- function(object, scope, scale = 0, test = c("none", "F"), k = 2, trace = FALSE, ...) {
  check_without_instruments(object, "An F test by sums of squares", "Use `test_joint(fit, terms)`.")
  check_no_dots(..., of = method_call("drop1"))
  can_go <- stats::drop.scope(stats::terms(object))
  chosen <- if (missing(scope)) can_go else scope_terms(scope, object)
  stay <- setdiff(chosen, can_go)
  if (length(stay) > 0) {
    stop_wavetax("unknown_term", sprintf("%s cannot be dropped alone.", list_words(sQuote(stay, FALSE))),
                 todo = sprintf("Those that can: %s.", list_some(can_go, 8)))
  }
  compared_terms(object, chosen, "-", check_one_of(test, c("none", "F"), "test"), k, "Without one term")
}

#' @rdname terms_compared
#' @importFrom stats add1
#' @export
add1.panel_fit <- function(object, scope, scale = 0, test = c("none", "F"), k = 2, trace = FALSE, ...) {
  check_without_instruments(object, "An F test by sums of squares", "Use `test_joint(fit, terms)`.")
  check_no_dots(..., of = method_call("add1"))
  if (missing(scope)) {
    stop_wavetax("argument", "`scope` is missing: no terms to add.", todo = "`add1(fit, ~ . + fuel)`.")
  }
  own <- labels(object)
  chosen <- setdiff(scope_terms(scope, object), own)
  if (length(chosen) == 0) {
    stop_wavetax("argument", "`scope` has no term that the fit has not.", todo = "`add1(fit, ~ . + fuel)`.")
  }
  compared_terms(object, chosen, "+", check_one_of(test, c("none", "F"), "test"), k, "With one term more")
}

scope_terms <- function(scope, fit) {
  if (is.character(scope)) return(scope)
  if (!rlang::is_formula(scope)) stop_argument("scope", value_words(scope), "A formula such as `~ . + fuel`.")
  attr(stats::terms(stats::update.formula(fit$design$formula, scope)), "term.labels")
}

compared_terms <- function(fit, terms, sign, test, k, heading) {
  check_keeps_rows(fit, "rows to estimate again")
  least_squares <- method_of(fit)$nests
  if (test == "F" && !least_squares) {
    stop_wavetax("not_nested", sprintf("The F test is of sums of squares, which %s fit has not.",
                                          one_of_a(method_words(fit))),
                 todo = "`test_joint(fit, term)` tests terms of any fit.")
  }
  others <- lapply(terms, function(term) {
    one <- stats::update(fit, stats::as.formula(paste("~ .", sign, term)))
    check_same_data(fit, one)
    one
  })
  all <- c(list(fit), others)
  df <- vapply(all, residual_df, 0)
  aic <- vapply(all, function(one) extractAIC(one, k = k)[2], 0)
  gained <- c(NA, if (sign == "-") df[-1] - df[1] else df[1] - df[-1])
  table <- data.frame(Df = gained, row.names = c("<none>", terms))
  if (least_squares) {
    ssr <- vapply(all, `[[`, 0, "ssr")
    squares <- c(NA, abs(ssr[-1] - ssr[1]))
    table[c("Sum of Sq", "RSS")] <- list(squares, ssr)
    larger <- if (sign == "-") rep(1, length(all)) else seq_along(all)
    f <- squares / gained / (ssr / df)[larger]
    table$AIC <- aic
    if (test == "F") {
      table["F value"] <- f
      table["Pr(>F)"] <- stats::pf(f, gained, df[larger], lower.tail = FALSE)
    }
  } else {
    table$AIC <- aic
  }
  structure(table, heading = c(heading, nested_words(fit)),
            class = c("terms_compared", "terms_tested", "anova", "data.frame"))
}
