#' Fixed effects regression
#'
#' Question answered: *what do changes in x within an entity do to its y, once
#' everything that stays fixed about the entity is out of the way?*
#'
#' The effects are swept out of y and x, then ordinary least squares:
#' \deqn{\tilde y_{it} = \tilde x_{it}'b + \tilde e_{it},}{y~_it = x~_it'b + e~_it,} where
#' with one set \eqn{\tilde z_{it} = z_{it} - \bar z_i}{z~_it = z_it - zbar_i}, and with
#' several z~ is the residual of z on all their dummies. Where all sets but the largest
#' are small, these are solved exactly through the reduced system of the small sets;
#' otherwise by conjugate gradients on it, until the group means left in each swept
#' column are below 1e-10 of its norm. The figure reached is printed and kept.
#'
#' Residual degrees of freedom are n - k less the dimension of the effects: N for one set,
#' N + T - C for two with C connected components, and for more the rank of their dummies,
#' or an upper bound, printed as one, where that would take too long. The constant
#' reported beside the slopes is \eqn{\bar y - \bar x'b}{ybar - xbar'b}, so that the
#' effects average zero over rows; its error is that of the regression of the swept y
#' plus its mean on the constant and the swept x plus their means.
#'
#' Rows alone in their group fit perfectly: they stay in the count of rows, change
#' neither slopes nor degrees of freedom, and are reported.
#'
#' @inheritParams fit_pooled
#' @param effects `"entity"`, `"period"`, `"both"`, or a one-sided formula: columns and
#'   their combinations, `~ harbour + coast:season`; slopes of each group on a column or
#'   the period, `~ harbour + harbour:trend(season)`. A trend of the period counts 1 at the panel's first. Without
#'   levels of the groups, `~ harbour:trend(season)`, the slopes depend on where zero is, and the print says so.
#' @param errors `NULL`, or one of the `se_` functions: [se_classical()], [se_robust()], [se_clustered()],
#'   [se_newey_west()], [se_driscoll_kraay()], [se_panel_corrected()], [se_bootstrap()], [se_own()]; see
#'   [standard_errors]. By default clustered by entity, or by the first effect's column on a plain data frame.
#' @return A `panel_fit`, see [fit_pooled()]. `coef()` has the slopes. Regressors that
#'   do not vary within the groups are dropped, with the reason.
#' @section Errors:
#' Those of [fit_pooled()], and `wavetax_error_effects` when `effects` cannot be read,
#' `wavetax_error_not_a_panel` when `"entity"` is asked of a plain data frame,
#' `wavetax_error_no_convergence` when the iteration does not get there.
#' @references Baltagi, B. H. *Econometric Analysis of Panel Data*, ch. 2;
#'   Wooldridge, J. M. *Econometric Analysis of Cross Section and Panel Data*, 10.5.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' # The truth of the demo world is -0.05 on the levy.
#' fit_fixed(log(nights) ~ levy + storms + fuel + pier, panel)
#' fit_fixed(log(nights) ~ levy + storms, panel, effects = "both")
#' fit_fixed(log(nights) ~ levy + storms, panel, effects = ~ harbour + coast:season)
#' fit_fixed(log(nights) ~ levy, panel, effects = ~ harbour + harbour:trend(season))
#' # The same slopes, with a dummy for each harbour in the formula.
#' dummies <- fit_pooled(log(nights) ~ levy + storms + fuel + factor(harbour), panel)
#' fixed <- fit_fixed(log(nights) ~ levy + storms + fuel, panel)
#' spec_table(dummies, fixed, terms = c("levy", "storms", "fuel"))
#' # A dummy is the difference of its harbour's effect to the first harbour's.
#' level <- effect_levels(fixed)$level
#' all.equal(unname(coef(dummies)[-(1:4)]), level[-1] - level[1])
#' @export
fit_fixed <- function(formula, data, effects = "entity", weights = NULL, errors = NULL, rows = NULL, keep = "rows",
                      serial = "none", ...) {
  check_own_arguments(..., of = fit_fixed, name = "fit_fixed()")
  run_fit(fit_request(
    "fixed", match.call(), formula, data, rlang::enquo(weights), rlang::enquo(rows), errors, keep,
    rlang::enquo(effects), list(serial = serial_argument(serial))
  ))
}

method_fixed <- function() {
  new_fit_method(
    "fixed", words = "fixed effects", title = function(fit) paste("Fixed effects by", effects_words(fit$effects)),
    estimate = function(request) estimate_fixed(request), estimate_pieces = function(request) fit_source(request),
    estimate_several = function(requests) estimate_fixed_several(requests),
    arguments = c("effects", "weights", "serial"), effects = "fixed", sets = list(most = Inf, trends = TRUE),
    constant = "aside", assumes = 1, nests = TRUE
  )
}

estimate_fixed <- function(request) {
  sets <- effect_sets(request$effects, request$data)
  check_serial_request(request, sets)
  design <- fixed_design(request, sets)
  if (!is.null(request$options$serial)) return(estimate_fixed_serial(request, design, sets))
  sweep <- start_sweep(design, sets, design_rows(design))
  solved <- solve_sweep(design, sets, sweep, sweep$state)
  sweep$release()
  fixed_fit(request, design, sets, sweep$groups, solved)
}

estimate_fixed_serial <- function(request, design, sets) {
  size <- function(design, groups) core_group_weights(groups, design$weights)
  made <- serial_rows(
    request, design, swept = TRUE, plain = one_set_of_entities,
    solve = function(state, groups, design) core_ar1_fixed(state, size(design, groups))
  )
  solution <- core_ar1_fixed(made$state, size(made$design, made$groups))
  solution$r_squared <- serial_r_squared(made, solution$slopes, TRUE, TRUE)
  effects <- list(describe_effects(sets[[1]], loaded_groups(made), solution$levels[[1]]$level))
  new_panel_fit(request, made$design, solution, serial_transformation(made, left = solution$ones, layers = TRUE),
                effects = effects, serial = made$serial, notes = made$notes)
}

# Fixed effects of entities without AR(1), from which rho starts: their slopes alone.
one_set_of_entities <- function(design) {
  groups <- design$groups[[design$index$entity]]
  state <- core_one_way_state(design_rows(design), groups)
  list(solution = core_within_slopes(state), transform = swept_rows(list(core_layer(groups, state$means))),
       state = state)
}

# Several outcomes of one request: their columns are swept at once where they have the same rows.
estimate_fixed_several <- function(requests) {
  if (!is.null(requests[[1]]$options$serial)) return(lapply(requests, estimate_fixed))
  sets <- effect_sets(requests[[1]]$effects, requests[[1]]$data)
  designs <- lapply(requests, fixed_design, sets)
  first <- designs[[1]]
  shared <- function(design) list(design$rows, design$dropped, names(design$x))
  if (!all(vapply(designs, function(design) identical(shared(design), shared(first)), TRUE))) {
    return(lapply(requests, estimate_fixed))
  }
  outcomes <- lapply(designs, `[[`, "y")
  k <- length(first$x)
  m <- length(outcomes)
  sweep <- start_sweep(first, sets, core_rows(outcomes[[m]], c(first$x, unname(outcomes[-m])), weights = first$weights))
  solved <- lapply(seq_len(m), function(j) {
    solve_sweep(designs[[j]], sets, sweep, core_state_of(sweep$state, c(seq_len(k), k + j)))
  })
  sweep$release()
  stats::setNames(Map(fixed_fit, requests, designs, list(sets), list(sweep$groups), solved), names(requests))
}

fixed_design <- function(request, sets) {
  request_design(request, also = effect_columns(sets), trends = trend_columns(sets), absorbs_constant = TRUE)
}

# What was swept of columns: list(groups, by set; state; release, a function; one, whether it is one set of levels).
start_sweep <- function(design, sets, rows) {
  groups <- lapply(sets, function(set) combined_groups(design, set$columns))
  if (length(sets) == 1 && length(sets[[1]]$trends) == 0) {
    return(list(groups = groups, state = core_one_way_state(rows, groups[[1]]), one = TRUE, release = function() NULL))
  }
  state <- core_absorb(rows, Map(function(set, group) fit_effect_set(set, design, group), sets, groups))
  list(groups = groups, state = state, one = FALSE, release = function() core_release(state$system))
}

solve_sweep <- function(design, sets, sweep, state) {
  if (sweep$one) one_set_solved(state, sweep$groups[[1]]) else sets_solved(design, sets, sweep$groups, state)
}

fixed_fit <- function(request, design, sets, groups, solved) {
  new_panel_fit(
    request, design, solved$solution, solved$transform,
    effects = Map(function(set, groups, level) {
      describe_effects(set, groups, level$level, level$slopes, level$connected)
    }, sets, groups, solved$solution$levels)
  )
}

one_set_solved <- function(state, groups) {
  solution <- core_solve_fixed(state)
  solution$levels <- list(list(level = solution$levels[[1]], slopes = list()))
  list(solution = solution, transform = swept_rows(list(core_layer(groups, state$means))))
}

sets_solved <- function(design, sets, groups, state) {
  solution <- core_solve_absorbed(state)
  check_converged(solution)
  solution$r_squared <- r_squared_of_sets(design, sets, groups, state, solution)
  # Where no set has levels, the sweep added one for all rows.
  offset <- unlist(lapply(solution$levels[-seq_along(sets)], `[[`, "level"))
  solution$levels <- solution$levels[seq_along(sets)]
  list(solution = solution,
       transform = swept_rows(state$layers, offset = offset, reduced_inverse = solution$inverse))
}

# Within and between are those of the entity where it is among the effects, otherwise of the
# first set.
r_squared_of_sets <- function(design, sets, groups, state, solution) {
  of <- match(design$index$entity, vapply(sets, `[[`, "", "name"))
  of <- if (length(of) == 1 && !is.na(of)) of else 1L
  known <- if (of == state$system$order[1]) core_swept_r_squared(state, solution$slopes)
  if (is.null(known)) {
    known <- core_r_squared(design_rows(design), solution$slopes, groups[[of]])
  }
  p <- ncol(state$within)
  raw <- state$squares[p] + state$weight * state$centre[p]^2
  core_fixed_r_squared(unlist(known), solution, known$within_y, raw, sum(state$within[, p]^2))
}

# A solution that took no iteration does not say.
check_converged <- function(solution) {
  if (!isFALSE(solution$converged)) return(invisible())
  stop_wavetax(
    "no_convergence",
    sprintf("The effects could not be swept out: after %s steps %.0e of a column is left, not 1e-10.",
            count_words(solution$iterations), solution$achieved),
    todo = c("Are some effects a combination of others, or trends nearly the same in every group?",
             "Leave one set out, or join its small groups.")
  )
}
