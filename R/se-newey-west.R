#' Standard errors for serial correlation and for cross-section dependence
#'
#' Question answered: *how sure am I if an entity's disturbances are related over a few periods* (`se_newey_west()`),
#' *or if, besides, entities are shocked together* (`se_driscoll_kraay()`)?
#'
#' With \eqn{s}{s} the score x e of a row, respectively the sum of a period's, and \eqn{\Gamma_l}{Gamma_l} the sum of
#' \eqn{s_t s_{t-l}'}{s_t s_(t-l)'} over rows of one entity, respectively over periods, l periods apart,
#' \deqn{M = \Gamma_0 + \sum_{l = 1}^{L} \left(1 - \frac{l}{L + 1}\right)(\Gamma_l + \Gamma_l'),
#' \quad V = \frac{n}{n - k} A M A}{M = Gamma_0 + sum over l of (1 - l/(L + 1)) (Gamma_l + Gamma_l'),
#' V = n/(n - k) A M A.}
#' Lags count in periods on the panel's clock: across a gap nothing is multiplied. Rows that the effects fit whatever
#' their outcome are not counted. `se_newey_west()` takes entities as independent and refers t to the residual degrees
#' of freedom, `se_driscoll_kraay()` lets them be related in any way and refers it to the periods less 1. The
#' latter rests on many periods; under 30 a note warns (`docs/coverage.md` of the sources has rejection rates).
#'
#' @param lags How many periods apart disturbances may be related; `NULL`: 4 (T/100)^(2/9) rounded down, at least 1, T
#'   the average count of periods of an entity, respectively the periods.
#' @param ... Takes nothing; what is misspelt is told.
#' @return A specification for `errors =` and [with_errors()].
#' @section Errors:
#' `wavetax_error_lags` for lags that are no whole number, or as long as the panel; `wavetax_error_not_a_panel`
#' where the data have no periods; `wavetax_error_slim` of a fit without its rows.
#' @references Newey, W. K. and West, K. D. (1987), *Econometrica* 55; (1994), *Review of Economic Studies* 61;
#'   Driscoll, J. C. and Kraay, A. C. (1998), *Review of Economics and Statistics* 80.
#' @seealso [standard_errors] for what is computed of which model.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fit <- fit_fixed(log(nights) ~ levy + storms, panel)
#' with_errors(fit, se_newey_west(lags = 2))
#' with_errors(fit, se_driscoll_kraay())
#' @export
se_newey_west <- function(lags = NULL, ...) {
  check_own_arguments(..., of = se_newey_west, name = "se_newey_west()")
  if (!is.null(lags)) check_error_lags(lags)
  new_error_spec("newey_west", lags = lags)
}

#' @rdname se_newey_west
#' @export
se_driscoll_kraay <- function(lags = NULL, ...) {
  check_own_arguments(..., of = se_driscoll_kraay, name = "se_driscoll_kraay()")
  if (!is.null(lags)) check_error_lags(lags)
  new_error_spec("driscoll", lags = lags)
}

check_error_lags <- function(lags) {
  good <- is.numeric(lags) && length(lags) == 1 && is.finite(lags) && lags >= 0 && lags == trunc(lags)
  if (good) return(invisible())
  stop_wavetax("lags", sprintf("`lags` is %s.", value_words(lags)), todo = "Give one whole number, such as `lags = 2`.")
}

#' @export
compute_errors.se_newey_west <- function(spec, fit) {
  clock <- clock_of_errors(fit, "Newey-West errors")
  walk <- error_walk(fit)
  both <- core_coordinate_rows(walk)
  live <- all_live_rows(fit, walk)
  keep <- if (is.null(live$fitted)) TRUE else -live$fitted
  groups <- column_groups(fit$design, clock$entity)
  entity <- groups$codes[keep]
  average <- length(entity) / sum(tabulate(entity) > 0)
  lags <- if (is.null(spec$lags)) core_default_lags(average) else spec$lags
  check_lag_span(lags, range(fit$design$index$ticks[used_periods(fit$design)]))
  meat <- core_lagged_products(both$z * both$e, groups, clock$clock, lags)
  new_errors(
    spec, sprintf("Newey-West within %s", clock$entity), fit$df$residual, meat = live$n / fit$df$residual * meat,
    type = lag_words(lags, clock$period), lags = lags,
    notes = c(if (sum(tabulate(entity) > 0) > 1) {
      sprintf("%s are taken as independent of each other", upper_first(plural_of(clock$entity)))
    },
              changes_words(fit, "these errors"))
  )
}

#' @export
compute_errors.se_driscoll <- function(spec, fit) {
  clock <- clock_of_errors(fit, "Driscoll-Kraay errors")
  groups <- period_groups(clock)
  walk <- error_walk(fit)
  sums <- core_cluster_scores(walk, groups, idle_residual(fit))
  live <- live_of_all(fit, walk, live_rows(fit), sums$idle)
  seen <- groups$sizes
  if (!is.null(live$fitted)) seen <- seen - tabulate(groups$codes[live$fitted], groups$count)
  periods <- sum(seen > 0)
  if (periods < 2) {
    stop_wavetax("too_few_periods", "Driscoll-Kraay errors need several periods, and there is one.",
                 todo = "Use `se_clustered()` or `se_robust()`.")
  }
  lags <- if (is.null(spec$lags)) core_default_lags(periods) else spec$lags
  check_lag_span(lags, range(groups$labels[groups$sizes > 0]))
  meat <- core_lagged_periods(sums$scores, groups$labels, lags)
  new_errors(
    spec, "Driscoll-Kraay", periods - 1, meat = live$n / fit$df$residual * meat, type = lag_words(lags, clock$period),
    lags = lags, joint = "clusters", clusters = stats::setNames(periods, clock$period),
    notes = c(if (periods < 30) {
      sprintf("%s are few for Driscoll-Kraay errors, which are then too small", count_of(periods, clock$period))
    }, changes_words(fit, "these errors"))
  )
}

lag_words <- function(lags, period) sprintf("%s of %s", count_of(lags, "lag"), period)

# The clock of each row in use, and its entity.
clock_of_errors <- function(fit, what) {
  check_whole_source(fit, sprintf("%s follow each entity over time.", what))
  check_keeps_rows(fit, what)
  index <- fit$design$index
  if (is.null(index) || !is.null(fit$design$between)) {
    stop_wavetax(
      "not_a_panel", sprintf("%s follow the periods, and %s.", what, if (is.null(index)) "the data name none" else
        "a between fit has none"),
      todo = "Estimate on a `panel_frame()`, or use `se_clustered(~ column)`."
    )
  }
  list(clock = used_index(fit$design)$clock, span = index$span, entity = index$entity, period = index$period)
}

# Rows by tick of the clock, which the labels are; ticks without rows may be among them.
period_groups <- function(clock) {
  if (clock$span <= 1e5) return(core_groups(clock$clock, clock$span, seq_len(clock$span)))
  ticks <- sort(unique(clock$clock))
  core_groups(match(clock$clock, ticks), length(ticks), ticks)
}

check_lag_span <- function(lags, ticks) {
  span <- max(ticks) - min(ticks)
  if (lags <= span || lags == 1) return(invisible())
  stop_wavetax("lags", sprintf("`lags` is %s, and the panel spans %s.", count_words(lags),
                               count_of(span + 1, "period")),
               todo = "Give fewer: disturbances that far apart are never seen together.")
}
