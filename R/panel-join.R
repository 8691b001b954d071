#' Bring in columns from another table
#'
#' Question answered: *how do I add what I know of the entities, of the periods, of both, or of any column
#' that both tables have?* Each row of the panel takes the one row of the other table that has its
#' key; the panel keeps its rows and their order, and is never multiplied.
#'
#' @param x A [panel_frame()].
#' @param y A data frame with the key's columns and columns to bring in, one row for each key; or the path
#'   of a file.
#' @param by The key: columns of both tables, such as `"season"` or `c("coast", "season")`; named where the
#'   other table calls them otherwise, as in `c(harbour = "name")`. `NULL`: those of the panel's entity and
#'   period that the other table has.
#' @param match `"exact"`, or `"tidy"`: keys that are in one table only are also matched without regard to case,
#'   accents, spaces and marks, zeros in front, and the form of dates (2014 and 2014-01-01). With
#'   `"exact"` such keys are told.
#' @param replace Whether columns that both tables have are replaced by those of `y`.
#' @param ... For a path: what [read_panel()] takes to read it.
#' @return `x` with the other columns of `y`; `NA` where `y` has no such key. A message
#'   tells how many keys matched on each side, and which did not; `join_report()` gives all of them: a data
#'   frame of class `join_report` with a row a key, `key`, `panel` and `other` (the rows of the panel, of the other
#'   table), `matched` (`"exact"`, `"tidy"` or `"none"`) and `as` (the other table's spelling of a tidy match).
#' @section Errors:
#' `wavetax_error_not_a_panel`; `wavetax_error_no_common_key`; `wavetax_error_no_match` when no key
#' is in both; `wavetax_error_duplicate_keys` when a key stands twice in `y`;
#' `wavetax_error_ambiguous_match` when two keys are one once tidied;
#' `wavetax_error_name_taken` when a column is in both.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' rates <- data.frame(year = 2009:2020, rate = seq(1.1, 2.2, by = 0.1))
#' panel <- panel_join(panel, rates, by = c(season = "year"))
#' head(panel[c("harbour", "season", "rate")])
#' join_report(panel)
#' @export
panel_join <- function(x, y, by = NULL, match = c("exact", "tidy"), replace = FALSE, ...) {
  check_is_panel(x)
  if (missing(y)) stop_argument("y", "missing", "Give the table to bring in.")
  y <- table_of(y, ..., settle = TRUE)
  match <- check_one_of(match, c("exact", "tidy"), "match")
  check_flag(replace, "replace")
  index <- panel_index(x)
  out <- plain_data_frame_keeping_names(x)
  by <- join_columns(by, out, y, index)
  columns <- setdiff(names(y), by$other)
  check_new_columns(columns, out, by, replace)
  mine <- join_key(out, by$panel)
  theirs <- join_key(y, by$other)
  check_key_once(mine, theirs, by)
  found <- match_keys(mine, theirs, out, y, by, match)
  at <- base::match(mine, found$mine)
  rows <- base::match(found$theirs, theirs)[at]
  for (name in columns) out[[name]] <- y[[name]][rows]
  report <- new_join_report(mine, theirs, found, by)
  check_any_match(report, mine, theirs, by, found)
  say_joined(report)
  out <- restore_panel(out, index)
  attr(out, "join_report") <- report
  out
}

# The key's columns on both sides.
join_columns <- function(by, x, y, index) {
  if (is.null(by)) by <- intersect(c(index$entity, index$period), names(y))
  if (length(by) == 0) {
    stop_wavetax(
      "no_common_key", sprintf("The other table has neither `%s` nor `%s`.", index$entity, index$period),
      where = sprintf("Its columns are %s.", list_some(names(y), 8)),
      todo = sprintf("Say which column is the key: `by = %s`.", code_texts(stats::setNames(names(y)[1], index$entity)))
    )
  }
  check_texts(by, "by", "Name columns in quotes: `by = c(harbour = \"name\")`.")
  panel <- names(by)
  if (is.null(panel)) panel <- by
  panel[!nzchar(panel)] <- by[!nzchar(panel)]
  check_columns(panel, x)
  check_columns(by, y)
  if (anyDuplicated(panel) || anyDuplicated(by)) stop_argument("by", "naming a column twice", "Name each column once.")
  list(panel = unname(panel), other = unname(by))
}

check_new_columns <- function(columns, x, by, replace) {
  both <- intersect(columns, names(x))
  keys <- intersect(both, by$panel)
  if (length(both) == 0 || replace && length(keys) == 0) return(invisible())
  stop_wavetax("name_taken", sprintf("Both tables have %s.", list_words(sQuote(both, FALSE))),
               todo = if (length(keys) > 0) "Rename or leave out one of each." else
                 "Take those of the other table with `replace = TRUE`, or rename one of each.")
}

check_key_once <- function(mine, theirs, by) {
  known <- theirs[!is.na(theirs)]
  again <- unique(known[duplicated(known)])
  if (length(again) == 0) return(invisible())
  shared <- intersect(again, mine)
  stop_wavetax(
    "duplicate_keys",
    sprintf("The other table has several rows for one %s.", paste(by$other, collapse = " and ")),
    where = sprintf("%s.", list_some(sprintf("%s (%s)", key_words(again), vapply(again, function(one) {
      row_words(which(theirs == one))
    }, "")))),
    todo = c("Keep one row for each key, or name more columns in `by`.",
             if (!anyDuplicated(mine) && length(shared) > 0) {
               "The panel has one row for each: bring its columns into the other table, `panel_join(other, panel)`."
             })
  )
}

# Different keys of both sides side by side: list(mine, theirs, tidy).
match_keys <- function(mine, theirs, x, y, by, match) {
  mine <- unique(mine)
  found <- list(mine = mine, theirs = ifelse(mine %in% theirs, mine, NA_character_), tidy = rep(FALSE, length(mine)))
  left <- which(is.na(found$theirs) & !is.na(mine))
  free <- setdiff(theirs[!is.na(theirs)], mine)
  if (length(left) == 0 || length(free) == 0) return(found)
  tidy_mine <- tidy_key(mine[left], x, y, by)
  tidy_theirs <- tidy_key(free, x, y, by)
  at <- base::match(tidy_mine, tidy_theirs)
  hit <- which(!is.na(at))
  if (match == "exact") {
    found$near <- cbind(mine[left][hit], free[at[hit]])
    return(found)
  }
  check_one_match(mine[left][hit], free[tidy_theirs %in% tidy_mine[hit]], tidy_mine[hit], tidy_theirs)
  found$theirs[left[hit]] <- free[at[hit]]
  found$tidy[left[hit]] <- TRUE
  found
}

check_one_match <- function(mine, theirs, tidy_mine, tidy_theirs) {
  if (!anyDuplicated(tidy_mine) && !anyDuplicated(tidy_theirs[tidy_theirs %in% tidy_mine])) return(invisible())
  shown <- if (anyDuplicated(tidy_mine)) mine[tidy_mine %in% tidy_mine[duplicated(tidy_mine)]] else theirs
  stop_wavetax("ambiguous_match", "Several keys of one table are the same once they are tidied.",
               where = sprintf("See %s.", list_some(dQuote(key_words(shown), FALSE), 4)),
               todo = "Write those keys alike in both tables first.")
}

# Each part of a key without what people write differently.
tidy_key <- function(keys, x, y, by) {
  parts <- strsplit(keys, "\r", fixed = TRUE)
  width <- length(by$panel)
  parts <- vapply(parts, function(part) c(part, rep("", width))[seq_len(width)], character(width))
  parts <- matrix(parts, nrow = width)
  for (i in seq_len(width)) parts[i, ] <- tidy_part(parts[i, ], years_only(x[[by$panel[i]]], y[[by$other[i]]]))
  apply(parts, 2, paste, collapse = "\r")
}

# Whether one side has years and the other dates.
years_only <- function(a, b) {
  is_year <- function(x) {
    values <- unique(label_text(x[!is.na(x)]))
    length(values) > 0 && all(grepl("^[0-9]{4}$", values))
  }
  is_year(a) != is_year(b)
}

tidy_part <- function(x, years) {
  values <- unique(x)
  out <- bare_name(values)
  read <- read_periods(values[grepl("[0-9]{4}", values)])
  if (!is.null(read) && is.null(read$question) && length(read$ticks) > 0) {
    at <- which(grepl("[0-9]{4}", values))
    ticks <- if (!years) read$ticks else
      if (!is.null(read$dates)) as.POSIXlt(read$dates)$year + 1900 else if (is.null(read$unit)) read$ticks else NA
    out[at] <- ifelse(is.na(ticks), out[at], paste0("t", if (!years) read$unit, label_text(ticks)))
  }
  out <- sub("^0+([0-9]+)$", "\\1", out)
  out[!nzchar(out)] <- values[!nzchar(out)]
  out[match(x, values)]
}

new_join_report <- function(mine, theirs, found, by) {
  only <- setdiff(unique(theirs[!is.na(theirs)]), found$theirs)
  found$tidy <- found$tidy[!is.na(found$mine)]
  found$theirs <- found$theirs[!is.na(found$mine)]
  found$mine <- found$mine[!is.na(found$mine)]
  keys <- c(found$mine, only)
  count <- function(side) as.vector(table(factor(side, unique(side))))[match(keys, unique(side))]
  mine_rows <- count(mine)
  their_rows <- count(theirs)[c(match(found$theirs, keys), length(found$mine) + seq_along(only))]
  matched <- c(ifelse(is.na(found$theirs), "none", ifelse(found$tidy, "tidy", "exact")), rep("none", length(only)))
  out <- data.frame(
    key = key_words(keys), panel = ifelse(is.na(mine_rows), 0L, mine_rows),
    other = ifelse(matched == "none" & seq_along(keys) <= length(found$mine) | is.na(their_rows), 0L, their_rows),
    matched = matched, as = c(ifelse(found$tidy, key_words(found$theirs), NA), rep(NA_character_, length(only)))
  )
  structure(out, class = c("join_report", "data.frame"), by = by, near = found$near)
}

#' @rdname panel_join
#' @param joined What `panel_join()` gave.
#' @export
join_report <- function(joined, ...) {
  check_own_arguments(..., of = join_report, name = "join_report()")
  report <- attr(joined, "join_report", exact = TRUE)
  if (is.null(report)) stop_wavetax("no_report", "These data have no report of a join.",
                                    todo = "It is kept by `panel_join()`.")
  report
}

check_any_match <- function(report, mine, theirs, by, found) {
  if (any(report$matched != "none")) return(invisible())
  stop_wavetax(
    "no_match", sprintf("No %s of the panel is in the other table.", paste(by$panel, collapse = " and ")),
    where = sprintf("The panel has %s; the other table %s.", list_some(dQuote(key_words(unique(mine)), FALSE)),
                    list_some(dQuote(key_words(unique(theirs)), FALSE))),
    todo = if (length(found$near) > 0) {
      sprintf("But for case, spaces, marks, zeros or the form of dates %s match: `match = \"tidy\"`.",
              count_of(nrow(found$near), "key"))
    } else {
      "Are these the right columns? `by = c(panel_column = \"other_column\")` names others."
    }
  )
}

join_lines <- function(report, most = 6) {
  by <- attr(report, "by")
  side <- function(rows, whose) {
    all <- report[rows > 0, ]
    lost <- all$key[all$matched == "none"]
    sprintf("%s of %s keys of %s matched%s.", count_words(nrow(all) - length(lost)), count_words(nrow(all)), whose,
            if (length(lost) > 0) paste0("; not ", list_some(lost, most)) else "")
  }
  tidy <- report[report$matched == "tidy", ]
  near <- attr(report, "near")
  quoted <- function(keys) code_text(key_words(keys))
  pairs <- function(a, b) list_some(paste(quoted(a), "to", quoted(b)), most)
  their_side <- report$other > 0 | report$matched == "tidy"
  c(
    sprintf("Joined by %s.", list_words(ifelse(by$panel == by$other, by$panel, paste(by$panel, "=", by$other)))),
    side(report$panel, "the panel"), side(as.integer(their_side), "the other table"),
    if (nrow(tidy) > 0) sprintf("Matched once tidied: %s.", pairs(tidy$key, tidy$as)),
    if (length(near) > 0) {
      sprintf("%s would match with `match = \"tidy\"`: %s.", count_of(nrow(near), "more key"),
              pairs(near[, 1], near[, 2]))
    }
  )
}

say_joined <- function(report) {
  lines <- join_lines(report)
  tell_wavetax(stats::setNames(lines, rep("i", length(lines))), class = "wavetax_message_joined")
}
