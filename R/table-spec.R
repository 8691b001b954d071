#' Competing specifications side by side
#'
#' Question answered: *how does the answer change with the model?* A column a fit: its
#' coefficients with what you choose beneath them, which effects are in it, which
#' errors, the sample, and the R-squared that suits it.
#'
#' @param ... Fits, named or not, or one list of them, also those of [read_fits()]. A name heads
#'   its column; without one, the name of the variable or the method does.
#' @param terms Coefficients to show, by name; `NULL` for all.
#' @param beneath What stands under each estimate: `"std_error"`, `"p_value"` or
#'   `"interval"` (95 percent).
#' @param hausman `TRUE` adds the p value of [test_hausman()] of each random effects
#'   fit against the first fixed effects fit of the same rows.
#' @return A `spec_table`: `coefficients` (a data frame with a row for each fit and
#'   term), `facts` (a row for each fact of each fit), `models` (the column heads),
#'   `outcome`. It prints in 80 columns, in several blocks where there are many fits.
#'   `as.data.frame(table)` has a row for each fit and coefficient with the columns
#'   `model`, `term`, `estimate`, `std_error`, `statistic`, `p_value`, `low`, `high`;
#'   `as.data.frame(table, layout = "printed")` the printed cells as text.
#' @section Errors:
#' `wavetax_error_not_a_fit`; `wavetax_error_unknown_term`; those of [test_hausman()]
#' when it is asked for and the fits cannot be compared.
#' @seealso [write_table()], [plot_estimates()].
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' pooled <- fit_pooled(log(nights) ~ levy + storms + fuel, panel)
#' fixed <- fit_fixed(log(nights) ~ levy + storms + fuel, panel)
#' random <- fit_random(log(nights) ~ levy + storms + fuel, panel)
#' spec_table(pooled, fixed, random, hausman = TRUE)
#' @export
spec_table <- function(..., terms = NULL, beneath = "std_error", hausman = FALSE) {
  fits <- collect_fits(rlang::enquos(...))
  beneath <- check_choice(beneath, c("std_error", "p_value", "interval"), "beneath")
  check_flag(hausman, "hausman")
  check_texts(terms, "terms", "Name coefficients in quotes, such as `terms = \"x\"`.", kind = "unknown_term")
  records <- name_outcomes(lapply(fits, fit_record))
  names(fits) <- names(records)
  coefficients <- do.call(rbind, lapply(names(records), function(model) {
    table <- with_drift(records[[model]]$coefficients, records[[model]]$method)
    if (nrow(table) > 0) cbind(model = model, table[names(table) != "aside"])
  }))
  structure(list(
    models = names(records), outcome = unique(vapply(records, `[[`, "", "outcome")),
    coefficients = coefficients, terms = table_terms(coefficients$term, terms),
    facts = rbind(table_facts(records), if (hausman) hausman_facts(fits)), beneath = beneath,
    notes = table_notes(records, coefficients$term, terms, hausman)
  ), class = "spec_table")
}

# Where the fits are of several outcomes, each column's head tells its own.
name_outcomes <- function(records) {
  outcomes <- vapply(records, `[[`, "", "outcome")
  if (length(unique(outcomes)) < 2) return(records)
  own <- names(records) == outcomes | mapply(function(name, outcome) grepl(outcome, name, fixed = TRUE),
                                             names(records), outcomes)
  heads <- ifelse(own, names(records), paste0(outcomes, ", ", names(records)))
  stats::setNames(records, make.unique(heads, sep = " "))
}

# Fits from `...`: each a fit or a list of fits, named or not.
collect_fits <- function(quos) {
  parts <- lapply(seq_along(quos), function(q) {
    value <- rlang::eval_tidy(quos[[q]])
    given <- names(quos)[q]
    if (is_fit_or_record(value)) {
      expr <- rlang::quo_get_expr(quos[[q]])
      name <- if (nzchar(given)) given else if (is.symbol(expr)) as.character(expr) else ""
      return(stats::setNames(list(value), name))
    }
    if (is.list(value) && !is.data.frame(value) && length(value) > 0) {
      if (is.null(names(value))) names(value) <- rep("", length(value))
      return(value)
    }
    check_is_fit(value, sprintf("argument %d", q))
  })
  fits <- do.call(c, parts)
  if (length(fits) == 0) check_is_fit(NULL, "...")
  for (f in seq_along(fits)) if (!is_fit_or_record(fits[[f]])) check_is_fit(fits[[f]], sprintf("fit %d", f))
  unnamed <- !nzchar(names(fits))
  names(fits)[unnamed] <- vapply(fits[unnamed], function(fit) fit$method, character(1))
  names(fits) <- make.unique(names(fits), sep = " ")
  fits
}

is_fit_or_record <- function(x) inherits(x, "panel_fit") || inherits(x, "fit_record")

# All terms in order of appearance, the constant (and the drift of first differences) last.
table_terms <- function(seen, wanted) {
  all <- unique(seen)
  late <- c("(Intercept)", drift_term)
  all <- c(setdiff(all, late), intersect(late, all))
  if (is.null(wanted)) return(all)
  wanted[wanted == "constant"] <- "(Intercept)"
  wanted[wanted == "drift" & !"drift" %in% all] <- drift_term
  unknown <- setdiff(wanted, all)
  if (length(unknown) > 0) {
    stop_wavetax(
      "unknown_term", sprintf("No fit has a coefficient %s.", list_words(sQuote(unknown, FALSE))),
      todo = sprintf("Coefficients are %s.", list_some(term_words(all), 8))
    )
  }
  wanted
}

# What is told of each fit beneath the coefficients: rows of model, fact, value.
table_facts <- function(records) {
  effects <- unique(unlist(lapply(records, `[[`, "effects")))
  entities <- unique(unlist(lapply(records, function(record) record$entity$name)))
  facts <- lapply(names(records), function(model) {
    record <- records[[model]]
    per_effect <- lapply(effects, function(name) {
      fact(model, name, if (name %in% record$effects) record$effects_kind else "none")
    })
    per_entity <- lapply(entities, function(name) {
      fact(model, plural_of(name), if (identical(record$entity$name, name)) count_words(record$entity$count) else "")
    })
    do.call(rbind, c(per_effect, list(
      fact(model, "errors", sub(" by .*", "", record$errors$label)),
      fact(model, "clusters", cluster_words(record$errors)),
      fact(model, "rows", count_words(record$rows))
    ), per_entity, r_squared_facts(model, record)))
  })
  do.call(rbind, facts)
}

fact <- function(model, label, value) data.frame(model = model, fact = label, value = value)

cluster_words <- function(errors) {
  if (is.null(errors$clusters)) "" else count_of(errors$clusters, errors$by)
}

# Each row is named by what was taken out of y, so that the figures in it are comparable.
r_squared_facts <- function(model, record) {
  shown <- which(record$r_squared$kind %in% c("within", "swept", "overall", "of_changes") |
                   (record$method == "between" & record$r_squared$kind == "between"))
  lapply(shown, function(r) {
    value <- record$r_squared$value[r]
    fact(model, paste("R-squared", record$r_squared$label[r]), if (is.finite(value)) fixed_decimals(value, 3) else "")
  })
}

hausman_facts <- function(fits) {
  methods <- vapply(fits, function(fit) if (inherits(fit, "panel_fit")) fit$method else "saved", character(1))
  fixed <- which(methods == "fixed")
  random <- names(fits)[methods == "random"]
  if (length(fixed) == 0 || length(random) == 0) {
    stop_wavetax(
      "nothing_to_compare", "A Hausman test needs a fixed and a random effects fit in the table.",
      todo = "Add the one that is missing, or leave `hausman` out; saved fits cannot be tested."
    )
  }
  do.call(rbind, lapply(random, function(model) {
    fact(model, "Hausman p", format_p(test_hausman(fits[[fixed[1]]], fits[[model]])$p.value))
  }))
}

table_notes <- function(records, seen, wanted, hausman) {
  dropped <- unlist(lapply(names(records), function(model) {
    gone <- records[[model]]$dropped
    if (nrow(gone) > 0) sprintf("Dropped in %s: %s (%s)", model, gone$term, gone$reason)
  }))
  hidden <- if (!is.null(wanted)) length(setdiff(table_terms(seen, NULL), table_terms(seen, wanted)))
  fixed <- names(records)[vapply(records, function(record) record$method == "fixed", logical(1))]
  c(
    dropped,
    if (!is.null(hidden) && hidden > 0) paste(count_of(hidden, "more coefficient"), "not shown"),
    if (hausman) sprintf("Hausman p: against %s; small speaks against the column", fixed[1])
  )
}

#' @export
as.data.frame.spec_table <- function(x, row.names = NULL, optional = FALSE,
                                     layout = c("long", "printed"), ...) {
  layout <- check_one_of(layout, c("long", "printed"), "layout")
  if (layout == "printed") return(table_cells(x))
  rows <- x$coefficients[x$coefficients$term %in% x$terms, ]
  rownames(rows) <- NULL
  rows
}

# The printed cells as text: a column of labels, then one a model. Numbers of a
# coefficient have as many decimals in each model as suits its error.
table_cells <- function(table) {
  blocks <- lapply(table$terms, function(term) coefficient_cells(table, term))
  facts <- table$facts
  order <- fact_order(facts$fact)
  told <- lapply(order, function(label) {
    c(label, cells_by_model(facts$value[facts$fact == label], facts$model[facts$fact == label], table))
  })
  cells <- do.call(rbind, c(unlist(blocks, recursive = FALSE), told))
  cells <- as.data.frame(cells)
  names(cells) <- c("row", table$models)
  cells$part <- c(rep("coefficients", 2 * length(table$terms)), rep("facts", length(told)))
  cells[c("part", "row", table$models)]
}

# Facts in the order of their first appearance, R-squared together, Hausman last.
fact_order <- function(facts) {
  all <- unique(facts)
  late <- ifelse(startsWith(all, "Hausman"), 2, ifelse(startsWith(all, "R-squared"), 1, 0))
  all[order(late)]
}

beneath_words <- c(std_error = "std. error", p_value = "p", interval = "95% interval")

coefficient_cells <- function(table, term) {
  rows <- table$coefficients[table$coefficients$term == term, ]
  places <- estimate_decimals(rows$estimate, rows$std_error)
  places <- rep(max(places), length(places))
  below <- switch(table$beneath,
    std_error = format_number(rows$std_error, decimals = places),
    p_value = format_p(rows$p_value),
    interval = paste(format_number(rows$low, decimals = places), "to",
                     format_number(rows$high, decimals = places))
  )
  list(
    c(term_words(term), cells_by_model(format_number(rows$estimate, decimals = places), rows$model, table)),
    c(paste0("  ", beneath_words[[table$beneath]]), cells_by_model(below, rows$model, table))
  )
}

cells_by_model <- function(values, models, table) {
  out <- values[match(table$models, models)]
  ifelse(is.na(out), "", out)
}
