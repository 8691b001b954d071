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
                           weights = NULL, rows = NULL) {
  run_fit(fit_request(
    "correlated", match.call(), formula, data, rlang::enquo(weights), rlang::enquo(rows), errors, rlang::enquo(effects),
    list(variance = variance)
  ))
}

estimate_correlated <- function(request) {
  name <- effect_column(request$effects, request$data)
  variance <- request$options$variance
  check_variance_method(variance, 1L)
  check_no_weights(request$weights, variance)
  design <- request_design(request, also = name)
  groups <- column_groups(design, name)
  design <- add_means(design, groups, name)
  fit <- random_fit(request, design, list(new_effect_set(name)), variance)
  fit$design$means$values <- fit$design$means$values[names(fit$design$means$values) %in% names(fit$estimates)]
  fit
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
  design$means <- list(column = name, labels = groups$labels, values = by_group)
  combined <- which(status == 2L)
  design$dropped <- data.frame(
    term = names(design$x)[combined],
    reason = vapply(combined, function(j) {
      solution <- c(parts$within, list(norms = sqrt(colSums(state$within^2))[seq_along(status)], constant = FALSE))
      paste0(combination_words(names(design$x)[status == 0L][weighty(solution, j)]), " within ", plural_of(name))
    }, "")
  )
  kept <- setdiff(seq_along(design$x), combined)
  design$x <- c(design$x[kept], lapply(by_group, function(means) means[groups$codes]))
  design
}
