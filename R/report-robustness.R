# If other choices were made: one table and one figure of the focus under other errors, in other models, in parts of the
# sample, without the one that moves it most.

part_robustness <- function(brief) {
  fit <- brief$fit
  if (is.null(fit) || is_slim(fit)) return(NULL)
  choices <- other_choices(brief)
  if (length(choices) < 2) return(NULL)
  rows <- lapply(choices, function(one) focus_row(one$fit, brief$focus))
  known <- !vapply(rows, is.null, TRUE)
  choices <- choices[known]
  rows <- do.call(rbind, unname(rows[known]))
  rownames(rows) <- NULL
  fits <- lapply(choices, `[[`, "fit")
  list(
    text_block(robust_words(rows, choices)), table_block(choices_table(rows, choices, brief)),
    tried_figure(plot_estimates(fits, terms = brief$focus))
  )
}

# A list by name of list(part, fit).
other_choices <- function(brief) {
  fit <- brief$fit
  out <- list()
  out[[if (is.null(brief$appraisal)) "as above" else "as recommended"]] <- list(part = "What stands above", fit = fit)
  add <- function(out, part, name, made) {
    found <- tryCatch(muffled(made, c("message", "wavetax_warning")), wavetax_error = function(cnd) NULL)
    if (!is.null(found)) out[[name]] <- list(part = part, fit = found)
    out
  }
  index <- fit$design$index
  errors <- c(list("classical errors" = se_classical(), "robust errors" = se_robust()), if (!is.null(index)) {
    entity <- column_formula(index$entity)
    period <- column_formula(index$period)
    both <- rlang::new_formula(NULL, call("+", as.name(index$entity), as.name(index$period)), env = baseenv())
    stats::setNames(list(se_clustered(entity), se_clustered(period), se_clustered(both)),
                    sprintf("clustered by %s", c(index$entity, index$period, "both")))
  })
  for (name in names(errors)) out <- add(out, "Other errors", name, with_errors(fit, errors[[name]]))
  others <- brief$fits[!vapply(brief$fits, identical, TRUE, fit)]
  for (name in names(others)) out <- add(out, "Other models", name, others[[name]])
  if (is.null(index)) return(out)
  for (half in list("the first half", "the second half")) {
    rows <- half_of_periods(fit, half == "the first half")
    out <- add(out, "Parts of the sample", sprintf("%s of the %s", half, plural_of(index$period)), with_rows(fit, rows))
  }
  most <- most_moving(fit, brief$focus)
  if (!is.null(most)) {
    without <- call("!=", as.name(index$entity), most)
    out <- add(out, "Parts of the sample", sprintf("without %s, which moves it most", most), with_rows(fit, without))
  }
  out
}

# The same fit on part of its rows.
with_rows <- function(fit, condition) {
  request <- request_again(fit)
  request$errors <- fit$errors$spec
  own <- if (!is.null(request$rows)) rlang::f_rhs(request$rows)
  both <- if (is.null(own)) condition else call("&", call("(", own), condition)
  env <- if (is.null(request$rows)) baseenv() else rlang::f_env(request$rows)
  request["rows"] <- list(rlang::new_formula(NULL, both, env = env))
  run_fit(request)
}

half_of_periods <- function(fit, first) {
  index <- fit$design$index
  seen <- sort(unique(fit$design$data[[index$period]]))
  middle <- seen[ceiling(length(seen) / 2)]
  call(if (first) "<=" else ">", as.name(index$period), middle)
}

most_moving <- function(fit, focus) {
  moved <- tryCatch(muffled(influence_by(fit), c("message", "wavetax_warning")), wavetax_error = function(cnd) NULL)
  own <- as.data.frame(moved)[moved$term == focus, ]
  if (NROW(own) < 2) return(NULL)
  as.character(own$group[which.max(abs(own$change))])
}

focus_row <- function(fit, focus) {
  table <- as.data.frame(fit)
  at <- match(focus, table$term)
  if (is.na(at) || !is.finite(table$estimate[at])) return(NULL)
  data.frame(table[at, c("estimate", "std_error", "low", "high")], rows = fit$n)
}

# Other errors move the interval, other models and samples the estimate: each is counted as what it is.
robust_words <- function(rows, choices) {
  first <- rows[1, ]
  part <- vapply(choices, `[[`, "", "part")
  errors <- rows[part == "Other errors", ]
  others <- rows[!part %in% c("What stands above", "Other errors"), ]
  places <- estimate_decimals(first$estimate, first$std_error)
  number <- function(value) format_number(value, decimals = places)
  inside <- sum(others$estimate >= first$low & others$estimate <= first$high, na.rm = TRUE)
  turned <- names(choices)[match(rownames(others), rownames(rows))][sign(others$estimate) != sign(first$estimate)]
  widest <- which.max(errors$high - errors$low)
  c(
    if (length(widest) > 0) sprintf("Under other errors the interval is at its widest %s to %s",
                                    number(errors$low[widest]),
                                    number(errors$high[widest])),
    if (nrow(others) > 0) {
      sprintf("Of %s %s an estimate within the interval above%s", choices_counted(nrow(others)),
              given_words(inside), if (length(turned) > 0) sprintf("; %s %s the other sign", list_words(turned),
                                                                   if (length(turned) == 1) "has" else "have") else
                ", all of its sign")
    }
  )
}

choices_counted <- function(n) {
  if (n == 1) "one other model or part of the sample" else sprintf("%s other models and parts of the sample",
                                                                   count_words(n))
}

given_words <- function(n) sprintf("%s %s", if (n == 0) "none" else count_words(n), if (n == 1) "gives" else "give")

choices_table <- function(rows, choices, brief) {
  places <- estimate_decimals(rows$estimate, rows$std_error)
  number <- function(values) number_cells(values, places)
  table <- new_panel_table(
    table_rows(names(choices)), stub = "", title = sprintf("%s under other choices", upper_first(focus_words(brief))),
    columns = list(table_column("estimate", number(rows$estimate)), table_column("std. error", number(rows$std_error)),
                   table_column("from", number(rows$low)), table_column("to", number(rows$high)),
                   table_column("rows", count_cells(rows$rows)))
  )
  table$says <- "Intervals of 95 percent"
  with_headings(table, vapply(choices, `[[`, "", "part"))
}
