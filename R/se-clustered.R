#' Clustered standard errors
#'
#' Question answered: *how sure am I if disturbances of one cluster may be related
#' and uneven in any way, and those of different clusters are unrelated?*
#'
#' \deqn{V = c A \left(\sum_g s_g s_g'\right) A, \quad s_g = X_g'e_g, \quad A =
#' (X'X)^{-1}}{V = c A (sum_g s_g s_g') A, s_g = X_g'e_g, A = (X'X)^-1}
#' on the transformed regression. `"CR0"` has c = 1; `"CR1"`
#' \deqn{c = \frac{G}{G - 1} \frac{n - 1}{n - k^*}}{c = G/(G - 1) (n - 1)/(n - k*)}
#' with G clusters and k* the rank of the slopes, the constant and those effects that
#' are not nested in the clusters: with entity effects clustered by entity or by
#' anything coarser k* is the slopes + 1, otherwise the slopes + N. t statistics are
#' referred to G - 1 degrees of freedom. Under 30 clusters a note says that they are
#' few.
#'
#' @param by `"entity"`, `"period"`, a column name, or a one-sided formula `~ coast`.
#' @param type `"CR1"` or `"CR0"`.
#' @param df `"clusters"`: G - 1.
#' @return A specification for `errors =` and [with_errors()].
#' @section Errors:
#' `wavetax_error_clusters` when a cluster is missing for a row in use, or there is
#' one cluster only; `wavetax_error_errors` for an unknown type;
#' `wavetax_error_unknown_column`.
#' @references Liang, K.-Y. and Zeger, S. L. (1986), *Biometrika* 73; Arellano, M.
#'   (1987), *Oxford Bulletin of Economics and Statistics* 49.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fit_fixed(log(nights) ~ levy, panel, errors = se_clustered(~ coast))
#' @export
se_clustered <- function(by = "entity", type = "CR1", df = "clusters") {
  check_cluster_options(type, df)
  named <- rlang::is_formula(by, lhs = FALSE) # always a column; a word may be a role
  if (named) by <- attr(stats::terms(by), "term.labels")
  check_one_clustering(by)
  new_error_spec("clustered", by = by, named = named, type = type, df = df)
}

check_cluster_options <- function(type, df) {
  if (!(identical(type, "CR1") || identical(type, "CR0"))) {
    stop_wavetax("errors", sprintf("The type %s is not known.", list_words(type)),
                 todo = "This version has \"CR1\" and \"CR0\".")
  }
  if (!identical(df, "clusters")) {
    stop_wavetax("errors", sprintf("`df = %s` is not known.", list_words(df)),
                 todo = "This version has \"clusters\": one less than there are clusters.")
  }
}

check_one_clustering <- function(by) {
  if (is.character(by) && length(by) == 1) return(invisible())
  stop_wavetax(
    "errors", sprintf("`by` names %s; this version clusters by one column.",
                      if (is.character(by)) list_words(by) else "no column"),
    todo = "Give one column: `se_clustered(~ harbour)`."
  )
}

#' @export
compute_errors.se_clustered <- function(spec, fit) {
  name <- cluster_column(fit, spec$by, spec$named)
  parts <- if (is.null(fit$design$pieces)) row_scores(fit, name) else piece_scores(fit, name)
  G <- parts$count
  factor <- 1
  if (spec$type == "CR1") factor <- G / (G - 1) * (fit$n - 1) / (fit$n - parts$parameters)
  list(
    meat = factor * tcrossprod(parts$scores), df = G - 1, label = paste("clustered by", name), by = name, clusters = G, type = spec$type,
    notes = if (G < 30) sprintf("%s are few: the errors may be too small.", count_of(G, "cluster")),
    spec = spec
  )
}

# list(scores, count, parameters) of the fit's own rows.
row_scores <- function(fit, name) {
  clusters <- cluster_groups(fit, name)
  check_clusters(clusters, name)
  nested <- vapply(fit$effects, function(set) core_is_nested(set$groups, clusters), TRUE)
  list(
    scores = core_cluster_scores(
      design_rows(fit$design), fit$transform, fit$solution, fit$residuals, clusters
    ),
    count = clusters$count, parameters = cluster_parameters(fit, nested)
  )
}

cluster_column <- function(fit, by, named) {
  index <- fit$design$index
  if (named || !(by %in% c("entity", "period"))) return(by)
  if (is.null(index) && by %in% names(fit$design$data)) return(by)
  if (is.null(index)) {
    stop_wavetax(
      "clusters", sprintf("The data name no %s to cluster by.", by),
      todo = "Name the column, `se_clustered(~ harbour)`, or estimate on a `panel_frame()`."
    )
  }
  index[[by]]
}

cluster_groups <- function(fit, name) {
  for (set in fit$effects) {
    if (identical(name, set$columns)) return(c(set$groups, list(labels = set$labels)))
  }
  column_groups(fit$design, name)
}

check_clusters <- function(clusters, name) {
  if (min(clusters$codes) == 0L) {
    missing <- which(clusters$codes == 0L)
    stop_wavetax(
      "clusters", sprintf("`%s` is missing in %s that the fit uses.", name,
                          count_of(length(missing), "row")),
      todo = "Cluster by a complete column, or leave those rows out before estimating."
    )
  }
  check_cluster_count(clusters$count, name, clusters$labels)
}

check_cluster_count <- function(count, name, labels) {
  if (count >= 2) return(invisible())
  stop_wavetax(
    "clusters", sprintf("All rows are in one cluster, `%s` %s.", name, format(labels[1])),
    todo = "Clustered errors need many clusters; `se_classical()` needs none."
  )
}

# k*: slopes, and the rank of the constant and those effects that are not nested in the
# clusters; `nested` by set.
cluster_parameters <- function(fit, nested) {
  slopes <- sum(names(fit$estimates) != "(Intercept)")
  constant <- length(fit$estimates) - slopes
  if (fit$df_effects == 0L) return(slopes + constant)
  if (all(nested)) return(slopes + 1L)
  if (!any(nested)) return(slopes + fit$df_effects)
  outside <- fit$effects[!nested]
  slopes + core_levels_rank(lapply(outside, function(set) {
    core_effect_set(set$groups$codes, set$groups$count, set$trends, set$intercept)
  }))
}
