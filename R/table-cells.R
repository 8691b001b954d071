# The cells of a specification table as values: what is printed and written is made of them, and no
# number is read back out of text. A data frame with a row for each line and model:
#   line, part ("coefficients", "facts"), label, model
#   kind       "estimate", "std_error", "p", "interval", "number", "count" or "text"
#   value      the number; `upper` the other end of an interval; NA where the cell is empty
#   decimals   how many are shown; `text` that of a text, or the noun of a count

table_cells <- function(table) {
  blocks <- lapply(table$terms, function(term) coefficient_cells(table, term))
  labels <- fact_order(table$facts$label)
  facts <- lapply(labels, function(label) table$facts[table$facts$label == label, ])
  cells <- c(unlist(blocks, recursive = FALSE), facts)
  out <- do.call(rbind, lapply(seq_along(cells), function(line) {
    one <- cells[[line]]
    at <- match(table$models, one$model)
    data.frame(
      line = line, part = if (line <= 2 * length(blocks)) "coefficients" else "facts", label = one$label[1],
      model = table$models, kind = ifelse(is.na(at), "empty", one$kind[at]), value = one$value[at],
      upper = one$upper[at], decimals = one$decimals[at], text = ifelse(is.na(at), "", one$text[at])
    )
  }))
  out$kind[is.na(out$value) & (out$text == "" | out$kind == "count")] <- "empty"
  out
}

new_cell <- function(model, label, kind, value = NA_real_, upper = NA_real_, decimals = NA_real_, text = "") {
  data.frame(model = model, label = label, kind = kind, value = value, upper = upper, decimals = decimals, text = text)
}

# Facts in the order of their first appearance, R-squared together, Hausman last.
fact_order <- function(facts) {
  all <- unique(facts)
  late <- ifelse(startsWith(all, "Hausman"), 2, ifelse(startsWith(all, "R-squared"), 1, 0))
  all[order(late)]
}

beneath_words <- c(std_error = "std. error", p_value = "p", interval = "95% interval")

# An estimate and what stands beneath it, with as many decimals in each model as the smallest error
# among them asks for.
coefficient_cells <- function(table, term) {
  rows <- table$coefficients[table$coefficients$term == term, ]
  places <- max(estimate_decimals(rows$estimate, rows$std_error))
  beneath <- paste0("  ", beneath_words[[table$beneath]])
  list(
    new_cell(rows$model, if (term %in% names(table$labels)) table$labels[[term]] else term_words(term), "estimate",
             rows$estimate, decimals = places),
    switch(table$beneath,
      std_error = new_cell(rows$model, beneath, "std_error", rows$std_error, decimals = places),
      p_value = new_cell(rows$model, beneath, "p", rows$p_value, decimals = 3),
      interval = new_cell(rows$model, beneath, "interval", rows$low, rows$high, places)
    )
  )
}

# The text of each cell; without separated thousands for a program that reads numbers.
cells_as_text <- function(cells, thousands = TRUE) {
  number <- function(x, decimals) {
    out <- format_number(x, decimals = decimals)
    if (thousands) out else gsub(",", "", out, fixed = TRUE)
  }
  out <- cells$text
  at <- function(kinds) cells$kind %in% kinds
  plain <- at(c("estimate", "std_error", "number"))
  out[plain] <- number(cells$value[plain], cells$decimals[plain])
  out[at("p")] <- format_p(cells$value[at("p")])
  wide <- at("interval")
  out[wide] <- paste(number(cells$value[wide], cells$decimals[wide]), "to",
                     number(cells$upper[wide], cells$decimals[wide]))
  counts <- at("count")
  out[counts] <- vapply(which(counts), function(i) {
    noun <- cells$text[i]
    if (nzchar(noun)) return(count_of(cells$value[i], noun))
    if (thousands) count_words(cells$value[i]) else formatC(cells$value[i], format = "d")
  }, "")
  out[at("empty")] <- ""
  out
}

# Whether a cell shows a number with decimals, to stand on its point.
has_decimals <- function(cells) cells$kind %in% c("estimate", "std_error", "number", "p")

# As they are printed: a column of labels, then one a model.
printed_cells <- function(table, thousands = TRUE) {
  cells <- table_cells(table)
  words <- cells_as_text(cells, thousands)
  one <- cells[cells$model == table$models[1], ]
  out <- data.frame(part = one$part, row = one$label)
  for (model in table$models) out[[model]] <- words[cells$model == model]
  out[c("part", "row", table$models)]
}
