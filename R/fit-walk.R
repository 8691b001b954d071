# One more walk over the rows of a fit, for what its errors sum up: the one place that knows whether
# they are in memory or come in pieces.

# Of the clusters that a column makes: list(products, the sum over clusters of s s', s their scores in
# the regression's orthonormal coordinates; count; nested, for each set of effects whether its groups lie
# in one cluster each).
cluster_sums <- function(fit, name) {
  if (!is.null(fit$design$pieces)) return(sums_in_pieces(fit, name))
  check_keeps_rows(fit, "clusters")
  clusters <- cluster_groups(fit, name)
  check_clusters(clusters, name)
  list(
    products = core_cluster_products(design_rows(fit$design), fit$transform, fit$regression, clusters),
    count = clusters$count, nested = vapply(fit$effects, function(set) core_is_nested(set$groups, clusters), TRUE)
  )
}

cluster_groups <- function(fit, name) {
  for (set in fit$effects) {
    if (identical(name, set$columns)) return(set$groups)
  }
  column_groups(fit$design, name)
}

check_clusters <- function(clusters, name) {
  if (clusters$missing > 0) {
    stop_wavetax(
      "clusters", sprintf("`%s` is missing in %s that the fit uses.", name, count_of(clusters$missing, "row")),
      where = sprintf("See %s.", row_words(which(clusters$codes == 0L), 5)),
      todo = "Cluster by a complete column, or leave those rows out before estimating."
    )
  }
  check_cluster_count(clusters$count, name, clusters$labels)
}

check_cluster_count <- function(count, name, labels) {
  if (count >= 2) return(invisible())
  stop_wavetax(
    "clusters", sprintf("All rows are in one cluster, `%s` %s.", name, label_text(labels[1])),
    todo = "Clustered errors need many clusters; `se_classical()` needs none."
  )
}

# The same from a second reading of the source.
sums_in_pieces <- function(fit, name) {
  reader <- fit$design$pieces
  reader$by <- name
  reader$columns <- union(reader$columns, name)
  start <- list(
    clusters = NULL, scores = matrix(0, length(kept_terms(fit)), 0), rows = 0,
    cluster_of = lapply(fit$effects, function(set) rep(NA_integer_, set$groups$count)),
    nested = rep(TRUE, length(fit$effects))
  )
  total <- fold_pieces(reader, start, function(total, design) add_piece_scores(total, design, fit, name))
  if (total$rows != fit$n) stop_other_rows(fit$n, total$rows)
  count <- length(total$clusters)
  check_cluster_count(count, name, total$clusters)
  list(products = core_score_products(total$scores), count = count, nested = total$nested)
}

add_piece_scores <- function(total, design, fit, name) {
  column <- used_column(design, name)
  coded <- code_values(total$clusters, column)
  total$clusters <- coded$known
  clusters <- coded$codes
  transform <- fit$transform
  for (s in seq_along(fit$effects)) {
    set <- fit$effects[[s]]
    codes <- code_values(set$groups$labels, used_column(design, set$columns))$codes
    transform$layers[[s]]$groups <- core_groups(codes, set$groups$count)
    before <- total$cluster_of[[s]][codes]
    total$cluster_of[[s]][codes] <- clusters
    changed <- any(before != clusters, na.rm = TRUE) || any(total$cluster_of[[s]][codes] != clusters)
    if (changed) total$nested[s] <- FALSE
  }
  rows <- design_rows(design)
  scores <- core_cluster_scores(rows, transform, fit$regression, core_groups(clusters, length(total$clusters)))
  seen <- seq_len(ncol(total$scores))
  scores[, seen] <- scores[, seen, drop = FALSE] + total$scores
  total$scores <- scores
  total$rows <- total$rows + length(design$y)
  total
}
