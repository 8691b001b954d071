# Standard errors are objects: a specification made by se_*(), a list of class
# `se_<kind>` and `error_spec`, turned into numbers on a fit by compute_errors().

# Degrees of freedom by kept coefficient, or by row of a matrix of contrasts.
errors_df <- function(fit, contrasts = NULL) {
  df <- fit$errors$df
  if (is.null(contrasts)) return(if (length(df) == 1) rep(df, length(kept_terms(fit))) else df)
  if (length(df) == 1 && is.null(fit$errors$forms)) return(rep(df, nrow(contrasts)))
  out <- direction_df(fit, t(contrasts %*% fit$regression$root), contrasts)
  lost <- fit$errors$lost
  if (!is.null(lost)) out[rowSums(abs(contrasts[, lost, drop = FALSE])) > 0] <- NA_real_
  out
}

# The same of directions in orthonormal coordinates, a column each; `contrasts` are what they are of coefficients.
direction_df <- function(fit, directions, contrasts = NULL) {
  df <- fit$errors$df
  m <- ncol(directions)
  if (length(df) == 1 && is.null(fit$errors$forms)) return(rep(df, m))
  used <- colSums(directions^2) > 0
  out <- rep(Inf, m)
  if (!any(used)) return(out)
  if (!is.null(fit$errors$forms)) {
    out[used] <- apply(directions[, used, drop = FALSE], 2, function(u) core_satterthwaite(fit$errors$forms, u))
  } else if (identical(fit$errors$spec$df, "satterthwaite")) {
    out[used] <- satterthwaite_of(fit, directions[, used, drop = FALSE])
  } else {
    out[used] <- if (is.null(contrasts)) min(df, na.rm = TRUE) else
      apply(contrasts[used, , drop = FALSE], 1, function(one) min(df[one != 0], Inf))
  }
  out
}

# The covariance in orthonormal coordinates, also where errors were given as a covariance alone.
errors_meat <- function(fit) {
  if (!is.null(fit$errors$meat)) return(fit$errors$meat)
  back <- core_row_inverse(fit$regression$root)
  back %*% unname(fit$errors$covariance) %*% t(back)
}

#' The same fit under other standard errors
#'
#' Question answered: *how sure am I under other assumptions on the disturbances?*
#' Estimates are not computed again.
#'
#' @param fit A fit of any of the `fit_` functions.
#' @param ... One or more of [se_classical()], [se_robust()], [se_clustered()], [se_newey_west()],
#'   [se_driscoll_kraay()], [se_panel_corrected()], [se_bootstrap()] and [se_own()]; several may be named.
#' @return The fit with its covariance, degrees of freedom and printed label changed; of several errors a list of such
#'   fits, which [spec_table()] and [plot_estimates()] take as one model under different errors.
#' @section Errors:
#' `wavetax_error_errors` when an argument is not made by an `se_` function;
#' `wavetax_error_clusters` when the clusters cannot be used; `wavetax_error_slim` when they need the
#' rows of a slim fit.
#' @seealso [standard_errors] for what is computed of which model, [compare_errors()] for a table of all.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fixed <- fit_fixed(log(nights) ~ levy + storms, panel)
#' with_errors(fixed, se_classical())
#' spec_table(with_errors(fixed, se_classical(), se_robust(), se_clustered(~ coast)))
#' @export
with_errors <- function(fit, ...) {
  check_is_fit(fit)
  specs <- list(...)
  if (length(specs) == 0) stop_argument("errors", "missing", "Give `se_classical()` or `se_clustered(~ region)`.",
                                        "errors")
  for (spec in specs) check_error_spec(spec)
  if (length(specs) == 1) return(under_errors(fit, specs[[1]]))
  fits <- lapply(specs, function(spec) under_errors(fit, spec))
  labels <- if (is.null(names(specs))) rep("", length(specs)) else names(specs)
  labels[!nzchar(labels)] <- vapply(fits[!nzchar(labels)], short_errors_words, "")
  stats::setNames(fits, make.unique(labels, sep = " "))
}

under_errors <- function(fit, spec) {
  check_errors_suit(fit, spec)
  computed <- compute_errors(spec, fit)
  if (is.null(computed$covariance)) {
    computed$covariance <- core_covariance(fit$regression$root, computed$meat)
    if (any(computed$lost)) computed$covariance[computed$lost, ] <- computed$covariance[, computed$lost] <- NA_real_
  }
  computed <- without_scores(computed, spec, fit)
  computed$covariance <- name_both(computed$covariance, kept_terms(fit))
  fit$errors <- computed
  hold_columns(fit)
}

# Where covariances across entities weigh the rows, what is clustered no longer stands apart.
check_errors_suit <- function(fit, spec) {
  check_errors_of_instrumented(fit, spec)
  if (fit$transform$kind != "across" || inherits(spec, c("se_classical", "se_own"))) return(invisible())
  stop_wavetax(c("across", "errors"),
               "After `across = TRUE` rows are mixed over entities, and only the errors of the model are known.",
               todo = "Keep them, `se_classical()`; or `fit_pooled()` with `se_panel_corrected()` or `se_clustered()`.")
}

# A coefficient whose scores sum to zero within every group by construction (two periods and period sums within
# entities) has no error there: its variance is rounding, below 1e-12 of the one of HC0.
without_scores <- function(computed, spec, fit) {
  grouped <- inherits(spec, c("se_clustered", "se_driscoll", "se_newey_west", "se_bootstrap"))
  if (!grouped || !is.matrix(computed$meat) || !row_source(fit)$whole) return(computed)
  directions <- unit_contrasts(fit)
  of <- function(meat) colSums(directions * (meat %*% directions))
  variance <- of(computed$meat)
  told <- kept_terms(fit) != constant_term | method_of(fit)$constant != "aside"
  small <- told & is.finite(variance) & variance < 1e-9 * fit$scale
  if (!any(small) || fit$ssr <= 1e-20 * max(fit$sst, sum(fit$design$y^2))) return(computed)
  none <- small & variance < 1e-12 * of(core_robust_products(error_walk(fit), NULL, 0)$products)
  if (!any(none)) return(computed)
  computed$no_scores <- none
  computed$lost <- if (is.null(computed$lost)) none else computed$lost | none
  computed$covariance[none, ] <- computed$covariance[, none] <- NA_real_
  if (!is.null(computed$own)) computed$own <- answers_but(computed$own, none)
  computed$notes <- c(computed$notes, sprintf(
    "%s: what tells %s sums to zero within every group by construction, so these errors do not exist",
    list_some(kept_terms(fit)[none], 4), if (sum(none) == 1) "it" else "them"))
  computed
}

answers_but <- function(own, rows) {
  force(own)
  force(rows)
  function(level) {
    table <- own(level)
    table[rows, ] <- NA_real_
    table
  }
}

# In a table's cell, the clusters beside it: "clustered CR2", "robust HC3".
errors_kind <- function(errors) {
  kind <- sub("^as given: ", "", sub(" (by|within) .*", "", errors$label))
  if (startsWith(errors$label, "robust")) return(paste("robust", errors$type))
  if (startsWith(errors$label, "clustered") && !identical(errors$type, "CR1")) return(paste(kind, errors$type))
  kind
}

# What a column of a table is called: "by harbour", "HC3".
short_errors_words <- function(fit) {
  errors <- fit$errors
  if (inherits(errors$spec, "se_clustered")) {
    return(paste0(sub("^clustered ", "", errors$label), if (errors$type != "CR1") paste0(" ", errors$type)))
  }
  errors_kind(errors)
}

check_error_spec <- function(errors) {
  if (inherits(errors, "error_spec")) return(invisible())
  kind <- if (is.function(errors)) "a function; call it, with brackets" else value_words(errors)
  stop_wavetax(
    c("not_errors", "errors"), sprintf("`errors` is %s.", kind),
    todo = "Give one of the `se_` functions, such as `se_clustered(~ region)`; see `?standard_errors`."
  )
}
