# How simulated panels, their truth, and what methods find of them are printed.

# Of a panel that is not simulated none.
simulated_words <- function(panel) {
  truth <- panel_truth(panel)
  if (is.null(truth)) character() else paste("Simulated:", truth_sentence(truth, c("equation", "made")))
}

#' @export
print.panel_truth <- function(x, ...) {
  check_print_dots(..., of = print.panel_truth)
  show_blocks(blocks_of(x))
  invisible(x)
}

#' @export
blocks_of.panel_truth <- function(x, ...) {
  words <- truth_words(x)
  words[["made"]] <- upper_first(words[["made"]])
  list(heading_block("The truth of a simulated panel"), text_block(Filter(nzchar, words)))
}

#' @export
print.monte_carlo <- function(x, ...) {
  check_print_dots(..., of = print.monte_carlo)
  show_blocks(blocks_of(x))
  invisible(x)
}

#' @export
blocks_of.monte_carlo <- function(x, ...) {
  table <- as_table(x)
  list(heading_block(table$title), text_block(table$says), gap_block(), table_block(table), gap_block(),
       text_block(table$notes$text))
}

# What was drawn, in words of at most some designs.
laboratory_says <- function(x) {
  words <- x$designs
  if (length(words) == 1) return(upper_first(unname(words)))
  some <- utils::head(unique(words), 4)
  if (length(unique(words)) == 1) return(upper_first(some))
  c(sprintf("%s: %s", names(words)[match(some, words)], some),
    if (length(words) > length(some)) sprintf("and %s", count_of(length(words) - length(some), "more design")))
}

#' @export
as_table.monte_carlo <- function(x, ...) {
  data <- laboratory_rows(x)
  places <- laboratory_places(data)
  column <- function(head, name, scale = 1, decimals = places) {
    missing <- is.na(data[[name]])
    cells <- number_cells(scale * data[[name]], decimals)
    cells$kind[missing] <- "empty"
    if (!all(missing)) table_column(head, cells, name)
  }
  table <- new_panel_table(
    table_rows(data$label, key = seq_len(nrow(data))), title = laboratory_title(x), stub = laboratory_stub(x),
    columns = list(
      column("truth", "truth"), column("mean", "mean"), column("bias", "bias"), column("spread", "spread"),
      column("std. error", "std_error"), column("truth held, %", "coverage", 100, 1),
      column("rejected, %", "rejected", 100, 1),
      if (any(data$refused > 0)) table_column("refused", count_cells(data$refused), "refused")
    ),
    notes = table_note(c(laboratory_reading(x), laboratory_lost(x), laboratory_notes(x))), says = laboratory_says(x)
  )
  if (all(data$group == "")) table else with_headings(table, data$group)
}

# A line each, under its design and term where there are several.
laboratory_rows <- function(x) {
  data <- x$table
  several <- function(column) length(unique(data[[column]])) > 1
  data$label <- laboratory_labels(data)
  terms <- !is.na(data$term) & (length(unique(stats::na.omit(data$term))) > 1)
  of_term <- ifelse(terms, term_words(data$term), if (any(terms)) "tests" else "")
  of_design <- if (several("design")) data$design else ""
  data$group <- paste0(of_design, ifelse(nzchar(of_design) & nzchar(of_term), ", ", ""), of_term)
  data$rejected[!is.na(data$term)] <- NA
  data[order(match(data$design, unique(data$design)), match(data$term, stats::na.omit(unique(data$term)))), ]
}

# "fixed"; where an estimator stands under several errors "fixed, clustered".
laboratory_labels <- function(data) {
  ifelse(kinds_of_errors(data) > 1, paste(data$estimator, data$errors, sep = ", "), data$estimator)
}

# Of the estimator of each row.
kinds_of_errors <- function(data) {
  vapply(split(data$errors, data$estimator), function(errors) length(unique(errors)), 1L)[data$estimator]
}

laboratory_places <- function(data) {
  known <- is.finite(data$spread) & data$spread > 1e-9 * abs(data$mean)
  pmin(ifelse(known, decimals_for(data$spread, 2), decimals_for(data$mean, 4)), most_decimals)
}

laboratory_title <- function(x) {
  terms <- unique(stats::na.omit(x$table$term))
  slopes <- any(is.finite(x$table$std_error))
  of <- if (length(terms) == 0) "What tests find" else if (length(terms) > 1) "Coefficients" else
    paste0(if (slopes) "The slope of ", terms)
  paste0(of, if (length(terms) > 0) ", found of panels whose truth is known", ": ", count_of(x$asked, "draw"),
         if (length(x$designs) > 1) " of each")
}

laboratory_stub <- function(x) if (all(is.na(x$table$term))) "test" else "estimator"

laboratory_notes <- function(x) {
  data <- x$table
  shares <- !all(is.na(data$coverage)) || !all(is.na(data$rejected))
  nominal <- x$level * (1 - x$level)
  own <- unique(data[kinds_of_errors(data) == 1 & nzchar(data$errors), c("estimator", "errors")])
  c(
    if (!all(is.na(data$coverage))) sprintf(
      "Truth held: how many of 100 intervals of %s percent hold the truth.", percent_words(x$level)
    ),
    if (anyNA(data$term)) sprintf("Rejected: in how many of 100 draws p is below %s.",
                                  label_text(signif(1 - x$level, 10))),
    if (shares) sprintf("At %s a rate of %s is known to %s either way.", count_of(x$asked, "draw"),
                        percent_words(1 - x$level), fixed_decimals(196 * sqrt(nominal / x$asked), 1)),
    if (nrow(own) > 0 && length(unique(own$errors)) == 1) sprintf("Standard errors: %s.", own$errors[1]) else
      if (nrow(own) > 0) sprintf("Standard errors: %s.", list_words(sprintf("%s of %s", own$errors, own$estimator)))
  )
}

# ---- what stands out ----

# Further from what is promised than three simulation errors, and by enough to matter.
laboratory_reading <- function(x) {
  data <- x$table[!is.na(x$table$term), ]
  if (nrow(data) == 0) return(NULL)
  data$name <- laboratory_labels(data)
  several <- length(unique(data$design)) > 1
  if (length(unique(data$term)) > 1) data$name <- paste(data$name, "on", data$term)
  if (several) data$name <- paste0(data$name, " (", data$design, ")")
  biased <- which(abs(data$bias) > 3 * data$bias_error & abs(data$bias) > 0.1 * data$spread)
  ratio <- data$std_error / data$spread
  far <- stats::pnorm(-3)
  # The spread of n estimates is known to a chi-squared of n - 1, and a count of intervals is binomial.
  freedom <- data$draws - 1
  small <- ratio < 0.9 & ratio^2 < freedom / stats::qchisq(far, freedom, lower.tail = FALSE)
  large <- ratio > 1.1 & ratio^2 > freedom / stats::qchisq(far, freedom)
  held <- round(data$coverage * data$draws)
  short <- which(stats::pbinom(held, data$draws, x$level) < far)
  long <- which(stats::pbinom(held - 1, data$draws, x$level, lower.tail = FALSE) < far)
  of_it <- sprintf("%s of it", fixed_decimals(ratio, 2))
  told <- function(rows, words, numbers) {
    if (length(rows) == 0) return(NULL)
    more <- if (length(rows) > 6) sprintf("%d more", length(rows) - 6)
    sprintf("%s %s.", words, paste(c(utils::head(sprintf("%s %s", data$name[rows], numbers[rows]), 6), more),
                                   collapse = "; "))
  }
  places <- laboratory_places(data)
  said <- c(
    told(biased, "Biased:", sprintf("by %s", format_number(data$bias, decimals = places))),
    told(which(small), "Standard errors smaller than the spread:", of_it),
    told(which(large), "Standard errors larger than the spread:", of_it),
    told(short, "Truth held too seldom:", sprintf("in %s of 100", fixed_decimals(100 * data$coverage, 0))),
    told(long, "Truth held oftener than promised:", sprintf("in %s of 100", fixed_decimals(100 * data$coverage, 0)))
  )
  if (length(said) > 0 || all(is.na(data$coverage))) return(said)
  sprintf("Nothing stands out: no bias, errors that fit the spread, and the truth held as promised, as far as %s tell.",
          count_of(x$asked, "draw"))
}

# Draws without a result, and those with warnings.
laboratory_lost <- function(x) {
  draws <- x$draws
  one <- function(column, words) {
    rows <- draws[!is.na(draws[[column]]), ]
    if (nrow(rows) == 0) return(NULL)
    name <- ifelse(nzchar(rows$errors) & column == "refused", paste(rows$estimator, rows$errors, sep = ", "),
                   rows$estimator)
    count <- vapply(split(paste(rows$design, rows$draw), name), function(one) length(unique(one)), 1L)
    first <- rows[[column]][match(names(count), name)]
    sprintf("%s %s in %s: %s", names(count), words, count_of(count, "draw"), first)
  }
  c(one("refused", "was refused"), one("warned", "warned"))
}
