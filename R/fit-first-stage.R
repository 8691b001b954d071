#' First stages of an instrumented fit
#'
#' Question answered: *what moves the endogenous regressors, and how much of it do the instruments?*
#'
#' Each endogenous column is regressed on the exogenous regressors and the instruments, under the model, effects,
#' weights and errors of the fit, on its rows: [fit_fixed()], [fit_pooled()], [fit_difference()] or, with the fit's
#' variance components, [fit_random()]. Effects of periods in differences are dummies there.
#'
#' @param fit An instrumented fit, see [fit_instrumented()].
#' @param ... Takes nothing; what is misspelt is told.
#' @return A list of fits, named by endogenous column, for [spec_table()] and [plot_estimates()].
#' @section Errors:
#' `wavetax_error_method` of a fit that is not instrumented; `wavetax_error_slim` of a fit without its rows.
#' @seealso [test_strength()].
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fit <- fit_instrumented(log(nights) ~ levy + storms + log(berths), panel, endogenous = ~ log(berths),
#'                         instruments = ~ relief)
#' first_stage(fit)
#' @export
first_stage <- function(fit, ...) {
  check_own_arguments(..., of = first_stage, name = "first_stage()")
  check_is_instrumented(fit, "`first_stage()`")
  check_keeps_rows(fit, "first stages")
  endogenous <- fit$instrumented$endogenous
  stats::setNames(lapply(endogenous, one_first_stage, fit = fit), endogenous)
}

one_first_stage <- function(name, fit) {
  design <- level_design(fit)
  request <- request_again(fit)
  data <- design$data
  whole <- rep(NA_real_, nrow(data))
  at <- if (is.null(design$rows)) TRUE else design$rows
  whole[at] <- design$x[[name]]
  model <- fit$instrumented$model
  given <- request$options
  right <- call("-", call("+", rlang::f_rhs(fit$design$formula), call("(", rlang::f_rhs(given$instruments))),
                call("(", rlang::f_rhs(given$endogenous)))
  if (model == "difference" && length(fit$effects) > 0) {
    right <- call("+", right, call("factor", as.name(fit$design$index$period)))
  }
  outcome <- stage_outcome(name, all.vars(right))
  written <- rlang::new_formula(as.name(outcome), right, env = rlang::f_env(fit$design$formula))
  data[[outcome]] <- whole
  request$data <- data
  request$formula <- stats::formula(stats::terms(written, simplify = TRUE, keep.order = TRUE))
  request$method <- model
  request["effects"] <- list(if (length(fit$effects) > 0 && model != "difference") request_effects(fit))
  request["errors"] <- list(fit$errors$spec)
  request$keep <- "rows"
  request$options <- if (model == "random") {
    list(variance = "amemiya", components = fit$variance[c("sigma2_e", "sigma2_u")])
  } else {
    list()
  }
  stage <- run_fit(request)
  stage$design["missing"] <- list(fit$design$missing)
  stage$design$outcome <- name
  stage
}

# A name for the endogenous column in the rows of the fit, that none of the others' columns has: what a regressor
# takes of it, its past say, is of all rows.
stage_outcome <- function(name, taken) {
  while (name %in% taken) name <- paste0(name, " ")
  name
}

# The effects as they were asked for, or as the model has them.
request_effects <- function(fit) if (is.null(fit$request$effects)) "entity" else fit$request$effects
