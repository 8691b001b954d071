#' Estimates across specifications
#'
#' Question answered: *how far does the answer depend on the model, and how sure is
#' each?* A point and an interval for each fit and coefficient: of one coefficient a line a fit, with the numbers
#' beside;
#' of several a panel each; of a single fit a line for each of its coefficients.
#'
#' @param ... Fits, named or not, lists of them, tables, as for [spec_table()]. Named lists within a list are groups,
#'   told
#'   by colour and shape.
#' @param terms Coefficients, by name, term or pattern as in [spec_table()]; a name given to one labels it.
#'   `"constant"` is
#'   the constant. `NULL`: all slopes, of several fits those that all have.
#' @param level Coverage of the intervals, from t with each fit's own degrees of freedom.
#' @param labels Labels of variables, as [panel_labels()] takes them; `FALSE` shows names.
#' @param reference Where the line stands that estimates are compared with.
#' @param vertical `TRUE` draws the estimates upwards.
#' @return A ggplot object.
#' @section Errors:
#' `wavetax_error_not_a_fit`; `wavetax_error_unknown_term` when no fit has the term.
#' @seealso [save_figure()].
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' pooled <- fit_pooled(log(nights) ~ levy + storms + fuel, panel)
#' fixed <- fit_fixed(log(nights) ~ levy + storms + fuel, panel)
#' random <- fit_random(log(nights) ~ levy + storms + fuel, panel)
#' plot_estimates(pooled, fixed, random, terms = "levy")
#' plot_estimates(pooled, fixed, random)
#' @export
plot_estimates <- function(..., terms = NULL, level = 0.95, labels = NULL, reference = 0, vertical = FALSE) {
  check_level(level)
  check_flag(vertical, "vertical")
  check_number(reference, "reference")
  given <- collect_fits(rlang::enquos(...), plot_estimates, "plot_estimates()")
  terms <- bare_names(rlang::enquo(terms), terms_of_all(given))
  check_texts(terms, "terms", "Name coefficients.", kind = "unknown_term")
  records <- lapply(stats::setNames(given, names(given)), fit_record)
  rows <- estimate_rows(records, given, attr(given, "heads"), attr(given, "over"), terms, level, labels)
  errors <- unique(vapply(records, function(record) record$errors$label, ""))
  says <- sprintf("Estimate and %s percent interval; standard errors %s", label_text(100 * level), errors_shown(errors))
  says <- paste0(says, "; ", rows_shown(vapply(records, `[[`, 0, "rows")),
                 if (nrow(rows$sets) > 0) "; thick: values not rejected, whatever the strength of instruments")
  outcome <- unique(vapply(records, `[[`, "", "outcome"))
  words <- list_words(vapply(outcome, axis_words, "", rows$labels, records[[1]]$nouns))
  drawn <- rows$rows
  one_term <- length(unique(drawn$term)) == 1
  title <- if (one_term) sprintf("%s: the estimate in %s", sub("\n.*", "", drawn$words[1]),
                                 count_of(length(records), "model")) else
    if (length(records) == 1) paste("What goes with", words) else sprintf("%s in %s", upper_first(count_of(
      length(unique(drawn$term)), "estimate")), count_of(length(records), "model"))
  draw_estimates(drawn, rows$sets, title, says, paste("change in", words), reference, vertical)
}

errors_shown <- function(labels) if (length(labels) <= 2) list_words(labels) else sprintf("of %d kinds", length(labels))

# list(rows: a data frame with a row a fit and term, sets: see drawn_sets(); labels).
estimate_rows <- function(records, given, heads, over, terms, level, labels) {
  wording <- spec_wording(records, list(labels = if (is.null(labels) || isFALSE(labels)) labels else as_labels(labels)))
  tables <- Map(function(record, fit) interval_table(record, fit, level, "constant" %in% terms), records, given)
  chosen <- chosen_spec_terms(unlist(lapply(tables, `[[`, "term")), wording, list(terms = terms))
  phrases <- chosen$phrases
  if (is.null(terms)) {
    common <- Reduce(intersect, lapply(tables, `[[`, "term"))
    shown <- setdiff(if (length(intersect(common, phrases$term)) > 0) common else phrases$term, constant_term)
    phrases <- phrases[phrases$term %in% shown, ]
  }
  if (nrow(phrases) == 0) {
    stop_wavetax("unknown_term", "The fits have no slopes to draw.",
                 todo = "`terms = \"constant\"` draws their constants.")
  }
  words <- ifelse(nzchar(phrases$unit) & !nzchar(phrases$head), paste0(phrases$label, "\n", phrases$unit),
                  phrases$label)
  rows <- do.call(rbind, lapply(seq_along(records), function(m) {
    table <- tables[[m]]
    table <- table[table$term %in% phrases$term, c("term", "estimate", "std_error", "low", "high")]
    if (nrow(table) > 0) cbind(table, fit = heads[m], group = if (is.null(over)) "" else over[m], place = m)
  }))
  rows$words <- words[match(rows$term, phrases$term)]
  list(rows = rows[order(match(rows$term, phrases$term), rows$place), ], sets = drawn_sets(records, given, rows, level),
       labels = wording$labels)
}

# Where instruments are not strong the values that they do not reject, a row a piece: list(term, place, low, high).
drawn_sets <- function(records, fits, rows, level) {
  pieces <- lapply(seq_along(records), function(m) {
    one <- records[[m]]$instrumented
    if (is.null(one$set) || identical(one$verdict, "strong") || !any(rows$place == m & rows$term %in% one$endogenous)) {
      return(NULL)
    }
    set <- one$set
    if (abs(level - 0.95) > 1e-12) {
      if (inherits(fits[[m]], "fit_record") || !keeps_rows(fits[[m]])) return(NULL)
      set <- anderson_rubin_set(fits[[m]], level)
    }
    data.frame(term = rep(one$endogenous[[1]], length(set$low)), place = rep(m, length(set$low)), low = set$low,
               high = set$high)
  })
  out <- do.call(rbind, pieces)
  if (is.null(out)) data.frame(term = character(), place = integer(), low = numeric(), high = numeric()) else out
}

# Coefficients with their interval at another level than the record's. Errors may bring intervals of their own.
interval_table <- function(record, fit, level, aside = FALSE) {
  table <- if (aside) record$coefficients else as.data.frame(record)
  if (abs(level - 0.95) < 1e-12) return(table)
  if (startsWith(record$errors$label, "wild")) {
    if (inherits(fit, "fit_record")) {
      stop_wavetax("level", "A saved fit under a wild bootstrap has its intervals at 95 percent only.",
                   todo = "Use `level = 0.95`, or the fit itself.")
    }
    own <- coefficient_table(fit, match(table$term, kept_terms(fit)), level)
    table[c("low", "high")] <- own[c("low", "high")]
    return(table)
  }
  df <- if (aside) record$errors$df else record$errors$df[!record$coefficients$aside]
  half <- stats::qt((1 + level) / 2, df) * table$std_error
  table$low <- table$estimate - half
  table$high <- table$estimate + half
  table
}

# Lines are fits, in a panel for each of several terms; of one fit its terms. The numbers stand beside where there is
# one panel.
draw_estimates <- function(rows, sets, title, says, axis, reference, vertical) {
  one_fit <- length(unique(rows$place)) == 1
  panels <- !one_fit && length(unique(rows$term)) > 1
  rows$line <- if (one_fit) rows$words else paste(rows$group, rows$fit, rows$place, sep = "\r")
  lines <- unique(rows$line)
  rows$at <- match(rows$line, lines)
  if (!vertical) rows$at <- length(lines) + 1L - rows$at
  names <- if (one_fit) lines else vapply(strsplit(lines, "\r", fixed = TRUE), `[`, "", 2)
  groups <- unique(rows$group)
  grouped <- length(groups) > 1 && length(groups) <= length(look_colours)
  rows$series <- factor(if (grouped) rows$group else "", if (grouped) groups else "")
  rows$panel <- factor(lines_of_text(rows$words), unique(lines_of_text(rows$words)))
  beside <- if (!panels && !vertical) estimate_words_beside(rows)
  # Sets stand just below the interval of their estimate.
  sets <- cbind(sets, rows[match(paste(sets$term, sets$place), paste(rows$term, rows$place)),
                           c("at", "series", "panel"), drop = FALSE])
  sets$at <- sets$at - 0.22
  figure <- ggplot2::ggplot(rows, ggplot2::aes(x = .data$estimate, y = .data$at, colour = .data$series,
                                               shape = .data$series)) +
    ggplot2::geom_vline(xintercept = reference, colour = look_shades$grey, linewidth = 0.5) +
    (if (nrow(sets) > 0) {
      ggplot2::geom_segment(ggplot2::aes(x = .data$low, xend = .data$high, yend = .data$at), sets, linewidth = 1.8,
                            alpha = 0.35)
    }) +
    ggplot2::geom_segment(ggplot2::aes(x = .data$low, xend = .data$high, yend = .data$at), linewidth = 0.7,
                          na.rm = TRUE) +
    ggplot2::geom_point(size = 2, stroke = 0.8, fill = "white") +
    ggplot2::scale_colour_manual(values = look_colours, guide = if (grouped) "legend" else "none") +
    ggplot2::scale_shape_manual(values = look_shapes, guide = if (grouped) "legend" else "none") +
    ggplot2::scale_x_continuous(expand = ggplot2::expansion(mult = 0.08), breaks = axis_marks, labels = axis_labels) +
    ggplot2::scale_y_continuous(breaks = if (vertical) seq_along(lines) else rev(seq_along(lines)),
                                labels = lines_of_text(names),
                                expand = ggplot2::expansion(add = 0.6),
                                sec.axis = if (is.null(beside)) ggplot2::waiver() else
                                  ggplot2::dup_axis(labels = function(at) on_device(beside))) +
    ggplot2::labs(x = axis, y = NULL) + figure_theme("x") +
    ggplot2::theme(axis.text.y = ggplot2::element_text(colour = look_shades$ink, hjust = 0))
  if (panels) figure <- figure + ggplot2::facet_wrap(~panel, scales = "free_x", ncol = if (vertical) NULL else 2)
  if (vertical) {
    figure <- figure + ggplot2::coord_flip() + figure_theme("y")
  }
  stacked <- if (panels) ceiling(nlevels(rows$panel) / 2) else 1
  new_figure(figure, title, says, max(2.4, 1.1 + 0.24 * length(lines) * stacked + 0.45 * stacked * panels))
}

# Text of several lines.
lines_of_text <- function(x) {
  vapply(strsplit(x, "\n", fixed = TRUE), function(one) paste(visible_text(one), collapse = "\n"), "")
}

# From the lowest line up.
estimate_words_beside <- function(rows) {
  rows <- rows[order(-rows$at), ]
  places <- rep(max(estimate_decimals(rows$estimate, rows$std_error)), nrow(rows))
  number <- function(x) gsub("-", "\u2212", format_number(x, decimals = places), fixed = TRUE)
  sprintf("%s  (%s to %s)", number(rows$estimate), number(rows$low), number(rows$high))
}

#' @rdname plot_estimates
#' @param x A fit.
#' @export
plot.panel_fit <- function(x, ...) plot_estimates(x, ...)
