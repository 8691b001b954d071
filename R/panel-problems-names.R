# Faults of the names of entities.

# Entity names that are likely one: equal once case, spaces, signs and accents are gone;
# or one or two letters apart, with no period in common. Names that differ in a digit are
# different.
problem_names <- function(keys) {
  names <- keys$entities
  if (!is.character(names) || length(names) < 2) return(NULL)
  bare <- bare_name(names)
  pairs <- rbind(same_pairs(bare), near_pairs(bare))
  if (is.null(pairs) || nrow(pairs) == 0) return(NULL)
  seen <- split(keys$clock, factor(keys$codes, seq_along(names)))
  alike <- bare[pairs[, 1]] == bare[pairs[, 2]]
  apart <- mapply(function(a, b) length(intersect(seen[[a]], seen[[b]])) == 0, pairs[, 1], pairs[, 2])
  lapply(which(alike | apart), function(p) {
    pair <- pairs[p, ]
    size <- lengths(seen)[pair]
    common <- names[pair[which.max(size)]]
    rare <- names[pair[which.min(size)]]
    if (common == rare) rare <- names[pair[2]]
    rows <- which(keys$codes == match(rare, names))
    finding(
      "one name two ways", "likely",
      sprintf("%s (%s) and %s (%s)%s", dQuote(common, FALSE), count_of(max(size), "row"),
              dQuote(rare, FALSE), count_of(min(size), "row"),
              if (apart[p]) ", never in one period" else ", differing in case, spaces or accents only"),
      sprintf("If they are one: `names = c(\"%s\" = \"%s\")`.", rare, common), rows, keys$entity
    )
  })
}

bare_name <- function(x) {
  plain <- iconv(x, "UTF-8", "ASCII//TRANSLIT")
  plain <- ifelse(is.na(plain), x, plain)
  gsub("[^a-z0-9]+", "", tolower(plain), perl = TRUE)
}

same_pairs <- function(bare) {
  shared <- which(bare %in% bare[duplicated(bare)])
  groups <- split(shared, bare[shared])
  do.call(rbind, lapply(unname(groups), function(g) cbind(g[1], g[-1])))
}

# Pairs within one letter (long names two): names that become equal when letters are
# deleted are the candidates, so that thousands of names need no all-pairs comparison.
near_pairs <- function(bare) {
  digits <- gsub("[^0-9]+", "", bare, perl = TRUE)
  long <- which(nchar(bare) >= 5 & digits %in% digits[duplicated(digits)])
  if (length(long) < 2) return(NULL)
  deletes <- lapply(long, function(i) c(bare[i], without_one(bare[i])))
  owner <- rep(long, lengths(deletes))
  groups <- split(owner, unlist(deletes))
  groups <- groups[lengths(groups) > 1 & lengths(groups) < 20]
  pairs <- unique(do.call(rbind, lapply(unname(groups), function(g) {
    g <- sort(unique(g))
    if (length(g) > 1) t(utils::combn(g, 2))
  })))
  if (is.null(pairs)) return(NULL)
  differ <- bare[pairs[, 1]] != bare[pairs[, 2]]
  pairs[differ & digits[pairs[, 1]] == digits[pairs[, 2]], , drop = FALSE]
}

without_one <- function(word) {
  letters <- strsplit(word, "")[[1]]
  vapply(seq_along(letters), function(i) paste(letters[-i], collapse = ""), "")
}
