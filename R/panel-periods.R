# Periods as people write them: which of the forms below all values of a column have, and where each
# stands on its calendar.

# The months of names such as Mar, March or Sept.
month_number <- function(word) {
  word <- lower_case(sub("\\.$", "", word))
  month <- pmatch(word, lower_case(month.name), duplicates.ok = TRUE)
  month[is.na(month) & word == "sept"] <- 9L
  month[nchar(word) < 3] <- NA
  as.numeric(month)
}

in_year <- function(per_year, year, part) {
  function(p) per_year * as.numeric(p[, year]) + as.numeric(p[, part])
}
named_month <- function(year, part) function(p) 12 * as.numeric(p[, year]) + month_number(p[, part])

# A year that runs into the next, 2018/19: both halves must say so.
split_year <- function(p) {
  first <- as.numeric(p[, 2])
  second <- as.numeric(p[, 3])
  ifelse((first + 1) %% ifelse(nchar(p[, 3]) == 2, 100, 10000) == second, first, NA)
}

days_of <- function(format, ...) {
  function(p) {
    text <- do.call(paste, c(lapply(c(...), function(part) p[, part]), sep = "-"))
    as.numeric(as.Date(text, format, optional = TRUE))
  }
}
named_days <- function(year, month, day) {
  function(p) {
    text <- paste(p[, year], month_number(p[, month]), p[, day], sep = "-")
    as.numeric(as.Date(text, "%Y-%m-%d", optional = TRUE))
  }
}

# Weeks since 1970 of an ISO week: the one that holds the year's 4 January is the first.
iso_week <- function(p) {
  fourth <- as.Date(paste0(p[, 2], "-01-04"))
  monday <- as.numeric(fourth) - (as.POSIXlt(fourth)$wday + 6) %% 7
  (monday + 3) / 7 + as.numeric(p[, 3])
}

# In order: the first form that all values have is theirs. Each has a unit, a pattern, what its parts
# count to (NA where they are no period), and its name for people. A time of day after a date is
# midnight only.
midnight <- "(?:[T ]0?0:00(?::00(?:\\.0+)?)?(?: ?AM)?Z?)?"
period_form <- function(unit, pattern, ticks, words) {
  list(unit = unit, pattern = paste0("^", pattern, "$"), ticks = ticks, words = words)
}
period_forms <- list(
  period_form("year", "([0-9]{4})", function(p) as.numeric(p[, 2]), "years"),
  period_form("year", "(?:FY|CY|AY) ?'?([0-9]{4})", function(p) as.numeric(p[, 2]), "fiscal years"),
  period_form("year", "(?:FY|CY|AY)? ?([0-9]{4}) ?[/\u2013-] ?([0-9]{4}|[0-9]{2})", split_year,
              "years that run into the next"),
  period_form("half-year", "([0-9]{4})[-._/ ]?[HS]([12])", in_year(2, 2, 3), "half-years"),
  period_form("half-year", "[HS]([12])[-._/ ]*([0-9]{4})", in_year(2, 3, 2), "half-years"),
  period_form("quarter", "([0-9]{4})[-._/: ]?Q([1-4])", in_year(4, 2, 3), "quarters"),
  period_form("quarter", "Q([1-4])[-._/: ]*([0-9]{4})", in_year(4, 3, 2), "quarters"),
  period_form("quarter", "([1-4])Q[-._/ ]*([0-9]{4})", in_year(4, 3, 2), "quarters"),
  period_form("month", "([0-9]{4})[-._/ ]?M?(0[1-9]|1[0-2])", in_year(12, 2, 3), "months"),
  period_form("month", "([0-9]{4})(?:[-_/ ]|[-._/ ]?M)(0?[1-9]|1[0-2])", in_year(12, 2, 3), "months"),
  period_form("month", "(0?[1-9]|1[0-2])[-._/]([0-9]{4})", in_year(12, 3, 2), "months"),
  period_form("month", "([A-Z]{3,9}\\.?)[-._/, ]*([0-9]{4})", named_month(3, 2), "months"),
  period_form("month", "([0-9]{4})[-._/ ]*([A-Z]{3,9}\\.?)", named_month(2, 3), "months"),
  period_form("week", "([0-9]{4})-?W(0[1-9]|[1-4][0-9]|5[0-3])", iso_week, "weeks"),
  period_form("day", paste0("([0-9]{4})[-/.]([0-9]{1,2})[-/.]([0-9]{1,2})", midnight), days_of("%Y-%m-%d", 2, 3, 4),
              "dates"),
  period_form("day", "([12][0-9]{3})([01][0-9])([0-3][0-9])", days_of("%Y-%m-%d", 2, 3, 4), "dates"),
  period_form("day", "([0-9]{1,2})[-. ]*([A-Z]{3,9}\\.?)[-., ]*([0-9]{4})", named_days(4, 3, 2), "dates"),
  period_form("day", "([A-Z]{3,9}\\.?)[-. ]*([0-9]{1,2})[-., ]+([0-9]{4})", named_days(4, 2, 3), "dates")
)
# Of these two the one that fits is taken; where both do, it is asked for.
slashed_date <- paste0("^([0-9]{1,2})[-/.]([0-9]{1,2})[-/.]([0-9]{4})", midnight, "$")
date_orders <- c("%d/%m/%Y" = "day, month, year", "%m/%d/%Y" = "month, day, year")

# What different values of a key are as periods: list(ticks, unit, words, and `dates` for days), NULL
# where they have no form in common, or list(question) where dates can be read in two ways. `format`
# is R's own notation of dates, for those that no form knows.
read_periods <- function(values, format = NULL) {
  if (length(values) == 0) return(list(ticks = numeric(), unit = NULL))
  values <- trimws(values)
  if (!is.null(format)) return(formatted_days(values, format))
  plain <- sub(" ?\\[YR[0-9QM]+\\]$", "", values)
  capital <- upper_case(plain)
  for (form in period_forms) {
    if (!grepl(form$pattern, capital[1], perl = TRUE)) next
    ticks <- form_ticks(form, capital)
    if (anyNA(ticks) || identical(form$ticks, split_year) && is_one_month(plain)) next
    return(new_periods(ticks, form$unit, form$words, marked = !identical(plain, values)))
  }
  slashed_days(capital)
}

new_periods <- function(ticks, unit, words, marked = FALSE) {
  list(ticks = ticks, unit = if (unit != "year") unit, words = words, marked = marked,
       dates = if (unit == "day") as.Date(ticks, origin = "1970-01-01"))
}

form_ticks <- function(form, values) {
  parts <- regmatches(values, regexec(form$pattern, values, perl = TRUE))
  if (any(lengths(parts) == 0)) return(NA_real_)
  form$ticks(do.call(rbind, parts))
}

# 2010-11 alone is a month; several years that all run into the next are not months thirteen apart.
is_one_month <- function(values) {
  length(unique(values)) == 1 && grepl("^[0-9]{4}[/-](0[1-9]|1[0-2])$", values[1])
}

slashed_days <- function(values) {
  parts <- regmatches(values, regexec(slashed_date, values, perl = TRUE))
  if (any(lengths(parts) == 0)) return(NULL)
  parts <- do.call(rbind, parts)
  days <- list(days_of("%Y-%m-%d", 4, 3, 2)(parts), days_of("%Y-%m-%d", 4, 2, 3)(parts))
  fits <- !vapply(days, anyNA, TRUE)
  if (!any(fits)) return(NULL)
  if (all(fits) && !identical(days[[1]], days[[2]])) {
    shown <- which(days[[1]] != days[[2]])[1]
    either <- as.Date(c(days[[1]][shown], days[[2]][shown]), origin = "1970-01-01")
    return(list(question = list(value = values[shown], days = either)))
  }
  new_periods(days[[which(fits)[1]]], "day", paste0("dates (", date_orders[which(fits)[1]], ")"))
}

formatted_days <- function(values, format) {
  # The names of months are English, whatever the session's.
  before <- Sys.getlocale("LC_TIME")
  on.exit(Sys.setlocale("LC_TIME", before))
  Sys.setlocale("LC_TIME", "C")
  days <- as.Date(values, format, optional = TRUE)
  bare <- function(x) gsub("\\b0+", "", lower_case(x), perl = TRUE)
  if (anyNA(days) || any(bare(format(days, format)) != bare(values))) return(NULL)
  new_periods(as.numeric(days), "day", sprintf("dates (%s)", format))
}

# Which of different values are not written in the form that most of them have.
odd_periods <- function(values, format = NULL) {
  forms <- vapply(values, function(value) {
    read <- read_periods(value, format)
    if (is.null(read)) "none" else if (!is.null(read$question)) "day" else if (is.null(read$unit)) "year" else
      read$unit
  }, character(1))
  known <- forms[forms != "none"]
  if (length(known) == 0) return(rep(TRUE, length(values)))
  usual <- commonest(known)
  odd <- forms != usual
  if (any(odd) || usual != "day") return(odd)
  odd_dates(values)
}

# The value that occurs most often, the first to come of several.
commonest <- function(x) {
  values <- unique(x)
  values[which.max(tabulate(match(x, values), length(values)))]
}

# Dates whose order of day and month is not that of most.
odd_dates <- function(values) {
  parts <- regmatches(values, regexec(slashed_date, values, perl = TRUE))
  slashed <- lengths(parts) > 0
  if (sum(slashed) < length(values) / 2) return(slashed)
  numbers <- vapply(parts[slashed], function(p) as.numeric(p[2:3]), numeric(2))
  day_first <- sum(numbers[1, ] > 12) >= sum(numbers[2, ] > 12)
  odd <- !slashed
  odd[slashed] <- numbers[if (day_first) 2 else 1, ] > 12
  odd
}

stop_text_periods <- function(values, format = NULL) {
  odd <- if (is.null(format)) odd_periods(values) else vapply(values, function(x) is.null(formatted_days(x, format)),
                                                              TRUE)
  odd <- if (any(odd)) values[odd] else values
  stop_wavetax(
    "key_kind", if (is.null(format)) "The periods are text that is not all of one kind." else
      sprintf("The periods are not all dates as %s writes them.", dQuote(format, FALSE)),
    where = sprintf("See %s.", list_some(dQuote(odd, FALSE))),
    todo = c(
      "Periods can be years (2014, 2014/15), half-years (2014H1), quarters (2014Q3), months (2014-03, Mar 2014), weeks",
      "(2014-W07) or dates (others by `date_format`, in `read_panel()`). Labels of your own need their order:",
      "`periods = c(\"before\", \"during\", \"after\")`."
    )
  )
}

# The notation of a date such as 01.02.2001 with its own marks.
date_pattern <- function(value, order) {
  marks <- regmatches(value, gregexpr("[^0-9]", value))[[1]]
  parts <- if (order == "dm") c("%d", "%m") else c("%m", "%d")
  paste0(parts[1], marks[1], parts[2], marks[2], "%Y")
}

question_days <- function(question) {
  paste(as.integer(format(question$days, "%d")), month.name[as.integer(format(question$days, "%m"))])
}

stop_period_question <- function(question) {
  days <- question_days(question)
  stop_wavetax(
    "ambiguous_periods", "The dates may begin with the day or with the month.",
    where = sprintf("%s is %s or %s.", dQuote(question$value, FALSE), days[1], days[2]),
    todo = sprintf("Say which: `date_format = \"%s\"` or `date_format = \"%s\"`.", date_pattern(question$value, "dm"),
                   date_pattern(question$value, "md"))
  )
}
