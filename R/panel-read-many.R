# Several files, or sheets of one, as one table.

# A list of parts: data, and the name of the file or sheet. One part is the table.
read_tables <- function(file, options) {
  if (!is.character(file) || length(file) == 0 || anyNA(file)) check_file(if (length(file) == 1) file else NULL)
  parts <- list()
  for (one in expand_files(file)) {
    sheets <- sheets_of(one, options)
    for (sheet in sheets) {
      name <- if (length(sheets) > 1) as.character(sheet) else sub("\\.[^.]+$", "", basename(one))
      parts <- c(parts, list(list(name = name, file = one, sheet = sheet)))
    }
  }
  read <- function(part) {
    options$sheet <- part$sheet
    c(part, list(data = read_one_table(part$file, options)))
  }
  if (length(parts) == 1) return(read(parts[[1]])$data)
  combine_parts(lapply(parts, function(part) {
    tryCatch(read(part), wavetax_error_not_a_table = function(cnd) stop_part_without_table(part, parts, cnd))
  }), options)
}

# One of several sheets or files holds no table, as a cover does.
stop_part_without_table <- function(part, parts, cnd) {
  lines <- strsplit(cli::ansi_strip(conditionMessage(cnd)), "\n")[[1]]
  if (is.null(part$sheet)) rlang::cnd_signal(cnd)
  others <- unlist(lapply(parts, `[[`, "sheet"))
  stop_wavetax(
    "not_a_table", sprintf("The sheet %s of %s holds no table.", dQuote(part$sheet, FALSE), sQuote(part$file, FALSE)),
    where = sub("^[^A-Za-z]+", "", sub("; is the delimiter right[?]", ".", utils::tail(lines, -1)[1])),
    todo = sprintf("Name those that do: `sheet = %s`.", code_texts(setdiff(others, part$sheet)))
  )
}

# The files that a pattern finds, or the one path.
matching_files <- function(one) if (file.exists(one) || !grepl("[*?]", one)) one else sort_text(Sys.glob(one))

expand_files <- function(file) {
  unlist(lapply(file, function(one) {
    found <- matching_files(one)
    if (length(found) == 0) stop_wavetax("no_file", sprintf("No file is called as in %s.", sQuote(one, FALSE)))
    found
  }))
}

# NULL for a single table that is looked for; else the sheets that are named.
sheets_of <- function(file, options) {
  sheet <- options$sheet
  if (length(sheet) < 2 && !identical(sheet, "*")) return(list(sheet))
  check_options_fit(file, options)
  sheets <- workbook_sheets(file)
  if (identical(sheet, "*")) return(as.list(sheets))
  as.list(named_sheets(sheet, sheets))
}

combine_parts <- function(parts, options) {
  check_parts_keys(parts, options)
  entity <- options$keys[["entity"]]
  period <- options$keys[["period"]]
  names <- part_names(parts)
  has_period <- vapply(parts, function(part) period %in% base::names(part$data), TRUE)
  if (!any(has_period)) {
    shapes <- lapply(parts, function(part) find_shape(part$data, entity, period))
    if (all(vapply(shapes, function(shape) identical(shape$form, "wide") && identical(shape$variables, "value"),
                   TRUE))) {
      tables <- Map(one_indicator, parts, shapes, names, MoreArgs = list(entity = entity, period = period))
      fixed <- unique(unlist(lapply(Map(function(table, name) setdiff(base::names(table), name), tables, names),
                                    setdiff, c(entity, period))))
      return(join_parts(tables, names, c(entity, period), fixed, names))
    }
    return(stack_parts(Map(function(part, at) with_period(part$data, at, period), parts,
                           part_periods(names, options)), names))
  }
  if (!all(has_period)) {
    stop_wavetax("which_period", sprintf("Some of the tables have no column %s.", sQuote(period, FALSE)),
                 where = sprintf("Without it: %s.", list_some(names[!has_period], 6)),
                 todo = "Read those with it and those without it apart.")
  }
  others <- lapply(parts, function(part) setdiff(base::names(part$data), c(entity, period)))
  tables <- lapply(parts, `[[`, "data")
  if (anyDuplicated(unlist(others))) stack_parts(tables, names) else join_parts(tables, names, c(entity, period))
}

check_parts_keys <- function(parts, options) {
  if (length(options$keys) < 2) {
    stop_wavetax("keys_not_named", "Several tables are put together by their keys, which are not named.",
                 todo = "Name both: `read_panel(files, entity, period)`.")
  }
  lacks <- vapply(parts, function(part) !options$keys[["entity"]] %in% names(part$data), TRUE)
  if (!any(lacks)) return(invisible())
  stop_no_column(options$keys[["entity"]], names(parts[[which(lacks)[1]]]$data))
}

# The names that tell the parts apart.
part_names <- function(parts) {
  names <- vapply(parts, `[[`, "", "name")
  if (!anyDuplicated(names)) return(names)
  vapply(parts, function(part) paste(sub("\\.[^.]+$", "", basename(part$file)), part$name), "")
}

# The period in each part's name: what `period_from` says, or what reads as one.
part_periods <- function(names, options) {
  pattern <- options$period_from
  if (is.null(pattern)) {
    part <- "(?:[-_ ]?[QqMmHhSs][0-9]{1,2}|[-_ ](?:0[1-9]|1[0-2])|[-_/][0-9]{2,4})?"
    pattern <- paste0("(?:FY)?(?:1[89]|20)[0-9]{2}", part, "(?![0-9])")
  }
  stop_pattern <- function(cnd) {
    stop_argument("period_from", dQuote(pattern, FALSE), "Give a regular expression, such as `\"[0-9]{4}\"`.")
  }
  match <- tryCatch(regexpr(pattern, names, perl = TRUE), error = stop_pattern, warning = stop_pattern)
  found <- rep(NA_character_, length(names))
  found[match > 0] <- regmatches(names, match)
  start <- attr(match, "capture.start")
  if (!is.null(start)) found <- ifelse(match > 0, substring(names, start[, 1],
                                                            start[, 1] + attr(match, "capture.length")[, 1] - 1), NA)
  if (!anyNA(found) && !anyDuplicated(found)) return(period_values(gsub("_", "-", found)))
  stop_wavetax(
    "which_period", "The tables have no column of periods, and their names do not tell one each.",
    where = sprintf("Names are %s.", list_some(names, 6)),
    todo = "Say where the period stands in them: `period_from = \"[0-9]{4}\"`."
  )
}

with_period <- function(data, at, period) {
  data[[period]] <- rep(at, nrow(data))
  data
}

one_indicator <- function(part, shape, name, entity, period) {
  shape$found$variable <- name
  plain_data_frame_keeping_names(lay_out(part$data, shape, entity, period, NULL, empty = TRUE, quiet = TRUE))
}

# Below each other; columns that a table lacks are missing there, kinds that differ become text.
stack_parts <- function(tables, names) {
  columns <- unique(unlist(lapply(tables, base::names)))
  # Where each column stands in each table, and of what kind it is there.
  at <- do.call(cbind, lapply(tables, function(table) match(columns, base::names(table))))
  kinds <- do.call(cbind, lapply(seq_along(tables), function(i) {
    vapply(unclass(tables[[i]]), broad_kind, "", USE.NAMES = FALSE)[at[, i]]
  }))
  kinds[kinds == "empty"] <- NA
  told <- lapply(which(rowSums(is.na(at)) > 0), function(c) {
    sprintf("`%s` is not in %s.", columns[c], list_some(names[is.na(at[c, ])], 6))
  })
  mixed <- which(apply(kinds, 1, function(kind) length(unique(kind[!is.na(kind)])) > 1))
  told <- c(unlist(told), vapply(mixed, function(c) {
    each <- vapply(unique(kinds[c, !is.na(kinds[c, ])]), function(kind) {
      sprintf("%s in %s", kind, list_some(names[which(kinds[c, ] == kind)], 3))
    }, "")
    sprintf("`%s` is %s: read as text first.", columns[c], list_words(each))
  }, ""))
  tables <- lapply(seq_along(tables), function(i) {
    text <- base::names(tables[[i]]) %in% columns[mixed]
    map_columns(tables[[i]], function(x, as_text) if (as_text) label_text(x) else x, text)
  })
  out <- as.data.frame(data.table::rbindlist(tables, use.names = TRUE, fill = TRUE))
  say_parts(sprintf("%s below each other", count_of(length(tables), "table")), names, told)
  out
}

broad_kind <- function(x) {
  if (all(is.na(x))) "empty" else if (is.numeric(x) &&
                                      !is.object(x)) "numbers" else if (is.character(x)) "text" else column_kind(x)
}

# By their keys: every key that stands in any of them. A column of several tables is filled from each of them; `fixed`
# are those that tables with periods across have beside these, the same in every row of an entity; rows in which all of
# `values` are missing are left out. What is left out, and what tables disagree on, is told.
join_parts <- function(tables, names, keys, fixed = character(), values = character()) {
  table_keys <- lapply(tables, join_key, keys)
  for (i in seq_along(tables)) {
    key <- table_keys[[i]]
    if (anyDuplicated(key)) {
      stop_wavetax("duplicate_keys", sprintf("The table %s has several rows for one %s.", dQuote(names[i], FALSE),
                                             paste(keys, collapse = " and ")),
                   where = sprintf("%s.", list_some(unique(key[duplicated(key)]))), todo = "Keep one row for each key.")
    }
  }
  told <- character()
  describing <- describing_columns(tables, fixed)
  for (column in names(describing)) {
    told <- c(told, sprintf("`%s` says which table it is (%s), and is left out.", column,
                            list_some(describing[[column]], 4)))
    tables <- lapply(tables, function(table) table[setdiff(base::names(table), column)])
  }
  all_keys <- unique(unlist(table_keys))
  out <- tables[[1]][match(all_keys, table_keys[[1]]), keys]
  for (i in seq_along(tables)) {
    rows <- match(all_keys, table_keys[[i]])
    for (column in base::names(tables[[i]])) {
      given <- tables[[i]][[column]][rows]
      if (is.null(out[[column]])) {
        out[[column]] <- given
        next
      }
      known <- !is.na(out[[column]])
      apart <- which(known & !is.na(given) & as.character(out[[column]]) != as.character(given))
      if (length(apart) > 0) {
        told <- c(told, sprintf(paste("`%s` differs between tables in %s, such as %s: %s in an earlier one, %s in",
                                      "%s. The earlier stays."),
                                column, count_of(length(apart), "row"), gsub("[[:cntrl:]]+", " ", all_keys[apart[1]]),
                                dQuote(as.character(out[[column]][apart[1]]), FALSE),
                                dQuote(as.character(given[apart[1]]), FALSE), names[i]))
      }
      out[[column]] <- fill_missing(out[[column]], known, given)
    }
  }
  for (column in intersect(fixed, base::names(out))) out[[column]] <- fill_by_entity(out[[column]], out[[keys[1]]])
  none <- if (length(values) > 0) Reduce(`&`, lapply(out[intersect(values, base::names(out))], is.na))
  if (any(none)) {
    told <- c(told, sprintf("%s in which all values are missing %s left out.", upper_first(count_of(sum(none), "row")),
                            if (sum(none) == 1) "is" else "are"))
    out <- out[!none, ]
  }
  rownames(out) <- NULL
  say_parts(sprintf("%s joined by %s", count_of(length(tables), "table"), list_words(keys)), names, told)
  out
}

fill_missing <- function(x, known, given) {
  if (is.factor(x) || is.factor(given)) {
    x <- as.character(x)
    given <- as.character(given)
  }
  x[!known] <- given[!known]
  x
}

# What is the same in all rows of an entity where it is known, in those too where it is not.
fill_by_entity <- function(x, entity) {
  known <- !is.na(x)
  if (all(known) || !same_within(x[known], entity[known])) return(x)
  x[!known] <- x[known][match(entity[!known], entity[known])]
  x
}

# Columns of one value in each table and another in the next, such as an indicator's code: list of values by column.
describing_columns <- function(tables, candidates) {
  found <- lapply(stats::setNames(candidates, candidates), function(column) {
    values <- lapply(tables, function(table) unique(as.character(table[[column]][!is.na(table[[column]])])))
    if (all(lengths(values) <= 1) && length(unique(unlist(values))) > 1) unique(unlist(values))
  })
  Filter(Negate(is.null), found)
}

say_parts <- function(how, names, told) {
  tell_wavetax(c(i = sprintf("%s: %s.", how, list_some(names, 8)), stats::setNames(told, rep("!", length(told)))),
                class = "wavetax_message_parts")
}
