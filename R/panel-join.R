#' Bring in columns from another table
#'
#' Question answered: *how do I add what I know of the entities, or of the periods, or of
#' both?* Rows are matched on the keys that both tables name alike: the entity, the
#' period, or both. The panel keeps its rows and their order; it is never multiplied.
#'
#' @param x A [panel_frame()].
#' @param y A data frame with the entity's column, the period's, or both, and columns to
#'   bring in. One row for each key.
#' @return `x` with the other columns of `y`; `NA` where `y` has no such key. A message
#'   tells how many keys matched on each side, and which did not.
#' @section Errors:
#' `wavetax_error_not_a_panel`; `wavetax_error_no_common_key`; `wavetax_error_no_match` when no key
#' is in both;
#' `wavetax_error_duplicate_keys` when a key stands twice in `y`;
#' `wavetax_error_name_taken` when a column is in both.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' rates <- data.frame(season = 2009:2020, rate = seq(1.1, 2.2, by = 0.1))
#' panel <- panel_join(panel, rates)
#' head(panel[c("harbour", "season", "rate")])
#' @export
panel_join <- function(x, y) {
  check_is_panel(x)
  if (missing(y)) stop_argument("y", "missing", "Give the table to bring in.")
  check_is_table(y)
  index <- panel_index(x)
  y <- plain_data_frame(y)
  keys <- intersect(c(index$entity, index$period), names(y))
  check_joinable(x, y, keys, index)
  key_x <- join_key(x, keys)
  key_y <- join_key(y, keys)
  check_key_once(key_y, keys)
  at <- match(key_x, key_y)
  check_any_match(at, key_x, key_y, keys)
  out <- plain_data_frame_keeping_names(x)
  for (name in setdiff(names(y), keys)) out[[name]] <- y[[name]][at]
  say_joined(unique(key_x), key_y, keys)
  restore_panel(out, index)
}

check_joinable <- function(x, y, keys, index) {
  if (length(keys) == 0) {
    stop_wavetax(
      "no_common_key", sprintf("The other table has neither `%s` nor `%s`.", index$entity, index$period),
      where = sprintf("Its columns are %s.", list_some(names(y), 8)), todo = "Rename its key column."
    )
  }
  both <- setdiff(intersect(names(x), names(y)), keys)
  if (length(both) > 0) {
    stop_wavetax("name_taken", sprintf("Both tables have %s.", list_words(sQuote(both, FALSE))),
                 todo = "Rename or leave out one of each.")
  }
}

# Keys as text, numbers of one value alike whatever their kind.
join_key <- function(data, keys) {
  parts <- lapply(keys, function(key) label_text(plain_column(data[[key]])))
  if (length(keys) == 1) parts[[1]] else paste(parts[[1]], parts[[2]], sep = " ")
}

check_any_match <- function(at, mine, theirs, keys) {
  if (any(!is.na(at))) return(invisible())
  stop_wavetax(
    "no_match", sprintf("No %s of the panel is in the other table.", paste(keys, collapse = " and ")),
    where = sprintf("The panel has %s; the other table %s.", list_some(dQuote(unique(mine), FALSE)),
                    list_some(dQuote(unique(theirs), FALSE))),
    todo = "Write the keys alike in both tables."
  )
}

check_key_once <- function(key, keys) {
  again <- unique(key[duplicated(key)])
  if (length(again) == 0) return(invisible())
  stop_wavetax(
    "duplicate_keys",
    sprintf("The other table has several rows for one %s.", paste(keys, collapse = " and ")),
    where = sprintf("%s.", list_some(again)), todo = "Keep one row for each key."
  )
}

say_joined <- function(mine, theirs, keys) {
  side <- function(a, b, whose) {
    lost <- setdiff(a, b)
    sprintf("%s of %s keys of %s matched%s.", count_words(length(a) - length(lost)),
            count_words(length(a)), whose, if (length(lost) > 0) paste0("; not ", list_some(lost)) else "")
  }
  tell_wavetax(
    c(i = sprintf("Joined by %s.", paste(keys, collapse = " and ")), i = side(mine, theirs, "the panel"),
      i = side(theirs, mine, "the other table")),
    class = "wavetax_message_joined"
  )
}
