# The layout of a table that is not a row for each entity and period: periods across, indicators in
# rows, entities across.

# list(form, ...), or NULL. `asked`: the caller wants it reshaped, so that names such as x_1 count.
find_shape <- function(data, entity, period, pattern = NULL, periods = NULL, indicator = NULL, value = NULL,
                       asked = FALSE) {
  if (is.null(entity)) return(NULL)
  here <- names(data)
  if (!entity %in% here) {
    return(if (is.null(indicator)) find_across(data, period, value))
  }
  if (period %in% here && is.null(pattern)) {
    return(find_indicators(data, entity, period, indicator, value))
  }
  found <- find_period_columns(setdiff(here, c(entity, indicator)), pattern, periods, asked)
  if (is.null(found)) return(NULL)
  wide <- list(form = "wide", found = found, variables = unique(found$variable))
  if (!anyDuplicated(data[[entity]]) && is.null(indicator)) return(wide)
  if (is.null(indicator)) indicator <- indicator_column(data, entity, setdiff(here, c(entity, found$column)))
  if (is.null(indicator)) return(wide)
  list(form = "indicators across", found = found, variables = unique(data[[indicator]]), indicator = indicator)
}

# The text column that tells the rows of one key apart: few different values, each with many rows.
indicator_column <- function(data, keys, candidates) {
  key <- row_keys(data, keys)
  most <- max(tabulate(match(key, unique(key))))
  for (name in candidates) {
    x <- data[[name]]
    if (!is.character(x) && !is.factor(x) || anyNA(x)) next
    different <- length(unique(x))
    if (different >= most && different <= max(2, nrow(data) / 2) && !anyDuplicated(paste(key, x, sep = "\u001f"))) {
      return(name)
    }
  }
  NULL
}

# One number for each different combination of the columns' values.
row_keys <- function(data, columns) {
  key <- numeric(nrow(data))
  for (column in columns) {
    x <- plain_column(data[[column]])
    ranked <- if (is.atomic(x) && !is.object(x)) rank_key(x) else list(codes = match(x, unique(x)), values = unique(x))
    key <- key * (length(ranked$values) + 1) + ranked$codes
  }
  key
}

find_indicators <- function(data, entity, period, indicator, value) {
  keys <- c(entity, period)
  others <- setdiff(names(data), c(keys, indicator, value))
  key <- row_keys(data, keys)
  if (is.null(indicator)) {
    if (!anyDuplicated(key)) return(NULL)
    indicator <- indicator_column(data, keys, others)
    if (is.null(indicator)) return(NULL)
  }
  if (is.null(value)) {
    moving <- setdiff(others, indicator)
    moving <- moving[!vapply(data[moving], function(x) same_within(x, key), TRUE)]
    numbers <- moving[vapply(data[moving], is.numeric, TRUE)]
    value <- if (length(numbers) == 1) numbers else if (length(moving) == 1) moving
    if (is.null(value)) return(NULL)
  }
  list(form = "indicators", indicator = indicator, value = value, variables = as.character(unique(data[[indicator]])))
}

# Periods down the rows: the named column, or the only one that reads as periods and never repeats.
find_across <- function(data, period, value) {
  at <- if (!is.null(period) && period %in% names(data)) period else names(data)[1]
  x <- data[[at]]
  if (anyNA(x) || anyDuplicated(x)) return(NULL)
  if (!inherits(x, "Date") && !is_midnight(x) && is.null(read_periods(label_text(x)))) return(NULL)
  columns <- setdiff(names(data), at)
  if (length(columns) < 2 || !all(vapply(data[columns], function(x) is.numeric(x) || all(is.na(x)), TRUE))) return(NULL)
  list(form = "across", period = at, columns = columns, value = if (is.null(value)) "value" else value,
       variables = value)
}

# Column names that are a variable and a period, at least two periods of one variable.
year_words <- "(?:1[89]|20)[0-9]{2}"
either_case <- function(signs) {
  at <- ifelse(is.na(match(signs, letters)), match(signs, LETTERS), match(signs, letters))
  paste(sprintf("[%s%s]", LETTERS[at], letters[at]), collapse = "")
}
month_words <- sprintf("(?:%s)[A-Za-z]*", paste(vapply(strsplit(month.abb, ""), either_case, ""), collapse = "|"))
period_in_name <- paste0("(?<period>", c(
  paste0(month_words, "[_. -]?[0-9]{4}"), paste0(year_words, "[-._]", "[01][0-9][-._][0-3][0-9]"),
  paste0(year_words, "[_. -](?:0[1-9]|1[0-2])"),
  "[0-9]{4}[-_. ]?[QqMmHh][0-9]{1,2}|[0-9]{4}[-_. ]?[Ww][0-9]{2}",
  "[0-9]{1,2}[/.][0-9]{1,2}[/.][0-9]{4}", paste0("[QqHh][1-4][-_. ]?", year_words),
  paste0("(?:FY)?", year_words, "[/-](?:[0-9]{4}|[0-9]{2})"),
  paste0("(?:FY)?", year_words, "(?:(?: \\[|\\.\\.)YR[0-9]{4}[\\].])?")
), ")")
period_name_patterns <- c(
  sprintf("^[XxYy]?%s(?<variable>)$", period_in_name),
  sprintf("^(?<variable>.*[^0-9_. -])[_. -]%s$", period_in_name),
  sprintf("^(?<variable>.*[^0-9_. -])%s$", period_in_name[-1]),
  sprintf("^[Xx]?%s[_. -](?<variable>[^0-9].*)$", period_in_name)
)
counted_name <- "^(?<variable>.*[^0-9_. -])[_.](?<period>-?[0-9]+)$"

find_period_columns <- function(names, pattern = NULL, periods = NULL, asked = FALSE) {
  patterns <- if (!is.null(pattern)) pattern else
    c(if (!is.null(periods)) label_pattern(periods), period_name_patterns, if (asked) counted_name)
  best <- NULL
  for (one in patterns) {
    found <- columns_by(one, names)
    if (is.null(found)) next
    if (!is.null(pattern) || !is.null(periods) || is.null(best) && identical(one, counted_name)) return(found)
    if (is_periods(found$period) && (is.null(best) || nrow(found) > nrow(best))) best <- found
  }
  best
}

# Periods that are labels, behind the variable's name.
label_pattern <- function(periods) {
  labels <- gsub("([][{}()+*^$|\\\\?.])", "\\\\\\1", as.character(periods))
  sprintf("^(?<variable>.*)[_. -](?<period>%s)$", paste(labels[order(-nchar(labels))], collapse = "|"))
}

is_periods <- function(values) !is.null(read_periods(unique(plain_period(values))))

# A period within a name may have been cut by other marks than it has alone.
plain_period <- function(values) {
  values <- sub("\\.\\.YR([0-9]{4})\\.$", " [YR\\1]", values)
  dates <- grepl("^[0-9]{4}[._][01][0-9]([._][0-3][0-9])?$", values)
  values[dates] <- gsub("[._]", "-", values[dates])
  sub("^([0-9]{4})_", "\\1-", values)
}

columns_by <- function(pattern, names) {
  match <- regexpr(pattern, names, perl = TRUE)
  hit <- match > 0
  if (sum(hit) < 2) return(NULL)
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
  if (any(several)) found[several, ]
}

period_order <- function(values, periods) {
  if (!is.null(periods)) return(match(values, periods))
  read <- read_periods(plain_period(values))
  if (is.null(read) || !is.null(read$question)) suppressWarnings(as.numeric(values)) else read$ticks
}

# Periods out of names: years and counts as numbers, ISO dates as dates, others as they stand.
period_values <- function(values) {
  numbers <- suppressWarnings(as.integer(values))
  if (!anyNA(numbers) && all(as.character(numbers) == values)) return(numbers)
  plain <- plain_period(values)
  read <- read_periods(plain)
  if (is.null(read) || !is.null(read$question)) return(values)
  if (!is.null(read$dates) && all(grepl("^[0-9]{4}-", plain))) return(read$dates)
  if (is.null(read$unit) && read$marked) return(as.integer(read$ticks))
  plain
}

# What the call is that makes a table long, for the doors that wait for a long one.
shape_words <- function(shape) {
  switch(shape$form,
    wide = sprintf("%s stand in the column names: %s.", count_of(length(unique(shape$found$period)), "period"),
                   list_some(unique(sprintf("%s for %s", shape$found$column, shape$found$variable)))),
    "indicators across" = sprintf("A row is an entity and indicator (`%s`: %s), with %s across.", shape$indicator,
                                  list_some(shape$variables), count_of(length(unique(shape$found$period)), "period")),
    indicators = sprintf("A row is an entity, period and indicator (`%s`: %s), with the values in `%s`.",
                         shape$indicator,
                         list_some(shape$variables), shape$value),
    across = sprintf("A row is a period (`%s`), with %s across: %s.", shape$period,
                     count_of(length(shape$columns), "entity"), list_some(shape$columns))
  )
}

stop_not_long <- function(shape, file) {
  stop_wavetax("not_long", "The table has no row for each entity and period.", where = shape_words(shape),
               todo = "It is laid out anew with `layout = \"find\"`.")
}
