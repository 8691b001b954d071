# The period on an integer clock: adjacent periods are 1 apart. Its step is the largest
# that meets every period seen. Whole numbers count as they are; quarters, months and ISO
# weeks as calendars do; dates that share their day of the month (or all end a month) in
# months, other dates in days; labels in the order given.

# A clock is a list: clock (by row, 0 where missing), periods (a label for each tick
# seen, in order), ticks (their place on the clock), step, unit (NULL for numbers).
period_clock <- function(x, order = NULL, format = NULL) {
  if (!is.null(order)) return(label_clock(x, order))
  if (is.ordered(x)) return(label_clock(x, levels(x)))
  if (inherits(x, c("Date", "POSIXct"))) return(date_clock(x))
  if (is.factor(x) || is.character(x)) return(text_clock(x, format))
  ranked <- rank_key(x)
  values <- as.numeric(ranked$values)
  if (are_days(values)) return(day_clock(number_days(values), ranked$codes, ranked$values))
  months <- are_months(values)
  if (months) values <- 12 * (values %/% 100) + values %% 100
  clock_of(values, ranked$codes, ranked$values, unit = if (months) "month")
}

# Whole numbers such as 201812 and 201901, which are one month apart.
are_months <- function(values) {
  length(values) > 0 && all(values >= 180001 & values <= 220012) && all(values %% 100 >= 1 & values %% 100 <= 12)
}

# Whole numbers such as 20010331, all of them dates.
are_days <- function(values) {
  length(values) > 0 && all(values >= 18000101 & values <= 22001231) && !anyNA(number_days(values))
}
number_days <- function(values) as.Date(formatC(values, format = "d", width = 8), "%Y%m%d", optional = TRUE)

date_clock <- function(x) {
  ranked <- rank_key(as.numeric(if (inherits(x, "POSIXct")) day_of_midnight(x) else x))
  days <- as.Date(ranked$values, origin = "1970-01-01")
  day_clock(days, ranked$codes, days)
}

time_zone <- function(x) {
  zone <- attr(x, "tzone")
  if (!is.null(zone) && nzchar(zone[1])) return(zone[1])
  if (all(as.numeric(x) %% 86400 == 0, na.rm = TRUE)) "UTC" else ""
}

# Times that are all midnight are dates. In the zones where clocks are put forward at midnight R has 23:00 or
# 1:00 instead, and steps of 24 hours are an hour off for half a year: an hour to either side is midnight where
# others are midnight, and no two times share their day.
is_midnight <- function(x) {
  if (!inherits(x, "POSIXct")) return(FALSE)
  times <- unique(as.numeric(x))
  times <- as.POSIXct(times[!is.na(times)], origin = "1970-01-01", tz = time_zone(x))
  parts <- as.POSIXlt(times)
  exact <- parts$hour == 0
  all(parts$hour %in% c(23, 0, 1) & parts$min == 0 & parts$sec == 0) &&
    (all(exact) || any(exact) && !anyDuplicated(day_of_midnight(times)))
}

day_of_midnight <- function(x) as.Date(x + 7200, tz = time_zone(x))

# Dates that share their day of the month, or all end a month, are months.
day_clock <- function(days, codes, labels) {
  lt <- as.POSIXlt(days)
  ends <- as.POSIXlt(days + 1)
  by_month <- length(unique(lt$mday)) == 1 || all(ends$mday == 1)
  ticks <- if (by_month) lt$year * 12 + lt$mon else as.numeric(days)
  clock_of(ticks, codes, labels, unit = if (by_month) "month" else "day")
}

label_clock <- function(x, order) {
  order <- as.character(order)
  codes <- match(as.character(x), order, nomatch = 0L)
  unknown <- unique(as.character(x)[codes == 0L & !is.na(x)])
  if (length(unknown) > 0 || anyDuplicated(order)) {
    stop_wavetax(
      "key_kind",
      if (length(unknown) > 0) {
        sprintf("The periods hold %s, which `periods` does not list.", list_some(dQuote(unknown, FALSE)))
      } else {
        "`periods` lists a label twice."
      },
      todo = sprintf("List every label once, in order: `periods = %s`.",
                     code_texts(utils::head(unique(c(order, unknown)), 4)))
    )
  }
  seen <- which(tabulate(codes, length(order)) > 0)
  clock <- codes - seen[1] + 1L
  clock[codes == 0L] <- 0L
  list(clock = clock, periods = order[seen], ticks = seen - seen[1] + 1L, step = 1, unit = "label")
}

text_clock <- function(x, format = NULL) {
  ranked <- rank_key(as.character(x))
  read <- read_periods(ranked$values, format)
  if (is.null(read)) stop_text_periods(ranked$values, format)
  if (!is.null(read$question)) stop_period_question(read$question)
  if (is.null(read$dates)) return(clock_of(read$ticks, ranked$codes, ranked$values, read$unit))
  day_clock(read$dates, ranked$codes, ranked$values)
}

clock_of <- function(ticks, codes, values, unit) {
  seen <- sort(unique(ticks))
  apart <- diff(seen)
  step <- if (length(apart) == 0) 1 else Reduce(greatest_common_divisor, apart)
  check_span((seen[length(seen)] - seen[1]) / step, values, ticks)
  place <- as.integer((ticks - seen[1]) / step) + 1L
  clock <- if (identical(place, seq_along(place))) codes else c(0L, place)[codes + 1L]
  list(
    clock = clock, periods = values[match(seen, ticks)],
    ticks = as.integer((seen - seen[1]) / step) + 1L, step = step, unit = unit
  )
}

# The clock is a whole number: a period may be at most some 2e9 steps from the first.
check_span <- function(span, values, ticks) {
  if (length(span) == 0 || is.na(span) || span < .Machine$integer.max - 1) return(invisible())
  far <- values[which.max(abs(ticks - stats::median(ticks)))]
  stop_wavetax("key_kind", sprintf("The period %s is too far from the others to be counted to.", label_text(far)),
               todo = "Correct that cell; a digit may be doubled.")
}

greatest_common_divisor <- function(a, b) {
  while (b > 0) {
    rest <- a %% b
    a <- b
    b <- rest
  }
  a
}

step_words <- function(index) {
  step <- index$step
  if (is.null(index$unit)) {
    if (step == 1) return("")
    return(paste("every", label_text(step)))
  }
  if (index$unit == "label") return("in the order given")
  named <- c(
    "month 1" = "monthly", "month 3" = "quarterly", "month 12" = "yearly", "quarter 1" = "quarterly",
    "quarter 4" = "yearly", "half-year 1" = "half-yearly", "half-year 2" = "yearly", "week 1" = "weekly",
    "day 1" = "daily", "day 7" = "weekly"
  )
  word <- named[paste(index$unit, step)]
  if (is.na(word)) paste("every", label_text(step), plural_of(index$unit)) else unname(word)
}

# The place of each row's period among those seen, from 1: tables by period are of this length,
# however long the clock between them.
period_place <- function(index) {
  if (length(index$ticks) == index$span) return(index$clock)
  match(index$clock, index$ticks)
}

format_period <- function(x) label_text(x)
