# Other layouts made one row for each entity and period.

# Each layout as a plain wide table, and then as a panel.
lay_out <- function(data, shape, entity, period, periods, empty, quiet = FALSE) {
  if (shape$form == "across") {
    check_new_name(entity, names(data))
    return(from_across(data, shape, entity, period, periods, empty, quiet))
  }
  if (!is.null(shape$indicator)) check_indicator_names(data, shape)
  if (shape$form == "indicators") {
    if (!quiet) say_indicators(data, shape)
    return(from_indicators(data, shape, entity, period, periods))
  }
  if (shape$form == "indicators across") {
    if (!quiet) say_indicators(data, shape)
    data <- indicators_to_columns(data, shape, entity)
    shape$found <- find_period_columns(setdiff(names(data), entity), "^(?<variable>.*)\u001f(?<period>.*)$")
  }
  check_new_name(period, setdiff(names(data), c(entity, shape$found$column)))
  check_one_row_each(data, entity)
  periods_to_rows(data, shape$found, entity, period, periods, empty, quiet)
}

periods_to_rows <- function(data, found, entity, period, periods, empty, quiet) {
  variables <- unique(found$variable)
  check_new_variables(variables, setdiff(names(data), found$column), period)
  values <- unique(found$period)
  values <- values[order(period_order(values, periods))]
  fixed <- setdiff(names(data), c(entity, found$column))
  if (!quiet) say_recognised(variables, values, fixed)
  n <- nrow(data)
  each <- length(values)
  watched <- along_with_progress(variables, "Laying out the variables")
  blocks <- lapply(watched, function(v) {
    mine <- found[found$variable == variables[v], ]
    columns <- mine$column[match(values, mine$period)]
    interleave(variable_columns(data, columns, variables[v]), n)
  })
  names(blocks) <- variables
  out <- c(
    lapply(data[entity], rep_each, each),
    stats::setNames(list(rep(period_values(values), times = n)), period),
    lapply(data[fixed], rep_each, each), blocks
  )
  if (!empty && all(vapply(blocks, anyNA, logical(1)))) {
    keep <- which(!Reduce(`&`, lapply(blocks, is.na)))
    out <- lapply(out, function(x) x[keep])
  }
  out <- structure(out, class = "data.frame", row.names = .set_row_names(length(out[[1]])))
  new_panel_frame(out, entity, period, periods)
}

# One row an entity: each indicator and period a column, named by both.
indicators_to_columns <- function(data, shape, entity) {
  who <- unique(data[[entity]])
  fixed <- setdiff(names(data), c(entity, shape$indicator, shape$found$column))
  fixed <- fixed[vapply(data[fixed], function(x) same_within(x, data[[entity]]), TRUE)]
  out <- data[match(who, data[[entity]]), c(entity, fixed), drop = FALSE]
  for (one in unique(data[[shape$indicator]])) {
    rows <- which(data[[shape$indicator]] == one)
    at <- match(who, data[[entity]][rows])
    for (i in seq_len(nrow(shape$found))) {
      out[[paste(one, shape$found$period[i], sep = "\u001f")]] <- data[[shape$found$column[i]]][rows][at]
    }
  }
  rownames(out) <- NULL
  out
}

# A row an entity, indicator and period: a column an indicator.
from_indicators <- function(data, shape, entity, period, periods) {
  keys <- c(entity, period)
  key <- join_key(data, keys)
  all_keys <- unique(key)
  fixed <- setdiff(names(data), c(keys, shape$indicator, shape$value))
  fixed <- fixed[vapply(data[fixed], function(x) same_within(x, key), TRUE)]
  out <- data[match(all_keys, key), c(keys, fixed), drop = FALSE]
  indicators <- as.character(unique(data[[shape$indicator]]))
  check_new_variables(indicators, names(out), NULL)
  for (one in indicators) {
    rows <- which(data[[shape$indicator]] == one)
    out[[one]] <- data[[shape$value]][rows][match(all_keys, key[rows])]
  }
  rownames(out) <- NULL
  out[[period]] <- settle_period(out[[period]], period)
  new_panel_frame(out, entity, period, periods)
}

# A row a period, a column an entity.
from_across <- function(data, shape, entity, period, periods, empty, quiet) {
  if (!quiet) {
    tell_wavetax(c(i = sprintf("%s across: %s.", count_of(length(shape$columns), "entity"),
                               list_some(shape$columns, 6)),
                   i = sprintf("Their values are in `%s`.", shape$value)), class = "wavetax_message_recognised")
  }
  n <- nrow(data)
  each <- length(shape$columns)
  kinds <- variable_columns(data, shape$columns, shape$value)
  out <- list(rep(shape$columns, each = n), rep(settle_period(data[[shape$period]], period), times = each),
              do.call(c, lapply(kinds, function(x) if (is.null(x)) rep(NA, n) else x)))
  names(out) <- c(entity, period, shape$value)
  out <- structure(out, class = "data.frame", row.names = .set_row_names(n * each))
  if (!empty) out <- out[!is.na(out[[shape$value]]), , drop = FALSE]
  rownames(out) <- NULL
  new_panel_frame(out, entity, period, periods)
}

rep_each <- function(x, each) {
  if (is.numeric(x) && !is.object(x)) return(interleave(rep(list(x), each), length(x)))
  x[interleave(rep(list(seq_along(x)), each), length(x))]
}

# The columns of one variable, entity by entity; NULL stands for a period without a column.
# Dates and other classed columns are stacked and then ordered by their index.
interleave <- function(columns, n) {
  present <- Filter(Negate(is.null), columns)
  plain <- function(is_kind) all(vapply(present, function(x) is_kind(x) && !is.object(x), logical(1)))
  if (plain(is.integer)) return(core_interleave(columns, n, FALSE, core_threads(n)))
  if (plain(is.numeric)) {
    columns <- lapply(columns, function(x) if (is.null(x)) x else as.double(x))
    return(core_interleave(columns, n, TRUE, core_threads(n)))
  }
  stacked <- do.call(c, lapply(columns, function(x) if (is.null(x)) rep(NA, n) else x))
  stacked[as.vector(t(matrix(seq_along(stacked), n)))]
}

say_recognised <- function(variables, values, fixed) {
  tell_wavetax(
    c(i = sprintf("%s in %s: %s.", count_of(length(variables), "variable"),
                  count_of(length(values), "period"), list_some(variables, 8)),
      i = sprintf("Periods: %s.", list_some(values, 6)),
      i = if (length(fixed) > 0) sprintf("Fixed over time: %s.", list_some(fixed, 8))),
    class = "wavetax_message_recognised"
  )
}

# Rows without the name of an indicator would be lost.
check_indicator_names <- function(data, shape) {
  gone <- which(is_blank(data[[shape$indicator]]))
  if (length(gone) == 0) return(invisible())
  stop_wavetax("missing_keys", sprintf("`%s`, which names the indicators, is missing in %s.", shape$indicator,
                                       count_of(length(gone), "row")),
               where = sprintf("See %s.", row_words(gone, 5)), todo = "Fill the name in, or leave those rows out.")
}

say_indicators <- function(data, shape) {
  indicators <- unique(data[[shape$indicator]])
  tell_wavetax(c(i = sprintf("%s in `%s` become columns: %s.", count_of(length(indicators), "indicator"),
                             shape$indicator,
                             list_some(indicators, 8))), class = "wavetax_message_recognised")
}

check_new_name <- function(name, taken) {
  if (is.character(name) && length(name) == 1 && nzchar(name) && !name %in% taken) return(invisible())
  stop_wavetax("name_taken", sprintf("The new column cannot be called %s.", list_words(sQuote(name, FALSE))),
               todo = "Give a name that no column has.")
}

check_one_row_each <- function(data, entity) {
  key <- data[[entity]]
  check_no_missing_key(rank_key(key)$codes, entity)
  again <- unique(key[duplicated(key)])
  if (length(again) == 0) return(invisible())
  stop_wavetax(
    "duplicate_keys", sprintf("Several rows share one %s.", entity),
    where = sprintf("%s.", list_some(sprintf("%s (%s)", again, vapply(again, function(one) {
      row_words(which(key == one))
    }, "")))),
    todo = "A wide table has one row for each entity."
  )
}

# Names of variables come from headings and cells: none may be a column's already.
check_new_variables <- function(variables, taken, period) {
  both <- intersect(variables, c(taken, period))
  if (length(both) == 0) return(invisible())
  stop_wavetax("name_taken", sprintf("A variable would be called %s, as another column is.",
                                     list_words(sQuote(both, FALSE))),
               todo = "Rename that column first.")
}

stop_no_period_columns <- function(data, pattern) {
  stop_wavetax(
    "no_period_columns", "No periods were found in the column names.",
    where = sprintf("Columns are %s.", list_some(names(data), 8)),
    todo = c(
      "Names such as x_2009, 2009.x or x2009 are found by themselves.",
      "Others by a pattern: `pattern = \"^(?<variable>.+)-(?<period>[0-9]+)$\"`."
    )
  )
}

# The cells that keep a column from being numbers, of the first that has some.
odd_cells <- function(present, columns) {
  for (i in seq_along(present)) {
    cells <- as.character(present[[i]])
    lost <- column_numbers(cells, number_options())$lost
    if (length(lost) > 0) return(sprintf("No numbers in %s: %s.", columns[i], lost_words(cells, lost)))
  }
}

# Text that is numbers in one way only; NULL for other text.
text_as_numbers <- function(x) {
  read <- column_numbers(as.character(x), number_options())
  if (read$status == "numbers" && length(read$lost) == 0) read$value
}

# The columns of one variable, all of one kind; NULL where a period has no column, or one
# without any value.
variable_columns <- function(data, columns, variable) {
  present <- lapply(columns, function(column) {
    x <- if (!is.na(column)) data[[column]]
    if (anyNA(x) && all(is.na(x))) NULL else x
  })
  text <- vapply(present, function(x) is.character(x) || is.factor(x), logical(1))
  filled <- !vapply(present, is.null, logical(1))
  if (any(text) && !all(text[filled])) {
    read <- lapply(present[text], text_as_numbers)
    if (!any(vapply(read, is.null, TRUE))) {
      tell_wavetax(c(i = sprintf("`%s` is text in %s, and read as numbers.", variable, list_some(columns[text]))),
                   class = "wavetax_message_numbers")
      present[text] <- read
      text[] <- FALSE
    }
  }
  if (any(text) && !all(text[filled])) {
    stop_wavetax(
      "mixed_kinds", sprintf("`%s` is text in some periods and numbers in others.", variable),
      where = c(sprintf("Text: %s.", list_some(columns[text])), odd_cells(present[text], columns[text])),
      todo = "Make them one kind first."
    )
  }
  lapply(present, function(x) if (is.factor(x)) as.character(x) else x)
}
