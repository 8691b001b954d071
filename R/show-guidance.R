# How a diagnosis, an appraisal, influence and sentences are printed.

#' @export
print.in_words <- function(x, ...) {
  check_print_dots(..., of = print.in_words)
  if (!all(c("term", "words") %in% names(x))) return(print(as.data.frame(x)))
  show_blocks(blocks_of(x))
  invisible(x)
}

#' @export
blocks_of.in_words <- function(x, ...) {
  list(heading_block("In words: ", attr(x, "of")), text_block(x$words), text_block(attr(x, "disturbances")),
       text_block(instruments_in_words(attr(x, "instruments"))), text_block(attr(x, "of_outcome")))
}

#' @export
print.influence <- function(x, ..., n = 5) {
  check_print_dots(..., of = print.influence)
  check_number(n, "n", 1, whole = TRUE)
  if (!all(c("group", "term", "without", "in_errors") %in% names(x))) return(print(as.data.frame(x)))
  show_blocks(blocks_of(x, n = n))
  invisible(x)
}

#' @export
blocks_of.influence <- function(x, n = 5, ...) {
  gone <- unique(x$group[is.na(x$change)])
  list(
    heading_block(influence_title(x)),
    lapply(influence_terms(x), function(term) {
      moved <- influence_table(most_moved(x, term, n), influence_places(x, term))
      list(text_block(moved_words(x, term)), table_block(moved))
    }),
    if (length(gone) > 0) text_block(sprintf("Without %s not every slope can be told.", list_some(label_text(gone), 4)))
  )
}

#' @export
as_table.influence <- function(x, n = 5, ...) {
  terms <- influence_terms(x)
  rows <- lapply(terms, function(term) most_moved(x, term, n))
  places <- unlist(Map(function(term, part) rep(influence_places(x, term), nrow(part)), terms, rows))
  with_headings(influence_table(do.call(rbind, rows), places, influence_title(x)),
                rep(vapply(terms, moved_words, "", x = x), vapply(rows, nrow, 1L)))
}

influence_title <- function(x) {
  paste0(sprintf("What the slopes of %s were without each %s", attr(x, "of"), attr(x, "by")),
         if (!is.null(attr(x, "rho"))) sprintf(", at rho %s", format_number(attr(x, "rho"))))
}

influence_terms <- function(x) setdiff(unique(x$term), constant_term)

most_moved <- function(x, term, n) {
  part <- x[x$term == term, ]
  utils::head(part[order(-abs(part$in_errors)), ], n)
}

influence_places <- function(x, term) {
  estimates <- attr(x, "estimates")
  at <- match(term, estimates$term)
  estimate_decimals(estimates$estimate[at], estimates$std_error[at])
}

moved_words <- function(x, term) {
  estimates <- attr(x, "estimates")
  sprintf("%s: %s; moved most by leaving out", term,
          format_number(estimates$estimate[match(term, estimates$term)], decimals = influence_places(x, term)))
}

influence_table <- function(part, places, title = NULL) {
  new_panel_table(
    table_rows(label_text(part$group), key = seq_len(nrow(part))), title = title,
    columns = list(
      table_column("rows", count_cells(part$rows)), table_column("estimate", number_cells(part$without, places)),
      table_column("change", number_cells(part$change, places)),
      table_column("in std. errors", number_cells(part$in_errors, 2))
    )
  )
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
  if (!is_whole_diagnosis(x)) return(print(as.data.frame(x)))
  show_blocks(blocks_of(x))
  invisible(x)
}

# Not a part of one that `[` took.
is_whole_diagnosis <- function(x) {
  all(c("question", "status", "says", "p_value") %in% names(x)) && !is.null(attr(x, "fit"))
}

#' @export
blocks_of.diagnosis <- function(x, ...) {
  fit <- attr(x, "fit")
  table <- as_table(x)
  advice <- attr(x, "advice")
  tests <- attr(x, "tests")
  marks <- status_marks()
  list(
    heading_block(table$title), text_block(sample_words(fit)), text_block(errors_words(fit)), gap_block(),
    table_block(table), gap_block(),
    if (length(advice) == 0) text_block("Nothing here asks for another model or other errors.") else
      list(heading_block("What to do"), list_block(advice)),
    gap_block(),
    legend_block(sprintf("%s found, %s no sign of it, %s not tested", marks[["found"]], marks[["clear"]],
                         marks[["skipped"]])),
    lapply(names(tests), function(name) {
      cautions <- tests[[name]]$cautions
      if (length(cautions) > 0) text_block(sprintf("Caution on %s: ", diagnosis_names[[name]]), cautions)
    })
  )
}

#' @export
as_table.diagnosis <- function(x, ...) {
  title <- paste("Diagnosis of", lower_first(fit_record(attr(x, "fit"))$title))
  x <- as.data.frame(unclass(x))[order(x$status == "skipped"), ]
  said <- ifelse(x$status == "skipped", paste("Not tested:", x$says), paste0(upper_first(x$says), "."))
  new_panel_table(
    table_rows(upper_first(x$question), mark = x$status), title = title, stub = "question",
    columns = list(table_column("p", p_cells(x$p_value)),
                   table_column("what the data say", word_cells(said), form = "prose"))
  )
}

#' @export
print.appraisal <- function(x, ...) {
  check_print_dots(..., of = print.appraisal)
  show_blocks(blocks_of(x))
  invisible(x)
}

#' @export
blocks_of.appraisal <- function(x, ...) {
  path <- x$path
  first <- path$test == ""
  chosen <- path[first, ]
  read <- path[!first, ]
  list(
    heading_block(appraisal_title(x)),
    text_block(x$focus, " is the regressor of interest: its own variation chooses, and no test"),
    text_block(sample_words(x$fit)), gap_block(),
    points_block(paste(chosen$question, upper_first(chosen$answer)),
                 paste0(ifelse(chosen$step == "kind", "So: ", "Because: "), chosen$follows), numbered = TRUE),
    gap_block(),
    heading_block("Recommendation"), text_block(x$recommendation), gap_block(),
    table_block(as_table(x)),
    text_block(sprintf(paste("Errors of the recommended model, and if unrelated, as above; of others clustered by %s;",
                             "intervals of %s percent"), x$entity, percent_words(1 - x$level))),
    gap_block(),
    heading_block(sprintf("What tests say, read at %s percent; they choose nothing", percent_words(x$level))),
    points_block(
      paste0(read$question, " ", upper_first(read$answer),
             ifelse(is.na(read$p_value), "", sprintf(" (%s)", vapply(read$p_value, p_words, "")))),
      lapply(seq_len(nrow(read)), function(j) {
        c(if (read$test[j] != "not tested") read$test[j],
          if (read$answer[j] == "not known") read$follows[j] else upper_first(read$follows[j]))
      })
    ),
    gap_block(), heading_block("Mind that"), list_block(x$caveats)
  )
}

appraisal_title <- function(x) paste("Which model, and which errors:", deparse_words(x$formula))

# The focus under each candidate.
#' @export
as_table.appraisal <- function(x, ...) {
  choices <- x$choices
  places <- estimate_decimals(choices$estimate, choices$std_error)
  number <- function(v) number_cells(v, places)
  new_panel_table(
    table_rows(choices$model), stub = x$focus, title = appraisal_title(x), notes = table_note(x$recommendation),
    columns = list(table_column("estimate", number(choices$estimate)), table_column("from", number(choices$low)),
                   table_column("to", number(choices$high)), table_column("", word_cells(choices$role), "role"))
  )
}
