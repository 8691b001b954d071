# --errors: words for standard errors, and what they make.

# Each word: what it makes of a column to cluster by (NULL: the entity), whether it clusters, whether a number of lags
# may follow, and what its columns in tables are called.
cli_error_words <- function() {
  word <- function(make, words, kind, clusters = FALSE, lags = FALSE) {
    list(make = make, words = words, kind = kind, clusters = clusters, lags = lags)
  }
  robust <- function(type) {
    word(function(by, lags) se_robust(type), paste("robust to unequal variances,", type), paste("robust", type))
  }
  clustered <- function(type, df = "clusters") {
    function(by, lags) if (is.null(by)) se_clustered(type = type, df = df) else se_clustered(!!by, type, df)
  }
  drawn <- function(scheme) {
    function(by, lags) if (is.null(by)) se_bootstrap(scheme = scheme) else se_bootstrap(!!by, scheme)
  }
  list(
    classical = word(function(by, lags) se_classical(), "one variance, unrelated", "classical"),
    robust = robust("HC1"), "robust-hc0" = robust("HC0"), "robust-hc2" = robust("HC2"), "robust-hc3" = robust("HC3"),
    "robust-hc4" = robust("HC4"),
    clustered = word(clustered("CR1"), "by --by, CR1", "clustered", TRUE),
    "clustered-cr0" = word(clustered("CR0"), "the same without a factor", "clustered CR0", TRUE),
    "clustered-cr3" = word(clustered("CR3"), "each cluster left out in turn", "clustered CR3", TRUE),
    "few-clusters" = word(clustered("CR2", "satterthwaite"), "CR2 with Satterthwaite's df", "clustered CR2", TRUE),
    wild = word(drawn("wild"), "wild bootstrap by --by", "wild bootstrap", TRUE),
    pairs = word(drawn("pairs"), "pairs bootstrap by --by", "pairs bootstrap", TRUE),
    serial = word(function(by, lags) se_newey_west(lags), "Newey-West; serial-3 has 3 lags", "Newey-West", lags = TRUE),
    "cross-section" = word(function(by, lags) se_driscoll_kraay(lags), "Driscoll-Kraay; with lags likewise",
                           "Driscoll-Kraay", lags = TRUE),
    "panel-corrected" = word(function(by, lags) se_panel_corrected(), "shared shocks, by pairs of entities",
                             "panel-corrected")
  )
}

errors_option <- function(help = "several by commas give columns", one = FALSE) {
  words <- cli_error_words()
  new_option("errors", "errors", paste(help, "[default: clustered]"), if (one) "WORD" else "LIST",
             told = c(vapply(words, `[[`, "", "words"), if (!one) c(all = "a table of each model under all of them")))
}

clusters_option <- function(help) new_option("by", "clusters", help, "COLUMNS")

# A list by word of its descriptor and lags, or "all".
option_errors <- function(text, option) {
  if (text == "all") return(text)
  words <- cli_error_words()
  given <- unique(option_list(text))
  stats::setNames(lapply(given, function(one) {
    lags <- if (grepl("^(serial|cross-section)-[0-9]{1,6}$", one)) as.numeric(sub(".*-", "", one))
    base <- if (is.null(lags)) one else sub("-[0-9]+$", "", one)
    if (!base %in% names(words)) {
      near <- near_names(one, names(words))
      stop_usage(sprintf("--%s takes ", option$name), list_or(names(words)), ", not ", sQuote(one, FALSE), ".",
                 if (length(near) > 0) sprintf(" Did you mean %s?", near[1]))
    }
    c(words[[base]], list(lags_given = lags))
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
  choices <- if (is.null(values$errors)) cli_error_words()["clustered"] else values$errors
  lapply(choices, function(one) one$make(values$by, one$lags_given))
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
