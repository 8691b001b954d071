# What stands first: the question as a title, the answer in a sentence, its interval to scale.

brief_title <- function(brief) {
  fit <- brief$fit
  if (is.null(fit) || is.null(brief$focus)) return(if (length(brief$tests) > 0 && length(brief$fits) == 0) "Tests" else
    "Specifications side by side")
  sprintf("Does %s change %s?", short_label(focus_words(brief)), short_label(outcome_words(fit)$name))
}

# A label without its unit, as it stands in a sentence: with a small letter first, unless it begins as a name does, with
# capitals in its further words.
short_label <- function(label) {
  bare <- sub(" \\(.*$|,.*$", "", label)
  if (grepl("^[A-Z][a-z]", bare) && !grepl(" [A-Z]", bare)) paste0(lower_case(substr(bare, 1, 1)),
                                                                   substring(bare, 2)) else bare
}

# The focus as it is called: the label of its variable.
focus_words <- function(brief) {
  variable <- focus_variable(brief)
  labelled(if (is.null(variable)) brief$focus else variable, fit_labels(brief$fit))
}

focus_variable <- function(brief) {
  expr <- tryCatch(str2lang(brief$focus), error = function(cnd) as.name(brief$focus))
  own <- all.vars(expr)
  if (length(own) == 1) own
}

# NULL where the fit says nothing of it.
brief_answer <- function(brief) {
  fit <- brief$fit
  if (is.null(fit)) return(NULL)
  if (!is.null(brief$appraisal) && brief$appraisal$standing != "interval") {
    return(list(words = brief$appraisal$recommendation, strip = NULL))
  }
  level <- if (is.null(brief$appraisal)) 0.95 else 1 - brief$appraisal$level
  said <- tryCatch(in_words(fit, brief$focus, level), wavetax_error = function(cnd) NULL)
  if (NROW(said) == 0) return(NULL)
  told <- attr(said, "instruments")
  if (!is.null(told$strength) && brief$focus %in% told$endogenous) {
    verdict <- strength_verdict(told$strength)
    if (verdict == "weak") return(list(words = upper_first(instruments_in_words(told)), strip = NULL))
    if (verdict == "middling") said$words <- paste(said$words, instruments_in_words(told))
  }
  one <- said[1, ]
  percent <- outcome_words(fit)$log || outcome_words(fit)$share
  list(words = said$words, strip = if (all(is.finite(c(one$low, one$high)))) {
    list(estimate = one$estimate, low = one$low, high = one$high, unit = if (percent) "%" else "")
  })
}

# The interval of the answer to scale with "no change" on it: a drawing of the page's width, and one for phones.
answer_strip <- function(strip) {
  c(strip_drawing(strip, 640, 20, 16, "full"), strip_drawing(strip, 340, 14, 36, "narrow"))
}

strip_drawing <- function(strip, width, left, right, class) {
  span <- range(c(0, strip$low, strip$high))
  ticks <- pretty(span + c(-0.06, 0.06) * diff(span), if (class == "full") 6 else 4)
  at <- function(value) left + (value - min(ticks)) / diff(range(ticks)) * (width - left - right)
  said <- function(value) format_number(value, decimals = tick_decimals(ticks))
  line <- function(x1, x2, y1, y2, class) {
    sprintf("<line x1=\"%.1f\" x2=\"%.1f\" y1=\"%g\" y2=\"%g\" class=\"%s\"/>", x1, x2, y1, y2, class)
  }
  zero <- abs(ticks) < 1e-12
  words <- ifelse(zero, "no change", paste0(gsub("-", "\u2212", said(ticks), fixed = TRUE), strip$unit))
  # "No change" has no neighbours on its words.
  near <- !zero & abs(at(ticks) - at(0)) < 50
  label <- sprintf("Interval of the answer: %s to %s%s, estimate %s%s", number_of(strip$low), number_of(strip$high),
                   strip$unit, number_of(strip$estimate), strip$unit)
  role <- if (class == "full") sprintf("role=\"img\" aria-label=\"%s\"", label) else "aria-hidden=\"true\""
  c(
    sprintf("<svg viewBox=\"0 0 %d 56\" %s class=\"drawn %s\">", width, role, class),
    line(left, width - right, 22, 22, "grid"),
    line(at(ticks), at(ticks), ifelse(zero, 6, 18), ifelse(zero, 34, 26), ifelse(zero, "zero", "grid")),
    sprintf("<text x=\"%.1f\" y=\"48\" class=\"tick\" text-anchor=\"middle\">%s</text>", at(ticks)[!near],
            words[!near]),
    line(at(strip$low), at(strip$high), 22, 22, "bar"),
    sprintf("<circle cx=\"%.1f\" cy=\"22\" r=\"7\" class=\"dot\"/>", at(strip$estimate)), "</svg>"
  )
}

tick_decimals <- function(ticks) {
  step <- diff(ticks)[1]
  max(0, ceiling(-log10(step) - 1e-9))
}

number_of <- function(value) format_number(value, 3)
