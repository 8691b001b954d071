# What a table of specifications was asked for.

check_spec_options <- function(options) {
  check_texts(options$terms, "terms", "Name coefficients in quotes, such as `terms = \"x\"`.", kind = "unknown_term")
  if (!is.null(options$hide)) options$hide <- hidden_items(options$hide)
  if (!is.null(options$labels) && !isFALSE(options$labels)) options$labels <- as_labels(options$labels)
  known <- names(beneath_words)
  if (!is.null(options$beneath) && (!is.character(options$beneath) || anyNA(options$beneath) ||
                                    !all(options$beneath %in% known) || anyDuplicated(options$beneath))) {
    stop_argument("beneath", value_words(options$beneath), sprintf("It takes some of %s, or NULL.",
                                                                  list_words(dQuote(known, FALSE))))
  }
  check_flag(options$beside, "beside")
  check_flag(options$numbered, "numbered")
  check_flag(options$constant, "constant")
  check_facts(options$facts)
  check_marks(options$marks)
  check_decimals(options$decimals)
  over <- options$over
  if (!is.null(over) && !(is.character(over) && !anyNA(over)) &&
      (!is.list(over) && !is.numeric(over) || is.null(names(over)))) {
    stop_argument("over", value_words(over), "Give heads and their columns: `list(\"All\" = 1:3)`.")
  }
  if (!is.null(options$title) && !is_one_text(options$title)) {
    stop_argument("title", value_words(options$title), "Give one text in quotes.")
  }
  check_texts(options$notes, "notes", "Give sentences in quotes.", kind = "argument")
  options
}

check_marks <- function(marks) {
  good <- is.null(marks) || is.numeric(marks) && length(marks) > 0 && !is.null(names(marks)) && !anyNA(marks) &&
    all(marks > 0 & marks < 1) && all(nzchar(names(marks)))
  if (!good) stop_argument("marks", value_words(marks), "Give signs and shares: `c(\"+\" = 0.05)`.")
}

check_decimals <- function(decimals) {
  good <- is.null(decimals) || is.numeric(decimals) && length(decimals) > 0 && !anyNA(decimals) &&
    all(decimals >= 0 & decimals <= most_decimals & decimals == trunc(decimals)) &&
    (length(decimals) == 1 || !is.null(names(decimals)))
  if (!good) {
    stop_argument("decimals", value_words(decimals),
                  sprintf("Give a whole number from 0 to %d, or several named by term.", most_decimals))
  }
}

beneath_words <- c(std_error = "std. error", statistic = "t", p_value = "p", interval = "95% interval")

# Whether constants from which effects deviate are shown: asked for, or named among the terms.
shows_aside <- function(options) isTRUE(options$constant) || any(c("constant", constant_term) %in% options$terms)

# What stands for a term: what is given, else what a fit has of its panel.
spec_labels <- function(records, options) {
  if (isFALSE(options$labels)) return(list())
  given <- if (!is.null(options$labels)) as.list(options$labels)
  own <- do.call(c, unname(lapply(records, `[[`, "labels")))
  c(given, own[!duplicated(names(own)) & !names(own) %in% names(given)])
}

# What all columns' terms are made of, and how they are said.
spec_wording <- function(records, options) {
  list(spans = do.call(c, unname(lapply(records, `[[`, "spans"))),
       pieces = do.call(rbind, unname(lapply(records, `[[`, "pieces"))), labels = spec_labels(records, options),
       nouns = Find(Negate(is.null), lapply(records, `[[`, "nouns")),
       means = unlist(lapply(records, function(record) record$means$terms)))
}

# A table of specifications that is not what spec_table() makes.
check_whole_spec <- function(x) {
  parts <- c("models", "heads", "coefficients", "terms", "phrases", "facts", "records", "options")
  if (is.list(x) && all(parts %in% names(x)) && length(x$models) == length(x$records)) return(invisible())
  stop_wavetax("format", "The table is not as `spec_table()` makes it.", todo = "Make it anew of its fits.")
}

spec_over <- function(x) over_columns(x$options$over, x$models)

# The head over each column, "" for none.
over_columns <- function(over, models) {
  out <- rep("", length(models))
  if (is.null(over)) return(out)
  if (is.character(over) && is.null(names(over))) {
    if (length(over) == length(models)) return(over)
    stop_argument("over", sprintf("of %s for %s", count_of(length(over), "head"), count_of(length(models), "column")),
                  "Give one a column, or `list(\"All\" = 1:3)`.")
  }
  for (head in names(over)) {
    at <- over[[head]]
    if (is.character(at)) at <- match(at, models)
    if (!is.numeric(at) || anyNA(at) || any(at < 1 | at > length(models) | at != trunc(at))) {
      stop_argument("over", sprintf("of columns that are not there (%s)", sQuote(head, FALSE)),
                    sprintf("The table has the columns 1 to %d: %s.", length(models), list_some(models, 6)))
    }
    out[at] <- head
  }
  out
}

# A column by its head; by its place where several have that head.
spec_column_words <- function(models, heads) {
  twice <- duplicated(heads) | duplicated(heads, fromLast = TRUE)
  stats::setNames(ifelse(twice, sprintf("the %s column", ordinal_words(seq_along(heads))), heads), models)
}

ordinal_words <- function(at) {
  known <- c("first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth", "ninth", "tenth", "eleventh",
             "twelfth")
  ifelse(at <= length(known), known[at], paste0(at, "th"))
}
