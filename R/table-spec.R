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
#' @param labels Labels of variables, as [panel_labels()] takes them, over those that the fits have of their
#'   panels; `FALSE` shows names.
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
spec_table <- function(..., terms = NULL, beneath = "std_error", hausman = FALSE, labels = NULL) {
  fits <- collect_fits(rlang::enquos(...))
  beneath <- check_choice(beneath, c("std_error", "p_value", "interval"), "beneath")
  check_flag(hausman, "hausman")
  check_texts(terms, "terms", "Name coefficients in quotes, such as `terms = \"x\"`.", kind = "unknown_term")
  records <- name_outcomes(lapply(fits, fit_record))
  names(fits) <- names(records)
  coefficients <- do.call(rbind, lapply(names(records), function(model) {
    table <- with_drift(records[[model]])
    if (nrow(table) > 0) cbind(model = model, table[names(table) != "aside"])
  }))
  tested <- if (hausman) hausman_facts(fits)
  structure(list(
    models = names(records), outcome = unique(vapply(records, `[[`, "", "outcome")),
    coefficients = coefficients, terms = table_terms(coefficients$term, terms),
    labels = table_labels(records, labels),
    facts = rbind(table_facts(records), tested$facts), beneath = beneath,
    notes = table_notes(records, coefficients$term, terms, tested)
  ), class = "spec_table")
}

# What stands for a term: what is given, else what a fit has of its panel.
table_labels <- function(records, labels) {
  if (isFALSE(labels)) return(list())
  given <- if (!is.null(labels)) as.list(as_labels(labels))
  own <- do.call(c, unname(lapply(records, `[[`, "labels")))
  c(given, own[!duplicated(names(own)) & !names(own) %in% names(given)])
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

is_fit_or_record <- function(x) inherits(x, c("panel_fit", "fit_record")) && is.list(x) && is_one_text(x$method)

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

# Whether effects of combinations hold those of a part: "coast:season effects" hold "season effects".
holds_effects <- function(larger, smaller) {
  parts <- function(label) strsplit(sub(" effects$", "", label), ":", fixed = TRUE)[[1]]
  both <- endsWith(larger, " effects") && endsWith(smaller, " effects")
  both && all(parts(smaller) %in% parts(larger))
}

# What is told of each fit beneath its coefficients: a data frame with a row a fact of a fit. `about` says what kind of
# fact it is, by which they are ordered; the rest is its cell, see new_cells().
fact_kinds <- c("effects", "errors", "sample", "fit", "test")

new_fact <- function(model, label, about, cells) {
  data.frame(model = model, label = label, about = about, cells)
}

table_facts <- function(records) {
  effects <- unique(unlist(lapply(records, `[[`, "effects")))
  entities <- unique(unlist(lapply(records, function(record) record$entity$name)))
  do.call(rbind, lapply(names(records), function(model) {
    record <- records[[model]]
    kinds <- vapply(effects, function(name) {
      held <- name %in% record$effects || any(vapply(record$effects, holds_effects, TRUE, name))
      if (held) method_of(record)$effects else "none"
    }, "")
    counts <- vapply(entities, function(name) {
      if (identical(record$entity$name, name)) as.numeric(record$entity$count) else NA_real_
    }, 0)
    told <- record$r_squared$kind %in% method_of(record)$r_squared
    value <- record$r_squared$value[told]
    value[!is.finite(value)] <- NA
    rbind(
      if (length(effects) > 0) new_fact(model, effects, "effects", word_cells(unname(kinds))),
      new_fact(model, "errors", "errors", word_cells(errors_kind(record$errors))),
      new_fact(model, "clusters", "errors", cluster_cells(record$errors$clusters)),
      new_fact(model, "rows", "sample", count_cells(record$rows)),
      if (length(entities) > 0) {
        new_fact(model, vapply(entities, plural_of, ""), "sample", count_cells(unname(counts)))
      },
      # Each row is named by what was taken out of y, so that the figures in it are comparable.
      if (any(told)) new_fact(model, paste("R-squared", record$r_squared$label[told]), "fit", number_cells(value, 3))
    )
  }))
}

# One dimension as a count, several in words.
cluster_cells <- function(clusters) {
  if (length(clusters) == 0) return(empty_cells(1))
  if (length(clusters) == 1) return(count_cells(clusters[[1]], names(clusters)))
  word_cells(cluster_words(clusters))
}

# For each random effects fit the test against the first fixed effects fit that it can be tested against, those of
# the same sets of effects first: list(cells, against, by column, why), why where there is none.
hausman_facts <- function(fits) {
  effects <- vapply(fits, function(fit) {
    if (inherits(fit, "panel_fit") && !is.na(method_of(fit)$assumes)) method_of(fit)$effects else "not to test"
  }, character(1))
  fixed <- names(fits)[effects == "fixed"]
  random <- names(fits)[effects == "random"]
  if (length(fixed) == 0 || length(random) == 0) {
    stop_wavetax(
      "nothing_to_compare", "A Hausman test needs a fixed and a random effects fit in the table.",
      todo = "Add the one that is missing, or leave `hausman` out; saved fits cannot be tested."
    )
  }
  sets <- lapply(fits, effect_names)
  found <- lapply(stats::setNames(random, random), function(model) {
    refused <- NULL
    for (one in fixed[order(!vapply(fixed, function(one) setequal(sets[[one]], sets[[model]]), TRUE))]) {
      test <- tryCatch(test_hausman(fits[[one]], fits[[model]]), wavetax_error = function(cnd) cnd)
      if (!inherits(test, "condition")) return(list(p = test$p.value, against = one))
      if (is.null(refused)) refused <- test
    }
    list(p = NA_real_, refused = refused)
  })
  told <- vapply(found, function(one) !is.null(one$against), TRUE)
  if (!any(told)) rlang::cnd_signal(found[[1]]$refused)
  list(
    facts = new_fact(random, "Hausman p", "test", p_cells(vapply(found, `[[`, 0, "p"))),
    against = vapply(found[told], `[[`, "", "against"),
    why = vapply(found[!told], function(one) first_line(one$refused), "")
  )
}

# Each about the column that it names.
table_notes <- function(records, seen, wanted, tested) {
  dropped <- lapply(names(records), function(model) {
    gone <- records[[model]]$dropped
    if (nrow(gone) > 0) table_note(sprintf("Dropped in %s: %s (%s)", model, gone$term, gone$reason), model)
  })
  hidden <- if (is.null(wanted)) 0 else length(setdiff(table_terms(seen, NULL), table_terms(seen, wanted)))
  against <- tested$against
  one <- length(unique(against)) == 1
  do.call(rbind, c(dropped, list(
    table_note(if (hidden > 0) paste(count_of(hidden, "more coefficient"), "not shown")),
    table_note(if (length(against) > 0) {
      sprintf("Hausman p: %s; small speaks against the column",
              if (one) paste("against", against[[1]]) else list_words(paste(names(against), "against", against)))
    }),
    if (length(tested$why) > 0) {
      table_note(sprintf("No Hausman test for %s: %s", names(tested$why), sub("[.]$", "", unname(tested$why))),
                 names(tested$why))
    }
  )))
}

#' @export
as_table.spec_table <- function(x, ...) {
  labels <- unique(x$facts$label[order(match(x$facts$about, fact_kinds))])
  terms <- x$terms
  new_panel_table(
    rbind(
      table_rows(
        as.vector(rbind(term_labels_of(x), rep_len(beneath_words[[x$beneath]], length(terms)))),
        rep_len(c("estimate", "beneath"), 2 * length(terms)), rep_len(c(0, 1), 2 * length(terms)),
        key = as.vector(rbind(terms, sprintf("%s:%s", terms, rep_len(x$beneath, length(terms)))))
      ),
      table_rows(labels, "fact", key = sprintf("fact:%s", labels))
    ),
    lapply(x$models, function(model) table_column(model, model_cells(x, model, labels))),
    paste("Specifications of", list_words(x$outcome)), notes = x$notes
  )
}

term_labels_of <- function(x) {
  vapply(x$terms, function(term) if (is.null(x$labels[[term]])) term_words(term) else x$labels[[term]], "",
         USE.NAMES = FALSE)
}

beneath_words <- c(std_error = "std. error", p_value = "p", interval = "95% interval")

# Estimates with what stands beneath each, with as many decimals in all models as the smallest error of the term asks
# for; then the facts.
model_cells <- function(x, model, labels) {
  all <- x$coefficients
  places <- tapply(estimate_decimals(all$estimate, all$std_error), factor(all$term, unique(all$term)), max)[x$terms]
  own <- all[all$model == model, ]
  own <- own[match(x$terms, own$term), ]
  facts <- x$facts[x$facts$model == model, cell_fields]
  facts <- as.list(facts[match(labels, x$facts$label[x$facts$model == model]), ])
  facts$kind[is.na(facts$kind)] <- "empty"
  facts$text[is.na(facts$text)] <- ""
  beneath <- switch(x$beneath,
    std_error = number_cells(own$std_error, places, "std_error"), p_value = p_cells(own$p_value),
    interval = number_cells(own$low, places, "interval", own$high)
  )
  pairs <- bind_cells(number_cells(own$estimate, places, "estimate"), beneath)
  n <- length(x$terms)
  bind_cells(cells_at(pairs, as.vector(rbind(seq_len(n), n + seq_len(n)))), facts)
}

#' @export
blocks_of.spec_table <- function(x, ...) table_blocks(as_table(x))

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

# As they are printed: a column of labels, then one a model.
printed_cells <- function(table) {
  rows <- table$rows
  out <- data.frame(part = ifelse(rows$role == "fact", "facts", "coefficients"),
                    row = paste0(strrep("  ", rows$depth), rows$label))
  for (key in table$columns$key) out[[key]] <- cells_as_text(table$cells[[key]])
  out
}
