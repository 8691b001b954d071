#' Between regression
#'
#' Question answered: *do entities with more x have more y, on average over time?*
#'
#' Ordinary least squares of the entity means of y on the constant and the entity means of
#' x, one row an entity; N - k - 1 residual degrees of freedom. With `by_rows = TRUE` each
#' entity counts by its rows T_i; with `weights` the means are weighted, and `by_rows` counts
#' an entity by the sum of its weights. Means are over the rows used.
#'
#' @inheritParams fit_fixed
#' @param effects `"entity"`, `"period"`, or a column as `~ coast`: what the means are of.
#' @param by_rows Whether an entity counts as often as it has rows.
#' @return A `panel_fit`, see [fit_pooled()], whose rows are the entities: `nobs()` is N, and
#'   [residuals()] has one an entity. Clusters must hold whole entities.
#' @section Errors:
#' Those of [fit_pooled()] and `wavetax_error_effects`; `wavetax_error_clusters` when an
#' entity is in two clusters.
#' @references Baltagi, B. H. *Econometric Analysis of Panel Data*, ch. 2.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' # Pleasant harbours charge more and draw more boats: far from the truth of -0.05.
#' fit_between(log(nights) ~ levy + storms + pier, panel)
#' @export
fit_between <- function(formula, data, effects = "entity", weights = NULL, errors = NULL, rows = NULL,
                        by_rows = FALSE, keep = "rows", ...) {
  check_own_arguments(..., of = fit_between, name = "fit_between()")
  check_flag(by_rows, "by_rows")
  run_fit(fit_request(
    "between", match.call(), formula, data, rlang::enquo(weights), rlang::enquo(rows), errors, keep,
    rlang::enquo(effects),
    list(by_rows = by_rows)
  ))
}

method_between <- function() {
  new_fit_method(
    "between", words = "between", title = function(fit) paste("Between", plural_of(fit$design$between)),
    estimate = function(request) estimate_between(request), arguments = c("effects", "weights", "by_rows"),
    row = function(design) design$between, sets = list(most = 1, trends = FALSE), levels = FALSE,
    r_squared = c("between", "overall")
  )
}

estimate_between <- function(request) {
  name <- effect_column(request$effects, request$data)
  design <- request_design(request, also = name)
  groups <- column_groups(design, name)
  all_rows <- design_rows(design)
  design <- mean_rows(design, groups, name, request$options$by_rows)
  solution <- core_solve_pooled(core_pooled_state(design_rows(design)))
  solution$r_squared <- c(
    between = solution$r_squared[["overall"]], overall = core_overall_r_squared(all_rows, solution)
  )
  new_panel_fit(request, design, solution)
}

# The design with a row a group, the group's first row standing for it.
mean_rows <- function(design, groups, name, by_rows) {
  state <- core_one_way_state(design_rows(design), groups)
  k <- length(design$x)
  first <- match(seq_len(groups$count), groups$codes)
  weighted <- !is.null(design$weights)
  w <- if (weighted) design$weights else 1
  sums <- function(v) core_group_sums(v, groups$codes, groups$count)
  offset <- if (!is.null(design$offset)) sums(w * design$offset) / sums(w * rep(1, length(design$y)))
  change_design(
    design, x = stats::setNames(lapply(seq_len(k), function(j) state$means[j, ]), names(design$x)),
    y = state$means[k + 1L, ],
    offset = offset, rows = if (is.null(design$rows)) first else design$rows[first],
    weights = if (by_rows) state$weight,
    weighted_by = if (by_rows && weighted) paste("the sum of", design$weighted_by) else if (by_rows) "the rows of each",
    averaged_by = if (!by_rows && weighted) design$weighted_by, groups = NULL, between = name,
    collapsed = list(codes = groups$codes, rows = design$rows, n = length(design$y))
  )
}
