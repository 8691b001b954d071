# A saved fit as it is read back. Every field is checked for its kind here, so that what is printed
# or tabulated later is what write_fits() would have written. Null is NA.

read_record <- function(entry, name, file) {
  wrong <- function(field, why = "is not what `write_fits()` writes") {
    stop_not_fits(file, sprintf("In the fit %s the field `%s` %s.", dQuote(name, FALSE), field, why))
  }
  if (!is.list(entry) || is.null(names(entry))) wrong("method")
  take <- function(field, reader, ...) {
    out <- tryCatch(reader(entry[[field]], ...), error = function(cnd) NULL)
    if (is.null(out)) wrong(field)
    out
  }
  maybe <- function(field, reader, ...) if (!is.null(entry[[field]])) take(field, reader, ...)
  coefficients <- take("coefficients", saved_table, "term",
                       c("estimate", "std_error", "statistic", "p_value", "low", "high"),
                       "aside")
  record <- structure(list(
    method = take("method", saved_choice, fit_method_names), outcome = take("outcome", saved_text),
    formula = take("formula", saved_text), title = take("title", saved_text), sample = take("sample", saved_text),
    errors_words = take("errors_words", saved_text), coefficients = coefficients,
    covariance = take("covariance", saved_square, coefficients$term), errors = take("errors", saved_errors),
    means = maybe("means", saved_means, coefficients$term), effects = take("effects", saved_texts),
    labels = maybe("labels", saved_labels),
    rows = take("rows", saved_count),
    entity = maybe("entity", saved_entity), r_squared = take("r_squared", saved_r_squared),
    dropped = take("dropped", saved_table, c("term", "reason")), closing = take("closing", saved_texts),
    variance = maybe("variance", as.list), serial = maybe("serial", saved_serial),
    variances = maybe("variances", saved_text), figures = maybe("figures", as.list),
    pieces = maybe("pieces", saved_table, c("column", "of", "variable", "level", "base")),
    nouns = maybe("nouns", saved_nouns), levels = maybe("levels", saved_levels),
    connected = maybe("connected", saved_levels),
    spans = maybe("spans", saved_spans), told = maybe("told", saved_texts),
    instrumented = maybe("instrumented", saved_instrumented)
  ), class = "fit_record")
  fault <- tryCatch(suppressWarnings(record_fault(record)), error = function(cnd) "coefficients")
  if (!is.null(fault)) wrong(fault, "cannot be true of a fit, or not with the others")
  record
}

texts_of <- function(x) values_of(x, is.character, NA_character_)
flags_of <- function(x) values_of(x, is.logical, NA)

is_one_number <- function(x) is.numeric(x) && length(x) == 1 && is.finite(x)

saved_text <- function(x) if (is_one_text(x)) x
saved_choice <- function(x, among) if (is_one_text(x) && x %in% among) x
saved_count <- function(x) if (is_one_number(x) && x >= 0 && x == trunc(x)) x
saved_texts <- function(x) {
  if (!is.list(x)) return(NULL)
  out <- if (length(x) == 0) character() else texts_of(x)
  if (!anyNA(out)) out
}

# Rows of named values: a data frame of columns of text, numbers and flags.
saved_table <- function(x, text, numbers = NULL, flags = NULL) {
  if (!is.list(x) || !all(vapply(x, is.list, TRUE))) return(NULL)
  columns <- function(fields, of) {
    lapply(stats::setNames(fields, fields), function(field) of(lapply(x, `[[`, field)))
  }
  out <- c(columns(text, texts_of), columns(numbers, numbers_of), columns(flags, flags_of))
  if (any(vapply(out, is.null, TRUE)) || anyNA(unlist(out[c(text, flags)]))) return(NULL)
  as.data.frame(out)
}

saved_square <- function(x, terms) {
  rows <- lapply(x, numbers_of)
  k <- length(terms)
  if (length(rows) != k || any(lengths(rows) != k)) return(NULL)
  matrix(as.double(unlist(rows)), k, k, byrow = TRUE, dimnames = list(terms, terms))
}

saved_errors <- function(x) {
  if (!is.list(x) || !is_one_text(x$label)) return(NULL)
  x$df <- numbers_of(x$df)
  clusters <- if (length(x$clusters) > 0) numbers_of(x$clusters)
  good <- !is.null(x$df) && all(is.na(x$df) | is.finite(x$df) & x$df > 0) && (is.null(x$type) || is_one_text(x$type)) &&
    (length(x$clusters) == 0 || (!is.null(clusters) && !anyNA(clusters) && !is.null(names(x$clusters))))
  if (!good) return(NULL)
  x$clusters <- if (!is.null(clusters)) stats::setNames(clusters, names(x$clusters))
  x$notes <- as.character(unlist(x$notes))
  x
}

# Each rho with its interval, and the entities that they are of where these have their own.
saved_serial <- function(x) {
  if (!is.list(x) || !is_one_text(x$method) || !x$method %in% c(rho_methods, "given")) return(NULL)
  ends <- lapply(x[c("rho", "low", "high")], numbers_of)
  n <- length(ends$rho)
  fits <- function(v) is.null(v) || length(v) == 0 || length(v) == n && all(is.na(v) | abs(v) < 1)
  if (n == 0 || anyNA(ends$rho) || !all(vapply(ends, fits, TRUE))) return(NULL)
  entity <- if (length(x$entity) > 0) texts_of(x$entity)
  if (length(x$entity) > 0 && (is.null(entity) || length(entity) != n)) return(NULL)
  list(rho = ends$rho, low = ends$low, high = ends$high, entity = entity, method = x$method)
}

saved_instrumented <- function(x) {
  if (!is.list(x) || !is_one_text(x$method) || !x$method %in% names(instrument_method_words)) return(NULL)
  if (!is_one_text(x$model) || !x$model %in% instrumented_models) return(NULL)
  x[c("endogenous", "instruments", "opening", "under")] <- lapply(x[c("endogenous", "instruments", "opening", "under")],
                                                                 function(one) as.character(unlist(one)))
  numbers <- c("kappa", "effective_f", "critical", "agree_p")
  good <- all(vapply(x[intersect(numbers, names(x))], function(one) is.null(one) || is_one_number(one), TRUE)) &&
    length(x$endogenous) > 0 && length(x$instruments) >= length(x$endogenous)
  if (!good) return(NULL)
  if (!is.null(x$set)) x$set <- lapply(x$set[c("low", "high")], numbers_of)
  if (!is.null(x$set) && (any(vapply(x$set, is.null, TRUE)) || length(x$set$low) != length(x$set$high))) return(NULL)
  if (length(x$under) == 0) x["under"] <- list(NULL)
  x
}

# Names of columns by term.
saved_spans <- function(x) {
  if (length(x) == 0) return(list())
  if (is.list(x) && !is.null(names(x))) lapply(x, function(one) as.character(unlist(one)))
}

saved_means <- function(x, known) {
  terms <- texts_of(x$terms)
  if (!is.null(terms) && all(terms %in% known) && is_one_text(x$unit)) list(terms = terms, unit = x$unit)
}

saved_labels <- function(x) {
  if (length(x) == 0) return(list())
  if (is.list(x) && !is.null(names(x)) && all(vapply(x, is_one_text, TRUE))) x
}

saved_nouns <- function(x) if (is.list(x) && all(vapply(x, function(one) is.null(one) || is_one_text(one), TRUE))) x

saved_levels <- function(x) if (is.list(x) && all(vapply(x, is_one_number, TRUE))) x

saved_entity <- function(x) if (is.list(x) && is_one_text(x$name) && is_one_number(x$count) && x$count >= 0) x

saved_r_squared <- function(x) {
  if (!is.list(x) || !all(c("kind", "label", "value") %in% names(x))) return(NULL)
  out <- list(kind = texts_of(x$kind), label = texts_of(x$label), value = numbers_of(x$value))
  if (!any(vapply(out, is.null, TRUE)) && length(unique(lengths(out))) == 1) out
}
