# How a diagnosis, an appraisal, influence and sentences are printed.

#' @export
print.in_words <- function(x, ...) {
  check_print_dots(..., of = print.in_words)
  if (!all(c("term", "words") %in% names(x))) return(print(as.data.frame(x)))
  say_heading("In words: ", attr(x, "of"))
  for (j in seq_len(nrow(x))) say(x$words[j])
  invisible(x)
}

#' @export
print.influence <- function(x, ..., n = 5) {
  check_print_dots(..., of = print.influence)
  check_number(n, "n", 1, whole = TRUE)
  if (!all(c("group", "term", "without", "in_errors") %in% names(x))) return(print(as.data.frame(x)))
  estimates <- attr(x, "estimates")
  say_heading(sprintf("What the slopes of %s were without each %s", attr(x, "of"), attr(x, "by")))
  for (term in setdiff(unique(x$term), constant_term)) {
    part <- x[x$term == term, ]
    part <- utils::head(part[order(-abs(part$in_errors)), ], n)
    at <- match(term, estimates$term)
    places <- estimate_decimals(estimates$estimate[at], estimates$std_error[at])
    say(sprintf("%s: %s; moved most by leaving out", term, format_number(estimates$estimate[at], decimals = places)))
    columns <- list(label_text(part$group), count_words(part$rows),
                    align_decimal(format_number(part$without, decimals = rep(places, nrow(part)))),
                    align_decimal(format_number(part$change, decimals = rep(places, nrow(part)))),
                    align_decimal(format_number(part$in_errors, decimals = rep(2, nrow(part)))))
    writeLines(format_columns(stats::setNames(columns, c("", "rows", "estimate", "change", "in std. errors"))))
  }
  gone <- unique(x$group[is.na(x$change)])
  if (length(gone) > 0) {
    say(sprintf("Without %s not every slope can be told.", list_some(label_text(gone), 4)))
  }
  invisible(x)
}

status_marks <- function() {
  if (l10n_info()[["UTF-8"]]) return(c(found = "\u25cf", clear = "\u25cb", skipped = "-"))
  c(found = "*", clear = "o", skipped = "-")
}

# What each question is on, in few words.
diagnosis_names <- c(
  related = "related effects", component = "levels", effects = "effects", form = "the form",
  serial = "relations over time", cross_section = "shared shocks", variance = "spread",
  with_regressors = "spread with the regressors", normal = "normality"
)

#' @export
print.diagnosis <- function(x, ...) {
  check_print_dots(..., of = print.diagnosis)
  if (!all(c("question", "status", "says", "p_value") %in% names(x)) || is.null(attr(x, "fit"))) {
    return(print(as.data.frame(x)))
  }
  fit <- attr(x, "fit")
  say_heading("Diagnosis of ", fit_record(fit)$title)
  say(sample_words(fit))
  say(errors_words(fit))
  writeLines("")
  marks <- status_marks()
  asked <- x[x$status != "skipped", ]
  columns <- list(paste(marks[asked$status], upper_first(asked$question)), format_p(asked$p_value))
  lines <- format_columns(stats::setNames(columns, c("", "p")))
  writeLines(lines[1])
  for (j in seq_len(nrow(asked))) {
    writeLines(lines[1 + j])
    say_indented(paste0(upper_first(asked$says[j]), "."), 6, 6)
  }
  for (j in which(x$status == "skipped")) {
    say_indented(paste0(marks[["skipped"]], " ", upper_first(x$question[j]), " Not tested: ", x$says[j]), 2, 6)
  }
  writeLines("")
  advice <- attr(x, "advice")
  if (length(advice) == 0) {
    say("Nothing here asks for another model or other errors.")
  } else {
    say_heading("What to do")
    for (line in advice) say_indented(line, 2, 4)
  }
  writeLines("")
  say(sprintf("%s found, %s no sign of it, %s not tested", marks[["found"]], marks[["clear"]], marks[["skipped"]]))
  tests <- attr(x, "tests")
  for (name in names(tests)) {
    for (line in tests[[name]]$cautions) say(sprintf("Caution on %s: %s", diagnosis_names[[name]], line))
  }
  invisible(x)
}

#' @export
print.appraisal <- function(x, ...) {
  check_print_dots(..., of = print.appraisal)
  check_no_dots(..., of = list(call = print.appraisal, name = "print()", hidden = "x"))
  say_heading("Which model, and which errors: ", deparse_words(x$formula))
  say(sprintf("%s is the regressor of interest: its own variation chooses, and no test", x$focus))
  say(sample_words(x$fit))
  writeLines("")
  first <- x$path$test == ""
  for (j in which(first)) {
    step <- x$path[j, ]
    say(sprintf("%d. %s %s", j, step$question, upper_first(step$answer)))
    say_indented(paste0(if (step$step == "kind") "So: " else "Because: ", step$follows), 3, 5)
  }
  writeLines("")
  say_heading("Recommendation")
  for (line in x$recommendation) say(line)
  writeLines("")
  show_choices(x)
  writeLines("")
  say_heading(sprintf("What tests say, read at %s percent; they choose nothing", percent_words(x$level)))
  for (j in which(!first)) {
    step <- x$path[j, ]
    say(sprintf("%s %s", step$question, upper_first(step$answer)), if (!is.na(step$p_value)) {
      sprintf(" (%s)", p_words(step$p_value))
    })
    if (step$test != "not tested") say_indented(step$test, 3, 5)
    say_indented(if (step$answer == "not known") step$follows else upper_first(step$follows), 3, 5)
  }
  writeLines("")
  say_heading("Mind that")
  for (line in x$caveats) say_indented(line, 2, 4)
  invisible(x)
}

say_indented <- function(text, indent, exdent) {
  writeLines(strwrap(visible_text(text), line_width(), indent = indent, exdent = exdent))
}

show_choices <- function(x) {
  writeLines(format_columns(choice_columns(x)))
  say(sprintf(paste("Errors of the recommended model, and if unrelated, as above; of others clustered by %s;",
                    "intervals of %s percent"),
              x$entity, percent_words(1 - x$level)))
}

# The focus under each candidate as columns of text.
choice_columns <- function(x) {
  choices <- x$choices
  places <- estimate_decimals(choices$estimate, choices$std_error)
  number <- function(v) align_decimal(ifelse(is.na(v), "", format_number(v, decimals = places)))
  stats::setNames(list(choices$model, number(choices$estimate), number(choices$low), number(choices$high),
                       choices$role),
                  c(x$focus, "estimate", "from", "to", ""))
}
