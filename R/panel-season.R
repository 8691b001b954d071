#' The season of a period
#'
#' Question answered: *which year, quarter or month is this?* For formulas, where [factor()] makes a dummy of
#' each: `log(nights) ~ levy + factor(quarter_of(quarter))`.
#'
#' @param x Dates, times at midnight, whole numbers such as 201403 or 20140315, or text as a period can be written:
#'   quarters (2014Q3; they have no month), months (2014-03, Mar 2014), dates.
#' @return Whole numbers: the year, 1 to 4, or 1 to 12; `NA` where x is.
#' @section Errors:
#' `wavetax_error_operator` for what has no quarter, or no month.
#' @examples
#' quarter_of(c("2014Q3", "2014Q4", "2015Q1"))
#' month_of(as.Date("2014-03-31") + c(0, 1))
#' year_of(c("2014Q3", "2015Q1"))
#' @export
quarter_of <- function(x) {
  season <- season_of(x, "quarter")
  if (season$unit == "quarter") season$part else as.integer((season$part + 2) %/% 3)
}

#' @rdname quarter_of
#' @export
month_of <- function(x) {
  season <- season_of(x, "month")
  if (season$unit == "quarter") stop_no_season(x, "month", "Quarters have none.")
  season$part
}

#' @rdname quarter_of
#' @export
year_of <- function(x) season_of(x, "year")$year

# Which quarter or month of which year each value is: list(unit, part, year).
season_of <- function(x, wanted) {
  if (inherits(x, "POSIXct") && all(is.na(x) | is_midnight(x))) x <- day_of_midnight(x)
  if (inherits(x, "Date")) return(parts_of_days(x))
  if (!is.factor(x) && (is.object(x) || !is.character(x) && !is.numeric(x))) {
    stop_no_season(x, wanted, sprintf("It is %s.", value_words(x)))
  }
  ranked <- rank_key(if (is.factor(x)) as.character(x) else x)
  parts <- season_parts(ranked$values, wanted)
  parts[c("part", "year")] <- lapply(parts[c("part", "year")], function(of) c(NA, of)[ranked$codes + 1L])
  parts
}

parts_of_days <- function(days) {
  at <- as.POSIXlt(days)
  list(unit = "month", part = at$mon + 1L, year = at$year + 1900L)
}

season_parts <- function(values, wanted) {
  if (length(values) == 0) return(list(unit = "month", part = integer(), year = integer()))
  if (is.numeric(values)) {
    if (are_days(values)) return(parts_of_days(number_days(values)))
    if (are_months(values)) {
      return(list(unit = "month", part = as.integer(values %% 100), year = as.integer(values %/% 100)))
    }
    if (wanted == "year" && are_years(values)) return(list(unit = "year", part = rep(1L, length(values)),
                                                           year = as.integer(values)))
    stop_no_season(values, wanted, sprintf("See %s.", list_some(format(values))))
  }
  read <- read_periods(values)
  if (!is.null(read$question)) stop_period_question(read$question)
  if (!is.null(read$dates)) return(parts_of_days(read$dates))
  if (wanted == "year" && are_years(suppressWarnings(as.numeric(values)))) {
    return(list(unit = "year", part = rep(1L, length(values)), year = as.integer(values)))
  }
  if (is.null(read) || !isTRUE(read$unit %in% c("quarter", "month"))) {
    stop_no_season(values, wanted, sprintf("See %s.", list_some(dQuote(values, FALSE))))
  }
  per_year <- if (read$unit == "quarter") 4 else 12
  list(unit = read$unit, part = as.integer((read$ticks - 1) %% per_year + 1),
       year = as.integer((read$ticks - 1) %/% per_year))
}

are_years <- function(values) !anyNA(values) && all(values == trunc(values) & values >= 1000 & values < 3000)

stop_no_season <- function(x, wanted, where) {
  stop_wavetax("operator", sprintf("These periods have no %s.", wanted), where = where,
               todo = "Quarters are written as 2014Q3, months as 2014-03, dates as 2014-03-15.")
}
