#' Feasible generalised least squares
#'
#' Question answered: *what are the slopes if entities have variances of their own, are shocked together, or are related
#' over time, and the estimator is to use it?* See [remedies] for its price: where least squares with honest errors is
#' as good.
#'
#' Least squares; from its residuals rho ([serial_ar1()]), or each entity's own; the rows transformed by it; least
#' squares again, whose residuals give each entity's variance \eqn{\sum e^2 / T_i}{sum e^2 / T_i}, or with
#' `across = TRUE` the covariance of all entities within a period; then generalised least squares (Parks 1967; Kmenta
#' 1986), \eqn{s^2 = e' V^{-1} e / (n - K)}{s2 = e'V^-1 e / (n - K)}. The covariance across entities is that of the
#' highest normal likelihood of what is seen; with complete periods, the mean of products. (Products by pairs would be
#' no covariance in 43 of 100 panels with a fifth missing, and are less precise.)
#'
#' With AR(1) and `across`, balanced panels keep their first rows; of uneven ones the rows that start a run of
#' neighbouring periods are left out, and counted.
#'
#' @section Its errors:
#' Variances from the residuals that they weigh make every error too small, clustered ones too: at 5 periods intervals
#' of 95 percent cover 78 to 87, clustered 75 to 84; `across` with 10 entities and 10, 15, 20, 30, 60 periods 25, 59,
#' 72, 81, 89. So residuals are taken times \eqn{T_i/(T_i - 2)}{T_i/(T_i - 2)} in covariances, and after `across` errors
#' times \eqn{T/(T - N - 1)}{T/(T - N - 1)}, T the mean count of periods that two entities have in common (cover 91 to
#' 99). What was estimated from how many rows is printed with the factor. `adjust = FALSE` leaves it out.
#'
#' @inheritParams fit_pooled
#' @param variances `"common"`, or `"entity"`: a variance for each entity.
#' @param across Whether entities are related within a period; each has a variance of its own then.
#' @param serial `"none"`, `"ar1"`, `"ar1-own"` (a rho for each entity), or [serial_ar1()].
#' @param effects `"none"`, or `"entity"`: a dummy for each, swept out.
#' @param iterate Whether it goes on from the new residuals until slopes stay.
#' @param adjust Whether errors make up for the variances that were estimated.
#' @param errors `NULL`, or one of the `se_` functions. By default clustered by entity; after `across` classical, the
#'   only ones there.
#' @return A `panel_fit`, see [fit_pooled()]; `fit$covariance` has the covariance across entities, in the order of their
#'   labels, `fit$variance$sigma2_e` the variance of the disturbances, named by entity where each has its own.
#' @section Errors:
#' Those of [fit_pooled()] and [serial_ar1()]; `wavetax_error_not_a_panel`; `wavetax_error_variances` where an entity
#' has two rows or none of its residuals differs from 0; `wavetax_error_across` with common variances, where a pair
#' never meets, where the mean of common periods is at most N + 1 (iterated: under 2 N), or entities move as one.
#' @references Parks, R. W. (1967), *Journal of the American Statistical Association* 62; Kmenta, J. (1986), *Elements
#'   of Econometrics*; Beck, N. and Katz, J. N. (1995), *American Political Science Review* 89.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' # The spread of the demo world differs between harbours.
#' fit_gls(log(nights) ~ levy + storms + fuel, panel, variances = "entity", effects = "entity")
#' fit_gls(log(nights) ~ levy + storms + fuel, panel, variances = "entity", effects = "entity", serial = "ar1")
#' @export
fit_gls <- function(formula, data, variances = "common", across = FALSE, serial = "none", effects = "none",
                    iterate = FALSE, adjust = TRUE, errors = NULL, rows = NULL, keep = "rows", ...) {
  check_own_arguments(..., of = fit_gls, name = "fit_gls()")
  if (missing(variances) && isTRUE(across)) variances <- "entity"
  run_fit(fit_request(
    "gls", match.call(), formula, data, rlang::quo(NULL), rlang::enquo(rows), errors, keep, rlang::enquo(effects),
    list(variances = variances, across = across, serial = serial_argument(serial, own = TRUE), iterate = iterate,
         adjust = adjust)
  ))
}

method_gls <- function() {
  new_fit_method(
    "gls", words = "generalised least squares", title = gls_title,
    estimate = function(request) estimate_gls(request),
    arguments = c("effects", "variances", "across", "serial", "iterate", "adjust"),
    sets = list(most = 1, trends = FALSE),
    varies = function(x) if (has_effects(x)) list(effects = "fixed", constant = "aside")
  )
}

gls_title <- function(fit) {
  entity <- fit$design$index$entity
  paste0("Feasible generalised least squares", if (has_effects(fit)) sprintf(" with effects of %s", plural_of(entity)),
         if (isTRUE(fit$request$options$across)) sprintf(", %s related", plural_of(entity)) else
           if (identical(fit$request$options$variances, "entity")) sprintf(", variances by %s", entity))
}

estimate_gls <- function(request) {
  options <- request$options
  check_gls_options(options)
  check_gls_panel(request)
  entity <- panel_index(request$data)$entity
  swept <- gls_effects(request, entity)
  design <- if (swept) request_design(request, also = entity, absorbs_constant = TRUE) else request_design(request)
  design <- with_groups(design, entity)
  rounds <- gls_rounds(request, design, swept)
  gls_fit(request, rounds, swept, entity)
}

check_gls_options <- function(options) {
  check_choice(options$variances, c("common", "entity"), "variances", kind = "variances")
  for (flag in c("across", "iterate", "adjust")) check_flag(options[[flag]], flag)
  if (!options$across || options$variances == "entity") return(invisible())
  stop_wavetax("across", "`across = TRUE` gives each entity a variance too, and `variances` is \"common\".",
               todo = "Give `variances = \"entity\"` with it.")
}

check_gls_panel <- function(request) {
  if (is_panel_frame(request$data)) return(invisible())
  stop_wavetax("not_a_panel", "Generalised least squares needs to know which rows are of one entity, and when.",
               todo = "`panel_frame(data, entity, period)` says so.")
}

# Whether each entity has a level.
gls_effects <- function(request, entity) {
  if (identical(request$effects, "none")) return(FALSE)
  sets <- effect_sets(request$effects, request$data)
  if (are_levels_of(sets, entity)) return(TRUE)
  stop_wavetax(c("gls_effects", "effects"),
               sprintf("The effects of generalised least squares are those of the %s or none.", entity),
               todo = "Others go into the formula as dummies.")
}

most_gls_rounds <- 500

# From residuals to rho, variances and slopes, once or until the slopes stay.
gls_rounds <- function(request, design, swept) {
  options <- request$options
  entity <- design$index$entity
  groups <- design$groups[[entity]]
  layout <- core_ar1_layout(groups$codes, used_index(design)$clock, groups$count, NULL, swept, groups$sizes)
  leave <- if (options$across && !is.null(options$serial) && !is_balanced_design(layout)) "runs" else "none"
  plain <- if (swept) one_set_of_entities(design) else
    list(solution = core_solve_pooled(core_pooled_state(design_rows(design))), transform = new_transformation())
  e <- plain_residuals(plain, plain$solution, design)
  slopes <- NULL
  for (round in seq_len(if (options$iterate) most_gls_rounds else 1L)) {
    serial <- gls_rho(options$serial, e, design, layout, groups, plain$solution$sst)
    made <- rows_under(design, layout, serial$rho, leave)
    first <- gls_least_squares(made, swept, design$constant)
    at <- if (is.null(slopes)) first$solution else replace(first$solution, c("residual", "centre"),
                                                           done$solution[c("residual", "centre")])
    left <- core_residuals(core_rooted_rows(design_rows(design), made$root), first$transform, at)
    done <- if (options$across) gls_across(made, left, swept, design, options, serial) else
      gls_by_entity(made, left, swept, design, options, layout, leave, serial)
    if (!is.null(slopes) && max(abs(done$solution$slopes - slopes)) <= 1e-9 * max(abs(slopes))) break
    slopes <- done$solution$slopes
    if (options$iterate) e <- plain_residuals(plain, replace(plain$solution, c("residual", "centre"), list(
      done$solution$residual, if (swept) plain$solution$centre else done$solution$centre)), design)
  }
  check_gls_settled(options, round)
  c(done, list(serial = serial, rounds = round, left_out = layout$n - made$root$n))
}

check_gls_settled <- function(options, rounds) {
  if (!options$iterate || rounds < most_gls_rounds) return(invisible())
  stop_wavetax("no_convergence", sprintf("The slopes did not settle in %s rounds.", count_words(rounds)),
               todo = "`iterate = FALSE` takes two steps, which is as good on average.")
}

# Whether every entity has a row in every period.
is_balanced_design <- function(layout) {
  layout$n == as.double(sum(layout$sizes > 0)) * length(unique(layout$clock))
}

# rho of this round: list(rho, and what serial_rows() tells); 0 without AR(1).
gls_rho <- function(spec, e, design, layout, groups, all) {
  if (is.null(spec)) return(list(rho = 0))
  if (identical(spec$rho, "own")) return(gls_own_rho(e, design, layout, groups))
  if (is.numeric(spec$rho)) return(serial_start(spec, design, layout, groups, NULL))
  shown <- core_ar1_moments(e, layout)
  check_rho_shown(shown, layout, design, all)
  if (spec$rho == "maximum-likelihood") return(likeliest_rho(design, layout, groups, shown))
  core_ar1_rho(shown, layout, spec$rho)
}

gls_own_rho <- function(e, design, layout, groups) {
  found <- core_ar1_own_rho(e, layout)
  untold <- is.na(found$rho)
  if (any(untold)) {
    stop_wavetax("no_pairs", sprintf("%s %s too few neighbouring rows for a rho of its own.",
                                     count_of(sum(untold), design$index$entity),
                                     if (sum(untold) == 1) "has" else "have"),
                 where = sprintf("%s.", list_some(label_text(groups$labels[untold]), 4)),
                 todo = "`serial = \"ar1\"` takes one rho for all; or leave them out with `rows =`.")
  }
  list(rho = pmax(pmin(found$rho, largest_rho), -largest_rho), low = rep(NA_real_, length(found$rho)),
       high = rep(NA_real_, length(found$rho)), pairs = length(core_ar1_pairs(layout)$now),
       at_bound = any(found$at_bound))
}

# Least squares of the transformed rows, all of one variance: list(solution, transform).
gls_least_squares <- function(made, swept, constant) {
  if (!swept) return(list(solution = core_ar1_pooled(made$state, constant), transform = serial_transformation(made)))
  solution <- core_ar1_fixed(made$state, as.double(made$groups$sizes))
  list(solution = solution, transform = serial_transformation(made, left = solution$ones, layers = TRUE))
}

# Rows weighed by their entity's variance, or all alike.
gls_by_entity <- function(made, left, swept, design, options, layout, leave, serial) {
  variances <- NULL
  if (options$variances == "entity") {
    variances <- entity_variances(left, made$groups, design$index$entity)
    layout$s <- (1 / sqrt(variances))[layout$entity]
    made <- rows_under(design, layout, serial$rho, leave)
  }
  done <- gls_least_squares(made, swept, design$constant)
  if (!is.null(variances)) {
    done$solution$log_jacobian <- done$solution$log_jacobian - sum(log(variances[made$groups$codes])) / 2
  }
  rows <- made$groups$sizes
  list(
    design = made$design, groups = loaded_groups(made), solution = done$solution, transform = done$transform,
    variances = variances,
    inflate = if (!is.null(variances) && options$adjust) variance_factor(rows)[made$groups$codes],
    adjustment = if (!is.null(variances)) {
      list(by_row = if (options$adjust) range(variance_factor(rows[rows > 0])), variances = sum(rows > 0),
           covariances = 0, rows = made$root$n, of = design$index$entity)
    }
  )
}

gls_fit <- function(request, done, swept, entity) {
  design <- done$design
  solution <- done$solution
  groups <- done$groups
  solution$r_squared <- core_ar1_r_squared(design_rows(design), solution$slopes, design$groups[[entity]],
                                           swept || design$constant, swept)
  effects <- if (swept) list(describe_effects(effect_sets("entity", request$data)[[1]], groups,
                                              solution$levels[[1]]$level)) else list()
  spec <- request$options$serial
  serial <- if (!is.null(spec)) gls_serial(spec, done, groups)
  transform <- done$transform
  transform$inflate <- done$inflate
  fit <- new_panel_fit(
    request, design, solution, transform, effects = effects, serial = serial, adjustment = done$adjustment,
    variance = gls_variance(done, solution, serial), notes = gls_notes(request, done, serial, design),
    covariance = done$covariance
  )
  if (isTRUE(done$serial$at_bound)) warn_near_unit_root(max(abs(done$serial$rho)))
  fit
}

gls_serial <- function(spec, done, groups) {
  found <- done$serial
  own <- identical(spec$rho, "own")
  name <- function(v) if (own) stats::setNames(v, label_text(groups$labels)) else v
  list(rho = name(found$rho), low = name(found$low), high = name(found$high), pairs = found$pairs,
       method = if (is.numeric(spec$rho)) "given" else if (own) "corrected" else spec$rho, first = "keep",
       steps = done$rounds - 1L, left_out = done$left_out, at_bound = isTRUE(found$at_bound))
}

# The variance of the disturbances, of each entity where they differ.
gls_variance <- function(done, solution, serial) {
  scale <- solution$ssr / solution$df_residual
  innovation <- if (!is.null(done$covariance)) diag(done$covariance) else
    if (!is.null(done$variances)) stats::setNames(done$variances, label_text(done$groups$labels)) else 1
  rho <- if (is.null(serial)) 0 else serial$rho
  if (length(rho) > 1 && !is.null(names(innovation))) rho <- rho[names(innovation)]
  list(sigma2_e = scale * innovation / (1 - rho^2), sigma2 = NULL)
}

# What a reader must know of it.
gls_notes <- function(request, done, serial, design) {
  options <- request$options
  entity <- design$index$entity
  a <- done$adjustment
  periods <- done$solution$n / max(1, sum(design$groups[[entity]]$sizes > 0))
  c(
    if (done$left_out > 0) {
      sprintf("%s that start a run of neighbouring %s are left out: without the %s before they belong to no block",
              count_of(done$left_out, "row"), plural_of(design$index$period), design$index$period)
    },
    if (options$iterate) sprintf("Iterated in %s", count_of(done$rounds, "round")),
    if (length(serial$rho) > 1 && periods < 60) {
      sprintf("A rho for each %s from %s %s: under 60 it gains nothing even where they differ, and intervals cover %s",
              entity, format_number(periods, 3), plural_of(design$index$period), "89 to 92")
    },
    if (isTRUE(serial$at_bound)) {
      "An estimate of rho was beyond 0.99 and is set to it: drifts are for `fit_difference()`"
    },
    if (!is.null(a$periods) && a$periods < 2 * a$entities) {
      sprintf("%s of %s from %s %s: intervals are no shorter than those of least squares with panel-corrected errors",
              "A covariance", count_of(a$entities, entity), format_number(a$periods, 3), plural_of(design$index$period))
    }
  )
}
