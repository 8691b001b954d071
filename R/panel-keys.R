# Keys of a panel: the entity ranked into codes, the period put on an integer clock.

# Codes from 1 in increasing order of the key's values, 0 where missing.
rank_key <- function(x) {
  if (is.factor(x)) {
    ranked <- rank_integers(as.integer(x))
    return(list(codes = ranked$codes, values = levels(x)[ranked$values]))
  }
  if (inherits(x, c("Date", "POSIXct", "difftime"))) {
    ranked <- rank_key(as.double(unclass(x)))
    ranked$values <- x[match(seq_along(ranked$values), ranked$codes)]
    return(ranked)
  }
  if (is.integer(x)) return(rank_integers(x))
  if (is.character(x)) {
    return(rank_text(x))
  }
  if (is.double(x) && is_whole_integer(x)) return(rank_integers(as.integer(x)))
  values <- sort(unique(x))
  list(codes = match(x, values, nomatch = 0L), values = values)
}

# Text in the order of the C locale; blank text counts as missing.
rank_text <- function(x) {
  seen <- core_code_text(enc2utf8(x))
  values <- seen$values
  # Bytes that are no text come as their codes.
  if (any(grepl("<[0-9a-f]{2}>", values))) check_valid_text(unique(x))
  blank <- is.na(values) | !nzchar(values) | startsWith(values, " ")
  blank[blank] <- is.na(values[blank]) | !nzchar(trimws(values[blank]))
  order <- order(values, method = "radix")
  order <- order[!blank[order]]
  place <- integer(length(values))
  place[order] <- seq_along(order)
  list(codes = place[seen$codes], values = values[order])
}

rank_integers <- function(x) {
  x <- as.integer(x)
  ranked <- core_rank_by_table(x, max(1e6, 4 * length(x)))
  if (!is.null(ranked)) return(ranked)
  values <- sort(unique(x), method = "radix", na.last = NA)
  list(codes = match(x, values, nomatch = 0L), values = values)
}

is_whole_integer <- function(x) {
  extent <- suppressWarnings(range(x, na.rm = TRUE))
  all(abs(extent) < .Machine$integer.max) && !any(x != trunc(x), na.rm = TRUE)
}

# Keys as text, numbers of one value alike whatever their kind; NA where a part is missing.
join_key <- function(data, keys) {
  parts <- lapply(keys, function(key) {
    x <- plain_column(data[[key]])
    text <- label_text(x)
    text[is.na(x)] <- NA
    text
  })
  missing <- Reduce(`|`, lapply(parts, is.na))
  if (length(keys) == 1) return(parts[[1]])
  replace(do.call(paste, c(parts, sep = "\r")), missing, NA)
}

key_words <- function(key) gsub("\r", " ", key, fixed = TRUE)
