# The two sources of rows that there are.

source_memory <- function() {
  new_source_kind(
    whole = TRUE, refuse = identity, live = live_in_memory, beside = live_beside_regressors, levels = crossing_rank,
    clustered = clustered_in_memory, robust = robust_sums
  )
}

# `reader` says how to read the source again; `bridges` are those of two sets' graph, see core_bridge_edges().
source_pieces <- function() {
  new_source_kind(
    whole = FALSE, refuse = stop_pieces_errors, live = live_in_pieces, beside = live_as_they_are,
    levels = crossing_rank_in_pieces, clustered = clustered_by_scores(scores_in_pieces),
    robust = robust_by_sums(robust_in_pieces)
  )
}
