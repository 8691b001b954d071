#' Correlated random effects
#'
#' Question answered: *what does x do within entities, what is different about entities that
#' have more of it, and what do regressors do that are fixed over time?* all in one model.
#'
#' Random effects with the entity means of every regressor that varies within entities added
#' (means over the rows used). On those regressors the slopes are exactly those of fixed
#' effects, also when the panel is unbalanced; the slope of a mean, `mean(levy)`, is the
#' difference between the effect between entities and the effect within. Where all of these
#' are 0, plain random effects would do. Slopes of regressors that do not vary within are as
#' good as the assumption that the means capture what the effects share with them.
#'
#' @inheritParams fit_random
#' @param effects `"entity"`, `"period"`, or a column as `~ coast`.
#' @return A `panel_fit`, see [fit_random()]; printed in two groups of coefficients.
#' @section Errors:
#' Those of [fit_random()]; `wavetax_error_no_variation` when no regressor varies within.
#' @references Mundlak, Y. (1978), *Econometrica* 46; Wooldridge, J. M. *Econometric Analysis
#'   of Cross Section and Panel Data*, 10.7.3.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' # The truth of the demo world is -0.05 within; pleasant harbours charge more.
#' fit_correlated(log(nights) ~ levy + storms + fuel + pier, panel)
#' @export
fit_correlated <- function(formula, data, effects = "entity", errors = NULL, variance = "swamy-arora",
                           weights = NULL, rows = NULL, keep = "rows", ...) {
  check_own_arguments(..., of = fit_correlated, name = "fit_correlated()")
  run_fit(fit_request(
    "correlated", match.call(), formula, data, rlang::enquo(weights), rlang::enquo(rows), errors, keep,
    rlang::enquo(effects),
    list(variance = variance)
  ))
}

method_correlated <- function() {
  new_fit_method(
    "correlated", words = "correlated random effects",
    title = function(fit) paste("Correlated random effects by", list_words(effect_names(fit))),
    estimate = function(request) estimate_correlated(request), arguments = c("effects", "variance", "weights"),
    weighted = takes_weights,
    effects = "random", sets = list(most = 1, trends = FALSE)
  )
}

estimate_correlated <- function(request) {
  name <- effect_column(request$effects, request$data)
  variance <- request$options$variance
  check_variance_method(variance, 1L)
  check_no_weights(request$weights, variance)
  design <- request_design(request, also = name)
  groups <- column_groups(design, name)
  design <- add_means(design, groups, name)
  random_fit(request, design, list(new_effect_set(name)), variance)
}

mean_name <- function(term) paste0("mean(", term, ")")

# The design with the group means of what varies within; `means` keeps them by group, for
# predictions. What is a combination of other regressors within groups keeps its mean alone, so
# that the slopes within are those of fixed effects.
add_means <- function(design, groups, name) {
  state <- core_one_way_state(design_rows(design), groups)
  parts <- core_variance_state(state, design$constant)
  status <- parts$within$status
  varies <- which(status != 1L)
  check_some_regressor(status, names(design$x), plural_of(name))
  by_group <- lapply(varies, function(j) state$means[j, ])
  names(by_group) <- mean_name(names(design$x)[varies])
  blueprint <- design$blueprint
  blueprint$means <- list(column = name, labels = groups$labels, values = by_group)
  combined <- which(status == 2L)
  solution <- c(parts$within, list(norms = sqrt(colSums(state$within^2))[seq_along(status)], constant = FALSE))
  combination <- lapply(combined, function(j) combined_of(solution, j, names(design$x)))
  dropped <- data.frame(
    term = names(design$x)[combined], estimate = rep(NA_real_, length(combined)), role = rep("slope", length(combined)),
    status = rep("dropped", length(combined)),
    reason = vapply(combination, function(of) paste0(combination_words(names(of)), " within ", plural_of(name)), "")
  )
  dropped$combination <- combination
  kept <- setdiff(seq_along(design$x), combined)
  change_design(design, x = c(design$x[kept], lapply(by_group, function(means) means[groups$codes])),
                dropped = dropped, blueprint = blueprint)
}
