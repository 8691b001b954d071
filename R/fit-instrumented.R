#' Instrumented regression
#'
#' Question answered: *what is the slope of a regressor that itself answers to the outcome, judged by what moves it and
#' does not move the outcome otherwise?*
#'
#' The formula holds all regressors \eqn{X = [X_1, X_2]}{X = [X1, X2]}; `endogenous` names those that answer back,
#' \eqn{X_2}{X2}, and `instruments` what moves them, \eqn{Z_2}{Z2}; with \eqn{Z = [X_1, Z_2]}{Z = [X1, Z2]}, all of
#' them less the effects, and \eqn{\hat X = P_Z X}{Xh = P_Z X}.
#'
#' * `"2sls"`, two-stage least squares: \eqn{b = (\hat X'X)^{-1}\hat X'y}{b = (Xh'X)^-1 Xh'y}, residuals \eqn{y -
#'   Xb}{y - Xb}.
#' * `"liml"`, limited information maximum likelihood: \eqn{X - \kappa M_Z X}{X - kappa M_Z X} replaces \eqn{\hat
#'   X}{Xh}, kappa the smallest root of \eqn{|Y'M_1Y - \kappa Y'M_ZY|}{|Y'M_1 Y - kappa Y'M_Z Y|}, \eqn{Y = [y,
#'   X_2]}{Y = [y, X2]}. It errs less where instruments are many and weak.
#' * `"gmm"`, the two-step generalised method of moments: instruments are weighed by the covariance of their moments
#'   over the clusters, or rows, of the errors.
#'
#' By model:
#'
#' * `"fixed"`: effects are swept from all columns first, instruments too, so that constant and effects are as of
#'   [fit_fixed()]. `effects = "none"` sweeps none, and the model is pooled.
#' * `"difference"`: changes of all columns between adjacent periods, as of [fit_difference()]; effects are `"none"`,
#'   and the constant a drift, or `"period"`.
#' * `"random"`: all columns quasi-demeaned, as of [fit_random()], with the variance within that of the swept two-stage
#'   least squares. By `"amemiya"` the variance between is that of \eqn{y - x'b}{y - x'b} with the swept slopes, less
#'   what regressors that are fixed in time explain; by `"swamy-arora"` that of two-stage least squares between
#'   entities, where an endogenous regressor is itself fixed in time: it has heavy tails.
#'
#' An instrument must move its regressor, which data show ([test_strength()]), and must not move the outcome in any
#' other way, which they do not: [test_overidentification()] asks whether several instruments agree, and
#' [test_endogeneity()] whether they were needed. Where instruments are weak the estimate and its interval mislead
#' however many rows there are, and `confint(fit, term, method = "anderson-rubin")` gives the values that the data do
#' not reject, whatever the strength.
#'
#' R-squared, likelihood, AIC and BIC are `NA`: they do not say how well an instrumented model fits.
#'
#' @inheritParams fit_fixed
#' @param formula All regressors, endogenous ones among them.
#' @param endogenous The terms of the formula that are instrumented, as written there: `~ log(berths)`. Products and
#'   powers of them answer back too: what is left out is told of.
#' @param instruments What instruments them, a one-sided formula.
#' @param effects Those swept out, as of [fit_fixed()]: by default of the entity, of differences none.
#' @param model `"fixed"`, `"difference"`, `"random"` or `"pooled"`.
#' @param method `"2sls"`, `"liml"` or `"gmm"`.
#' @param variance Of random effects, `"amemiya"` or `"swamy-arora"`.
#' @param weights Analytic weights of fixed effects and pooled regressions.
#' @return A fit, see [panel_fit]; `kappa` is that of limited information, and `instrumented` holds `model`, `method`,
#'   the names of what is `endogenous`, of the `instruments`, of those `dropped` and why (`reasons`).
#' @section Errors:
#' Those of [fit_fixed()], [fit_difference()] and [fit_random()], and of class `wavetax_error_instruments`: `endogenous`
#' that are not in the formula, instruments that are; fewer instruments than endogenous columns, none left after the
#' sweep, or some that do not move an endogenous column (`wavetax_error_rank`); a first stage without residual; the
#' generalised method of moments with errors that are no sums by one kind of cluster or by row, or with no more clusters
#' than instruments. Not every kind of error is given: see [standard_errors].
#' @section Size:
#' The true slope rejected at 5 percent, errors clustered, 20 to 200 entities (`docs/instruments.md` of the sources):
#' with strong instruments CR1 in 4 to 8, CR3 in 4 to 7 percent of cases; with weak ones CR1 in 4 to 14, limited
#' information in 4 to 8; by moments CR1 in 6 to 15 and CR3 in 4 to 10. The set of Anderson and Rubin does not have it
#' in 3 to 7, however weak they are. Classical errors reject in 8 to 28.
#' @references Anderson, T. W. and Rubin, H. (1949), *Annals of Mathematical Statistics* 20. Basmann, R. L. (1957),
#'   *Econometrica* 25. Hansen, L. P. (1982), *Econometrica* 50. Baltagi, B. H. and Li, Q. (1992), *Econometric
#'   Theory* 8.
#' @seealso [first_stage()], [test_strength()], [test_overidentification()], [test_endogeneity()].
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' # Berths answer to demand; relief moves them and nothing else. The truth is 0.30 on log(berths).
#' fit_instrumented(log(nights) ~ levy + storms + log(berths), panel, endogenous = ~ log(berths),
#'                  instruments = ~ relief, effects = "both")
#' @export
fit_instrumented <- function(formula, data, endogenous, instruments, effects = "entity", model = "fixed",
                             method = "2sls", variance = "amemiya", weights = NULL, errors = NULL, rows = NULL,
                             keep = "rows", ...) {
  check_own_arguments(..., of = fit_instrumented, name = "fit_instrumented()")
  if (missing(endogenous)) stop_instruments_missing("endogenous")
  if (missing(instruments)) stop_instruments_missing("instruments")
  if (missing(variance)) variance <- NULL
  run_fit(fit_request(
    "instrumented", match.call(), formula, data, rlang::enquo(weights), rlang::enquo(rows), errors, keep,
    if (!missing(effects)) rlang::enquo(effects),
    list(endogenous = regressors_argument(rlang::enquo(endogenous), data, "endogenous"),
         instruments = regressors_argument(rlang::enquo(instruments), data, "instruments"), model = model,
         method = method, variance = variance)
  ))
}

method_instrumented <- function() {
  new_fit_method(
    "instrumented", words = "instrumented", title = instrumented_title,
    estimate = function(request) estimate_instrumented(request),
    arguments = c("effects", "weights", "variance", "endogenous", "instruments", "model", "method"),
    sets = list(most = Inf, trends = TRUE), r_squared = character(), varies = varies_by_model
  )
}

# What an instrumented fit is by its model: changes of the descriptor.
varies_by_model <- function(x) {
  model <- if (is.null(x$instrumented)) x$options$model else x$instrumented$model
  if (!is_one_text(model)) return(NULL)
  swept <- list(effects = "fixed", constant = "aside")
  switch(model,
    fixed = swept,
    random = list(effects = "random", sets = list(most = 1, trends = FALSE), weighted = function(variance) FALSE),
    difference = c(list(row = function(design) "change", weighted = function(variance) FALSE),
                   if (has_effects(x)) swept else list(constant = "drift"))
  )
}

instrumented_title <- function(fit) {
  facts <- fit$instrumented
  how <- instrument_method_words[[facts$method]]
  by <- if (length(fit$effects) > 0) effects_words(fit$effects)
  switch(facts$model,
    pooled = how, fixed = paste(how, "with fixed effects by", by), random = paste(how, "with random effects by", by),
    difference = paste0(how, " of first differences", if (!is.null(by)) paste(" with fixed effects by", by))
  )
}

instrument_method_words <- c("2sls" = "Two-stage least squares", liml = "Limited information maximum likelihood",
                             gmm = "Generalised method of moments")

instrumented_models <- c("fixed", "difference", "random", "pooled")

estimate_instrumented <- function(request) {
  check_choice(request$options$method, names(instrument_method_words), "method", kind = "method")
  asked <- request
  request <- with_model(request)
  sets <- instrumented_sets(request)
  named <- instrument_terms(request)
  swept <- request$options$model %in% c("fixed", "difference") && length(sets) > 0
  design <- request_design(request, also = effect_columns(sets), trends = trend_columns(sets),
                           absorbs_constant = swept, beside = named$formula)
  if (request$options$model == "difference") design <- changes_of(design)
  endogenous <- which(design$blueprint$assign %in% named$endogenous)
  check_enough_instruments(design, endogenous)
  rows <- instrumented_rows(request$options, design, sets, endogenous)
  parts <- core_instrument_parts(rows$factor, length(design$x), endogenous, rows$constant, rows$norms)
  check_instrument_parts(parts, design, if (swept) sets)
  fit <- solve_instrumented(request, design, sets, rows, parts)
  fit$request[c("effects", "options")] <- asked[c("effects", "options")]
  fit$notes <- c(fit$notes, named$notes)
  fit
}

# By method, from the rows and what stands where in them.
solve_instrumented <- function(request, design, sets, rows, parts) {
  made <- function(request, done) instrumented_fit(request, design, sets, rows, parts, done)
  switch(request$options$method,
    "2sls" = made(request, core_two_stage(parts)), liml = made(request, core_limited_information(parts)),
    gmm = {
      first <- made(first_step(request), core_two_stage(parts))
      made(request, core_two_step(parts, instrument_moments(first, default_errors(first, request$errors), parts)))
    }
  )
}

# The request with its model's effects, where none were named; without any the fixed model is pooled.
with_model <- function(request) {
  model <- check_choice(request$options$model, instrumented_models, "model", kind = "model")
  none <- identical(request$effects, "none")
  if (is.null(request$effects)) request$effects <- if (model %in% c("fixed", "random")) "entity" else "none"
  if (model == "fixed" && none) model <- "pooled"
  if (!is.null(request$options$variance) && model != "random") {
    stop_wavetax(c("variance", "argument"), sprintf("`variance` is of random effects, and the model is %s.",
                                                    dQuote(model, FALSE)), todo = "Leave it out.")
  }
  if (is.null(request$options$variance)) request$options$variance <- "amemiya"
  check_choice(request$options$variance, c("amemiya", "swamy-arora"), "variance", kind = "variance")
  if (model == "difference") check_is_panel(request$data)
  if (model %in% c("difference", "random") && !is.null(request$weights)) {
    stop_wavetax("weights", sprintf("The model %s takes no weights with instruments.", dQuote(model, FALSE)),
                 todo = "`model = \"fixed\"` takes them, `effects = \"none\"` among it.")
  }
  request$options$model <- model
  request
}

instrumented_sets <- function(request) {
  model <- request$options$model
  none <- identical(request$effects, "none")
  if (model == "random" && !none) {
    sets <- random_sets(request$effects, request$data)
    if (length(sets) == 1) return(sets)
  }
  sets <- if (!none) effect_sets(request$effects, request$data) else list()
  refuse <- function(found, todo) stop_wavetax("effects", found, todo = todo)
  if (model == "random") {
    refuse("Instrumented random effects are of one set.", "For example `effects = \"entity\"`.")
  }
  if (model == "pooled" && !none) {
    refuse("A pooled model has no effects.", "Leave `effects` out, or use `model = \"fixed\"`.")
  }
  period <- if (is_panel_frame(request$data)) panel_index(request$data)$period
  if (model == "difference" && !none && !(length(sets) == 1 && identical(sets[[1]]$columns, period) &&
                                          core_only_levels(sets))) {
    refuse("Changes have the effects of periods, or none: what is fixed about an entity is out of them.",
           "Use `effects = \"none\"` or `effects = \"period\"`.")
  }
  sets
}

# The request of the fit whose residuals weigh the moments; its own errors are not wanted.
first_step <- function(request) {
  if (!is.null(request$errors) && !weighs_moments(request$errors)) stop_moment_errors(request$errors)
  request$options$method <- "2sls"
  request["errors"] <- list(se_classical())
  request
}
