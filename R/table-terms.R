# Which coefficients a table of specifications shows, which it hides, and how it says them.

# list(terms; phrases, a row a term; hidden, a list of items: list(item, label, terms, spans, the columns whose levels
# they are)).
chosen_spec_terms <- function(seen, wording, options) {
  all <- all_spec_terms(seen)
  phrases <- term_phrases(all, wording$pieces, wording$labels, wording$nouns, wording$means)
  hidden <- lapply(options$hide, function(item) {
    terms <- spec_terms_like(item, all, wording$pieces)
    # The means of hidden dummies, of correlated effects, go with them.
    if (!is.null(variable_inside(item))) terms <- c(terms, intersect(sprintf("mean(%s)", terms), all))
    list(item = item, terms = terms, label = hidden_label(item, wording), spans = hidden_spans(terms, wording))
  })
  gone <- unlist(lapply(hidden, `[[`, "terms"))
  shown <- all
  if (!is.null(options$terms)) {
    found <- lapply(options$terms, spec_terms_like, all, wording$pieces)
    shown <- unique(unlist(found))
    names <- names(options$terms)
    for (i in which(nzchar(names))) {
      if (length(found[[i]]) == 1) phrases[phrases$term == found[[i]], -1] <- as.list(phrase_of_label(names[i]))
    }
  }
  shown <- setdiff(shown, gone)
  phrases <- phrases[match(shown, phrases$term), ]
  # Levels of one variable stand together under their head.
  if (is.null(options$terms)) {
    place <- match(phrases$head, phrases$head)
    place[!nzchar(phrases$head)] <- which(!nzchar(phrases$head))
    phrases <- phrases[order(place), ]
  }
  rownames(phrases) <- NULL
  list(terms = phrases$term, phrases = phrases, hidden = hidden, left_out = setdiff(all, c(shown, gone)))
}

# All terms in order of appearance, the constant (and the drift of first differences) last.
all_spec_terms <- function(seen) {
  late <- c("(Intercept)", drift_term)
  all <- unique(seen)
  c(setdiff(all, late), intersect(late, all))
}

# The coefficients of a name, of a term as it is written, of one variable, or of a pattern with `*`.
spec_terms_like <- function(name, all, pieces) {
  if (name %in% all) return(name)
  if (name == "constant" && constant_term %in% all) return(constant_term)
  if (name == "drift" && drift_term %in% all) return(drift_term)
  # An interaction is the same in any order of its parts.
  key <- function(text) {
    vapply(strsplit(text, ":", fixed = TRUE), function(one) paste(sort_text(one), collapse = ":"), "")
  }
  of_term <- intersect(pieces$column[key(as.character(pieces$of)) == key(name)], all)
  if (length(of_term) > 0) return(of_term)
  alone <- !pieces$column %in% pieces$column[duplicated(pieces[c("column", "of", "level", "variable")])] &
    vapply(pieces$variable, function(text) identical(variable_inside(text), name), TRUE) &
    !grepl(":", pieces$of, fixed = TRUE)
  of_variable <- intersect(pieces$column[alone], all)
  if (length(of_variable) > 0) return(of_variable)
  if (grepl("*", name, fixed = TRUE)) {
    found <- setdiff(grep(name_pattern(name), all, value = TRUE), constant_term)
    if (length(found) > 0) return(found)
  }
  near <- near_names(name, unique(c(all, pieces$of)))
  stop_wavetax(
    "unknown_term", sprintf("No fit has a coefficient %s.", sQuote(name, FALSE)),
    todo = if (length(near) > 0) sprintf("Did you mean %s?", list_words(sQuote(near, FALSE))) else
      sprintf("Coefficients are %s.", list_some(term_words(all), 8))
  )
}

# The one column inside of `factor(x)`, NULL for what has several.
variable_inside <- function(text) {
  expr <- tryCatch(str2lang(text), error = function(cnd) NULL)
  if (is.call(expr) && as.character(expr[[1]])[1] %in% c("factor", "as.factor", "against")) {
    inside <- all.vars(expr)
    if (length(inside) == 1) return(inside)
  }
}

# Terms of a formula, or names.
hidden_items <- function(hide) {
  if (rlang::is_formula(hide, lhs = FALSE)) {
    items <- tryCatch(attr(stats::terms(hide), "term.labels"), error = function(cnd) NULL)
    if (length(items) > 0) return(items)
  }
  if (is.character(hide) && length(hide) > 0 && !anyNA(hide)) return(hide)
  stop_argument("hide", value_words(hide), "Give terms, `hide = ~ factor(season)`, or names in quotes.")
}

# The columns whose levels the hidden dummies stand for.
hidden_spans <- function(terms, wording) {
  unique(unlist(wording$spans[unique(as.character(wording$pieces$of[wording$pieces$column %in% terms]))]))
}

# What is hidden, in words: "season" of dummies, the phrase of a regressor otherwise.
hidden_label <- function(item, wording) {
  own <- wording$pieces[wording$pieces$of == item, ]
  one <- variable_inside(item)
  if (!is.null(one)) {
    inside <- str2lang(item)[[2]]
    return(if (is.symbol(inside)) one else deparse_words(inside))
  }
  if (nrow(own) == 0) own <- wording$pieces[vapply(wording$pieces$variable, identical, TRUE, item), ]
  variables <- unique(own$variable)
  if (length(variables) == 0) return(item)
  words <- vapply(variables, function(text) variable_phrase(text, unlist(wording$labels), wording$nouns)[["label"]], "")
  paste(words, collapse = " \u00d7 ")
}
