# Keys of a panel: the entity ranked into codes, the period put on an integer clock.

# Codes from 1 in increasing order of the key's values, 0 where missing.
rank_key <- function(x) {
  if (is.factor(x)) {
    ranked <- rank_integers(as.integer(x))
    return(list(codes = ranked$codes, values = levels(x)[ranked$values]))
  }
  if (is.integer(x)) return(rank_integers(x))
  if (is.character(x)) {
    values <- sort(unique(x), method = "radix", na.last = NA)
    values <- values[nzchar(trimws(values))]
    return(list(codes = data.table::chmatch(x, values, nomatch = 0L), values = values))
  }
  if (is.double(x) && is_whole_integer(x)) return(rank_integers(as.integer(x)))
  values <- sort(unique(x))
  list(codes = match(x, values, nomatch = 0L), values = values)
}

rank_integers <- function(x) {
  x <- as.integer(x)
  ranked <- cpp_rank_by_table(x, max(1e6, 4 * length(x)))
  if (!is.null(ranked)) return(ranked)
  values <- sort(unique(x), method = "radix", na.last = NA)
  list(codes = match(x, values, nomatch = 0L), values = values)
}

is_whole_integer <- function(x) {
  extent <- suppressWarnings(range(x, na.rm = TRUE))
  all(abs(extent) < .Machine$integer.max) && !any(x != trunc(x), na.rm = TRUE)
}
