#' What the coefficients would be without each entity
#'
#' Question answered: *does the conclusion rest on one entity?*
#'
#' Each group's rows are left out in turn and the coefficients found without estimating again: with u the rows of the
#' transformed regression in orthonormal coordinates, \eqn{N_g = \sum u u'}{N_g = sum u u'} over the group,
#' \deqn{b - b_{(g)} = R^{-1} (I - N_g)^{-1} \sum u e.}{b - b_(g) = R^-1 (I - N_g)^-1 sum u e.}
#' It is what estimating without the group would give, to rounding; random effects with their theta held, instrumented
#' fits with all stages.
#'
#' @param fit A fit of any of the `fit_` functions.
#' @param by `"entity"`, `"period"`, or a column: bare, quoted, or as a one-sided formula.
#' @param ... Takes nothing; what is misspelt is told.
#' @return A data frame of class `influence` with a row a group and coefficient: `group`, `rows`, `term`, `without` (the
#'   estimate without the group), `change` (that less the estimate), `in_errors` (the change in standard errors of the
#'   fit). `plot()` draws one coefficient.
#'   After AR(1) rho is held.
#' @section Errors:
#' `wavetax_error_rows_apart` after AR(1) where groups do not hold entities whole; `wavetax_error_unknown_column`;
#' `wavetax_error_clusters` when a group is missing for a row in use or there is one group only; `wavetax_error_errors`
#' when too many levels of effects have rows in several groups. A group without which a coefficient cannot be told has
#' `NA`.
#' @references Belsley, D. A., Kuh, E. and Welsch, R. E. (1980), *Regression Diagnostics*.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' influence_by(fit_fixed(log(nights) ~ levy + storms, panel))
#' @export
influence_by <- function(fit, by = "entity", ...) {
  check_own_arguments(..., of = influence_by, name = "influence_by()")
  check_is_fit(fit)
  check_keeps_rows(fit, "rows to leave out")
  given <- cluster_names(rlang::enquo(by))
  if (length(given$by) > 1) stop_argument("by", "of several dimensions", "Name one column.")
  columns <- given$by[[1]]
  if (!given$named && length(columns) == 1) columns <- role_column(fit, columns)
  groups <- combined_groups(fit$design, columns)
  name <- paste(columns, collapse = ":")
  check_clusters(groups, name)
  check_cluster_count(groups$count, name, groups$labels)
  check_whole_entities(fit, groups, name)
  change <- if (is.null(fit$instrumented)) changes_by_group(fit, groups, name) else
    changes_without_clusters(fit, groups, nested_effects(fit, groups, all_live_rows(fit)), name)
  # The constant that stands aside is a mean of what is left, not a coefficient of the swept rows.
  shown <- kept_terms(fit) != constant_term | method_of(fit)$constant != "aside"
  terms <- kept_terms(fit)[shown]
  change <- change[shown, , drop = FALSE]
  k <- length(terms)
  estimate <- kept_estimates(fit)[shown]
  out <- data.frame(
    group = rep(groups$labels, each = k), rows = rep(groups$sizes, each = k), term = rep(terms, groups$count),
    without = as.vector(estimate + change), change = as.vector(change),
    in_errors = as.vector(change / standard_errors(fit)[shown])
  )
  out[!is.finite(out$change), c("without", "change", "in_errors")] <- NA_real_
  structure(out, class = c("influence", "data.frame"), by = name, of = fit$design$outcome,
            estimates = as.data.frame(fit), rho = fit$serial$rho)
}

changes_by_group <- function(fit, groups, name) {
  rows <- error_rows(fit, rows_walk(fit))
  basis <- rows$basis(groups)
  if (is.null(basis)) {
    stop_wavetax(c("crossing_effects", "errors"),
                 sprintf("Too many levels of effects have rows in several groups by `%s`.", name),
                 todo = "Leave out what holds the effects whole: `by = \"entity\"` after effects of entities.")
  }
  group_changes(fit, rows$walk, basis, groups)
}

# Rows of AR(1) are made of their neighbours too, so that only whole entities can be left out.
check_whole_entities <- function(fit, groups, name) {
  if (!is_serial(fit) || holds_entities(fit, groups)) return(invisible())
  entity <- fit$design$index$entity
  stop_wavetax(c("rows_apart", "clusters"),
               sprintf("Under AR(1) a row is not left out alone, and `%s` does not hold each %s whole.", name, entity),
               todo = sprintf("Leave out by %s or what holds it; or without `serial`.", entity))
}

# What leaving out each group does to the kept coefficients: a column a group. Where a coefficient is told by one group
# alone the others are those of the regression without it, estimated again.
group_changes <- function(fit, walk, basis, groups) {
  moved <- if (is.null(basis$level)) {
    core_cluster_changes(basis$z, basis$e, basis$pick, groups, core_threads(fit$n))
  } else {
    core_adjusted_scores(basis, groups, "inverse")$by_cluster
  }
  change <- -fit$regression$root %*% moved
  for (g in which(colSums(is.nan(moved)) > 0)) change[, g] <- change_by_refit(fit, walk, groups$codes != g)
  change
}

change_by_refit <- function(fit, walk, use) {
  before <- unname(kept_estimates(fit))
  out <- rep(NA_real_, length(before))
  swept <- has_swept_effects(fit)
  if (swept && has_rows_apart(fit)) {
    slopes <- slopes_without(fit, use)
    out[-1] <- slopes - before[-1]
    return(out)
  }
  if (swept) {
    # Groups hold their entities whole, whose levels go with them.
    all <- core_coordinate_rows(walk, 1L)
    columns <- all$z %*% walk$upper[-1, -1, drop = FALSE]
    out[-1] <- changes_of_rows(all$e, columns, before[-1], use)
    return(out)
  }
  all <- core_coordinate_rows(walk)
  columns <- all$z %*% walk$upper
  # Coordinates are of columns less their centre, where there is a constant.
  if (has_constant(fit)) columns <- columns + columns[, 1] %o% fit$regression$frame$centre
  changes_of_rows(all$e, columns, before, use)
}

# Least squares of some rows of swept or transformed columns, less the coefficients of all; NA where dropped.
changes_of_rows <- function(e, columns, before, use) {
  out <- rep(NA_real_, length(before))
  columns[abs(columns) < 1e-12 * rep(apply(abs(columns), 2, max), each = nrow(columns))] <- 0
  y <- e + drop(columns %*% before)
  some <- core_rows(y[use], lapply(seq_len(ncol(columns)), function(j) columns[use, j]), constant = FALSE)
  if (some$n < 1) return(out)
  solution <- core_solve_pooled(core_pooled_state(some))
  told <- solution$status == 0L
  out[told] <- (solution$slopes - before)[told]
  out
}
