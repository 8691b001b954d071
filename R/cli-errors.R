# --errors: words for standard errors, and what they make.

errors_option <- function(help = "several by commas give columns", one = FALSE) {
  words <- error_words()
  new_option("errors", "errors", paste(help, "[default: clustered]"), if (one) "WORD" else "LIST",
             told = c(vapply(words, `[[`, "", "words"), if (!one) c(all = "a table of each model under all of them")))
}

clusters_option <- function(help) new_option("by", "clusters", help, "COLUMNS")

# A list by word of its descriptor and lags, or "all".
option_errors <- function(text, option) {
  if (text == "all") return(text)
  given <- unique(option_list(text))
  stats::setNames(lapply(given, function(one) {
    found <- error_word_of(one)
    if (is.null(found)) {
      known <- names(error_words())
      near <- near_names(one, known)
      stop_usage(sprintf("--%s takes ", option$name), list_or(known), ", not ", sQuote(one, FALSE), ".",
                 if (length(near) > 0) sprintf(" Did you mean %s?", near[1]))
    }
    c(found$word, list(lags_given = found$lags))
  }), given)
}

# harbour, harbour+season or coast:season as a column or a formula of names; nothing is evaluated.
option_clusters <- function(text, option) {
  if (grepl("^[A-Za-z._][A-Za-z0-9._]*$", text)) return(text)
  parts <- lapply(strsplit(text, "+", fixed = TRUE)[[1]], function(part) trimws(strsplit(part, ":", fixed = TRUE)[[1]]))
  if (any(!nzchar(unlist(parts))) || any(lengths(parts) == 0)) {
    stop_usage(sprintf("--%s takes a column, or several as in harbour+season or coast:season.", option$name))
  }
  term <- function(columns) Reduce(function(a, b) call(":", a, b), lapply(columns, as.name))
  rlang::new_formula(NULL, Reduce(function(a, b) call("+", a, b), lapply(parts, term)), globalenv())
}

all_errors <- function(values) identical(values$errors, "all")

check_error_options <- function(values) {
  if (all_errors(values)) {
    if (!is.null(values$by)) stop_usage("--by has no effect: --errors all clusters by entity and period.")
    if (!identical(values$format, "text")) {
      stop_usage("--errors all is printed as text only, not as ", values$format, ".")
    }
    return(invisible())
  }
  if (is.null(values$by) || is.null(values$errors)) return(invisible())
  if (!any(vapply(values$errors, `[[`, TRUE, "clusters"))) {
    stop_usage(sprintf("--by has no effect: %s errors have no clusters.", list_words(names(values$errors))))
  }
}

# The specifications by word; one that is NULL for the default of each model.
chosen_errors <- function(values) {
  if (all_errors(values) || is.null(values$errors) && is.null(values$by)) return(list(NULL))
  choices <- if (is.null(values$errors)) error_words()["clustered"] else values$errors
  lapply(choices, function(one) eval(error_call(one, values$by, lags = one$lags_given), home()))
}

# One model under each of the errors, by name.
cli_under_errors <- function(fits, errors) {
  if (length(errors) < 2) return(fits)
  unlist(lapply(names(fits), function(model) {
    under <- do.call(with_errors, c(list(fits[[model]]), errors))
    if (length(fits) > 1) names(under) <- paste(model, names(under), sep = ", ")
    under
  }), recursive = FALSE)
}

# Of saved fits those whose errors are named.
cli_saved_under <- function(fits, errors) {
  if (is.null(errors)) return(fits)
  kinds <- vapply(errors, `[[`, "", "kind")
  held <- vapply(fits, function(fit) errors_kind(fit$errors), "")
  if (any(held %in% kinds)) return(fits[held %in% kinds])
  stop_usage(sprintf("No saved fit has these errors; they have %s. A saved fit keeps no rows: estimate with ",
                     list_words(unique(held))), "`wavetax fit --errors ... --save FILE`.")
}
