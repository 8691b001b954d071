# Faults of the keys: missing, repeated, stray rows, odd periods, gaps.

# The keys of a table that may be broken: entity codes and clock by row, 0 where missing
# or not to be read. Row numbers of stray rows (totals, blanks, headers), which are taken
# out of both, and of periods that are far from the others or could not be read.
problem_keys <- function(data, entity, period, periods, date_format = NULL) {
  text <- vapply(data, is.character, logical(1))
  blank <- blank_rows(data[vapply(data, is_plain_vector, TRUE)])
  header <- if (any(text)) {
    Reduce(`+`, Map(function(x, name) !is.na(x) & x == name, unclass(data)[text], names(data)[text]))
  } else {
    integer(nrow(data))
  }
  header <- header >= max(2, sum(text) / 2)
  who <- plain_column(data[[entity]])
  if (is.double(who) && !is.object(who)) who[is.infinite(who)] <- NA
  ranked <- rank_key(who)
  total <- if (is.character(who)) {
    grepl("^\\s*(grand )?(total|sum|mean|average|all)s?\\s*$", lower_case(ranked$values), perl = TRUE)
  }
  total <- if (any(total)) ranked$codes %in% which(total) else logical(nrow(data))
  time <- tolerant_clock(plain_column(data[[period]]), periods, header | blank, date_format)
  stray <- blank | header | total
  stray <- which(stray)
  ranked$codes[stray] <- 0L
  time$clock[stray] <- 0L
  list(
    entity = entity, period = period, codes = ranked$codes, entities = ranked$values,
    clock = time$clock, question = time$question, unread = setdiff(which(time$unread), stray), far = time$far,
    column = data[[period]], blank = which(blank), header = which(header), total = which(total),
    stray = stray
  )
}

# Rows without a value in any column; each column is asked for the rows still in question.
blank_rows <- function(data) {
  rows <- seq_len(nrow(data))
  for (x in as.list(data)[order(vapply(data, is.character, TRUE))]) {
    rows <- rows[is_blank(x[rows])]
    if (length(rows) == 0) break
  }
  seq_len(nrow(data)) %in% rows
}

# A clock on which odd cells do not stop the reading: they are `unread`.
tolerant_clock <- function(x, periods, skip, format = NULL) {
  kept <- x
  question <- NULL
  unread <- rep(FALSE, length(x))
  if (is.character(x)) {
    kept[skip] <- NA
    numbers <- suppressWarnings(as.numeric(kept))
    present <- !is_blank(kept)
    if (is.null(periods) && is.null(format) && mean(!is.na(numbers[present])) > 0.8) {
      unread <- present & is.na(numbers)
      kept <- numbers
    }
  }
  if (is.numeric(kept) && !is.factor(kept)) {
    if (!is_whole(kept)) {
      broken <- !is.na(kept) & (!is.finite(kept) | kept != trunc(kept))
      unread <- unread | broken
      kept[broken] <- NA
    }
    far <- far_periods(kept)
    if (length(far) > 0) kept[far] <- NA
    time <- period_clock(kept, periods)
    time$far <- far
  } else {
    if (is.character(kept) && is.null(periods)) {
      values <- unique(kept[!is_blank(kept)])
      read <- read_periods(values, format)
      if (is.null(read)) {
        unread <- unread | kept %in% values[odd_periods(values, format)]
        kept[unread] <- NA
      } else if (!is.null(read$question)) {
        question <- read$question
        format <- date_pattern(question$value, "dm")
      }
    }
    time <- tryCatch(period_clock(kept, periods, format), wavetax_error = function(cnd) NULL)
    if (is.null(time)) {
      time <- list(clock = integer(length(x)), periods = character(), ticks = integer(), step = 1)
      unread <- !is.na(x)
    }
  }
  time$unread <- unread
  time$question <- question
  time
}

# Periods far outside the run of the others, a slipped or doubled digit: eight times as far from
# the middle one as three fifths of the rows are.
far_periods <- function(x) {
  ranked <- rank_key(x)
  values <- as.double(ranked$values)
  if (length(values) == 0) return(integer())
  size <- tabulate(ranked$codes, length(values))
  middle <- share_of(values, size, 0.5)
  reach <- max(25, 8 * share_of(abs(values - middle), size, 0.6))
  if (max(abs(values - middle)) <= reach) return(integer())
  which(abs(x - middle) > reach)
}

# The value that a share of the rows reaches, from different values and how many rows have each.
share_of <- function(values, size, share) {
  order <- order(values)
  values[order][which(cumsum(size[order]) >= share * sum(size))[1]]
}

where_rows <- function(rows) sub("^r", "R", row_words(rows, 5))

cell_words <- function(keys, rows) {
  entity <- ifelse(keys$codes[rows] > 0, as.character(keys$entities)[pmax(keys$codes[rows], 1)], "?")
  paste(entity, label_text(keys$column[rows]))
}

problem_stray_rows <- function(data, keys) {
  one <- function(rows, kind, where, todo) {
    if (length(rows) > 0) finding(kind, "stops", paste0(where, ": ", row_words(rows, 5)), todo, rows)
  }
  list(
    one(keys$header, "header repeated", "The column names stand again among the rows",
        "Leave those rows out: `drop = \"header repeated\"`."),
    one(keys$total, "total row", "Rows that look like totals, not entities",
        "Leave them out: `drop = \"total row\"`."),
    one(keys$blank, "blank rows", "Rows without any value", "Leave them out: `drop = \"blank rows\"`.")
  )
}

problem_missing_keys <- function(keys) {
  one <- function(missing, name) {
    rows <- setdiff(which(missing), keys$stray)
    if (length(rows) == 0) return(NULL)
    finding(
      "missing keys", "stops", sprintf("`%s` is missing: %s", name, row_words(rows, 5)),
      "Fill the key in, or leave the rows out: `drop = \"missing keys\"`.", rows, name
    )
  }
  list(
    one(keys$codes == 0L, keys$entity),
    one(is_blank(keys$column), keys$period)
  )
}

# Whether any key of two known parts stands twice; TRUE too where that takes a look at each.
any_repeated <- function(keys) {
  if (min(keys$codes, keys$clock, 1L) < 1L) return(TRUE)
  if (core_strictly_ordered(keys$codes, keys$clock)) return(FALSE)
  entities <- length(keys$entities)
  span <- max(keys$clock)
  as.numeric(entities) * span > 64 * length(keys$codes) + 1e6 ||
    core_any_repeated_cell(keys$codes, keys$clock, entities, span)
}

problem_repeated_keys <- function(data, keys) {
  if (!any_repeated(keys)) return(NULL)
  known <- which(keys$codes > 0L & keys$clock > 0L)
  span <- max(1L, keys$clock)
  cell <- (keys$codes[known] - 1) * span + keys$clock[known]
  if (!anyDuplicated(cell)) return(NULL)
  rows <- known[cell %in% cell[duplicated(cell)]]
  cell <- (keys$codes[rows] - 1) * span + keys$clock[rows]
  values <- do.call(paste, c(unname(lapply(data[rows, ], as.character)), sep = "\r"))
  same <- tapply(values, cell, function(v) length(unique(v)) == 1)
  is_same <- same[as.character(cell)]
  tell <- function(which_rows, kind, todo) {
    if (length(which_rows) == 0) return(NULL)
    groups <- split(which_rows, (keys$codes[which_rows] - 1) * span + keys$clock[which_rows])
    words <- vapply(utils::head(groups, 5), function(rows) {
      sprintf("%s (%s)", cell_words(keys, rows[1]), row_words(rows))
    }, "")
    finding(kind, "stops", list_some(c(words, rep("", length(groups) - length(words)))), todo, which_rows)
  }
  list(
    tell(rows[is_same], "repeated rows", "The same row stands again: `repeated = \"first\"` keeps one."),
    tell(rows[!is_same], "repeated keys",
         "Rows of one key differ: look which is right, then `repeated = \"first\"` or `repeated = \"last\"`.")
  )
}

problem_period_values <- function(keys) {
  far <- keys$far
  if (length(keys$unread) > 0) {
    rows <- keys$unread
    return(finding(
      "unread periods", "stops",
      sprintf("Not read as a period: %s", list_first(rows, function(rows) {
        sprintf("%s (row %d)", keys$column[rows], rows)
      })),
      "Write all periods in one way: 2014, 2014Q3, 2014-03, 2014-W07 or a date.", rows, keys$period
    ))
  }
  if (!is.null(keys$question)) {
    days <- question_days(keys$question)
    return(finding(
      "unread periods", "stops",
      sprintf("The dates may begin with the day or with the month: %s is %s or %s", dQuote(keys$question$value, FALSE),
              days[1], days[2]),
      sprintf("Say which: `date_format = \"%s\"` or `date_format = \"%s\"`.", date_pattern(keys$question$value, "dm"),
              date_pattern(keys$question$value, "md")),
      column = keys$period
    ))
  }
  if (length(far) == 0) return(NULL)
  finding(
    "far period", "likely",
    sprintf("Outside the run of the others: %s", list_first(far, function(rows) {
      sprintf("%s (row %d)", keys$column[rows], rows)
    })),
    "Correct the cells; a digit may be doubled or missing.", far, keys$period
  )
}

problem_presence <- function(keys) {
  codes <- keys$codes
  clock <- keys$clock
  if (any_repeated(keys) || min(codes, clock) < 1L) {
    known <- codes > 0L & clock > 0L
    if (!any(known)) return(NULL)
    codes <- codes[known]
    clock <- clock[known]
    once_apart <- !duplicated((codes - 1) * max(clock) + clock)
    codes <- codes[once_apart]
    clock <- clock[once_apart]
  }
  size <- tabulate(codes, length(keys$entities))
  ends <- core_first_and_last(codes, clock, length(keys$entities))
  # Of the periods that somebody has; one that nobody has is no gap of anyone's.
  ticks <- sort(unique(clock))
  inside <- ifelse(size > 0, match(ends$last, ticks) - match(ends$first, ticks) + 1L - size, 0L)
  runs <- which(diff(ticks) > 1L)
  label <- function(tick) label_text(keys$column[match(tick, keys$clock)])
  name <- function(which) list_some(as.character(keys$entities)[which])
  rows_of <- function(which) base::which(keys$codes %in% base::which(which))
  list(
    if (any(size == 1L) && max(size) > 1L) {
      finding("seen once", "note",
              sprintf("%s: %s", count_of(sum(size == 1L), keys$entity), name(size == 1L)),
              "One row tells nothing within its entity.", rows_of(size == 1L))
    },
    if (length(runs) > 0) {
      finding("absent period", "note",
              sprintf("No %s has %s between %s", keys$entity, one_of_a(keys$period),
                      list_some(vapply(runs, function(run) {
                        sprintf("%s and %s (%s)", label(ticks[run]), label(ticks[run + 1L]),
                                count_words(ticks[run + 1L] - ticks[run] - 1L))
                      }, ""), 3)),
              "Lags and changes are not taken across it.", NULL)
    },
    if (any(inside > 0L)) {
      finding("gaps", "note",
              sprintf("%s, %s missing inside: %s", count_of(sum(inside > 0L), keys$entity),
                      count_of(sum(inside), keys$period), name(inside > 0L)),
              "Lags and changes are not taken across them.", rows_of(inside > 0L))
    }
  )
}
