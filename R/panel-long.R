#' From periods as columns to periods as rows, and back
#'
#' Question answered: *my file has a column for each year; how do I get a row for each?*
#' Variables and periods are found in the column names: `nights_2009`, `2009.nights`,
#' `nights2009`, `nights_2014Q3`, `nights_Mar2014`, or by a written pattern. Columns without a period are
#' fixed over time and repeated. What was recognised is said in a message.
#'
#' @param data A data frame with a row for each entity.
#' @param entity The entity's column, bare or quoted.
#' @param period Name of the new column of periods.
#' @param pattern `NULL`, or a regular expression with the two groups `(?<variable>...)`
#'   and `(?<period>...)`, such as `"^(?<variable>[a-z]+)\\\\.t(?<period>[0-9]+)$"`.
#' @param periods For periods that are labels: all of them, in order.
#' @param empty Whether to keep rows in which every variable is missing.
#' @return `panel_to_long()`: a [panel_frame()] with the entity, the period, the fixed
#'   columns and a column a variable. `panel_to_wide()`: a data frame with a row for each
#'   entity, and a column `variable_period` for each variable that moves.
#' @section Errors:
#' `wavetax_error_no_period_columns` when no period is found in the names;
#' `wavetax_error_duplicate_keys` when an entity has several rows;
#' `wavetax_error_mixed_kinds` when a variable is text in one period and numbers in
#' another.
#' @examples
#' wide <- read.csv(system.file("extdata", "harbours-wide.csv", package = "wavetax"))
#' long <- panel_to_long(wide, harbour, period = "season")
#' long
#' identical(names(panel_to_wide(long))[1:3], names(wide)[1:3])
#' @export
panel_to_long <- function(data, entity, period = "period", pattern = NULL, periods = NULL,
                          empty = FALSE) {
  check_is_table(data)
  data <- plain_data_frame(data)
  check_has_rows(data)
  check_flag(empty, "empty")
  check_periods(periods)
  if (!is.null(pattern)) check_pattern(pattern)
  entity <- column_name(rlang::enquo(entity), data, "entity")
  check_new_name(period, setdiff(names(data), entity))
  check_one_row_each(data, entity)
  found <- find_period_columns(setdiff(names(data), entity), pattern)
  if (is.null(found)) stop_no_period_columns(data, pattern)
  variables <- unique(found$variable)
  values <- unique(found$period)
  values <- values[order(period_order(values, periods))]
  fixed <- setdiff(names(data), c(entity, found$column))
  say_recognised(variables, values, fixed)
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

rep_each <- function(x, each) {
  if (is.numeric(x) && !is.object(x)) return(interleave(rep(list(x), each), length(x)))
  x[interleave(rep(list(seq_along(x)), each), length(x))]
}

# The columns of one variable, entity by entity; NULL stands for a period without a column.
# Dates and other classed columns are stacked and then ordered by their index.
interleave <- function(columns, n) {
  present <- Filter(Negate(is.null), columns)
  plain <- function(is_kind) all(vapply(present, function(x) is_kind(x) && !is.object(x), logical(1)))
  if (plain(is.integer)) return(cpp_interleave(columns, n, FALSE, core_threads(n)))
  if (plain(is.numeric)) {
    columns <- lapply(columns, function(x) if (is.null(x)) x else as.double(x))
    return(cpp_interleave(columns, n, TRUE, core_threads(n)))
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

# Column names that are a variable and a period, at least two periods of one variable.
period_name_patterns <- c(
  sprintf("^(?<variable>.*)[_. -](?<period>(?i:%s)[a-z]*[_. -]?[0-9]{4})$", paste(month.abb, collapse = "|")),
  "^(?<variable>.*[^0-9_. -])[_. -]?(?<period>(?:1[89]|20)[0-9]{2}[_. -](?:0[1-9]|1[0-2]))$",
  "^(?<variable>.*[^0-9_. -])[_. -]?(?<period>[0-9]{4}[-_. ]?[QqMmWw][0-9]{1,2})$",
  "^(?<variable>.*[^0-9_. -])[_. -]?(?<period>(?:1[89]|20)[0-9]{2})$",
  "^[Xx]?(?<period>(?:1[89]|20)[0-9]{2})[_. -](?<variable>[^0-9].*)$",
  "^[XxYy]?(?<period>(?:1[89]|20)[0-9]{2})(?<variable>)$"
)

find_period_columns <- function(names, pattern = NULL) {
  patterns <- if (is.null(pattern)) period_name_patterns else pattern
  for (one in patterns) {
    match <- regexpr(one, names, perl = TRUE)
    hit <- match > 0
    if (sum(hit) < 2) next
    start <- attr(match, "capture.start")
    length <- attr(match, "capture.length")
    if (!all(c("variable", "period") %in% colnames(start))) {
      stop_wavetax("pattern", "The pattern has no groups (?<variable>...) and (?<period>...).",
                   todo = "For example `\"^(?<variable>[a-z]+)_(?<period>[0-9]+)$\"`.")
    }
    part <- function(group) substring(names, start[, group], start[, group] + length[, group] - 1)[hit]
    found <- data.frame(column = names[hit], variable = part("variable"), period = part("period"))
    found$variable[!nzchar(found$variable)] <- "value"
    several <- found$variable %in% found$variable[duplicated(found$variable)]
    if (any(several)) return(found[several, ])
  }
  NULL
}

check_pattern <- function(pattern) {
  check_text(pattern, "pattern", "Give one regular expression in quotes.", kind = "pattern")
  good <- tryCatch(suppressWarnings(is.integer(regexpr(pattern, "a", perl = TRUE))), error = function(cnd) FALSE)
  if (good) return(invisible())
  stop_wavetax("pattern", sprintf("The pattern %s is not a regular expression.", dQuote(pattern, FALSE)),
               todo = "For example `\"^(?<variable>[a-z]+)_(?<period>[0-9]+)$\"`.")
}

period_order <- function(values, periods) {
  if (!is.null(periods)) return(match(values, periods))
  read <- read_periods(values)
  if (is.null(read)) suppressWarnings(as.numeric(values)) else read$ticks
}

period_values <- function(values) {
  numbers <- suppressWarnings(as.integer(values))
  if (!anyNA(numbers) && all(as.character(numbers) == values)) numbers else values
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
    stop_wavetax(
      "mixed_kinds", sprintf("`%s` is text in some periods and numbers in others.", variable),
      where = sprintf("Text: %s.", list_some(columns[text])),
      todo = "Make them one kind first."
    )
  }
  lapply(present, function(x) if (is.factor(x)) as.character(x) else x)
}

#' @rdname panel_to_long
#' @param variables Columns that get one column a period; `NULL`: all that vary within an
#'   entity. Other columns that vary are left out, which is said.
#' @export
panel_to_wide <- function(data, variables = NULL) {
  check_is_panel(data)
  index <- panel_index(data)
  others <- setdiff(names(data), c(index$entity, index$period))
  check_texts(variables, "variables", "Name columns in quotes.")
  if (!is.null(variables)) check_columns(variables, data)
  moving <- variables
  if (is.null(variables)) moving <- others[!vapply(data[others], fixed_within, logical(1), index)]
  labels <- format_period(index$periods)
  N <- length(index$entities)
  first <- match(seq_len(N), index$codes)
  order <- order(first)
  at <- (match(index$clock, index$ticks) - 1) * N + index$codes
  rest <- setdiff(others, moving)
  varies <- rest[!vapply(data[rest], fixed_within, logical(1), index)]
  if (length(varies) > 0) {
    tell_wavetax(c(i = sprintf("Left out, as they vary within a %s: %s.", index$entity, list_some(varies, 8))),
                  class = "wavetax_message_left_out")
  }
  fixed <- c(index$entity, setdiff(rest, varies))
  out <- plain_data_frame_keeping_names(data)[first[order], fixed, drop = FALSE]
  for (variable in moving) {
    source <- data[[variable]]
    rows <- rep(NA_integer_, N * length(labels))
    rows[at] <- seq_along(source)
    rows <- matrix(rows, N)[order, , drop = FALSE]
    for (p in seq_along(labels)) out[[paste0(variable, "_", labels[p])]] <- source[rows[, p]]
  }
  rownames(out) <- NULL
  out
}

format_period <- function(x) label_text(x)

# Whether a column never differs (nor goes missing) within an entity.
fixed_within <- function(x, index) {
  first <- match(seq_along(index$entities), index$codes)
  reference <- x[first][index$codes]
  all((is.na(x) & is.na(reference)) | (!is.na(x) & !is.na(reference) & x == reference))
}
