#' One model under all errors
#'
#' Question answered: *how much does what I conclude rest on what I assume of the disturbances?*
#'
#' @param fit A fit of any of the `fit_` functions.
#' @param terms Coefficients, by name or number; `NULL`: all slopes.
#' @param ... Errors of your own choice in place of the usual ones, `se_` specifications, which may be named.
#' After AR(1) the same equation without it is told beside, under the errors of the fit.
#'
#' @return A data frame of class `errors_comparison` with a row for each coefficient and kind of errors: `term`,
#'   `estimate`, `errors`, `std_error`, `df`, `p_value`, and `ratio`, the standard error over the classical one. It
#'   prints a table a coefficient with a sentence on what the differences say. Attribute `skipped` names errors that
#'   cannot be computed of this fit, and why.
#' @section Errors:
#' `wavetax_error_unknown_term`; `wavetax_error_errors` when an argument is not made by an `se_` function.
#' @seealso [with_errors()], [standard_errors]
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' compare_errors(fit_fixed(log(nights) ~ levy + storms, panel), "levy")
#' @export
compare_errors <- function(fit, terms = NULL, ...) {
  check_is_fit(fit)
  terms <- bare_names(rlang::enquo(terms), kept_terms(fit))
  all <- kept_terms(fit)
  if (inherits(terms, "error_spec")) {
    stop_argument("terms", "a specification of errors",
                  "Coefficients come first: `compare_errors(fit, NULL, se_robust())`.")
  }
  chosen <- if (is.null(terms)) slope_names(fit) else chosen_terms(terms, all)
  if (!is.character(chosen)) chosen <- all[chosen]
  specs <- list(...)
  if (length(specs) == 0) specs <- usual_errors(fit)
  for (spec in specs) check_error_spec(spec)
  named <- if (is.null(names(specs))) rep("", length(specs)) else names(specs)
  skipped <- character()
  used <- logical(length(specs))
  rows <- lapply(seq_along(specs), function(s) {
    under <- tryCatch(under_errors(fit, specs[[s]]), wavetax_error = identity)
    if (inherits(under, "condition")) {
      skipped[[error_kind_words(specs[[s]])]] <<- first_line(under)
      return(NULL)
    }
    label <- if (nzchar(named[s])) named[s] else comparison_label(under)
    table <- coefficient_table(under, match(chosen, all))
    used[s] <<- TRUE
    data.frame(term = table$term, estimate = table$estimate, errors = label, std_error = table$std_error,
               df = errors_df(under)[match(chosen, all)], p_value = table$p_value)
  })
  out <- do.call(rbind, rows)
  if (is.null(out)) {
    stop_wavetax(c("none_computed", "errors"),
                 "None of these errors can be computed of this fit.", where = unname(skipped)[1])
  }
  # The method of moments has no classical errors.
  classical <- if (is_by_moments(fit)) NA_real_ else
    standard_errors(under_errors(fit, se_classical()))[match(out$term, all)]
  out$ratio <- out$std_error / classical
  out$errors <- rep(make.unique(out$errors[match(seq_len(sum(used)), rep(seq_len(sum(used)), each = length(chosen)))],
                                sep = " "), each = length(chosen))
  out <- out[order(match(out$term, chosen)), ]
  rownames(out) <- NULL
  structure(out, class = c("errors_comparison", "data.frame"), skipped = skipped, of = fit$design$outcome,
            model = sprintf("%s: %s", fit_title(fit), deparse_words(fit$design$formula)),
            without_serial = if (is_serial(fit)) beside_serial(fit, chosen),
            entity = fit$design$index$entity, period = fit$design$index$period, method = fit$method)
}

# The fit without AR(1), under the same errors.
beside_serial <- function(fit, chosen) {
  plain <- without_serial(fit)
  known <- intersect(chosen, kept_terms(plain))
  table <- coefficient_table(plain, match(known, kept_terms(plain)))
  data.frame(table[c("term", "estimate", "std_error", "p_value")], errors = comparison_label(plain))
}

# Those that a panel allows; of other tables what needs no entity or period.
usual_errors <- function(fit) {
  if (fit$transform$kind == "across") return(list(se_classical()))
  index <- fit$design$index
  entity <- if (!is.null(index)) index$entity else if (length(fit$effects) > 0) fit$effects[[1]]$columns
  by <- function(...) list(se_clustered(column_formula(c(...))))
  if (is_by_moments(fit)) {
    return(c(list(se_robust("HC1"), se_robust("HC3")), if (!is.null(entity)) {
      c(by(entity), list(se_clustered(column_formula(entity), "CR3")))
    }))
  }
  c(list(se_classical(), se_robust("HC1"), se_robust("HC3")), if (!is.null(entity)) by(entity),
    if (!is.null(index)) c(by(index$entity, index$period), list(se_newey_west(), se_driscoll_kraay())),
    if (has_few_pairs(fit)) list(se_panel_corrected()))
}

is_by_moments <- function(fit) identical(fit$instrumented$method, "gmm")

# Whether pairs of entities are few enough to be looked at by the way.
has_few_pairs <- function(fit) {
  index <- fit$design$index
  !is.null(index) && is.null(fit$design$between) && !fit$method %in% c("gls", "instrumented") &&
    fit$transform$kind != "changes" && length(index$entities) <= 1000
}

comparison_label <- function(fit) {
  errors <- fit$errors
  if (inherits(errors$spec, "se_robust")) return(errors_kind(errors))
  paste0(errors$label, error_form_words(errors))
}

# What tells errors by the same clusters apart: ", CR2 with Satterthwaite's df".
error_form_words <- function(errors) {
  type <- errors$spec$type
  form <- if (inherits(errors$spec, c("se_clustered", "se_bootstrap")) && !identical(type, "CR1")) type
  df <- if (identical(errors$spec$df, "satterthwaite")) "Satterthwaite's df"
  said <- paste(c(form, df), collapse = " with ")
  if (nzchar(said)) paste0(", ", said) else ""
}

error_kind_words <- function(spec) {
  if (inherits(spec, "se_robust")) return(paste("robust", spec$type))
  if (inherits(spec, c("se_clustered", "se_bootstrap"))) {
    return(paste(spec$kind, "by", list_words(vapply(spec$by, paste, "", collapse = ":"))))
  }
  c(classical = "classical", newey_west = "Newey-West", driscoll = "Driscoll-Kraay",
    paired = "panel-corrected", own = "own")[[spec$kind]]
}
