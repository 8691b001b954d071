# How a fit is printed: what was estimated of what; the sample; which errors; one
# table; what was dropped and why; a few figures of fit.

#' @export
print.panel_fit <- function(x, ...) {
  show_record(fit_record(x))
  invisible(x)
}

#' @export
summary.panel_fit <- function(object, ...) structure(list(fit = object), class = "panel_fit_summary")

#' @export
print.panel_fit_summary <- function(x, ...) {
  fit <- x$fit
  print(fit)
  writeLines("")
  say("Residual df ", count_words(fit$df_residual), "; standard deviation of the error ",
      format_number(sqrt(sigma2_of(fit))), "; sum of squares ", format_number(fit$ssr))
  likelihood <- stats::logLik(fit)
  two <- function(x) format_number(as.numeric(x), decimals = 2)
  say("Log-likelihood ", two(likelihood), " with ", count_of(attr(likelihood, "df"), "parameter"), "; AIC ",
      two(stats::AIC(fit)), ", BIC ", two(stats::BIC(fit)))
  invisible(x)
}

fit_title <- function(fit) {
  switch(fit$method,
    pooled = "Pooled least squares",
    between = paste("Between", plural_of(fit$design$between)),
    fixed = paste("Fixed effects by", effects_words(fit$effects)),
    random = paste("Random effects by", list_words(effect_names(fit))),
    difference = "First differences",
    correlated = paste("Correlated random effects by", list_words(effect_names(fit)))
  )
}

sample_words <- function(fit) {
  design <- fit$design
  size <- count_of(fit$n, switch(fit$method, difference = "change", between = design$between, "row"))
  index <- design$index
  panel <- if (fit$method == "between") {
    sprintf(" (means of %s%s)", count_of(design$collapsed$n, "row"),
            if (is.null(design$averaged_by)) "" else paste0(", weighted by ", design$averaged_by))
  } else if (!is.null(index)) {
    used <- used_index(design)
    sizes <- tabulate(used$entity)
    periods <- used_periods(design)
    values <- index$periods[range(periods)]
    balanced <- all(sizes[sizes > 0] == length(periods))
    sprintf(
      ": %s, %s (%s), %s", count_of(sum(sizes > 0), index$entity),
      count_of(length(periods), index$period), paste(unique(format_period(values)), collapse = " to "),
      if (balanced) "balanced" else "unbalanced"
    )
  } else if (length(fit$effects) > 0) {
    paste0(": ", list_words(vapply(fit$effects, function(set) count_of(length(set$groups$labels), set$name), "")))
  }
  left_out <- missing_words(design$missing)
  if (!is.null(design$chosen)) size <- paste(size, "where", design$chosen)
  paste0(size, panel, if (!is.null(design[["weights"]])) paste0("; weighted by ", design$weighted_by),
         if (!is.null(left_out)) paste0("; ", left_out))
}

errors_words <- function(fit) {
  errors <- fit$errors
  detail <- if (is.null(errors$clusters)) {
    sprintf(" (t with %s df)", count_words(errors$df))
  } else {
    sprintf(": %s (%s, t with %s df)", count_of(errors$clusters, "cluster"), errors$type,
            count_words(errors$df))
  }
  paste0("Standard errors ", errors$label, detail)
}

show_coefficients <- function(table, means) {
  if (nrow(table) == 0) return(say("  no slopes"))
  lines <- format_columns(coefficient_columns(table))
  is_mean <- table$term %in% means$terms
  if (!any(is_mean)) return(writeLines(lines))
  writeLines(lines[1])
  say("Within ", means$unit, ", and of what is fixed")
  writeLines(lines[-1][!is_mean])
  say("Between ", means$unit, " less within")
  writeLines(lines[-1][is_mean])
}

coefficient_columns <- function(table) {
  places <- estimate_decimals(table$estimate, table$std_error)
  value <- function(x) format_number(x, decimals = places)
  columns <- list(
    term_words(table$term), align_decimal(value(table$estimate)),
    align_decimal(value(table$std_error)),
    align_decimal(value(table$low)), align_decimal(value(table$high)), format_p(table$p_value)
  )
  stats::setNames(columns, c("", "estimate", "std. error", "95% from", "to", "p"))
}

# The constant of a regression of changes is a drift: in a table it has a row of its own.
drift_term <- "(Drift)"

with_drift <- function(table, method) {
  if (method == "difference") table$term[table$term == "(Intercept)"] <- drift_term
  table
}

term_words <- function(terms) {
  words <- c("(Intercept)" = "constant", "(Drift)" = "drift")
  known <- terms %in% names(words)
  terms[known] <- words[terms[known]]
  unname(terms)
}

# What stands below the coefficients, a line each.
closing_words <- function(fit) {
  constant <- if (fit$method == "fixed" && fit$design$constant) coefficient_table(fit, !fit$shows)
  c(
    dropped_words(fit$dropped),
    unlist(lapply(fit$effects, function(set) if (set$singletons > 0) singleton_words(set))),
    if (fit$method == "fixed" && (length(fit$effects) > 1 || length(fit$effects[[1]]$trends) > 0)) {
      dimension_words(fit)
    },
    fit$notes, missing_error_words(fit), r_squared_line(fit),
    if (!is.null(constant)) {
      paste0("Constant ", constant_words(constant), " (the effects average zero over rows)")
    },
    if (!is.null(fit$variance)) variance_words(fit),
    if (length(fit$errors$notes) > 0) paste("Note:", fit$errors$notes)
  )
}

constant_words <- function(constant) {
  places <- estimate_decimals(constant$estimate, constant$std_error)
  error <- if (is.na(constant$std_error)) "" else paste0(", std. error ",
                                                         format_number(constant$std_error, decimals = places))
  paste0(format_number(constant$estimate, decimals = places), error)
}

dropped_words <- function(dropped) {
  vapply(unique(dropped$reason), function(reason) {
    paste0("Dropped: ", list_some(dropped$term[dropped$reason == reason], 6), " (", reason, ")")
  }, "", USE.NAMES = FALSE)
}

singleton_words <- function(effects) {
  n <- effects$singletons
  sprintf("%s %s once and %s nothing about the slopes", count_of(n, effects$name),
          verb(n, "appear"), verb(n, "tell"))
}

# A standard error that does not exist is said, with the reason.
missing_error_words <- function(fit) {
  gone <- names(fit$estimates)[is.na(standard_errors(fit))]
  if (length(gone) == 0) return(NULL)
  sprintf("No standard error for %s: under these errors %s variance is 0, as the residuals leave nothing there",
          list_some(term_words(gone), 6), if (length(gone) == 1) "its" else "their")
}

r_squared_line <- function(fit) {
  known <- is.finite(fit$r_squared)
  if (!any(known)) return("R-squared: not defined, nothing varies")
  paste("R-squared:", paste(fixed_decimals(fit$r_squared[known], 3), r_squared_words(fit)[known], collapse = ", "))
}

# Which dimension the effects have, and how exactly they were swept out.
dimension_words <- function(fit) {
  solution <- fit$solution
  left <- function() formatC(solution$achieved, format = "e", digits = 0, decimal.mark = ".")
  how <- if (is.null(solution$achieved) || (solution$iterations == 0 && solution$achieved <= 1e-12)) {
    "swept out directly"
  } else if (solution$iterations == 0) {
    sprintf("swept out directly, %s of a column left", left())
  } else {
    sprintf("swept out in %s, %s of a column left", count_of(solution$iterations, "step"), left())
  }
  sprintf("Effects take %s%s df, %s", if (fit$df_exact) "" else "at most ", count_words(fit$df_effects), how)
}

variance_words <- function(fit) {
  v <- fit$variance
  names <- names(v$sigma2)
  share <- 100 * v$sigma2 / (sum(v$sigma2) + v$sigma2_e)
  places <- function(x) fixed_decimals(x, 3)
  parts <- sprintf("%s between %s (%s percent of the whole)", format_number(v$sigma2), plurals_of(names),
                   format_number(share, 3))
  theta <- if (!is.null(v$theta)) {
    sprintf("; theta %s", paste(unique(places(range(v$theta[fit$effects[[1]]$groups$sizes > 0]))), collapse = " to "))
  }
  paste0("Variance: ", format_number(v$sigma2_e), " within, ", list_words(parts), theta)
}
