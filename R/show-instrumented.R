# What is said of an instrumented fit beside its estimates: what is instrumented by what, how strongly, and, where
# instruments are not strong, the values that the data do not reject.

# As plain values for a fit's record: list(model, method, kappa, endogenous, instruments, effective_f, critical,
# verdict, agree_p, set: list(low, high), opening and under: lines before the estimates and below the endogenous one).
record_instrumented <- function(fit) {
  facts <- fit$instrumented
  if (is.null(facts)) return(NULL)
  told <- told_of_instruments(fit)
  strength <- told$strength
  alone <- length(facts$endogenous) == 1 && !is.null(strength)
  verdict <- if (alone) strength_verdict(strength)
  list(
    model = facts$model, method = facts$method, kappa = facts$kappa, endogenous = facts$endogenous,
    instruments = facts$instruments, effective_f = if (alone) strength$effective_f,
    critical = if (alone) strength$critical, verdict = verdict, agree_p = told$agree$p,
    set = if (!is.null(told$set)) list(low = told$set$low, high = told$set$high),
    opening = c(instrumented_by_words(facts), dropped_instruments_words(facts), strength_words(told, fit)),
    under = if (!identical(verdict, "strong")) set_line(told$set, fit)
  )
}

instrumented_by_words <- function(facts) {
  by <- if (length(facts$instruments) <= 6) list_words(facts$instruments) else
    sprintf("%s: %s", count_of(length(facts$instruments), "instrument"), list_some(facts$instruments, 4))
  paste0(list_words(facts$endogenous), if (length(facts$endogenous) == 1) " is" else " are", " instrumented by ", by)
}

dropped_instruments_words <- function(facts) {
  if (length(facts$dropped) == 0) return(NULL)
  reason <- facts$reasons[facts$dropped]
  vapply(unique(reason), function(why) {
    sprintf("Not used: %s (%s)", list_some(facts$dropped[reason == why], 6), why)
  }, "", USE.NAMES = FALSE)
}

strength_words <- function(told, fit) {
  strength <- told$strength
  if (is.null(strength)) {
    return(paste0("Strength: not told under these errors", if (!is.null(told$untold)) paste0(": ", told$untold)))
  }
  if (nrow(strength) > 1) {
    of_each <- sprintf("%s of %s", format_number(strength$conditional_f, 3), strength$endogenous)
    return(c(
      sprintf("Strength: rank statistic %s on %s df, %s; conditional F %s", format_number(told$rank$statistic, 3),
              count_words(told$rank$df), p_words(told$rank$p), list_words(of_each)),
      sub("\\.$", "", no_cutoffs_words)
    ))
  }
  values <- vapply(c(strength$effective_f, strength$critical, strength$middling), format_number, "", 3)
  switch(strength_verdict(strength),
    strong = sprintf("Strength: effective F %s, strong (above %s): the estimate can be read", values[1], values[2]),
    middling = sprintf("Strength: effective F %s, middling (%s to %s): read the set beside the estimate", values[1],
                       values[3], values[2]),
    weak = sprintf("Strength: effective F %s, weak (under %s): read the set, not the estimate", values[1], values[3])
  )
}

# The line below the endogenous coefficient.
set_line <- function(set, fit) {
  if (is.null(set)) return(NULL)
  paste("not rejected, whatever the strength:", pieces_words(set, set_decimals(set, fit)))
}

# "0.16 to 0.40", "all but 1.2 to 3.4", "any value, the data say nothing", "no value: the instruments disagree".
pieces_words <- function(set, places = NULL) {
  if (nrow(set) == 0) return("no value, the instruments disagree")
  number <- function(x) if (is.null(places)) format_number(x, 3) else format_number(x, decimals = places)
  open <- c(is.infinite(set$low[1]), is.infinite(set$high[nrow(set)]))
  if (nrow(set) == 1 && all(open)) return("any value, the data say nothing")
  if (all(open)) {
    gaps <- paste(number(set$high[-nrow(set)]), "to", number(set$low[-1]))
    return(paste("all values but", list_words(gaps)))
  }
  list_words(ifelse(is.infinite(set$low), paste("up to", number(set$high)),
                    ifelse(is.infinite(set$high), paste("from", number(set$low), "on"),
                           paste(number(set$low), "to", number(set$high)))))
}

#' @export
print.values_not_rejected <- function(x, ...) {
  check_print_dots(..., of = print.values_not_rejected)
  if (!all(c("low", "high") %in% names(x)) || is.null(attr(x, "term"))) return(print(as.data.frame(x)))
  show_blocks(blocks_of(x))
  invisible(x)
}

#' @export
blocks_of.values_not_rejected <- function(x, ...) {
  list(
    heading_block(sprintf("Values of %s not rejected at %s percent", attr(x, "term"),
                          percent_words(1 - attr(x, "level")))),
    text_block(upper_first(pieces_words(x, attr(x, "places")))),
    text_block(sprintf("By Anderson and Rubin's test, whatever the strength of the instruments; errors %s",
                       attr(x, "errors")))
  )
}

#' @export
as.data.frame.values_not_rejected <- function(x, ...) {
  data.frame(low = x$low, high = x$high)
}

# How the slope of what is instrumented is to be read, in sentences.
instruments_in_words <- function(told) {
  if (is.null(told)) return(NULL)
  by <- list_some(told$instruments, 4)
  alone <- length(told$endogenous) == 1
  judged <- sprintf("What %s %s is judged by what %s %s of %s", list_words(told$endogenous),
                    if (alone) "does" else "do", by, if (length(told$instruments) == 1) "moves" else "move",
                    if (alone) "it" else "them")
  if (is.null(told$strength) || !alone) return(paste0(judged, "."))
  verdict <- strength_verdict(told$strength)
  how <- c(strong = "which is much", middling = "which is enough for the set, if not for the estimate",
           weak = "which is little")[[verdict]]
  set <- if (verdict != "strong" && !is.null(told$set)) {
    sprintf(": values of its coefficient not rejected, whatever the strength, are %s%s",
            pieces_words(told$set, told$places), if (verdict == "weak") ", and these are to be read" else "")
  }
  sprintf("%s, %s (effective F %s)%s.", judged, how, format_number(told$strength$effective_f, 3),
          if (is.null(set)) "" else set)
}
