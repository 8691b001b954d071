#' Clustered standard errors
#'
#' Question answered: *how sure am I if disturbances of one cluster may be related
#' and uneven in any way, and those of different clusters are unrelated?*
#'
#' \deqn{V = A \left(\sum_g s_g s_g'\right) A, \quad s_g = X_g' A_g e_g, \quad A =
#' (X'X)^{-1}}{V = A (sum_g s_g s_g') A, s_g = X_g'A_g e_g, A = (X'X)^-1}
#' on the transformed regression (for random effects the rows of a root of the inverse covariance):
#'
#' * `"CR0"`: \eqn{A_g} is the identity. `"CR1"`: that times
#'   \deqn{\frac{G}{G - 1} \frac{n - 1}{n - k^*}}{G/(G - 1) (n - 1)/(n - k*)}
#'   with G clusters and k* the rank of the slopes, the constant and those effects that are not nested in the
#'   clusters: with entity effects clustered by entity, or by anything coarser, the slopes + 1, otherwise the
#'   slopes + N. Rows that the effects fit whatever their outcome (an entity seen once) are not counted.
#' * `"CR2"`, `"CR3"`: \eqn{A_g} is the symmetric root, or the inverse, of the cluster's block of the matrix that
#'   makes residuals of disturbances, regressors and effects together. CR2 is unbiased where disturbances have
#'   one variance and are unrelated; CR3 is the sum of squared changes of the coefficients when each cluster in turn
#'   is left out. Neither is scaled further.
#'
#' t statistics are referred to G - 1 degrees of freedom, or with `df = "satterthwaite"` to those that match the first
#' two moments of the variance estimate, for each contrast its own: fewer where a coefficient rests on few clusters.
#' With under some 50 clusters `type = "CR2", df = "satterthwaite"` is what to use; joint tests then use an
#' approximate Hotelling's T-squared.
#'
#' Several dimensions: with \eqn{V_S}{V_S} clustered by the intersections of the dimensions in S,
#' \eqn{V = \sum_S (-1)^{|S| + 1} V_S}{V = sum over S of (-1)^(|S| + 1) V_S}, degrees of freedom the smallest G - 1.
#' Negative eigenvalues, which subtraction can leave, are removed in coordinates in which the regressors are
#' orthonormal, and counted in a note; `combine = "sum"` subtracts nothing, which is wide and safe.
#'
#' @param by `"entity"`, `"period"`, or a column: bare, quoted, or as a one-sided formula. `~ coast + season` are two
#'   dimensions, `~ coast:season` one of combinations.
#' @param type `"CR1"`, `"CR0"`, `"CR2"` or `"CR3"`.
#' @param df `"clusters"`: G - 1; `"satterthwaite"`: by contrast, for one dimension.
#' @param combine Of several dimensions: `"subtract"` or `"sum"`.
#' @param ... Takes nothing; what is misspelt is told.
#' @return A specification for `errors =` and [with_errors()]. The fit's `errors` then hold the count of clusters, their
#'   sizes and, by slope, the effective number of clusters
#'   \eqn{G / (1 + \mathrm{mean}((\gamma_g/\bar\gamma - 1)^2))}{G/(1 + mean((gamma_g/mean(gamma) - 1)^2))},
#'   \eqn{\gamma_g} the cluster's share of the variation that tells the coefficient.
#' @section Errors:
#' `wavetax_error_clusters` when a cluster is missing for a row in use, or there is
#' one cluster only; `wavetax_error_errors` for an unknown type, or one that cannot be computed of these clusters and
#' effects, with what to use; `wavetax_error_unknown_column`; `wavetax_error_slim` of a fit without its rows.
#' @references Liang, K.-Y. and Zeger, S. L. (1986), *Biometrika* 73; Bell, R. M. and McCaffrey, D. F. (2002),
#'   *Survey Methodology* 28; Cameron, A. C., Gelbach, J. B. and Miller, D. L. (2011), *Journal of Business & Economic
#'   Statistics* 29; Carter, A. V., Schnepel, K. T. and Steigerwald, D. G. (2017), *Review of Economics and
#'   Statistics* 99; Pustejovsky, J. E. and Tipton, E. (2018), *Journal of Business & Economic Statistics* 36.
#' @seealso [standard_errors] for what is computed of which model.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fit <- fit_fixed(log(nights) ~ levy + storms, panel)
#' with_errors(fit, se_clustered(~ coast, type = "CR2", df = "satterthwaite"))
#' with_errors(fit, se_clustered(~ harbour + season))
#' @export
se_clustered <- function(by = "entity", type = "CR1", df = "clusters", combine = "subtract", ...) {
  check_own_arguments(..., of = se_clustered, name = "se_clustered()")
  check_choice(type, c("CR0", "CR1", "CR2", "CR3"), "type", kind = "errors")
  check_choice(df, c("clusters", "satterthwaite"), "df", kind = "errors")
  check_choice(combine, c("subtract", "sum"), "combine", kind = "errors")
  given <- cluster_names(rlang::enquo(by))
  if (length(given$by) > 1 && df == "satterthwaite") {
    stop_wavetax(c("one_dimension", "errors"),
                 "Satterthwaite's degrees of freedom are those of one dimension of clusters.",
                 todo = "Cluster by one column, or use `df = \"clusters\"`.")
  }
  new_error_spec("clustered", by = given$by, named = given$named, type = type, df = df, combine = combine)
}

# The dimensions, each a vector of columns, given bare, quoted or as a formula; a quoted word may be a role.
cluster_names <- function(quo) {
  expr <- rlang::quo_get_expr(quo)
  env <- rlang::quo_get_env(quo)
  if (is.symbol(expr)) {
    value <- if (nzchar(as.character(expr))) get0(as.character(expr), env, mode = "any")
    if (!is_one_text(value) && !rlang::is_formula(value)) return(list(by = list(as.character(expr)), named = TRUE))
  } else {
    value <- tryCatch(rlang::eval_tidy(quo), error = function(cnd) NULL)
    # Columns bare, joined as in a formula.
    bare <- is.null(value) && (is_operator(expr, c("+", ":")))
    if (bare) value <- rlang::new_formula(NULL, expr, env)
  }
  if (is_one_text(value)) return(list(by = list(value), named = FALSE))
  by <- if (rlang::is_formula(value, lhs = FALSE)) cluster_terms(strip_brackets(rlang::f_rhs(value)))
  if (length(by) == 0 || length(by) > 4) {
    stop_wavetax(
      c("clusters_named", "errors"), sprintf("`by` is %s; it takes one to four columns.", value_words(value)),
      todo = "Give columns, bare, quoted or as a formula: `se_clustered(~ region)`, `~ region + year`, `~ region:year`."
    )
  }
  list(by = by, named = TRUE)
}

# a + b:c as list("a", c("b", "c")); NULL where it is anything else.
cluster_terms <- function(expr) {
  expr <- strip_brackets(expr)
  if (is.symbol(expr)) return(list(as.character(expr)))
  if (!is.call(expr) || length(expr) != 3) return(NULL)
  parts <- lapply(as.list(expr[-1]), cluster_terms)
  if (any(lengths(parts) == 0)) return(NULL)
  switch(as.character(expr[[1]])[1],
    "+" = unique(unlist(parts, recursive = FALSE)),
    ":" = if (all(lengths(parts) == 1)) list(unique(unlist(parts)))
  )
}

#' @export
compute_errors.se_clustered <- function(spec, fit) {
  row_source(fit)$clustered(spec, fit, cluster_dimensions(fit, spec))
}

clustered_in_memory <- function(spec, fit, dimensions) {
  check_keeps_rows(fit, "clusters")
  names <- vapply(dimensions, `[[`, "", "name")
  live <- live_rows(fit)
  walk <- error_walk(fit)
  subsets <- unlist(lapply(seq_along(dimensions), function(m) utils::combn(length(dimensions), m, simplify = FALSE)),
                    recursive = FALSE)
  columns <- lapply(subsets, function(subset) unique(unlist(lapply(dimensions[subset], `[[`, "columns"))))
  # All on one walk over the rows; combinations that are rows each need no groups.
  as_rows <- vapply(columns, function(names) {
    fit$n >= rows_for_threads && spec$type %in% c("CR0", "CR1") && keys_are_rows(fit$design, names)
  }, TRUE)
  clusters <- lapply(columns[!as_rows], function(names) cluster_groups(fit, names))
  slopes <- slope_contrasts(fit)
  # Swept effects that cut across clusters alone make a share suspect, and few rows are looked through anyway.
  shares <- has_swept_effects(fit) && fit$n > most_looked_at
  pairs <- if (shares) coordinate_pairs(ncol(walk$upper), walk$skip)
  sums <- core_cluster_walk(walk, clusters, cbind(slopes, pairs), any(as_rows), quick = idle_residual(fit))
  sums$clusters <- lapply(sums$clusters, function(one) {
    one$share <- largest_share(one$parts[-seq_len(ncol(slopes)), , drop = FALSE], one$longest)
    one$parts <- one$parts[seq_len(ncol(slopes)), , drop = FALSE]
    one
  })
  live <- live_of_all(fit, walk, live, sums$idle)
  place <- cumsum(!as_rows)
  parts <- lapply(seq_along(subsets), function(s) {
    if (as_rows[s]) return(part_by_row(spec, fit, sums$by_row, live))
    clustered_part(spec, fit, walk, clusters[[place[s]]], sums$clusters[[place[s]]],
                   paste(columns[[s]], collapse = ":"),
                   live)
  })
  single <- lengths(subsets) == 1
  G <- vapply(parts[single], `[[`, 0, "count")
  sign <- if (spec$combine == "sum") as.numeric(single) else (-1)^(lengths(subsets) + 1)
  meat <- Reduce(`+`, Map(function(sign, part) sign * part$meat, sign, parts))
  notes <- unlist(lapply(parts[single], `[[`, "notes"))
  if (sum(single) > 1 && spec$combine == "subtract") {
    mended <- core_without_negative(meat, walk$skip, walk$hat)
    if (mended$removed > 0) {
      meat <- mended$meat
      notes <- c(notes, sprintf("%s of the covariance was negative and is set to 0; %s",
                                count_of(mended$removed, "direction"), "`combine = \"sum\"` is safe and wide"))
    }
  }
  one <- parts[[1]]
  new_errors(
    spec, paste("clustered by", list_words(names)), if (sum(single) == 1) one$df else min(G) - 1, meat = meat,
    type = spec$type, clusters = stats::setNames(G, names), forms = if (sum(single) == 1) one$forms,
    joint = "clusters", lost = Reduce(`|`, lapply(parts[single], `[[`, "lost")),
    told_once = unique(unlist(lapply(parts[single], `[[`, "told_once"))),
    effective = stats::setNames(lapply(parts[single], `[[`, "effective"), names),
    sizes = stats::setNames(lapply(parts[single], `[[`, "sizes"), names),
    notes = c(notes, serial_words(fit, parts[single], notes), if (sum(single) == 1) few_clusters_words(fit, spec, one))
  )
}

# The meat of one dimension of clusters, or of one intersection; `plain` is what one walk summed of it.
clustered_part <- function(spec, fit, walk, clusters, plain, name, live) {
  alive <- live_groups(clusters, live)
  G <- alive$count
  check_cluster_count(G, name, alive$labels)
  nested <- nested_effects(fit, clusters, live)
  corrected <- spec$type %in% c("CR2", "CR3")
  basis <- NULL
  deleted <- corrected && !is.null(fit$instrumented)
  if (deleted) corrected <- FALSE
  if (corrected || spec$df == "satterthwaite") {
    basis <- cluster_basis(fit, walk, nested)
    if (is.null(basis)) return(without_basis(spec, fit, clusters, name, G))
  }
  factor <- if (spec$type == "CR1") cr1_factor(fit, G, nested, live) else 1
  out <- list(meat = factor * plain$products, count = G, df = G - 1, sizes = range(alive$sizes),
              lost = logical(length(kept_terms(fit))), holds_entities = holds_entities(fit, clusters),
              notes = nesting_words(fit, clusters, nested, name, spec, G, live))
  if (deleted) {
    done <- deleted_part(fit, clusters, nested, name)
    out$notes <- c(out$notes, done$notes)
    out[c("meat", "lost")] <- done[c("meat", "lost")]
    out$told_once <- kept_terms(fit)[done$lost]
  }
  contrasts <- unit_contrasts(fit)
  # A cluster can hold a regressor alone only where it has much of the regressors' variation.
  looked <- G < few_clusters && fit$n <= most_looked_at
  suspect <- plain$longest >= 1 - 1e-6 || !all(nested) && (looked || plain$share > 0.2)
  if (is.null(basis) && suspect && !deleted) basis <- cluster_basis(fit, walk, nested)
  if (G < few_clusters || 1 / plain$longest < most_worth_counting) {
    parts <- plain$parts
    if (is.null(parts)) {
      parts <- core_cluster_walk(walk, list(clusters), slope_contrasts(fit), all = TRUE)$clusters[[1]]$parts
    }
    out$effective <- stats::setNames(effective_clusters(parts), slope_names(fit))
  }
  if (is.null(basis)) return(out)
  adjustment <- switch(spec$type, CR2 = "root", CR3 = "inverse", "none")
  with_forms <- spec$df == "satterthwaite" && ncol(basis$pick) <= most_joint
  done <- core_adjusted_scores(basis, clusters, adjustment, with_forms)
  if (corrected) out$meat <- done$products
  share <- if (any(done$lost != 0)) colSums(contrasts * (done$lost %*% contrasts)) else numeric(ncol(contrasts))
  lost <- share > 1e-6
  out$notes <- c(out$notes, lost_share_words(fit, spec, share, clusters$labels[done$lost_in], name, G))
  if (corrected) out$lost <- lost
  out$told_once <- kept_terms(fit)[lost]
  if (spec$df == "satterthwaite") {
    if (with_forms) {
      out$forms <- done[c("own", "moments")]
      out$df <- apply(contrasts, 2, function(u) core_satterthwaite(out$forms, u))
    } else {
      out$df <- apply(contrasts, 2, function(u) {
        one <- core_adjusted_scores(replace(basis, "pick", list(basis$pick %*% u)), clusters, adjustment, TRUE)
        core_satterthwaite(one, 1)
      })
    }
    out$df[lost] <- NA_real_
  }
  out
}

# eta of several directions together, orthonormal columns, from pairs of them.
hotelling_of <- function(fit, directions) {
  q <- ncol(directions)
  forms <- forms_of_directions(fit)
  if (q <= most_together) return(core_hotelling(forms(directions), diag(q)))
  total <- 0
  for (s in seq_len(q)) for (t in seq_len(s)) {
    own <- unique(c(s, t))
    w <- array(forms(directions[, own, drop = FALSE])$moments, rep(length(own), 4))
    last <- length(own)
    total <- total + (if (s == t) 2 * w[1, 1, 1, 1] else 2 * (w[1, 1, last, last] + w[1, last, last, 1]))
  }
  q * (q + 1) / total
}
most_together <- 8

# Directions from which the part of a cluster in any direction follows: the coordinates but the first `skip`, and
# halfway between two. Few coordinates alone.
most_paired <- 8
coordinate_pairs <- function(p, skip) {
  axes <- diag(p)[, seq_len(p) > skip, drop = FALSE]
  k <- ncol(axes)
  if (k == 0 || k > most_paired) return(axes[, 0, drop = FALSE])
  pairs <- if (k > 1) utils::combn(k, 2) else matrix(0L, 2, 0)
  cbind(axes, (axes[, pairs[1, ], drop = FALSE] + axes[, pairs[2, ], drop = FALSE]) / sqrt(2))
}

# The largest share of any direction's variation that one cluster has, from its parts in those directions; where there
# are none the sum of all shares, which is no smaller.
largest_share <- function(parts, longest) {
  if (NROW(parts) == 0) return(longest)
  k <- (sqrt(8 * nrow(parts) + 1) - 1) / 2
  max(apply(parts, 2, function(one) {
    gram <- diag(one[seq_len(k)], k)
    if (k > 1) {
      at <- t(utils::combn(k, 2))
      gram[at] <- one[-seq_len(k)] - (one[at[, 1]] + one[at[, 2]]) / 2
      gram[at[, 2:1, drop = FALSE]] <- gram[at]
    }
    max(eigen(gram, symmetric = TRUE, only.values = TRUE)$values)
  }))
}

# Rows up to which each few clusters are looked through for a regressor that lives in one of them.
most_looked_at <- 1e5

slope_contrasts <- function(fit) unit_contrasts(fit)[, kept_terms(fit) != constant_term, drop = FALSE]

# The same of many rows each of which is a cluster.
part_by_row <- function(spec, fit, meat, live) {
  G <- live$n
  nested <- logical(length(fit$effects))
  factor <- if (spec$type == "CR1") cr1_factor(fit, G, nested, live) else 1
  list(meat = factor * meat, count = G, df = G - 1, sizes = c(1, 1), lost = logical(length(kept_terms(fit))),
       notes = "Each row is a cluster: the errors are those of `se_robust()`")
}

# Contrasts whose joint degrees of freedom are held: p^4 numbers.
most_joint <- 24

# Where the effects that cut across the clusters are too many for a basis: CR3 leaves each cluster out in turn.
most_refits <- 500

without_basis <- function(spec, fit, clusters, name, G) {
  if (spec$type == "CR3" && spec$df == "clusters" && G <= most_refits && has_rows_apart(fit)) {
    changes <- delete_one_changes(fit, clusters)
    if (is.null(changes)) {
      stop_wavetax(c("one_cluster_tells", "errors"),
                   sprintf("Without one of the clusters by `%s` not every coefficient can be estimated.",
                                     name),
                   todo = "Use `type = \"CR1\"`, or leave the coefficient out.")
    }
    p <- nrow(changes) + 1L
    meat <- matrix(0, p, p)
    meat[-1, -1] <- tcrossprod(changes)
    return(list(meat = meat, count = G, df = G - 1, sizes = range(clusters$sizes), lost = logical(p)))
  }
  stop_wavetax(
    c("crossing_effects", "errors"),
    sprintf("%s cannot be computed: too many levels of effects have rows in several clusters by `%s`.",
                      if (spec$df == "satterthwaite") "Satterthwaite's degrees of freedom" else spec$type, name),
    todo = c(if (has_rows_apart(fit) && (spec$df == "satterthwaite" || spec$type == "CR2")) {
               "`type = \"CR3\", df = \"clusters\"` leaves each cluster out in turn."
             },
             "Or draw: `se_bootstrap()`; or cluster by what holds the effects whole.")
  )
}

# G / (1 + mean((gamma_g / mean gamma - 1)^2)) by contrast, a row each of `parts`.
effective_clusters <- function(parts) {
  apply(parts, 1, function(one) {
    total <- sum(one)
    if (total > 0) total^2 / sum(one^2) else NA_real_
  })
}

few_clusters <- 50
# From so many effective clusters on their number changes nothing.
most_worth_counting <- 500

# One line of advice, where few clusters or few effective ones tell a coefficient.
few_clusters_words <- function(fit, spec, part) {
  if (spec$type == "CR2" && spec$df == "satterthwaite") return(NULL)
  G <- part$count
  effective <- part$effective[!names(part$effective) %in% part$told_once]
  thin <- if (!is.null(effective)) {
    which(effective < min(G / 2, most_worth_counting) & changes_conclusion(fit, part, effective))
  }
  if (G >= few_clusters && length(thin) == 0) return(NULL)
  if (length(part$told_once) > 0 && length(effective) == 0) return(NULL)
  worst <- if (length(thin) > 0) thin[which.min(effective[thin])]
  found <- paste0(if (G < few_clusters) sprintf("%s are few", count_of(G, "cluster")),
                  if (G < few_clusters && length(worst) > 0) ", and ",
                  if (length(worst) > 0) sprintf("`%s` rests on about %s of %s%s", names(effective)[worst],
                                                 label_text(signif(effective[worst], 2)), count_words(G),
                                                 if (G >= few_clusters) " clusters" else ""))
  if (!is.null(fit$instrumented)) {
    if (spec$type == "CR3") return(NULL)
    return(paste0(found, ": `se_clustered(type = \"CR3\")`", if (fit$instrumented$method == "2sls") {
      " or `se_bootstrap()`"
    }, " is safer"))
  }
  paste0(found, ": `se_clustered(type = \"CR2\", df = \"satterthwaite\")` or `se_bootstrap()` is safer")
}

# Whether a coefficient differs from zero at 5 percent by t(G - 1), and not by that many effective clusters.
changes_conclusion <- function(fit, part, effective) {
  if (is.null(part$meat)) return(rep(TRUE, length(effective)))
  root <- fit$regression$root[match(names(effective), kept_terms(fit)), , drop = FALSE]
  t <- abs(kept_estimates(fit)[names(effective)]) / sqrt(rowSums((root %*% part$meat) * root))
  t > stats::qt(0.975, part$count - 1) & t < stats::qt(0.975, pmax(effective - 1, 1))
}

# Coefficients that one cluster tells, alone or by a part: `share` of what tells each, by coefficient. What one of G
# clusters alone has is spread over all once effects are swept: about 1 - 1/G of it is lost.
lost_share_words <- function(fit, spec, share, labels, name, G) {
  names(share) <- kept_terms(fit)
  share <- share[names(share) != constant_term & share > 1e-6]
  if (length(share) == 0) return(NULL)
  where <- paste(name, list_some(label_text(labels), 3))
  blind <- spec$type %in% c("CR2", "CR3")
  alone <- share >= 0.9 * (1 - 1 / G)
  c(told_alone_words(names(share)[alone], where, blind), told_partly_words(share[!alone], where, blind))
}

told_alone_words <- function(terms, where, blind) {
  if (length(terms) == 0) return(NULL)
  sprintf("%s %s only within %s once the rest is taken out: no clustered error of it is honest%s", list_some(terms, 4),
          if (length(terms) == 1) "varies" else "vary", where, if (blind) "" else ", this one is far too small")
}

told_partly_words <- function(share, where, blind) {
  if (length(share) == 0) return(NULL)
  sprintf("%s of what tells %s is within %s alone: no clustered error sees that part%s",
          if (max(share) < 5e-4) "A little" else
            sprintf("Up to %s percent", format_number(min(99.9, 100 * max(share)), 3)),
          list_some(names(share), 4), where, if (blind) "" else ", so this one is too small")
}

# Whether each entity lies in one cluster.
holds_entities <- function(fit, clusters) {
  entity <- fit$design$index$entity
  for (set in fit$effects) if (identical(set$columns, entity)) return(core_is_nested(set$groups, clusters))
  is.null(entity) || !is.null(fit$design$between) || core_is_nested(column_groups(fit$design, entity), clusters)
}

# Rows of one entity in several clusters are taken as unrelated.
serial_words <- function(fit, parts, notes) {
  whole <- vapply(parts, function(part) isTRUE(part$holds_entities), TRUE)
  if (any(whole) || any(grepl("lie within", notes)) || is.null(fit$design$index)) return(NULL)
  entity <- fit$design$index$entity
  sprintf("Rows of one %s are in several clusters: what relates them over time is passed over", entity)
}

# How effects and clusters lie to each other, where it matters.
nesting_words <- function(fit, clusters, nested, name, spec, G, live) {
  if (!has_swept_effects(fit) || all(nested)) return(NULL)
  unlist(lapply(setdiff(which(!nested), length(fit$effects) + 1L), function(s) {
    set <- fit$effects[[s]]
    if (core_is_nested(clusters, set$groups)) {
      if (identical(clusters$count, set$groups$count)) return(NULL)
      return(sprintf("Clusters by %s lie within the %s effects: what stays alike in %s is taken for unrelated",
                     name, set$name, one_of_a(set$name)))
    }
    if (spec$type != "CR1" || clusters$count > fit$n / 2) return(NULL)
    crossing <- crossing_share(set, clusters, 0.05)
    if (crossing >= 0.05) return(NULL)
    both <- vapply(list(nested, replace(nested, s, TRUE)), function(one) cr1_factor(fit, G, one, live), 0)
    sprintf("%s percent of %s have rows in several clusters: the factor is %s, and with them nested it would be %s",
            label_text(signif(100 * crossing, 2)), plural_of(set$name), fixed_decimals(both[1], 3),
            fixed_decimals(both[2], 3))
  }))
}

# Where rows are not at hand: `scores(fit, name)` gives the sums of scores by the values of a column, see
# scores_in_pieces().
clustered_by_scores <- function(scores) {
  function(spec, fit, dimensions) clustered_of_scores(spec, fit, dimensions, scores)
}

clustered_of_scores <- function(spec, fit, dimensions, scores) {
  name <- dimensions[[1]]$name
  if (length(dimensions) > 1 || length(dimensions[[1]]$columns) > 1 || spec$type %in% c("CR2", "CR3") ||
      spec$df == "satterthwaite") {
    stop_pieces_errors("CR0 and CR1 by one column are computed piece by piece.")
  }
  live <- live_rows(fit)
  sums <- scores(fit, name)
  G <- sums$count
  check_cluster_count(G, name, sums$labels)
  factor <- if (spec$type == "CR1") cr1_factor(fit, G, sums$nested, live) else 1
  new_errors(spec, paste("clustered by", name), G - 1, meat = factor * core_score_products(sums$scores),
             type = spec$type,
             clusters = stats::setNames(G, name), joint = "clusters",
             notes = few_clusters_words(fit, spec, list(count = G)))
}

stop_pieces_errors <- function(what) {
  stop_wavetax("pieces", "These errors need all rows at once, and the fit was read in pieces.", where = what,
               todo = "Read the data whole, or use `se_clustered(column)` or `se_robust(\"HC1\")`.")
}
