#' Panel-corrected standard errors
#'
#' Question answered: *how sure am I if entities are shocked together within a period, each with a variance of its own,
#' and nothing is related over time?*
#'
#' With \eqn{x_{it}}{x_it} the rows of the transformed regression and
#' \eqn{\sigma_{ij}}{s_ij} the mean of \eqn{e_{it} e_{jt}}{e_it e_jt} over the periods that entities i and j both have,
#' \deqn{V = \frac{n}{n - k} A \left(\sum_i \sum_j \sigma_{ij} \sum_t x_{it} x_{jt}'\right) A.}{V = n/(n - k) A (sum_ij
#' s_ij sum_t x_it x_jt') A.}
#' t statistics refer to the periods less 1. Rows that the effects fit whatever their outcome are not counted. Where the
#' panel is uneven V can have a negative part, which is set to 0 and told.
#'
#' Clusters by entity take entities as unrelated: where shocks are shared their intervals of 95 percent cover 76 to 83
#' (50 entities: 44), and these 95 to 97. These in turn take an entity's disturbances as unrelated over time: at an
#' autocorrelation of .4 and 20 periods they cover 87, after [serial_ar1()] 94; a note says where residuals are related.
#' Driscoll-Kraay errors allow for both, with many periods. See [remedies].
#'
#' @param pairs `"pairwise"`: each pair over the periods that both have; `"casewise"`: all over the periods that every
#'   entity has.
#' @param ... Takes nothing; what is misspelt is told.
#' @return A specification for `errors =` and [with_errors()].
#' @section Errors:
#' `wavetax_error_errors` after differences and [fit_gls()], with more than 20,000 entities, and casewise without a
#' common period; `wavetax_error_not_a_panel`; `wavetax_error_too_few_periods`; `wavetax_error_slim`.
#' @references Beck, N. and Katz, J. N. (1995), *American Political Science Review* 89.
#' @seealso [standard_errors] for what is computed of which model.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fit <- fit_fixed(log(nights) ~ levy + storms, panel, serial = "ar1")
#' with_errors(fit, se_panel_corrected())
#' @export
se_panel_corrected <- function(pairs = "pairwise", ...) {
  check_own_arguments(..., of = se_panel_corrected, name = "se_panel_corrected()")
  check_choice(pairs, c("pairwise", "casewise"), "pairs", kind = "errors")
  new_error_spec("paired", pairs = pairs)
}

most_paired_entities <- 20000

#' @export
compute_errors.se_paired <- function(spec, fit) {
  clock <- clock_of_errors(fit, "Panel-corrected errors")
  check_rows_in_periods(fit)
  walk <- error_walk(fit)
  both <- core_coordinate_rows(walk)
  live <- all_live_rows(fit, walk)
  keep <- if (is.null(live$fitted)) TRUE else -live$fitted
  take <- function(v) v[keep]
  entity <- rank_codes(take(column_groups(fit$design, clock$entity)$codes))
  period <- rank_codes(take(period_groups(clock)$codes))
  check_pairable(entity$count, period$count, ncol(both$z), clock)
  done <- core_panel_corrected(both$z[keep, , drop = FALSE], take(both$e), entity$codes, period$codes,
                               spec$pairs == "casewise")
  check_common_periods(done, clock)
  mended <- core_without_negative(done$meat, walk$skip)
  pairs <- entity$count * (entity$count - 1) / 2
  new_errors(
    spec, "panel-corrected", period$count - 1, meat = live$n / fit$df$residual * mended$meat,
    type = if (spec$pairs == "pairwise") sprintf("%s of %s", count_of(pairs, "pair"), plural_of(clock$entity)) else
      sprintf("%s that all have", count_of(done$periods, clock$period)),
    notes = c(if (done$apart > 0) {
      sprintf("%s of %s never meet, and are taken as unrelated", count_of(done$apart, "pair"), plural_of(clock$entity))
    }, if (mended$removed > 0) {
      sprintf("%s of the covariance was negative and is set to 0; `pairs = \"casewise\"` has none",
              count_of(mended$removed, "direction"))
    }, related_over_time_words(fit, take(both$e), entity$codes, take(clock$clock), clock,
                              is_beyond_chance(done$shared)))
  )
}

# Changes and generalised least squares have their own.
check_rows_in_periods <- function(fit) {
  if (fit$method == "gls") {
    stop_wavetax(c("rows_apart", "errors"),
                 "Panel-corrected errors are not of generalised least squares, which weighs rows itself.",
                 todo = "Keep its own errors, or use `fit_pooled()` or `fit_fixed()`.")
  }
  if (fit$transform$kind != "changes") return(invisible())
  stop_wavetax(c("rows_apart", "errors"),
               sprintf("Panel-corrected errors are not of %s fit, whose rows are of two periods each.",
                       one_of_a(method_words(fit))),
               todo = "Cluster by entity, or use `fit_fixed()`.")
}

check_pairable <- function(entities, periods, columns, clock) {
  if (periods < 2) {
    stop_wavetax("too_few_periods", sprintf("Panel-corrected errors need several %s, and there is one.",
                                            plural_of(clock$period)),
                 todo = "Use `se_clustered()` or `se_robust()`.")
  }
  if (entities <= most_paired_entities && as.double(entities) * periods * columns <= 2e8) return(invisible())
  stop_wavetax(c("too_many_pairs", "errors"), sprintf("%s make too many pairs.", count_of(entities, clock$entity)),
               todo = sprintf("`se_clustered(~ %s + %s)` allows for shared shocks too, as `se_driscoll_kraay()` does.",
                              code_name(clock$entity), code_name(clock$period)))
}

check_common_periods <- function(done, clock) {
  if (done$periods > 0) return(invisible())
  stop_wavetax(c("no_common_period", "errors"), sprintf("No %s is one that every %s has.", clock$period, clock$entity),
               todo = "`pairs = \"pairwise\"` takes each pair's own.")
}

is_beyond_chance <- function(z) isTRUE(z > stats::qnorm(.975))

# Relations over time, which these errors pass over: where the interval of rho is above 0. Clusters by entity are an
# answer only where entities share no shocks.
related_over_time_words <- function(fit, e, entity, clock_of_rows, clock, shared) {
  swept <- method_of(fit)$effects != "none"
  layout <- core_ar1_layout(entity, clock_of_rows, swept = swept)
  shown <- core_ar1_moments(e, layout)
  if (shown$pairs == 0 || !any(tabulate(entity) >= 3) || sum(shown$squares) == 0) return(NULL)
  found <- core_ar1_rho(shown, layout)
  if (!isTRUE(found$low > 0)) return(NULL)
  beside <- if (shared) {
    sprintf(". Clusters by %s alone would not see the shocks that %s share", clock$entity, plural_of(clock$entity))
  } else if (!is_serial(fit)) {
    ", or cluster"
  }
  sprintf(paste("Residuals of one %s are related over time (rho about %s), which these errors pass over: they are too",
                "small; %s%s"), clock$entity, fixed_decimals(found$rho, 2),
          if (is_serial(fit)) "`se_driscoll_kraay()` allows for it" else "`serial = \"ar1\"` first", paste0("", beside))
}
