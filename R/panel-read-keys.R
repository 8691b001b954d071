# Which columns could be the keys, when they are not named.

stop_keys_not_named <- function(data) {
  n <- nrow(data)
  different <- vapply(data, function(x) length(unique(x)), 0L)
  period <- vapply(data, function(x) {
    if (inherits(x, "Date")) return(TRUE)
    if (is.numeric(x)) return(is_whole(x) && all(x > 1800 & x < 2200, na.rm = TRUE))
    is.character(x) && !is.null(read_periods(utils::head(unique(x[!is.na(x)]), 50)))
  }, logical(1))
  entity <- vapply(data, function(x) is.character(x) || is.factor(x) || is_whole(x), logical(1)) &
    !period & different > 1 & different < n
  pairs <- expand.grid(entity = names(data)[entity], period = names(data)[period], stringsAsFactors = FALSE)
  unique_pair <- mapply(function(e, p) !anyDuplicated(data[c(e, p)]), pairs$entity, pairs$period)
  good <- pairs[as.logical(unique_pair), ]
  good <- good[order(-different[good$entity], good$entity, method = "radix"), ]
  where <- if (nrow(good) > 0) {
    sprintf("entity `%s` (%s) and period `%s` (%s): no two rows share both", good$entity,
            count_of_each(different[good$entity], "value"), good$period,
            count_of_each(different[good$period], "value"))
  } else {
    c(
      if (any(period)) sprintf("Likely periods, by their values: %s.", list_some(names(data)[period])),
      if (any(entity)) sprintf("Likely entities, as their values repeat: %s.", list_some(names(data)[entity]))
    )
  }
  stop_wavetax(
    "keys_not_named", "Which column is the entity, and which the period?",
    where = utils::head(where, 3), todo = "Name both: `read_panel(file, entity, period)`."
  )
}

count_of_each <- function(n, noun) vapply(n, count_of, "", noun)
