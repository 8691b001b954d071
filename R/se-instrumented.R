# Errors of instrumented fits: which of the standard errors they have, and CR3 that leaves each cluster out with every
# stage.

# What METHODS of instrumented regressions do not have, with what to use.
check_errors_of_instrumented <- function(fit, spec) {
  facts <- fit$instrumented
  if (is.null(facts) || inherits(spec, "se_own")) return(invisible())
  refuse <- function(found, todo, kind = "instrumented") stop_wavetax(c(kind, "errors"), found, todo = todo)
  safe <- "Use `se_clustered(type = \"CR3\")`, which leaves each cluster out with all stages, or CR1."
  if (inherits(spec, "se_clustered") && (spec$type == "CR2" || spec$df == "satterthwaite")) {
    refuse(sprintf("%s no better than CR1 of an instrumented fit, and not given.",
                   if (spec$type == "CR2") "CR2 is" else "Satterthwaite's degrees of freedom are"), safe)
  }
  if (inherits(spec, "se_paired")) {
    refuse("Panel-corrected errors are not known of an instrumented fit.",
           "Use `se_clustered()` by entity, or `se_driscoll_kraay()`.")
  }
  if (inherits(spec, "se_bootstrap") && (spec$scheme != "wild" || spec$type != "CR1" || facts$method != "2sls")) {
    refuse("The bootstrap of an instrumented fit is the wild one, with t by CR1, of two-stage least squares.",
           "Use `se_bootstrap()` with `method = \"2sls\"`, or `se_clustered(type = \"CR3\")`.")
  }
  if (facts$method == "gmm" && !weighs_moments(spec)) stop_moment_errors(spec)
  invisible()
}

# Whether the method of moments can weigh by these errors: sums by rows or by one kind of cluster.
weighs_moments <- function(spec) {
  inherits(spec, "se_robust") || (inherits(spec, "se_clustered") && length(spec$by) == 1)
}

stop_moment_errors <- function(spec) {
  stop_wavetax(c("instruments", "errors"),
               "The generalised method of moments weighs by rows or by one kind of cluster, not by these errors.",
               todo = "Use `se_clustered()` of one kind of cluster or `se_robust()`, or `method = \"2sls\"`.")
}

# The fit with all that is stored as regressors, [X1, Z2, X2] in this order, and its own residual: what is walked over
# where stages are estimated again.
whole_of <- function(fit) {
  facts <- fit$instrumented
  parts <- facts$reduced$parts
  use <- seq_len(parts$inside + parts$m)
  upper <- parts$triangle[use, use, drop = FALSE]
  frame <- core_frame(list(upper = upper), parts$constant)
  if (has_swept_effects(fit)) {
    frame <- list(upper = core_block_diagonal(fit$regression$frame$upper[1, 1], upper),
                  centre = numeric(length(use) + 1L))
  }
  whole <- fit
  regression <- fit$regression
  regression$frame <- frame
  regression$regressors <- c(facts$stored$z, facts$stored$both[seq_len(parts$m)])
  whole$regression <- regression
  whole
}

# The coefficients of [1, X1, X2], and where they stand among the kept terms.
coefficients_by_part <- function(fit) {
  facts <- fit$instrumented
  parts <- facts$reduced$parts
  lead <- as.integer(parts$constant)
  own <- c(facts$stored$z[seq_len(parts$beside - lead)], facts$stored$both[seq_len(parts$m)])
  aside <- has_constant(fit) && !parts$constant
  place <- rank(own) + has_constant(fit)
  list(b = c(if (lead) kept_estimates(fit)[[1]], fit$regression$slopes[own]), columns = own, aside = aside,
       place = as.integer(c(if (lead) 1L, place)))
}

# Rows in the basis of core_instrumented_basis(), with `d`; NULL where too many effects cut across clusters.
instrumented_basis <- function(fit, nested) {
  whole <- whole_of(fit)
  walk <- error_walk(whole)
  basis <- cluster_basis(whole, walk, nested, apart = FALSE)
  if (is.null(basis)) return(NULL)
  pick <- basis$pick[, if (has_swept_effects(fit)) -1L else TRUE, drop = FALSE]
  at <- apply(abs(pick), 2, which.max)
  sign <- pick[cbind(at, seq_along(at))]
  z <- basis$z[, at, drop = FALSE]
  if (any(sign < 0)) z <- z * rep(sign, each = nrow(z))
  own <- core_instrumented_basis(fit$instrumented$reduced$parts, coefficients_by_part(fit)$b, z, basis$e)
  c(own, list(d = basis$z[, setdiff(seq_len(ncol(basis$z)), at), drop = FALSE]))
}

# The changes of kept coefficients without each cluster, a column each.
changes_without_clusters <- function(fit, clusters, nested, name) {
  facts <- fit$instrumented
  parts <- facts$reduced$parts
  limited <- facts$method == "liml"
  own <- coefficients_by_part(fit)
  rows <- function() {
    basis <- instrumented_basis(fit, nested)
    if (is.null(basis)) stop_many_crossing("CR3", name)
    basis
  }
  changes <- if (facts$method == "gmm") {
    basis <- rows()
    core_delete_moments(basis$d, basis, clusters, parts)
  } else if (all(nested)) {
    walked <- core_walk_deleted(error_walk(whole_of(fit)), clusters, parts, own$b, limited)
    if (anyNA(walked)) {
      basis <- rows()
      walked <- core_mend_deleted(walked, basis$d, basis, clusters, parts, limited)
    }
    walked
  } else {
    basis <- rows()
    core_delete_clusters(basis$d, basis, clusters, parts, limited)
  }
  out <- matrix(0, length(kept_terms(fit)), ncol(changes))
  out[own$place, ] <- changes
  if (own$aside) out[1, ] <- -drop(fit$regression$centre[own$columns] %*% changes)
  out
}

stop_many_crossing <- function(what, name) {
  stop_wavetax(
    c("crossing_effects", "errors"),
    sprintf("%s cannot be computed: too many levels of effects have rows in several clusters by `%s`.", what, name),
    todo = "Use `type = \"CR1\"`, or cluster by what holds the effects whole."
  )
}

# A part of clustered errors, see clustered_part(): the sum of squared changes, as a meat.
deleted_part <- function(fit, clusters, nested, name) {
  changes <- changes_without_clusters(fit, clusters, nested, name)
  lost <- rowSums(is.na(changes)) > 0
  known <- changes
  known[lost, ] <- 0
  back <- core_row_inverse(fit$regression$root)
  gone <- setdiff(kept_terms(fit)[lost], constant_term)
  list(
    meat = back %*% tcrossprod(known) %*% t(back), lost = lost,
    notes = if (length(gone) > 0) {
      sprintf("Without %s %s %s cannot be estimated: no clustered error of it is honest", name,
              list_some(label_text(clusters$labels[colSums(is.na(changes)) > 0]), 3), list_some(gone, 4))
    }
  )
}

# Leverages of fitted regressors are those of the second stage alone.
approximate_words <- function(fit, spec) {
  if (is.null(fit$instrumented) || spec$type %in% c("HC0", "HC1")) return(NULL)
  sprintf("%s is approximate: leverages are of the fitted regressors, as if the first stage were known", spec$type)
}
