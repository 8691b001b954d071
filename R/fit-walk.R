# One more walk over the rows of a fit, for what its errors sum up: the one place that knows whether
# they are in memory or come in pieces.

# What small-sample factors count: rows that tell something of the noise, those with h < 1. list(n, fitted: the
# other rows, by number, or NULL).
live_rows <- function(fit) {
  if (has_swept_effects(fit)) row_source(fit)$live(fit) else list(n = fit$n, fitted = NULL)
}

live_in_pieces <- function(fit) list(n = sum(live_sizes(fit, 1)), fitted = NULL)

live_in_memory <- function(fit) {
  fitted <- core_fitted_rows(fit$effects, fit$n)
  list(n = fit$n - length(fitted), fitted = fitted)
}

# Those and the rows that regressors fit alone, an indicator of one row: looked for where more residuals are nothing
# (`idle`) than effects account for. With them the count of slopes that the other rows tell, `slopes`.
live_of_all <- function(fit, walk, live, idle) {
  if (idle <= length(live$fitted)) live else row_source(fit)$beside(fit, walk, live)
}

live_as_they_are <- function(fit, walk, live) live

live_beside_regressors <- function(fit, walk, live) {
  swept <- has_swept_effects(fit)
  both <- core_coordinate_rows(walk, walk$skip)
  noise <- random_numbers(fit$n)
  left <- if (swept) drop(row_kind(fit)$sweep(fit)(cbind(noise))) else noise
  found <- core_fitted_by_all(both$z, left, noise)
  found <- found[abs(both$e[found]) <= 1e-6 * sqrt(fit$ssr / fit$n)]
  fitted <- union(live$fitted, found)
  if (length(fitted) == length(live$fitted) || length(fitted) == fit$n) return(live)
  out <- list(n = fit$n - length(fitted), fitted = sort(fitted))
  # Each of them takes one dimension of regressors and effects with it.
  of_effects <- if (swept) {
    rest <- core_effect_system(lapply(fit$effects, function(set) live_effect_set(fit, set, out)), out$n)
    on.exit(core_release(rest))
    core_effects_rank(rest)$count
  }
  out$slopes <- length(slope_names(fit)) + (if (swept) fit$df$effects else has_constant(fit)) - length(fitted) -
    if (swept) of_effects else has_constant(fit)
  out
}

# The live rows of a fit, whatever fits the others: what every error, test and refit counts.
all_live_rows <- function(fit, walk = rows_walk(fit)) {
  live_of_all(fit, walk, live_rows(fit), core_robust_products(walk, NULL, 0, quick = idle_residual(fit))$fitted)
}

# A residual of this size may be one of a row that is fitted whatever its outcome: by chance one in a thousand million
# is.
idle_residual <- function(fit) 1e-9 * sqrt(fit$ssr / fit$n)

# Live rows of each level of a set, of a fit whose rows came in pieces. Levels seen once are bridges too.
live_sizes <- function(fit, s) {
  sizes <- fit$effects[[s]]$groups$sizes
  bridges <- fit$design$source$bridges
  if (is.null(bridges)) return(sizes * (sizes > 1))
  sizes - tabulate(bridges[s, ], length(sizes))
}

# Whether rows of a piece are live, by their codes.
live_in_piece <- function(fit, codes) {
  if (!has_swept_effects(fit)) return(rep(TRUE, length(codes[[1]])))
  bridges <- fit$design$source$bridges
  if (is.null(bridges)) return(fit$effects[[1]]$groups$sizes[codes[[1]]] > 1)
  cell <- function(a, b) a + b * as.double(length(fit$effects[[1]]$groups$sizes) + 1)
  !cell(codes[[1]], codes[[2]]) %in% cell(bridges[1, ], bridges[2, ])
}

# Groups of the live rows alone.
live_groups <- function(groups, live) {
  if (is.null(live$fitted)) return(groups)
  codes <- groups$codes[-live$fitted]
  inner <- rank_integers(codes)
  core_groups(inner$codes, length(inner$values), groups$labels[inner$values])
}

# Sums of scores by the values of a column, from a second reading of the source: list(scores, labels, count,
# nested).
scores_in_pieces <- function(fit, name) {
  reader <- fit$design$source$reader
  reader$by <- name
  reader$columns <- union(reader$columns, name)
  start <- list(
    clusters = NULL, scores = matrix(0, length(kept_terms(fit)), 0), rows = 0, live = logical(),
    cluster_of = lapply(fit$effects, function(set) rep(NA_integer_, set$groups$count)),
    nested = rep(TRUE, length(fit$effects))
  )
  total <- fold_pieces(reader, start, function(total, design) add_piece_scores(total, design, fit, name))
  check_same_rows_again(fit, total$rows)
  list(scores = total$scores, labels = total$clusters, count = sum(total$live), nested = total$nested)
}

check_same_rows_again <- function(fit, rows) if (rows != fit$n) stop_other_rows(fit$n, rows)

# A piece's rows with the effects of the fit: list(walk, codes by set).
piece_walk <- function(fit, design) {
  transform <- fit$transform
  codes <- lapply(seq_along(fit$effects), function(s) {
    set <- fit$effects[[s]]
    code_values(set$groups$labels, used_column(design, set$columns))$codes
  })
  for (s in seq_along(codes)) {
    transform$layers[[s]]$groups <- core_groups(codes[[s]], fit$effects[[s]]$groups$count)
  }
  list(walk = core_walk(design_rows(design), transform, fit$regression, skip = has_swept_effects(fit)), codes = codes)
}

add_piece_scores <- function(total, design, fit, name) {
  coded <- code_values(total$clusters, used_column(design, name))
  total$clusters <- coded$known
  clusters <- coded$codes
  piece <- piece_walk(fit, design)
  live <- if (length(piece$codes) > 0) live_in_piece(fit, piece$codes) else rep(TRUE, length(clusters))
  for (s in seq_along(piece$codes)) {
    codes <- piece$codes[[s]][live]
    before <- total$cluster_of[[s]][codes]
    total$cluster_of[[s]][codes] <- clusters[live]
    changed <- any(before != clusters[live], na.rm = TRUE) || any(total$cluster_of[[s]][codes] != clusters[live])
    if (changed) total$nested[s] <- FALSE
  }
  total$live <- c(total$live, logical(length(total$clusters) - length(total$live)))
  total$live[clusters[live]] <- TRUE
  scores <- core_cluster_scores(piece$walk, core_groups(clusters, length(total$clusters)))$scores
  seen <- seq_len(ncol(total$scores))
  scores[, seen] <- scores[, seen, drop = FALSE] + total$scores
  total$scores <- scores
  total$rows <- total$rows + length(design$y)
  total
}

# The meat of robust errors from a second reading; leverages of one set of effects are known by group.
robust_in_pieces <- function(fit, power, mean_leverage) {
  start <- list(products = 0, fitted = 0, rows = 0)
  weight <- if (length(fit$effects) == 1) fit$effects[[1]]$groups$weight
  total <- fold_pieces(fit$design$source$reader, start, function(total, design) {
    piece <- piece_walk(fit, design)
    leverage <- if (!is.null(weight) && power != 0) {
      list(groups = core_groups(piece$codes[[1]], fit$effects[[1]]$groups$count), inverse = 1 / weight)
    }
    one <- core_robust_products(piece$walk, leverage, power, mean_leverage)
    list(products = total$products + one$products, fitted = total$fitted + one$fitted,
         rows = total$rows + length(design$y))
  })
  check_same_rows_again(fit, total$rows)
  total
}

# A set of effects of the live rows, as the core takes it.
live_effect_set <- function(fit, set, live) {
  trends <- lapply(set$trends, function(name) {
    values <- trend_values(fit$design, name)
    if (is.null(live$fitted)) values else values[-live$fitted]
  })
  core_effect_set(live_groups(set$groups, live), trends, set$intercept)
}
