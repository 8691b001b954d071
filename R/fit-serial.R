#' Disturbances with first-order autocorrelation
#'
#' Question answered: *what becomes of the estimates when the disturbances of an entity follow AR(1)?* For `serial =`
#' of [fit_pooled()], [fit_fixed()] and [fit_random()]; `serial = "ar1"` is `serial_ar1()`. See [remedies] for when it
#' is worth having.
#'
#' The disturbances of an entity d ticks of the clock apart have the correlation \eqn{\rho^d}{rho^d}: distances are in
#' periods, never in rows, so gaps are what they are. The rows of each entity are transformed by an exact root of the
#' inverse correlation (Prais & Winsten 1954; with gaps Baltagi & Wu 1999),
#' \deqn{z^*_t = c_d (z_t - \rho^d z_{t-d}), \quad c_d^2 = (1 - \rho^2) / (1 - \rho^{2d}),}{z*_t = c_d (z_t - rho^d
#' z_{t-d}), c_d^2 = (1 - rho^2) / (1 - rho^2d),}
#' d ticks since the entity's row before, its first row times \eqn{\sqrt{1 - \rho^2}}{sqrt(1 - rho^2)}; weights go in as
#' their square roots first. Effects are swept out, or shrunken, as the transformed dummies
#' \eqn{\tau_i}{tau_i}, which is generalised least squares with a dummy for each entity.
#'
#' The estimate of rho starts from \eqn{r = \sum e_t e_{t-1} / \sum e_t^2}{r = sum e_t e_t-1 / sum e_t^2} over rows one
#' tick apart, e the residuals of the fit without it (of random effects, those of fixed effects):
#'
#' * `"corrected"`: the rho at which r has that expectation, given the periods of each entity and what sweeping the
#'   effects out does to residuals. At 5 periods and rho .4 it averages .40.
#' * `"regression"`: of e on the row before; at 5 periods and rho .4, effects swept out, it averages -.01.
#' * `"autocorrelation"`: r times rows over pairs.
#' * `"maximum-likelihood"`: the normal likelihood, with effects the restricted one; of [fit_random()] by
#'   `variance = "maximum-likelihood"` that of the whole model, rho and both variances together.
#'
#' Its interval comes from the sums of \eqn{e_t e_{t-1} - r e_t^2}{e_t e_t-1 - r e_t^2} by entity, mapped in the same
#' way.
#'
#' @param rho How rho is estimated, or a number between -1 and 1.
#' @param first `"keep"`: each entity's first row is used too. `"drop"`: it is left out, which costs precision in short
#'   panels (Cochrane & Orcutt 1949).
#' @param iterate Whether rho is estimated again from the new residuals until it stays. It gains nothing on average.
#' @param ... Takes nothing; what is misspelt is told.
#' @return A specification for `serial =`. A fit has `fit$serial`: `rho`, `low` and `high` (95 percent), `pairs` used,
#'   `method`, `first`, `steps`; `fit$variance$sigma2_e` is the variance of the disturbances, `fit$scale` that of
#'   their innovations.
#' @section Errors:
#' `wavetax_error_serial`; `wavetax_error_not_a_panel`; `wavetax_error_no_pairs` where no rows stand one tick apart or,
#' with effects, no entity has three rows. An estimate of rho beyond .99 is set to it, with the warning
#' `wavetax_warning_near_unit_root`.
#' @references Prais, S. J. and Winsten, C. B. (1954), Cowles Commission Discussion Paper 383; Cochrane, D. and Orcutt,
#'   G. H. (1949), *Journal of the American Statistical Association* 44; Nickell, S. (1981), *Econometrica* 49; Baltagi,
#'   B. H. and Li, Q. (1991), *Journal of Econometrics* 48; Baltagi, B. H. and Wu, P. X. (1999), *Econometric Theory*
#'   15; Hansen, C. B. (2007), *Journal of Econometrics* 140.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' # The disturbances of the demo world have rho = 0.4.
#' fit_fixed(log(nights) ~ levy + storms + fuel, panel, serial = "ar1")
#' fit <- fit_random(log(nights) ~ levy + storms, panel, serial = serial_ar1(rho = "maximum-likelihood"))
#' fit$serial$rho
#' @export
serial_ar1 <- function(rho = "corrected", first = "keep", iterate = FALSE, ...) {
  check_own_arguments(..., of = serial_ar1, name = "serial_ar1()")
  if (is.numeric(rho)) {
    check_given_rho(rho)
  } else if (!is_one_text(rho) || !rho %in% rho_methods) {
    stop_argument("rho", value_words(rho), sprintf("It takes %s, or a number between -1 and 1.",
                                                   list_or(dQuote(rho_methods, FALSE))), "serial")
  }
  check_choice(first, c("keep", "drop"), "first", kind = "serial")
  check_flag(iterate, "iterate")
  if (iterate && (is.numeric(rho) || rho == "maximum-likelihood")) {
    stop_argument("iterate", "TRUE", if (is.numeric(rho)) "`rho` is given, so there is nothing to repeat." else
      "The likelihood is at its maximum already.", "serial")
  }
  structure(list(rho = rho, first = first, iterate = iterate), class = "serial_ar1")
}

rho_methods <- c("corrected", "regression", "autocorrelation", "maximum-likelihood")

check_given_rho <- function(rho) {
  if (length(rho) == 1 && !is.na(rho) && abs(rho) < 1) return(invisible())
  stop_argument("rho", value_words(rho), "It is one number between -1 and 1, or a method.", "serial")
}

# What a fit was asked of the disturbances: NULL, or serial_ar1()'s.
serial_argument <- function(serial, own = FALSE) {
  if (is.null(serial) || identical(serial, "none")) return(NULL)
  if (identical(serial, "ar1")) return(serial_ar1())
  if (own && identical(serial, "ar1-own")) return(structure(list(rho = "own", first = "keep", iterate = FALSE),
                                                            class = "serial_ar1"))
  if (inherits(serial, "serial_ar1")) return(serial)
  stop_argument(
    "serial", if (is.function(serial)) "a function; call it, with brackets" else value_words(serial),
    c(if (own) "It takes \"none\", \"ar1\", \"ar1-own\" or `serial_ar1()`." else
        "It takes \"none\", \"ar1\" or `serial_ar1()`.",
      if (identical(serial, "ar1-own")) "`fit_gls(serial = \"ar1-own\")` gives each entity a rho of its own."), "serial"
  )
}

# The design and the state of transformed rows under the rho that is asked for: list(design, root, state, groups,
# serial, for the fit; plain, the state of the same rows without AR(1), where there is one). `swept` says whether each
# entity has a level. `plain` is a function of the design without AR(1): list(solution, transform, state); `solve` one
# of a state, its entities and a design: the solution under AR(1). `joint`: a function of a state gives the likelihood
# that rho is to maximise with all else.
serial_rows <- function(request, design, swept, plain, solve, joint = NULL) {
  spec <- request$options$serial
  entity <- design$index$entity
  design <- with_groups(design, entity)
  groups <- design$groups[[entity]]
  layout <- core_ar1_layout(groups$codes, used_index(design)$clock, groups$count, design$weights, swept,
                            groups$sizes)
  found <- serial_start(spec, design, layout, groups, plain, joint)
  repeat {
    out <- rows_under(design, layout, found$rho, if (spec$first == "drop") "first" else "none")
    if (!spec$iterate || found$steps >= most_rho_steps) break
    solution <- solve(out$state, out$groups, out$design)
    next_one <- serial_again(found, solution, design, layout, groups)
    if (abs(next_one$rho - found$rho) < 1e-8) {
      found$settled <- TRUE
      break
    }
    found <- next_one
  }
  check_rho_settled(spec, found)
  if (isTRUE(found$at_bound)) warn_near_unit_root(found$rho)
  out$serial <- list(
    rho = found$rho, low = found$low, high = found$high, pairs = found$pairs,
    method = if (is.numeric(spec$rho)) "given" else spec$rho, first = spec$first, steps = found$steps,
    left_out = layout$n - out$root$n, at_bound = isTRUE(found$at_bound)
  )
  out$notes <- serial_notes(out, entity)
  out$plain <- if (out$serial$left_out == 0) found$fitted$state
  out
}

# What a reader must know of it.
serial_notes <- function(made, entity) {
  serial <- made$serial
  c(if (serial$left_out > 0) {
    sprintf("%s, the first of each %s, %s left out of the regression: %s", count_of(serial$left_out, "row"), entity,
            if (serial$left_out == 1) "is" else "are",
            "in short panels `first = \"keep\"` is more precise (at 5 periods by a seventh)")
  }, if (serial$at_bound) sprintf("rho was estimated beyond %s and is set to it%s", label_text(serial$rho),
                                  if (serial$rho > 0) ": disturbances that drift are for `fit_difference()`" else ""))
}

# Of the rows as they are, from their state where there is one.
serial_r_squared <- function(made, slopes, constant, swept) {
  if (!is.null(made$plain) && constant) return(core_ar1_r_squared_of_state(made$plain, slopes, swept))
  core_ar1_r_squared(design_rows(made$design), slopes, made$groups, constant, swept)
}

# What was taken from the rows: list(root, tau); where each entity has a level also its layer.
serial_transformation <- function(made, theta = NULL, left = NULL, layers = FALSE) {
  state <- made$state
  layers <- if (layers) list(core_layer(made$groups, state$means, theta, state$loading)) else list()
  new_transformation("serial", layers, root = made$root, tau = state$loading, left = left)
}

# The entities with what the rows tell of each one's level: its transformed dummy's square.
loaded_groups <- function(made) replace(made$groups, "weight", list(made$state$weight))

most_rho_steps <- 200

# The design, root, entities and state of the rows under rho, of which some may be left out, see core_ar1_root().
rows_under <- function(design, layout, rho, leave) {
  root <- core_ar1_root(layout, rho, leave)
  entity <- design$index$entity
  columns <- design_rows(design)$columns
  if (leave != "none") design <- with_groups(design_of_rows(design, root$now), entity)
  groups <- design$groups[[entity]]
  list(design = design, root = root, groups = groups, state = core_ar1_state(columns, layout, root, groups))
}

# Some of the rows of a design, which holds all of them as `levels`.
design_of_rows <- function(design, use) {
  take <- function(v) if (!is.null(v)) v[use]
  change_design(
    design, y = design$y[use], x = lapply(design$x, take), weights = take(design$weights), offset = take(design$offset),
    rows = if (is.null(design$rows)) use else design$rows[use], groups = NULL, levels = design
  )
}

# rho at first: list(rho, low, high, pairs, at_bound, steps, plain), the interval NA where rho is given.
serial_start <- function(spec, design, layout, groups, plain, joint) {
  if (is.numeric(spec$rho)) {
    return(list(rho = as.double(spec$rho), low = NA_real_, high = NA_real_, pairs = 0L, steps = 0L))
  }
  fitted <- plain(design)
  shown <- core_ar1_moments_of(design_rows(design), fitted$transform, fitted$solution, layout, groups)
  check_rho_shown(shown, layout, design, fitted$solution$sst)
  if (spec$rho == "maximum-likelihood") return(likeliest_rho(design, layout, groups, shown, joint))
  c(core_ar1_rho(shown, layout, spec$rho), list(steps = 0L, fitted = fitted, method = spec$rho))
}

# Whether what residuals show tells rho; `all` is the sum of squares of the outcome.
check_rho_shown <- function(shown, layout, design, all) {
  check_told_pairs(shown$pairs, layout, design$index$entity)
  check_rho_told(sum(shown$squares), all)
}

likeliest_rho <- function(design, layout, groups, shown, joint) {
  columns <- design_rows(design)$columns
  likelihood <- if (is.null(joint)) core_ar1_likelihood(columns, layout, groups, design$constant) else
    function(rho) joint(core_ar1_state(columns, layout, core_ar1_root(layout, rho), groups))
  rho <- core_ar1_likeliest(likelihood)
  interval <- core_ar1_interval(shown, layout, core_ar1_expected(layout, m = shown$pairs))
  c(core_within_bounds(rho),
    list(low = interval[1], high = interval[2], pairs = as.integer(shown$pairs), steps = 0L))
}

# Residuals of a solution without AR(1), swept as its rows are, times the root of their weights.
plain_residuals <- function(fitted, solution, design) {
  rows <- design_rows(design)
  e <- core_residuals(rows, fitted$transform, solution)
  if (is.null(rows$weights)) e else e * sqrt(rows$weights)
}

# The next rho, from residuals y - x'b with the slopes of the last round.
serial_again <- function(found, solution, design, layout, groups) {
  shown <- core_ar1_moments_of(design_rows(design), found$fitted$transform, solution, layout, groups)
  c(core_ar1_rho(shown, layout, found$method),
    list(steps = found$steps + 1L, fitted = found$fitted, method = found$method))
}

check_rho_settled <- function(spec, found) {
  if (!spec$iterate || isTRUE(found$settled)) return(invisible())
  stop_wavetax("no_convergence", sprintf("rho did not settle in %s rounds.", count_words(most_rho_steps)),
               todo = "`iterate = FALSE` takes the first, which is as good on average.")
}

check_told_pairs <- function(pairs, layout, entity) {
  if (pairs == 0) {
    stop_wavetax("no_pairs", "No two rows stand one period apart, so they do not tell rho.",
                 todo = c("Was the panel declared with the right step between periods?",
                          "`serial_ar1(rho = 0.5)` takes a rho that is known; distances are in periods."))
  }
  if (!layout$swept || any(layout$sizes >= 3)) return(invisible())
  stop_wavetax("no_pairs", sprintf("With effects swept out rho is told by %s of three rows or more, and there is none.",
                                   plural_of(entity)),
               todo = "`serial_ar1(rho = 0.5)` takes a rho that is known; `fit_pooled()` sweeps nothing out.")
}

check_rho_told <- function(squares, all) {
  if (squares > 1e-20 * all) return(invisible())
  stop_wavetax("no_pairs", "The regressors and effects fit every row, so no residual tells rho.",
               todo = "Use fewer regressors, or give rho: `serial_ar1(rho = 0.5)`.")
}

warn_near_unit_root <- function(rho) {
  warn_wavetax(
    "near_unit_root", sprintf("The estimate of rho is beyond %s and is set to it.", label_text(rho)),
    todo = if (rho > 0) "`fit_difference()` suits disturbances that drift; in short panels it may be chance." else
      "Rows of neighbouring periods nearly mirror each other: check how periods were made."
  )
}

# What AR(1) needs of a request: a panel, with at most the entity's effects.
check_serial_request <- function(request, sets = list()) {
  if (is.null(request$options$serial)) return(invisible())
  if (is_source(request$data)) stop_pieces("AR(1) needs all rows of an entity at once.", "Read the data whole.")
  if (!is_panel_frame(request$data)) {
    stop_wavetax("not_a_panel", "AR(1) needs to know which rows are of one entity, and when.",
                 todo = "`panel_frame(data, entity, period)` says so.")
  }
  index <- panel_index(request$data)
  entity <- index$entity
  if (length(sets) == 0 || are_levels_of(sets, entity)) return(invisible())
  stop_wavetax(
    c("serial", "effects"), sprintf("With `serial` the effects are those of the %s or none, not those of %s.", entity,
                                    effects_words(sets)),
    todo = sprintf("Others go into the formula as dummies, `+ factor(%s)`.", code_name(index$period))
  )
}
