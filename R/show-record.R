# A fit's record: all that is printed, tabulated or saved of it, as plain values. Fits are
# printed and tabulated through it, and so are those read back from a file.

fit_record <- function(fit) {
  if (inherits(fit, "fit_record")) return(fit)
  terms <- attr(fit$design$blueprint$terms, "term.labels")
  shown <- if (shows_constant(fit)) rep(TRUE, length(kept_terms(fit))) else shown_terms(fit)
  coefficients <- coefficient_table(fit, shown)
  means <- with(fit$coefficients, term[role == "mean" & status == "kept"])
  structure(list(
    method = fit$method, outcome = fit$design$outcome, formula = deparse_words(fit$design$formula),
    title = paste0(fit_title(fit), ": ", fit$design$outcome, " on ",
                   if (length(terms) > 0) list_some(terms, 8) else "a constant"),
    sample = sample_words(fit), errors_words = errors_words(fit),
    coefficients = cbind(coefficients, aside = !shown_terms(fit)[shown]),
    covariance = fit$errors$covariance[shown, shown, drop = FALSE],
    errors = c(fit$errors[c("label", "type", "clusters", "notes")], list(df = errors_df(fit)[shown])),
    means = if (length(means) > 0) list(terms = means, unit = plural_of(fit$design$blueprint$means$column)),
    labels = term_labels(fit), effects = effect_facts(fit), rows = fit$n,
    entity = if (!is.null(fit$design$index)) list(name = fit$design$index$entity, count = sample_facts(fit)$entities),
    r_squared = list(kind = names(fit$r_squared), label = unname(r_squared_words(fit)), value = unname(fit$r_squared)),
    dropped = dropped_terms(fit), closing = closing_words(fit),
    variance = if (!is.null(fit$variance$sigma2)) as.list(as.data.frame(unclass(variance_parts(fit)))),
    serial = record_serial(fit), variances = variances_words(fit), figures = record_figures(fit),
    pieces = fit$design$blueprint$pieces, spans = fit$spans, nouns = record_nouns(fit), levels = record_levels(fit),
    connected = record_connected(fit), told = told_of_rows(fit), instrumented = record_instrumented(fit)
  ), class = "fit_record")
}

# Labels of the variables, and of terms, that the equation has.
term_labels <- function(fit) {
  labels <- fit$design$index$labels
  used <- c(fit$coefficients$term, all.vars(fit$design$formula), fit$design$outcome)
  as.list(labels[intersect(names(labels), used)])
}

# AR(1): list(rho, low, high, entity: whose rho each is, or NULL, method).
record_serial <- function(fit) {
  serial <- fit$serial
  if (is.null(serial)) return(NULL)
  list(rho = unname(serial$rho), low = unname(serial$low), high = unname(serial$high), entity = names(serial$rho),
       method = serial$method)
}

# Whose variances the rows were weighed by, where these were estimated.
variances_words <- function(fit) {
  a <- fit$adjustment
  if (is.null(a)) return(NULL)
  if (a$covariances > 0) sprintf("%s related", plural_of(a$of)) else paste("by", a$of)
}

record_nouns <- function(fit) list(entity = fit$design$index$entity, period = fit$design$index$period)

# How many levels each set of effects has.
record_levels <- function(fit) {
  as.list(stats::setNames(vapply(fit$effects, function(set) as.numeric(set$groups$count), 0), effect_names(fit)))
}

# In how many groups the levels of each set beyond the first hang together with those of the first.
record_connected <- function(fit) {
  known <- Filter(function(set) !is.null(set$connected), fit$effects)
  as.list(stats::setNames(vapply(known, function(set) as.numeric(set$connected), 0),
                          vapply(known, `[[`, "", "name")))
}

# Figures of fit, and what else a table can tell of one.
record_figures <- function(fit) {
  variance <- fit$variance
  y <- fit$design$y + offset_of(fit)
  between <- sum(variance$sigma2)
  c(figures_of(fit), list(
    rho = if (!is.null(variance$sigma2)) between / (between + variance$sigma2_e) else NA_real_,
    outcome_mean = if (length(y) > 0) mean(y) else NA_real_,
    outcome_sd = if (length(y) > 1) stats::sd(y) else NA_real_
  ))
}

shows_constant <- function(fit) method_of(fit)$constant != "aside" || fit$design$constant

#' @export
print.fit_record <- function(x, ..., constant = FALSE) {
  check_print_dots(..., of = print.fit_record)
  check_flag(constant, "constant")
  show_blocks(blocks_of(x, constant = constant))
  invisible(x)
}

#' @export
blocks_of.fit_record <- function(x, constant = FALSE, ...) {
  table <- as_table(x)
  list(
    heading_block(x$title), text_block(x$sample), text_block(x$errors_words),
    text_block(unlist(x$instrumented$opening)), gap_block(),
    if (nrow(table$rows) > 0) table_block(table) else text_block("  no slopes"),
    gap_block(), text_block(unlist(x$closing)),
    if (constant) text_block(aside_constant_words(x))
  )
}

#' @export
as_table.fit_record <- function(x, ...) {
  table <- with_drift(x)
  phrases <- term_phrases(table$term, x$pieces, nouns = x$nouns, means = x$means$terms)
  opening <- unlist(x$instrumented$opening)
  out <- coefficients_table(table[!table$aside, ], phrases, x$means, x$title,
                            table_note(c(x$sample, x$errors_words, opening, unlist(x$closing))))
  under <- unlist(x$instrumented$under)
  if (is.null(under)) return(out)
  at <- match(x$instrumented$endogenous[[1]], out$rows$key)
  insert_rows(out, table_rows(under, "span", out$rows$depth[at] + 2), rep(at, length(under)))
}

#' @export
as.data.frame.fit_record <- function(x, row.names = NULL, optional = FALSE, level = 0.95, ...) {
  check_no_dots(..., of = list(call = as.data.frame.fit_record, name = "as.data.frame()",
                               hidden = c("x", "row.names", "optional")))
  check_level(level)
  table <- x$coefficients
  if (level != 0.95) table[c("low", "high")] <- record_interval(x, level)
  table[!table$aside, setdiff(names(table), "aside")]
}

# Intervals of another level than the one that was saved follow from the errors, but of a bootstrap.
record_interval <- function(record, level) {
  table <- record$coefficients
  df <- rep_len(record$errors$df, nrow(table))
  half <- function(level) stats::qt((1 + level) / 2, df) * table$std_error
  if (!isTRUE(all.equal(table$high - table$estimate, half(0.95), tolerance = 1e-6))) {
    stop_wavetax("level", "Only the 95 percent interval of these errors was saved.",
                 todo = "Estimate again, and ask the fit itself.")
  }
  list(low = table$estimate - half(level), high = table$estimate + half(level))
}

# "harbour effects", "harbour trends in season"
effect_facts <- function(fit) {
  unlist(lapply(fit$effects, function(set) {
    c(if (set$intercept) paste(set$name, "effects"),
      if (length(set$trends) > 0) sprintf("%s trends in %s", set$name, set$trends))
  }))
}

#' @export
print.panel_fit <- function(x, ..., constant = FALSE) {
  check_print_dots(..., of = print.panel_fit)
  check_flag(constant, "constant")
  show_blocks(blocks_of(x, constant = constant))
  invisible(x)
}

#' @export
blocks_of.panel_fit <- function(x, constant = FALSE, ...) blocks_of(fit_record(x), constant = constant)

#' @export
as_table.panel_fit <- function(x, ...) as_table(fit_record(x))

#' @export
summary.panel_fit <- function(object, ...) {
  check_no_dots(..., of = list(call = summary.panel_fit, name = "summary()", hidden = "object"))
  table <- as.data.frame(object)
  coefficients <- as.matrix(table[c("estimate", "std_error", "statistic", "p_value")])
  dimnames(coefficients) <- list(table$term, c("Estimate", "Std. Error", "t value", "Pr(>|t|)"))
  structure(list(fit = object, call = object$call, coefficients = coefficients, sigma = stats::sigma(object),
                 df = c(nrow(table), object$df$residual), r.squared = own_r_squared(object)),
            class = "panel_fit_summary")
}

#' @export
print.panel_fit_summary <- function(x, ...) {
  check_print_dots(..., of = print.panel_fit_summary)
  show_blocks(blocks_of(x))
  invisible(x)
}

#' @export
blocks_of.panel_fit_summary <- function(x, ...) {
  fit <- x$fit
  two <- function(x) format_number(as.numeric(x), decimals = 2)
  list(
    blocks_of(fit), gap_block(),
    text_block("Residual df ", count_words(fit$df$residual), "; standard deviation of the error ",
               format_number(sqrt(fit$scale)), "; sum of squares ", format_number(fit$ssr)),
    if (is.finite(fit$log_lik)) {
      text_block("Log-likelihood ", two(fit$log_lik), " with ", count_of(fit$parameters, "parameter"), "; AIC ",
                 two(stats::AIC(fit)), ", BIC ", two(stats::BIC(fit)))
    }
  )
}
