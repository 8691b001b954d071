#' Find what is broken in a table before it is a panel
#'
#' Question answered: *what is wrong with this file, where, and what do I do about it?*
#' Nothing is altered. Looked for, worst first:
#'
#' * what stops a fit: missing keys, repeated keys (the same or different values told
#'   apart), a header repeated among the rows, a row of totals, blank rows, periods that
#'   cannot be read, periods as column headings;
#' * what is likely wrong: entity names that differ only in case, spaces or accents, or
#'   by one or two letters and never share a period; text among numbers, decimal commas,
#'   numbers stored as text; a period outside the run of the others; a value that belongs
#'   to the neighbouring entity; values a factor of 300 or more from the entity's median;
#' * what to know: columns that are all missing, constant, or twice the same; entities
#'   seen once; gaps.
#'
#' @param data A data frame as it was read.
#' @param entity,period Columns, bare or quoted, as for [panel_frame()].
#' @param periods For periods that are labels: all of them, in order.
#' @return A data frame of class `panel_problems` with a row a finding: `kind`, `weight`
#'   (`"stops"`, `"likely"` or `"note"`), `column`, `where` (in words), `todo`, and
#'   `rows`, a list of row numbers. It prints as a list.
#' @section Errors:
#' `wavetax_error_unknown_column`, `wavetax_error_empty_data`.
#' @seealso [panel_repair()].
#' @examples
#' raw <- data.table::fread(system.file("extdata", "harbours-raw.csv", package = "wavetax"))
#' panel_problems(raw, harbour, season)
#' @export
panel_problems <- function(data, entity, period, periods = NULL) {
  check_is_table(data)
  data <- plain_data_frame(data)
  check_has_rows(data)
  wide <- problem_wide(data)
  if (!is.null(wide) && (rlang::quo_is_missing(rlang::enquo(period)) ||
                         !rlang::as_label(rlang::enquo(period)) %in% names(data))) {
    return(new_panel_problems(list(wide), NULL, NULL))
  }
  entity <- column_name(rlang::enquo(entity), data, "entity")
  period <- column_name(rlang::enquo(period), data, "period")
  find_problems(data, entity, period, periods)
}

find_problems <- function(data, entity, period, periods = NULL) {
  keys <- problem_keys(data, entity, period, periods)
  others <- setdiff(names(data), c(entity, period))
  watched <- cli::cli_progress_along(others, "Looking at the columns")
  texts <- lapply(watched, function(i) problem_text(data[[others[i]]], others[i], keys))
  found <- c(
    list(problem_wide(data)), problem_stray_rows(data, keys), problem_missing_keys(keys),
    problem_repeated_keys(data, keys), list(problem_period_values(keys)), problem_names(keys),
    unlist(texts, recursive = FALSE),
    problem_shifted(data, keys), problem_jumps(data, keys), problem_columns(data, keys),
    problem_presence(keys)
  )
  new_panel_problems(Filter(Negate(is.null), found), entity, period)
}

finding <- function(kind, weight, where, todo, rows = integer(), column = NA_character_) {
  list(kind = kind, weight = weight, column = column, where = where, todo = todo,
       rows = list(as.integer(rows)))
}

new_panel_problems <- function(found, entity, period) {
  weight <- factor(vapply(found, `[[`, "", "weight"), c("stops", "likely", "note"))
  found <- found[order(weight)]
  field <- function(name) vapply(found, `[[`, "", name)
  out <- data.frame(
    kind = field("kind"), weight = field("weight"), column = field("column"), where = field("where"),
    todo = field("todo")
  )
  out$rows <- lapply(found, function(one) one$rows[[1]])
  structure(out, class = c("panel_problems", "data.frame"), entity = entity, period = period)
}

# The keys of a table that may be broken: entity codes and clock by row, 0 where missing
# or not to be read, and stray rows (totals, blanks, headers) taken out of both.
problem_keys <- function(data, entity, period, periods) {
  text <- vapply(data, is.character, logical(1))
  blank <- Reduce(`&`, lapply(data, is_blank))
  header <- if (any(text)) {
    Reduce(`+`, lapply(names(data)[text], function(name) !is.na(data[[name]]) & data[[name]] == name))
  } else {
    integer(nrow(data))
  }
  header <- header >= max(2, sum(text) / 2)
  total <- rep(FALSE, nrow(data))
  if (is.character(data[[entity]])) {
    values <- unique(data[[entity]])
    named <- grepl("^\\s*(grand )?(total|sum|mean|average|all)s?\\s*$", values, ignore.case = TRUE)
    total <- data[[entity]] %in% values[named]
  }
  ranked <- rank_key(data[[entity]])
  time <- tolerant_clock(data[[period]], periods, header | blank)
  stray <- blank | header | total
  ranked$codes[stray] <- 0L
  time$clock[stray] <- 0L
  list(
    entity = entity, period = period, codes = ranked$codes, entities = ranked$values,
    clock = time$clock, unread = time$unread & !stray, column = data[[period]],
    blank = blank, header = header, total = total, stray = stray, time = time
  )
}

# Missing, or text without a sign in it.
is_blank <- function(x) {
  if (!is.character(x)) return(is.na(x))
  values <- unique(x)
  blank <- values[is.na(values) | grepl("^\\s*$", values, perl = TRUE)]
  if (length(blank) == 0) rep(FALSE, length(x)) else x %in% blank
}

# A clock on which odd cells do not stop the reading: they are `unread`.
tolerant_clock <- function(x, periods, skip) {
  kept <- x
  unread <- rep(FALSE, length(x))
  if (is.character(x)) {
    kept[skip] <- NA
    numbers <- suppressWarnings(as.numeric(kept))
    present <- !is_blank(kept)
    if (is.null(periods) && mean(!is.na(numbers[present])) > 0.8) {
      unread <- present & is.na(numbers)
      kept <- numbers
    }
  }
  if (is.numeric(kept) && !is.factor(kept)) {
    broken <- !is.na(kept) & (!is.finite(kept) | kept != trunc(kept))
    unread <- unread | broken
    kept[broken] <- NA
    far <- far_periods(kept)
    time <- period_clock(replace(kept, far, NA), periods)
    time$far <- far
  } else {
    if (is.character(kept) && is.null(periods)) {
      values <- unique(kept[!is_blank(kept)])
      if (is.null(read_periods(values))) {
        unread <- unread | kept %in% values[odd_periods(values)]
        kept[unread] <- NA
      }
    }
    time <- tryCatch(period_clock(kept, periods), wavetax_error = function(cnd) NULL)
    if (is.null(time)) {
      time <- list(clock = integer(length(x)), periods = character(), ticks = integer(), step = 1)
      unread <- !is.na(x)
    }
  }
  time$unread <- unread
  time
}

# Periods far outside the run of the others: a slipped or doubled digit.
far_periods <- function(x) {
  spread <- stats::quantile(x, c(0.05, 0.5, 0.95), na.rm = TRUE, names = FALSE)
  reach <- 5 * max(spread[3] - spread[1], 5)
  which(abs(x - spread[2]) > reach)
}

where_rows <- function(rows) sub("^r", "R", row_words(rows, 5))

cell_words <- function(keys, rows) {
  entity <- ifelse(keys$codes[rows] > 0, as.character(keys$entities)[pmax(keys$codes[rows], 1)], "?")
  paste(entity, format(keys$column[rows], trim = TRUE))
}

problem_stray_rows <- function(data, keys) {
  one <- function(rows, kind, where, todo) {
    if (any(rows)) finding(kind, "stops", paste0(where, ": ", row_words(which(rows), 5)), todo, which(rows))
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
  one <- function(rows, name) {
    rows <- which(rows)
    if (length(rows) == 0) return(NULL)
    finding(
      "missing keys", "stops", sprintf("`%s` is missing: %s", name, row_words(rows, 5)),
      "Fill the key in, or leave the rows out: `drop = \"missing keys\"`.", rows, name
    )
  }
  list(
    one(keys$codes == 0L & !keys$stray, keys$entity),
    one(is_blank(keys$column) & !keys$stray, keys$period)
  )
}

problem_repeated_keys <- function(data, keys) {
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
         "Rows of one key differ: look which is right, then `repeated = \"first\"` or `\"last\"`.")
  )
}

problem_period_values <- function(keys) {
  far <- keys$time$far
  if (any(keys$unread)) {
    rows <- which(keys$unread)
    return(finding(
      "unread periods", "stops",
      sprintf("Not read as a period: %s", list_some(sprintf("%s (row %d)", keys$column[rows], rows))),
      "Write all periods in one way: 2014, 2014Q3, 2014-03, 2014-W07 or a date.", rows, keys$period
    ))
  }
  if (length(far) == 0) return(NULL)
  finding(
    "far period", "likely",
    sprintf("Outside the run of the others: %s", list_some(sprintf("%s (row %d)", keys$column[far], far))),
    "Correct the cells; a digit may be doubled or missing.", far, keys$period
  )
}

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
  gsub("[^a-z0-9]", "", tolower(plain))
}

same_pairs <- function(bare) {
  groups <- split(seq_along(bare), bare)
  groups <- groups[lengths(groups) > 1]
  do.call(rbind, lapply(unname(groups), function(g) cbind(g[1], g[-1])))
}

# Pairs within one letter (long names two): names that become equal when letters are
# deleted are the candidates, so that thousands of names need no all-pairs comparison.
near_pairs <- function(bare) {
  digits <- gsub("[^0-9]", "", bare)
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

problem_text <- function(x, name, keys) {
  if (!is.character(x)) return(NULL)
  present <- !is_blank(x) & !keys$stray
  values <- unique(x[present])
  number <- !is.na(suppressWarnings(as.numeric(values)))
  comma <- grepl("^\\s*-?[0-9]+,[0-9]+\\s*$", values)
  rows_of <- function(which) sum(x[present] %in% values[which])
  if (rows_of(number | comma) < 0.8 * sum(present) || sum(present) == 0) return(NULL)
  todo <- sprintf("Read it as numbers: `numbers = \"%s\"`.", name)
  if (all(number)) {
    return(list(finding("numbers as text", "likely", sprintf("`%s` holds numbers, stored as text", name),
                        todo, which(present), name)))
  }
  tell <- function(which, kind, what) {
    rows <- base::which(present & x %in% values[which])
    if (length(rows) == 0) return(NULL)
    cells <- sprintf("%s (row %d)", x[rows], rows)
    finding(kind, "likely", sprintf("`%s` %s: %s", name, what, list_some(cells)), todo, rows, name)
  }
  list(
    tell(comma & !number, "decimal commas", "has decimal commas"),
    tell(!number & !comma, "text among numbers", "is numbers but for")
  )
}

# In a column that is fixed for nearly every entity, a cell at an entity's border that has
# its neighbour's value: a block one row too long or too short.
problem_shifted <- function(data, keys) {
  n <- nrow(data)
  rows <- which(keys$codes > 0L)
  if (length(rows) < 10 || is.unsorted(rank_codes_in_order(keys$codes[rows]))) return(NULL)
  code <- keys$codes[rows]
  first <- match(code, code)
  lapply(setdiff(names(data), c(keys$entity, keys$period)), function(name) {
    x <- data[[name]][rows]
    if (mean(x == x[first], na.rm = TRUE) < 0.8 || length(unique(x)) < 3) return(NULL)
    x <- match(x, unique(x))
    usual <- usual_value(x, code)
    odd <- which(!is.na(x) & x != usual[code])
    if (length(odd) == 0 || length(unique(code[odd])) > 0.1 * length(unique(code))) return(NULL)
    border <- function(step) {
      at <- odd + step
      at <- pmin(pmax(at, 1L), length(x))
      code[at] != code[odd] & x[odd] == usual[code[at]]
    }
    odd <- odd[border(1L) | border(-1L)]
    if (length(odd) == 0) return(NULL)
    finding(
      "neighbour's value", "likely",
      sprintf("`%s` has the neighbouring %s's value: %s", name, keys$entity, row_words(rows[odd], 5)),
      "Was a block pasted one row too long or too short? Compare with the source.", rows[odd], name
    )
  })
}

rank_codes_in_order <- function(codes) match(codes, unique(codes))

# The value (coded by whole numbers) most frequent in each group.
usual_value <- function(x, code) {
  key <- code * (max(x) + 1) + x
  size <- tabulate(match(key, unique(key)))
  first <- !duplicated(key)
  by_size <- order(code[first], -size)
  code_first <- code[first][by_size]
  out <- rep(NA_integer_, max(code))
  keep <- !duplicated(code_first)
  out[code_first[keep]] <- x[first][by_size][keep]
  out
}

# Values a factor of 300 or more from the median of their entity, and further out than
# the column's own spread makes likely.
problem_jumps <- function(data, keys) {
  numeric <- names(data)[vapply(data, is.numeric, logical(1))]
  lapply(setdiff(numeric, c(keys$entity, keys$period)), function(name) {
    x <- as.numeric(data[[name]])
    use <- which(keys$codes > 0L & is.finite(x) & x > 0)
    if (length(use) < 4 || max(x[use]) < 300 * min(x[use])) return(NULL)
    order <- use[order(keys$codes[use], x[use], method = "radix")]
    code <- keys$codes[order]
    size <- tabulate(code, length(keys$entities))
    start <- cumsum(c(0L, size[-length(size)]))
    median <- rep(NA_real_, length(size))
    median[size >= 4] <- x[order[(start + (size + 1L) %/% 2L)[size >= 4]]]
    away <- abs(log(x[use] / median[keys$codes[use]]))
    # far beyond the spread that the column has anyway
    rows <- use[which(away >= max(log(300), 12 * stats::median(away, na.rm = TRUE)))]
    if (length(rows) == 0) return(NULL)
    cells <- sprintf("%s (row %d, %s)", format(x[rows], trim = TRUE), rows, cell_words(keys, rows))
    finding(
      "far value", "likely",
      sprintf("`%s` is far from the %s's median: %s", name, keys$entity, list_some(cells)),
      "A unit or a decimal point may have slipped; correct the cells.", rows, name
    )
  })
}

problem_columns <- function(data, keys) {
  others <- setdiff(names(data), c(keys$entity, keys$period))
  empty <- others[vapply(data[others], function(x) {
    all(is_blank(x))
  }, logical(1))]
  rest <- setdiff(others, empty)
  constant <- rest[vapply(data[rest], function(x) {
    first <- x[which(!is.na(x))[1]]
    nrow(data) > 1 && all(x == first, na.rm = TRUE)
  }, logical(1))]
  rest <- setdiff(rest, constant)
  plain <- function(x) if (is.numeric(x)) as.numeric(x) else as.character(x)
  start <- vapply(data[rest], function(x) paste(plain(utils::head(x, 100)), collapse = "\r"), "")
  suspects <- rest[start %in% start[duplicated(start)]]
  twice <- suspects[duplicated(lapply(data[suspects], plain))]
  one <- function(columns, kind, what, todo) {
    lapply(columns, function(name) finding(kind, "note", sprintf(what, name), todo, column = name))
  }
  c(
    one(empty, "empty column", "`%s` has no value", "Leave it out."),
    one(constant, "constant column", "`%s` has one value in all rows", "It tells nothing in a model."),
    one(twice, "same column twice", "`%s` repeats an earlier column", "Leave one of them out.")
  )
}

problem_presence <- function(keys) {
  known <- keys$codes > 0L & keys$clock > 0L
  if (!any(known)) return(NULL)
  codes <- keys$codes[known]
  clock <- keys$clock[known]
  once_apart <- !duplicated((codes - 1) * max(clock) + clock)
  codes <- codes[once_apart]
  clock <- clock[once_apart]
  size <- tabulate(codes, length(keys$entities))
  ends <- cpp_first_and_last(codes, clock, length(keys$entities))
  inside <- ifelse(size > 0, ends$last - ends$first + 1L - size, 0L)
  name <- function(which) list_some(as.character(keys$entities)[which])
  rows_of <- function(which) base::which(keys$codes %in% base::which(which))
  list(
    if (any(size == 1L) && max(size) > 1L) {
      finding("seen once", "note",
              sprintf("%s: %s", count_of(sum(size == 1L), keys$entity), name(size == 1L)),
              "One row tells nothing within its entity.", rows_of(size == 1L))
    },
    if (any(inside > 0L)) {
      finding("gaps", "note",
              sprintf("%s, %s missing inside: %s", count_of(sum(inside > 0L), keys$entity),
                      count_of(sum(inside), keys$period), name(inside > 0L)),
              "Lags and changes are not taken across them.", rows_of(inside > 0L))
    }
  )
}

# Periods in the column names: what to call to make them rows.
problem_wide <- function(data) {
  stubs <- find_stubs(names(data))
  if (is.null(stubs)) return(NULL)
  finding(
    "periods as columns", "stops",
    sprintf("%s: %s", count_of(length(unique(stubs$period)), "period"),
            list_some(unique(sprintf("%s for %s", stubs$column, stubs$stub)))),
    "Make them rows: `panel_to_long(data, entity, period = \"year\")`."
  )
}
