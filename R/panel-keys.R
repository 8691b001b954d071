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

# An integer clock on which adjacent periods are 1 apart, and its step in the
# period's own units: the largest one that meets every period seen. Dates that share
# their day of the month, or all end a month, run in months; other dates in days.
period_clock <- function(x) {
  if (inherits(x, "Date")) return(date_clock(x))
  ranked <- rank_key(x)
  clock_of(as.numeric(ranked$values), ranked$codes, ranked$values, unit = NULL)
}

date_clock <- function(x) {
  ranked <- rank_key(as.numeric(x))
  days <- as.Date(ranked$values, origin = "1970-01-01")
  lt <- as.POSIXlt(days)
  ends <- as.POSIXlt(days + 1)
  if (length(unique(lt$mday)) == 1 || all(ends$mday == 1)) {
    clock_of(lt$year * 12 + lt$mon, ranked$codes, days, unit = "month")
  } else {
    clock_of(as.numeric(days), ranked$codes, days, unit = "day")
  }
}

clock_of <- function(ticks, codes, values, unit) {
  apart <- diff(ticks)
  step <- if (length(apart) == 0) 1 else Reduce(greatest_common_divisor, apart)
  ticks <- as.integer((ticks - ticks[1]) / step) + 1L
  clock <- if (identical(ticks, seq_along(ticks))) codes else c(0L, ticks)[codes + 1L]
  list(clock = clock, values = values, ticks = ticks, step = step, unit = unit)
}

greatest_common_divisor <- function(a, b) {
  while (b > 0) {
    rest <- a %% b
    a <- b
    b <- rest
  }
  a
}

step_words <- function(index) {
  step <- index$step
  if (is.null(index$unit)) {
    if (step == 1) return("")
    return(paste("every", format(step)))
  }
  if (index$unit == "month") {
    named <- c("1" = "monthly", "3" = "quarterly", "12" = "yearly")
  } else {
    named <- c("1" = "daily", "7" = "weekly")
  }
  word <- named[as.character(step)]
  if (is.na(word)) paste("every", format(step), plural_of(index$unit)) else unname(word)
}
