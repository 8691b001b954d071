# The period on an integer clock: adjacent periods are 1 apart. Its step is the largest
# that meets every period seen. Whole numbers count as they are; quarters, months and ISO
# weeks as calendars do; dates that share their day of the month (or all end a month) in
# months, other dates in days; labels in the order given.

# A clock is a list: clock (by row, 0 where missing), periods (a label for each tick
# seen, in order), ticks (their place on the clock), step, unit (NULL for numbers).
period_clock <- function(x, order = NULL) {
  if (!is.null(order)) return(label_clock(x, order))
  if (is.ordered(x)) return(label_clock(x, levels(x)))
  if (inherits(x, "Date")) return(date_clock(x))
  if (is.factor(x) || is.character(x)) return(text_clock(x))
  ranked <- rank_key(x)
  months <- are_months(as.numeric(ranked$values))
  ticks <- as.numeric(ranked$values)
  if (months) ticks <- 12 * (ticks %/% 100) + ticks %% 100
  clock_of(ticks, ranked$codes, ranked$values, unit = if (months) "month")
}

# Whole numbers such as 201812 and 201901, which are one month apart.
are_months <- function(values) {
  length(values) > 0 && all(values >= 180001 & values <= 220012) && all(values %% 100 >= 1 & values %% 100 <= 12)
}

date_clock <- function(x) {
  ranked <- rank_key(as.numeric(x))
  days <- as.Date(ranked$values, origin = "1970-01-01")
  lt <- as.POSIXlt(days)
  ends <- as.POSIXlt(days + 1)
  by_month <- length(unique(lt$mday)) == 1 || all(ends$mday == 1)
  ticks <- if (by_month) lt$year * 12 + lt$mon else as.numeric(days)
  clock_of(ticks, ranked$codes, days, unit = if (by_month) "month" else "day")
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
      todo = sprintf("List every label once, in order: `periods = c(%s)`.",
                     paste(dQuote(utils::head(unique(c(order, unknown)), 4), FALSE), collapse = ", "))
    )
  }
  seen <- which(tabulate(codes, length(order)) > 0)
  clock <- codes - seen[1] + 1L
  clock[codes == 0L] <- 0L
  list(clock = clock, periods = order[seen], ticks = seen - seen[1] + 1L, step = 1, unit = "label")
}

text_clock <- function(x) {
  ranked <- rank_key(as.character(x))
  read <- read_periods(ranked$values)
  if (is.null(read)) stop_text_periods(ranked$values)
  clock_of(read$ticks, ranked$codes, ranked$values, read$unit)
}

# Ways to write a period, each a pattern and what its parts count.
period_forms <- list(
  year = list("^([0-9]{4})$", function(p) as.numeric(p[, 2])),
  quarter = list("^([0-9]{4})[-._ ]?[Qq]([1-4])$", function(p) 4 * as.numeric(p[, 2]) + as.numeric(p[, 3])),
  month = list("^([0-9]{4})[-._/ ]?[Mm]?(0[1-9]|1[0-2])$",
               function(p) 12 * as.numeric(p[, 2]) + as.numeric(p[, 3])),
  month = list("^([A-Za-z]{3,9})[-._ ]*([0-9]{4})$", function(p) {
    12 * as.numeric(p[, 3]) + match(tolower(substr(p[, 2], 1, 3)), tolower(month.abb))
  }),
  week = list("^([0-9]{4})-?[Ww](0[1-9]|[1-4][0-9]|5[0-3])$", function(p) iso_week(p[, 2], p[, 3])),
  day = list("^([0-9]{4}-[0-9]{2}-[0-9]{2})$", function(p) as.numeric(as.Date(p[, 2], optional = TRUE)))
)

# Weeks since 1970 of an ISO week: the one that holds the year's 4 January is the first.
iso_week <- function(year, week) {
  fourth <- as.Date(paste0(year, "-01-04"))
  monday <- as.numeric(fourth) - (as.POSIXlt(fourth)$wday + 6) %% 7
  (monday + 3) / 7 + as.numeric(week)
}

# The one form that all values have, with its ticks, or NULL.
read_periods <- function(values) {
  if (length(values) == 0) return(list(ticks = numeric(), unit = NULL))
  values <- trimws(values)
  for (f in seq_along(period_forms)) {
    form <- period_forms[[f]]
    parts <- regmatches(values, regexec(form[[1]], values))
    if (any(lengths(parts) == 0)) next
    ticks <- form[[2]](do.call(rbind, parts))
    if (anyNA(ticks)) next
    unit <- names(period_forms)[f]
    return(list(ticks = ticks, unit = if (unit != "year") unit))
  }
  NULL
}

# Which of different values are not written in the form that most of them have.
odd_periods <- function(values) {
  forms <- vapply(values, function(value) {
    read <- read_periods(value)
    if (is.null(read)) "none" else if (is.null(read$unit)) "year" else read$unit
  }, character(1))
  known <- forms[forms != "none"]
  if (length(known) == 0) rep(TRUE, length(values)) else forms != names(which.max(table(known)))
}

stop_text_periods <- function(values) {
  odd <- values[odd_periods(values)]
  stop_wavetax(
    "key_kind", "The periods are text that is not all of one kind.",
    where = sprintf("See %s.", list_some(dQuote(odd, FALSE))),
    todo = c(
      "Periods can be years, quarters (2014Q3), months (2014-03, Mar 2014), weeks (2014-W07) or dates.",
      "Labels of your own need their order: `periods = c(\"before\", \"during\", \"after\")`."
    )
  )
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
    "quarter 4" = "yearly", "week 1" = "weekly", "day 1" = "daily", "day 7" = "weekly"
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
