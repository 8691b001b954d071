# A table of specifications as a table value, and how it is printed.

#' @export
as_table.spec_table <- function(x, ...) {
  check_whole_spec(x)
  facts <- unique(x$facts$label)
  beneath <- x$beneath
  beside <- x$options$beside && length(beneath) > 0
  lines <- spec_lines(x, if (beside) NULL else beneath)
  over <- spec_over(x)
  places <- spec_decimals(x)
  shared <- shared_errors(x)
  fact_rows <- table_rows(facts, "fact", key = sprintf("fact:%s", facts),
                          mark = ifelse(facts %in% shared$labels, "said", ""))
  heads <- if (x$options$numbered) sprintf("(%d) %s", seq_along(x$heads), x$heads) else x$heads
  columns <- lapply(seq_along(x$models), function(m) {
    model <- x$models[m]
    told <- x$facts[x$facts$model == model, ]
    told <- fact_cells(told[match(facts, told$label), cell_fields])
    empty <- empty_cells(length(facts))
    column <- function(what, key, head, below) {
      table_column(head, bind_cells(spec_cells(x, model, what, lines, places), below), key, over[m])
    }
    if (!beside) return(list(column(c("estimate", beneath), model, heads[m], told)))
    head <- if (nzchar(over[m])) paste0(over[m], ", ", heads[m]) else heads[m]
    lapply(c("estimate", beneath), function(what) {
      table_column(if (what == "estimate") "estimate" else beneath_words[[what]],
                   bind_cells(spec_cells(x, model, what, lines, places), if (what == "estimate") told else empty),
                   paste(model, what, sep = ":"), head)
    })
  })
  table <- new_panel_table(
    rbind(lines$rows, fact_rows), do.call(c, columns),
    if (is.null(x$options$title)) paste("Specifications of", list_words(x$outcome)) else x$options$title,
    notes = spec_notes(x, if (beside) paste0(x$models, ":estimate") else x$models), says = spec_says(x, shared)
  )
  table$made_of <- x
  table
}

fact_cells <- function(cells) {
  cells <- as.list(cells)
  cells$kind[is.na(cells$kind)] <- "empty"
  cells$text[is.na(cells$text)] <- ""
  cells
}

# The lines of the coefficients: list(rows, term and what by line; "" for those of a head).
spec_lines <- function(x, beneath) {
  phrases <- x$phrases
  n <- nrow(phrases)
  headed <- nzchar(phrases$head)
  opens <- headed & phrases$head != c("", phrases$head)[seq_len(n)]
  what <- c("estimate", beneath)
  of <- rep(seq_len(n), opens + length(what))
  what <- unlist(lapply(opens, function(one) c(if (one) "", what)))
  kind <- ifelse(what == "", "head", ifelse(what == "estimate", "estimate", "beneath"))
  term <- phrases$term[of]
  label <- ifelse(kind == "head", whole_label(phrases$head, phrases$unit)[of],
                  ifelse(kind == "estimate", ifelse(headed, phrases$short, phrases$label)[of], beneath_words[what]))
  rows <- table_rows(
    unname(label), c(head = "span", estimate = "estimate", beneath = "beneath")[kind],
    ifelse(kind == "head", 0, headed[of] + (kind == "beneath")),
    key = ifelse(kind == "head", paste0("over:", term), ifelse(kind == "estimate", term, paste0(term, ":", what))),
    unit = ifelse(kind == "estimate" & !headed[of], phrases$unit[of], "")
  )
  rows$role <- unname(rows$role)
  list(rows = rows, term = ifelse(kind == "head", "", term), what = what)
}

# The cells of one column, by line: estimates with as many decimals in all columns as the smallest error of the term
# asks.
spec_cells <- function(x, model, what, lines, places) {
  all <- x$coefficients
  own <- all[all$model == model, ]
  own <- own[match(lines$term, own$term), ]
  of <- if (length(what) == 1) ifelse(nzchar(lines$term), what, "") else lines$what
  digits <- places[match(lines$term, names(places))]
  cells <- empty_cells(length(lines$term))
  put <- function(at, with) for (field in cell_fields) cells[[field]][at] <<- with[[field]]
  for (one in unique(of[nzchar(of)])) {
    at <- which(of == one & !is.na(own$estimate))
    put(at, switch(one,
      estimate = new_cells("estimate", own$estimate[at], decimals = digits[at],
                           text = mark_signs(own$p_value[at], x$options$marks)),
      std_error = number_cells(own$std_error[at], digits[at], "std_error"),
      statistic = number_cells(own$statistic[at], 2), p_value = p_cells(own$p_value[at]),
      interval = number_cells(own$low[at], digits[at], "interval", own$high[at])
    ))
  }
  cells
}

spec_decimals <- function(x) {
  all <- x$coefficients
  places <- tapply(estimate_decimals(all$estimate, all$std_error), factor(all$term, unique(all$term)), max)[x$terms]
  asked <- x$options$decimals
  if (length(asked) == 1 && is.null(names(asked))) places[] <- asked
  if (!is.null(names(asked))) {
    known <- match(names(asked), names(places))
    places[known[!is.na(known)]] <- asked[!is.na(known)]
  }
  places
}

# The sign of the smallest share that p is below.
mark_signs <- function(p, marks) {
  marks <- sort(marks, decreasing = TRUE)
  out <- rep("", length(p))
  for (m in seq_along(marks)) out[!is.na(p) & p < marks[m]] <- names(marks)[m]
  out
}

# As they are printed: a column of labels, then one a model.
printed_cells <- function(table) {
  rows <- table$rows
  out <- data.frame(part = ifelse(rows$role == "fact", "facts", "coefficients"),
                    row = paste0(strrep("  ", rows$depth), whole_label(rows$label, rows$unit)))
  for (key in table$columns$key) out[[key]] <- cells_as_text(table$cells[[key]])
  out
}

#' @export
blocks_of.spec_table <- function(x, ...) {
  errors <- if (!names_errors(x) && length(x$beneath) > 0) shared_errors(x)$words
  list(table_blocks(as_table(x)), if (!is.null(errors)) text_block("Standard errors ", errors))
}

#' @export
print.spec_table <- function(x, ...) {
  check_print_dots(..., of = print.spec_table)
  show_blocks(blocks_of(x))
  invisible(x)
}

#' @export
as.data.frame.spec_table <- function(x, row.names = NULL, optional = FALSE,
                                     layout = c("long", "printed"), ...) {
  layout <- check_one_of(layout, c("long", "printed"), "layout")
  if (layout == "printed") return(printed_cells(as_table(x)))
  rows <- x$coefficients[x$coefficients$term %in% x$terms, ]
  rownames(rows) <- NULL
  rows
}
