#' Heteroskedasticity-robust standard errors
#'
#' Question answered: *how sure am I if each row's disturbance has a variance of its own, and those of different
#' rows are unrelated?* In a panel rows of one entity are seldom unrelated: [se_clustered()].
#'
#' \deqn{V = A \left(\sum_i \omega_i x_i x_i'\right) A}{V = A (sum_i omega_i x_i x_i') A}
#' on the transformed regression, with h the leverage of a row, of effects and regressors together:
#' HC0 \eqn{\omega = e^2}; HC1 \eqn{e^2 n/(n - k)}, over residual degrees of freedom; HC2
#' \eqn{e^2/(1 - h)}; HC3 \eqn{e^2/(1 - h)^2}; HC4 \eqn{e^2/(1 - h)^{\min(4, n h/p)}}{e^2/(1 - h)^min(4, n h/p)}, p the
#' sum of all h. A row that is fitted whatever its outcome (h = 1) tells nothing of the noise and adds 0. t statistics
#' are referred to the residual degrees of freedom.
#'
#' With effects swept out and few periods HC0, HC1, HC2 and HC4 do not come right however many entities there are
#' when variances differ, and HC3 errs upward (Stock & Watson 2008): a note says so.
#'
#' @param type `"HC1"`, `"HC0"`, `"HC2"`, `"HC3"` or `"HC4"`.
#' @param leverages `"exact"`; `"estimated"`: those of effects from random draws, where the system of effects is too
#'   large to be solved directly. How far they may be off is printed.
#' @param draws,seed How many draws, and where they start; the session's random numbers are left alone.
#' @param ... Takes nothing; what is misspelt is told.
#' @return A specification for `errors =` and [with_errors()].
#' @section Errors:
#' `wavetax_error_errors` for an unknown type, and where exact leverages would take too much;
#' `wavetax_error_slim` of a fit without its rows.
#' @references MacKinnon, J. G. and White, H. (1985), *Journal of Econometrics* 29; Cribari-Neto, F. (2004),
#'   *Computational Statistics & Data Analysis* 45; Stock, J. H. and Watson, M. W. (2008), *Econometrica* 76.
#' @seealso [standard_errors] for what is computed of which model.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fit_pooled(log(nights) ~ levy + storms, panel, errors = se_robust("HC3"))
#' @export
se_robust <- function(type = "HC1", leverages = "exact", draws = 400, seed = 1, ...) {
  check_own_arguments(..., of = se_robust, name = "se_robust()")
  check_choice(type, c("HC0", "HC1", "HC2", "HC3", "HC4"), "type", kind = "errors")
  check_choice(leverages, c("exact", "estimated"), "leverages", kind = "errors")
  check_number(draws, "draws", low = 10, high = 1e5, whole = TRUE)
  check_seed(seed)
  new_error_spec("robust", type = type, leverages = leverages, draws = draws, seed = seed)
}

#' @export
compute_errors.se_robust <- function(spec, fit) {
  power <- c(HC0 = 0, HC1 = 0, HC2 = 1, HC3 = 2, HC4 = -1)[[spec$type]]
  done <- row_source(fit)$robust(spec, fit, power)
  factor <- if (spec$type == "HC1") done$live / fit$df$residual else 1
  new_errors(
    spec, "robust to unequal variances", fit$df$residual, meat = factor * done$products, type = spec$type,
    notes = c(done$note, approximate_words(fit, spec), short_panel_words(fit, spec),
              changes_words(fit, "robust errors"))
  )
}

# list(products, live, how many rows are, note). Without a power leverages matter only in so far as rows are fitted
# whatever their outcome, which have no residual; HC4 asks for their mean over the others.
robust_sums <- function(spec, fit, power) {
  check_keeps_rows(fit, "robust errors")
  walk <- error_walk(fit)
  first <- if (power <= 0) core_robust_products(walk, NULL, 0, quick = idle_residual(fit))
  live <- if (power <= 0) live_of_all(fit, walk, live_rows(fit), first$fitted)
  if (power == 0) return(list(products = first$products, live = live$n))
  leverage <- effect_leverages(fit, spec)
  mean <- if (power < 0) average_leverage(fit, live$n) else 1
  list(products = core_robust_products(walk, leverage$values, power, mean)$products, note = leverage$note)
}

# Where rows are not at hand: `sums(fit, power, mean_leverage)` gives the products of rows and squared residuals.
robust_by_sums <- function(sums) function(spec, fit, power) robust_of_sums(fit, power, sums)

robust_of_sums <- function(fit, power, sums) {
  if (power != 0 && length(fit$effects) > 1) {
    stop_pieces_errors("HC0 and HC1 are computed piece by piece, with one set of effects HC2 to HC4 too.")
  }
  live <- live_rows(fit)$n
  found <- sums(fit, power, average_leverage(fit, live))
  list(products = found$products, live = fit$n - max(fit$n - live, found$fitted))
}

# Over the live rows: the others have a leverage of 1 each.
average_leverage <- function(fit, live) {
  parameters <- length(slope_names(fit)) + if (has_swept_effects(fit)) fit$df$effects else has_constant(fit)
  (parameters - (fit$n - live)) / live
}

# list(values, note) of the effects' part of leverages: see core_robust_products().
effect_leverages <- function(fit, spec) row_kind(fit)$leverages(fit, spec)

swept_leverages <- function(fit, spec) {
  sets <- fit$effects
  if (length(sets) == 1 && length(sets[[1]]$trends) == 0) {
    groups <- sets[[1]]$groups
    return(list(values = list(groups = groups, inverse = 1 / core_group_weights(groups, fit_rows(fit)$weights))))
  }
  system <- fit_effect_system(fit)
  on.exit(core_release(system))
  if (system$dense && system$unknowns <= 4096) return(list(values = core_effect_leverage(system$pointer)))
  if (spec$leverages == "exact") {
    stop_wavetax(
      c("leverages", "errors"),
      sprintf("%s needs the leverage of each row, and these effects are too many to be solved directly.",
                        spec$type),
      todo = c("Use `se_robust(\"HC1\")`, or `se_clustered()`.",
               "Or estimate them: `se_robust(type, leverages = \"estimated\")`.")
    )
  }
  values <- with_own_seed(spec$seed, core_estimated_leverage(system, fit$n, spec$draws))
  list(values = values, note = sprintf(
    "Leverages are estimated from %s draws: each is off by about %s percent of h (1 - h)",
    count_words(spec$draws), label_text(signif(100 * sqrt(2 / spec$draws), 2))
  ))
}

loaded_leverages <- function(fit, spec) {
  if (!has_swept_effects(fit)) return(NULL)
  groups <- fit$effects[[1]]$groups
  list(values = fit$transform$tau^2 / groups$weight[groups$codes])
}

short_panel_words <- function(fit, spec) {
  if (!has_swept_effects(fit)) return(NULL)
  average <- fit$n / max(vapply(fit$effects, function(set) sum(set$groups$sizes > 0), 0))
  if (average > 20) return(NULL)
  entity <- fit$effects[[which.max(vapply(fit$effects, function(set) set$groups$count, 0))]]$name
  sprintf("With effects swept out and few rows %s %s: cluster by %s", one_of_a(entity),
          if (spec$type == "HC3") "HC3 errs upward where variances differ" else
            paste(spec$type, "does not come right where variances differ"), entity)
}

# Neighbouring changes share a disturbance.
changes_words <- function(fit, errors) {
  if (is.null(fit$design$levels)) return(NULL)
  sprintf("Neighbouring changes are related, which %s pass over: cluster by %s", errors, fit$design$index$entity)
}
