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
#' @param by `"entity"`, `"period"`, or a column: bare, quoted, or as a one-sided formula `~ coast`.
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
  given <- cluster_name(rlang::enquo(by))
  new_error_spec("clustered", by = given$name, named = given$named, type = type, df = df)
}

# The column, bare, quoted or as a formula; a quoted word may be a role.
cluster_name <- function(quo) {
  expr <- rlang::quo_get_expr(quo)
  env <- rlang::quo_get_env(quo)
  if (is.symbol(expr)) {
    value <- if (nzchar(as.character(expr))) get0(as.character(expr), env, mode = "any")
    if (!is_one_text(value) && !rlang::is_formula(value)) return(list(name = as.character(expr), named = TRUE))
  } else {
    value <- tryCatch(rlang::eval_tidy(quo), error = function(cnd) NULL)
  }
  if (is_one_text(value)) return(list(name = value, named = FALSE))
  labels <- if (rlang::is_formula(value, lhs = FALSE)) {
    right <- strip_brackets(rlang::f_rhs(value))
    if (is.symbol(right)) as.character(right) else attr(stats::terms(value), "term.labels")
  }
  check_one_clustering(labels, value)
  list(name = labels, named = TRUE)
}

check_cluster_options <- function(type, df) {
  check_choice(type, c("CR1", "CR0"), "type", kind = "errors")
  check_choice(df, "clusters", "df", kind = "errors")
}

check_one_clustering <- function(by, value) {
  if (length(by) == 1 && !grepl("[:(]", by)) return(invisible())
  stop_wavetax(
    "errors", sprintf("`by` %s; this version clusters by one column.",
                      if (length(by) > 0) paste("names", list_words(by)) else paste("is", value_words(value))),
    todo = "Give one column, bare, quoted or as a formula: `se_clustered(~ region)`."
  )
}

#' @export
compute_errors.se_clustered <- function(spec, fit) {
  name <- cluster_column(fit, spec$by, spec$named)
  sums <- cluster_sums(fit, name)
  G <- sums$count
  factor <- 1
  if (spec$type == "CR1") factor <- G / (G - 1) * (fit$n - 1) / (fit$n - cluster_parameters(fit, sums$nested))
  new_errors(
    spec, paste("clustered by", name), G - 1, meat = factor * sums$products, type = spec$type,
    clusters = stats::setNames(G, name),
    notes = if (G < 30) sprintf("%s are few: the errors may be too small.", count_of(G, "cluster"))
  )
}

cluster_column <- function(fit, by, named) {
  index <- fit$design$index
  if (named || !(by %in% c("entity", "period"))) return(by)
  if (is.null(index) && by %in% names(fit$design$data)) return(by)
  if (is.null(index)) {
    stop_wavetax(
      "clusters", sprintf("The data name no %s to cluster by.", by),
      todo = "Name the column, `se_clustered(~ region)`, or estimate on a `panel_frame()`."
    )
  }
  index[[by]]
}

# k*: slopes, and the rank of the constant and those effects that are not nested in the
# clusters; `nested` by set.
cluster_parameters <- function(fit, nested) {
  slopes <- length(slope_names(fit))
  if (fit$df$effects == 0L) return(slopes + has_constant(fit))
  if (all(nested)) return(slopes + 1L)
  if (!any(nested)) return(slopes + fit$df$effects)
  outside <- fit$effects[!nested]
  slopes + core_levels_rank(lapply(outside, function(set) core_effect_set(set$groups, set$trends, set$intercept)))
}
