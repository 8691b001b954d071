#' Bootstrapped errors by cluster
#'
#' Question answered: *how sure am I with so few clusters that no formula for their errors can be trusted?*
#'
#' `"wild"`: for each coefficient its null is imposed, everything else and the effects estimated anew; the restricted
#' residuals of a cluster are multiplied by one random weight for all of its rows, the effects swept out again, and the
#' t statistic computed as in the fit, with the cluster form `type`. p is the share of draws at least as far out as the
#' fit's own t. The interval holds the values of the coefficient that this test does not reject; an end that it does not
#' have is infinite. Weights are signs: all patterns where these are no more than `draws` and fine enough for the level
#' of the interval, 2^(1 - G) of at most 1 - level (then p has no noise); otherwise, under 12 clusters, six points (Webb
#' 2023), all patterns where these are few; else random signs. Printed standard errors are those of `type`.
#'
#' `"pairs"`: clusters are drawn anew with all their rows, each draw a cluster of its own with effects of its own;
#' errors are the spread of the coefficients, referred to t with G - 1 degrees of freedom.
#'
#' Of instrumented fits the wild bootstrap draws both stages: b_r minimises the criterion of two-stage least squares
#' under the null, u is its residual, Pi what the instruments tell of the endogenous regressors beside u, V = X2 - Z Pi;
#' with one weight s_g for a cluster X2* = Z Pi + s_g V_g and y* = X*b_r + s_g u_g, swept again.
#'
#' Draws use sums by cluster, never rows: \eqn{O(n r + B G r)}{O(nr + BGr)} for r regressors and crossing effects; where
#' these have more than 200 levels, under CR1, one sweep a cluster and \eqn{O(B G^2)}{O(BG^2)}.
#'
#' @param by A column of clusters, as for [se_clustered()]; one dimension.
#' @param scheme `"wild"` or `"pairs"`.
#' @param draws How many draws.
#' @param seed Where the draws start; the session's random numbers are left alone.
#' @param type Of the t statistics: `"CR1"`, `"CR2"` or `"CR3"`.
#' @param ... Takes nothing; what is misspelt is told.
#' @return A specification for `errors =` and [with_errors()].
#' @section Errors:
#' `wavetax_error_clusters` as for [se_clustered()]; `wavetax_error_argument` for draws under 1;
#' `wavetax_error_errors` where effects cut across the clusters in so many levels that `"pairs"`, CR2 and CR3 cannot be
#' computed, or where random effects are not held whole by clusters; `wavetax_error_slim` of a fit without its rows.
#' @references Cameron, A. C., Gelbach, J. B. and Miller, D. L. (2008), *Review of Economics and Statistics* 90; Webb,
#'   M. D. (2023), *Canadian Journal of Economics* 56; Davidson, R. and MacKinnon, J. G. (2010), *Journal of Business &
#'   Economic Statistics* 28.
#' @seealso [standard_errors] for what is computed of which model.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fit <- fit_fixed(log(nights) ~ levy + storms, panel)
#' with_errors(fit, se_bootstrap(~ coast))
#' @export
se_bootstrap <- function(by = "entity", scheme = "wild", draws = 999, seed = 1, type = "CR1", ...) {
  check_own_arguments(..., of = se_bootstrap, name = "se_bootstrap()")
  check_choice(scheme, c("wild", "pairs"), "scheme", kind = "errors")
  check_choice(type, c("CR1", "CR2", "CR3"), "type", kind = "errors")
  check_number(draws, "draws", low = 1, high = 1e7, whole = TRUE)
  check_seed(seed)
  given <- cluster_names(rlang::enquo(by))
  if (length(given$by) > 1) {
    stop_wavetax(c("one_dimension", "errors"), "A bootstrap draws clusters of one dimension.",
                 todo = "Name the dimension with the fewest clusters, or use `se_clustered()`.")
  }
  new_error_spec("bootstrap", by = given$by, named = given$named, scheme = scheme, draws = draws, type = type,
                 seed = seed)
}

#' @export
compute_errors.se_bootstrap <- function(spec, fit) {
  check_whole_source(fit, "A bootstrap takes the rows of whole clusters.")
  if (!is.null(fit$instrumented)) return(wild_of_instrumented(spec, fit))
  parts <- bootstrap_parts(spec, fit)
  formula <- parts$formula
  label <- sprintf("%s bootstrap by %s", spec$scheme, parts$name)
  root <- fit$regression$root
  if (spec$scheme == "pairs") {
    # Directions that no cluster of live rows has are in no draw: what rests on them has no error.
    whole <- eigen(matrix(rowSums(parts$moments$grams), nrow(parts$basis$pick)), symmetric = TRUE)
    absent <- whole$vectors[, whole$values < 1e-9, drop = FALSE]
    pick <- parts$basis$pick
    seen <- pick - absent %*% crossprod(absent, pick)
    lost <- colSums((crossprod(absent, pick) %*% unit_contrasts(fit))^2) > 1e-6
    changes <- with_own_seed(spec$seed, core_pairs_draws(parts$moments, seen, spec$draws, drawing_clusters))
    told <- colSums(is.na(changes)) == 0
    check_some_draws(told)
    changes <- changes[, told, drop = FALSE]
    meat <- tcrossprod(changes - rowMeans(changes)) / max(1, ncol(changes) - 1)
    return(new_errors(
      spec, label, formula$df, meat = meat, type = count_of(sum(told), "draw"), clusters = formula$clusters,
      sizes = formula$sizes, joint = "clusters", lost = lost,
      notes = c(grep("no clustered error", formula$notes, value = TRUE), if (!all(told)) {
        sprintf("%s of %s did not tell every coefficient and are left out", count_words(sum(!told)),
                count_of(spec$draws, "draw"))
      })
    ))
  }
  scale <- sqrt(rowSums(root^2))
  u <- parts$basis$pick %*% t(root / scale)
  # The constant that stands aside lies in the effects, and is no direction of its own.
  exists <- colSums(u^2) > 0.5
  u <- u / rep(sqrt(colSums(u^2)), each = nrow(u))
  u <- u[, exists, drop = FALSE]
  if (ncol(u) == 0) {
    stop_wavetax(c("no_slope", "errors"), "There is no slope whose errors a bootstrap could draw.",
                 todo = "Errors by formula are there for the constant: `se_clustered()`.")
  }
  draw <- wild_by_level(parts$moments, u, parts$adjustment, spec)
  wild <- draw(0.95)
  estimates <- unname(kept_estimates(fit))
  count <- nrow(wild$draws[[1]])
  new_errors(
    spec, label, formula$df, meat = formula$meat, type = sprintf("%s of %s", draw_words(wild, count), formula$type),
    clusters = formula$clusters, sizes = formula$sizes, joint = "wild",
    own = wild_answers(draw, estimates, scale, exists), lost = formula$lost,
    notes = c(wild_words(wild, count, spec), grep("no clustered error", formula$notes, value = TRUE))
  )
}

# The errors of the formula, the clusters' sums and what belongs to them.
bootstrap_parts <- function(spec, fit) {
  drawn <- drawn_clusters(spec, fit)
  clusters <- drawn$clusters
  walk <- error_walk(fit)
  nested <- drawn$nested
  # Sweeping many effects once a cluster takes less than columns for them.
  carried <- spec$scheme == "wild" && spec$type == "CR1" &&
    sum(core_unknowns(swept_sets(fit)[!nested])) > most_drawn_columns
  basis <- if (!carried) cluster_basis(fit, walk, nested, apart = FALSE)
  across <- NULL
  if (is.null(basis) || ncol(basis$z)^2 * clusters$count > most_basis_cells) {
    basis <- core_coordinate_rows(walk, 1L)
    basis$pick <- without_first(ncol(basis$z) + 1L)
    across <- carried_across(spec, fit, basis, clusters, drawn$alive, drawn$name)
  }
  moments <- lapply(core_cluster_moments(basis, clusters), function(one) one[, drawn$alive, drop = FALSE])
  list(name = drawn$name, formula = drawn$formula, basis = basis, moments = c(moments, list(across = across)),
       adjustment = switch(spec$type, CR2 = "root", CR3 = "inverse", "none"))
}

most_drawn_columns <- 200

# Numbers that effects which cut across clusters in many levels may take to be carried between them.
most_carried <- 1e8

# One sweep of the effects a cluster, in place of columns for them.
carried_across <- function(spec, fit, basis, clusters, alive, name) {
  size <- (ncol(basis$z) + 1) * ncol(basis$z) * as.double(clusters$count)^2
  if (spec$scheme != "wild" || spec$type != "CR1" || size > most_carried) {
    stop_wavetax(
      c("crossing_effects", "errors"),
      sprintf("Too many levels of effects have rows in several clusters by `%s` for this bootstrap.", name),
      todo = if (size <= most_carried) "The wild one with `type = \"CR1\"` sweeps them once a cluster." else
        "Cluster by what holds the effects whole, or use `se_clustered(type = \"CR3\")`."
    )
  }
  sweep <- row_kind(fit)$sweep(fit)
  across <- core_across_clusters(basis, clusters, sweep, function(x) along_with_progress(x, "Sweeping clusters"))
  list(scores = across$scores[, alive, alive, drop = FALSE], grams = across$grams[, , alive, alive, drop = FALSE])
}

check_some_draws <- function(told) {
  if (sum(told) >= 2) return(invisible())
  stop_wavetax(c("draws_tell_nothing", "errors"),
               "No two draws tell every coefficient.", todo = "Use `scheme = \"wild\"`, or more draws.")
}

# The draws for intervals of a level, made once for each kind of weights: all patterns of signs may be too few for it.
wild_by_level <- function(moments, u, adjustment, spec) {
  # What the function holds is this alone, and no rows.
  force(moments)
  force(u)
  force(adjustment)
  made <- list()
  function(level) {
    kind <- core_wild_kind(ncol(moments$scores), spec$draws, level)
    if (is.null(made[[kind]])) {
      made[[kind]] <<- with_own_seed(spec$seed,
                                     core_wild_draws(moments, u, adjustment, spec$draws, drawing_clusters, level))
    }
    made[[kind]]
  }
}

drawing_clusters <- function(x) along_with_progress(x, "Drawing clusters")

# By coefficient p, and the interval of a level.
wild_answers <- function(draw, estimates, scale, exists) {
  force(draw)
  force(estimates)
  force(scale)
  force(exists)
  function(level) {
    wild <- draw(level)
    out <- data.frame(p_value = rep(NA_real_, length(estimates)), low = NA_real_, high = NA_real_)
    for (j in seq_along(wild$draws)) {
      at <- which(exists)[j]
      p_of <- function(tau) core_wild_p(wild$draws[[j]], wild$own[j], wild$exact, tau)
      ends <- core_wild_interval(p_of, sqrt(wild$own[j]), level) * scale[at]
      out[at, ] <- list(p_of(estimates[at] / scale[at]),
                        estimates[at] - ends[["low"]], estimates[at] + ends[["high"]])
    }
    out
  }
}
