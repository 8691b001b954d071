# What the columns that were read are: text that is numbers in one way only is read as such, and told;
# what can be read in two ways stays text, and is asked for.

settle_columns <- function(data, options) {
  asked <- options$numbers
  options$cells$commas <- isTRUE(attr(data, "commas"))
  check_columns(c(asked, options$text), data)
  kept <- setdiff(c(options$text, options$keys), asked)
  for (name in intersect(options$text, names(data))) data[[name]] <- label_text(data[[name]])
  settled <- Map(function(x, name, is_kept) {
    if (!is.character(x) || is_kept) return(list(x = x))
    read <- if (name %in% asked) asked_numbers(x, name, options$cells) else column_numbers(x, options$cells)
    told <- column_words(name, x, read, name %in% asked)
    sure <- name %in% asked || read$status == "numbers" && length(read$lost) == 0 && !all(is.na(read$value))
    list(x = if (sure) read$value else x, told = told)
  }, unclass(data), names(data), names(data) %in% kept)
  told <- unlist(lapply(unname(settled), `[[`, "told"))
  data <- with_columns(data, lapply(settled, `[[`, "x"))
  data <- convert_numbers(data, setdiff(asked, c(names(data)[vapply(data, is.numeric, TRUE)], kept)), options$cells)
  data <- map_columns(data, function(x) if (is_long_code(x)) label_text(x) else x)
  say_kinds(data)
  more <- length(told) - most_told
  if (more > 0) told <- c(utils::head(told, most_told), i = sprintf("Of %s more there is as much to say.",
                                                                    count_of(more, "column")))
  if (length(told) > 0) tell_wavetax(told, class = "wavetax_message_numbers")
  data
}

# Of how many columns of text it is said how they were read.
most_told <- 40

# Whole numbers of 15 digits and more: codes.
is_long_code <- function(x) {
  if (!is.double(x) || is.object(x)) return(FALSE)
  facts <- core_number_facts(x)
  facts$whole && facts$largest >= 1e14
}

# What there is to say of a column of text: how it was read, or why it was not.
column_words <- function(name, x, read, asked) {
  column <- sprintf("`%s`", name)
  if (asked || identical(read$status, "numbers") && length(read$lost) == 0) {
    if (length(read$said) == 0) return(NULL)
    return(c(i = sprintf("%s is read with %s.", column, list_words(unname(read$said)))))
  }
  switch(read$status,
    numbers = if (length(read$lost) <= 0.2 * read$filled) {
      c("!" = sprintf("%s stays text: %s no number%s, %s. `numbers = %s` makes %s missing.", column,
                      if (length(read$lost) == 1) "1 cell is" else paste(count_words(length(read$lost)), "cells are"),
                      if (length(read$lost) == 1) "" else "s", lost_words(x, utils::head(read$lost, 3)),
                      code_text(name), if (length(read$lost) == 1) "it" else "them"))
    },
    codes = c(i = sprintf("%s stays text: %s", column, code_words(x, read$first))),
    question = c("!" = sprintf("%s stays text: %s %s %s", column,
                               sub("^%s has", "it has", sub("of %s ", "", read$question$found)),
                               read$question$where, read$question$todo))
  )
}

column_kind <- function(x) {
  if (inherits(x, "Date")) return("dates")
  if (inherits(x, "POSIXct")) return("times")
  if (is.factor(x) || is.character(x)) return("text")
  if (is.logical(x)) return(if (all(is.na(x))) "empty" else "true and false")
  if (is_whole(x)) "whole numbers" else "numbers"
}

say_kinds <- function(data) {
  kinds <- vapply(data, column_kind, "")
  lines <- vapply(unique(kinds), function(kind) {
    sprintf("%s: %s", kind, list_some(names(data)[kinds == kind], 12))
  }, "")
  tell_wavetax(
    c(sprintf("%s, %s.", count_of(nrow(data), "row"), count_of(ncol(data), "column")),
      stats::setNames(lines, rep("*", length(lines)))),
    class = "wavetax_message_kinds"
  )
}

# The period's column as it is best kept: dates as `Date`s, years with a code beside them as years; other
# periods keep their label. What was understood is told.
settle_period <- function(x, name, format = NULL) {
  if (is_midnight(x)) return(day_of_midnight(x))
  if (is_whole(x)) {
    if (length(x) == 0 || !isTRUE(x[which.min(is.na(x))] >= 18000101)) return(x)
    known <- x[!is.na(x)]
    if (!are_days(as.numeric(unique(known)))) return(x)
    say_period(name, "dates (year, month, day)", known)
    return(number_days(as.numeric(x)))
  }
  if (!is.character(x)) return(x)
  values <- unique(x[!is_blank(x)])
  read <- read_periods(values, format)
  if (is.null(read) && !is.null(format)) stop_text_periods(values, format)
  if (is.null(read)) return(x)
  if (!is.null(read$question)) stop_period_question(read$question)
  if (is.null(read$unit) && !read$marked && read$words == "years") return(whole_years(x))
  say_period(name, read$words, values[order(read$ticks)])
  at <- match(x, values)
  if (!is.null(read$dates)) return(read$dates[at])
  if (is.null(read$unit) && read$marked) return(as.integer(read$ticks)[at])
  x
}

# Years that came as text, from a column with blanks or a file of text alone.
whole_years <- function(x) suppressWarnings(as.integer(trimws(x)))

say_period <- function(name, words, values) {
  ends <- label_text(values[c(1, length(values))])
  tell_wavetax(c(i = sprintf("`%s` is read as %s, from %s to %s.", name, words, ends[1], ends[2])),
                class = "wavetax_message_periods")
}
