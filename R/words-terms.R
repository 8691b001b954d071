# Terms as people say them.

# Of coefficients a data frame with a row each: term; label and unit; head, what stands over it where several levels of
# one variable are told, and short, its label there. `pieces`: see column_pieces(). `labels`: of variables and terms by
# name. `nouns`: list(entity, period).
term_phrases <- function(terms, pieces = NULL, labels = NULL, nouns = NULL, means = NULL) {
  labels <- unlist(labels)
  # The same column may be written by several fits.
  if (!is.null(pieces)) pieces <- pieces[!duplicated(pieces[c("column", "variable", "level")]), ]
  variables <- unique(pieces$variable)
  phrases <- stats::setNames(lapply(variables, variable_phrase, labels, nouns), variables)
  own <- split(seq_along(pieces$column), pieces$column)
  one <- function(term) {
    if (term %in% names(labels)) return(phrase_of_label(labels[[term]]))
    at <- own[[term]]
    if (length(at) == 0) term_phrase(term_words(term)) else phrase_of_pieces(pieces[at, ], phrases)
  }
  said <- lapply(terms, function(term) {
    if (!term %in% means || term %in% names(labels)) return(one(term))
    inner <- one(sub("^mean\\((.*)\\)$", "\\1", term))
    term_phrase(paste("mean of", sub(" \\(against [^()]*\\)$", "", inner[["label"]])), inner[["unit"]])
  })
  field <- function(name) vapply(said, `[[`, "", name)
  out <- data.frame(term = terms, label = field("label"), unit = field("unit"), head = field("head"),
                    short = field("short"))
  # A head over one row says less than the row itself.
  out$head[!out$head %in% out$head[duplicated(out$head)]] <- ""
  out
}

term_phrase <- function(label, unit = "", head = "", short = "") {
  c(label = label, unit = unit, head = head, short = short)
}

# What follows the first comma is its unit.
phrase_of_label <- function(label) {
  at <- regexpr(", ", label, fixed = TRUE)
  if (at < 2) term_phrase(label) else term_phrase(substr(label, 1, at - 1), trimws(substring(label, at + 2)))
}

phrase_of_pieces <- function(own, phrases) {
  label <- vapply(phrases[own$variable], `[[`, "", "label")
  told <- is_told_level(own)
  if (nrow(own) > 1) return(term_phrase(paste(ifelse(told, paste(label, own$level), label), collapse = " \u00d7 ")))
  if (!told) return(phrases[[own$variable]])
  told <- if (nzchar(own$base)) sprintf(" (against %s)", own$base) else ""
  term_phrase(paste0(label, " ", own$level, told), phrases[[own$variable]][["unit"]], paste0(label, told), own$level)
}

# True against false needs no level.
is_told_level <- function(pieces) nzchar(pieces$level) & !(pieces$level == "TRUE" & pieces$base == "FALSE")

variable_phrase <- function(text, labels, nouns) {
  if (text %in% names(labels)) return(phrase_of_label(labels[[text]]))
  expr <- tryCatch(str2lang(text), error = function(cnd) NULL)
  if (is.call(expr)) call_phrase(expr, text, labels, nouns) else term_phrase(text)
}

call_phrase <- function(expr, text, labels, nouns) {
  name <- if (is.symbol(expr[[1]])) as.character(expr[[1]]) else ""
  if (length(expr) < 2 || is.null(expr[[2]])) return(term_phrase(text))
  inner <- function(of = expr[[2]]) {
    variable_phrase(if (is.symbol(of)) as.character(of) else deparse_words(of), labels, nouns)
  }
  with_words <- function(phrase, before = "", behind = "") {
    phrase[["label"]] <- paste0(before, phrase[["label"]], behind)
    phrase
  }
  power <- power_words(expr)
  if (!is.null(power)) return(with_words(inner(expr[[2]][[2]]), behind = power))
  k <- if (length(expr) > 2) expr[[3]] else 1
  shifted <- is.numeric(k) && length(k) == 1
  noun <- if (is.null(nouns$period)) "period" else nouns$period
  by <- function(noun) if (is.null(noun)) "" else paste(" by", noun)
  switch(name,
    factor = , as.factor = , against = , I = {
      if (name == "I" && !is.symbol(expr[[2]])) term_phrase(text) else inner()
    },
    past = if (shifted) with_words(inner(), behind = sprintf(", %s before", count_of(k, noun))) else term_phrase(text),
    ahead = if (shifted) with_words(inner(), behind = sprintf(", %s later", count_of(k, noun))) else term_phrase(text),
    change = if (shifted) with_words(inner(), "change of ", if (k == 1) "" else
                                     sprintf(" over %s", count_of(k, noun))) else
      term_phrase(text),
    entity_mean = with_words(inner(), "mean of ", by(nouns$entity)),
    period_mean = with_words(inner(), "mean of ", by(nouns$period)),
    log = , sqrt = , exp = , log2 = , log10 = , log1p = {
      phrase <- inner()
      plain <- length(expr) > 2 || identical(phrase[["label"]], deparse_words(expr[[2]])) ||
        identical(phrase[["label"]], as.character(expr[[2]])[1])
      of <- c(log = "log of ", sqrt = "root of ", exp = "exponential of ", log2 = "log to base 2 of ",
              log10 = "log to base 10 of ", log1p = "log of 1 + ")[[name]]
      if (plain) term_phrase(text) else with_words(phrase, of)
    },
    term_phrase(text)
  )
}

# " squared" of I(x^2).
power_words <- function(expr) {
  inside <- if (identical(expr[[1]], quote(I)) && is.call(expr[[2]])) expr[[2]]
  if (!identical(inside[[1]], quote(`^`)) || !is.symbol(inside[[2]]) || !is.numeric(inside[[3]])) return(NULL)
  switch(as.character(inside[[3]]), "2" = " squared", "3" = " cubed", paste(" to the power", label_text(inside[[3]])))
}

# One line of text, as a terminal has it.
whole_label <- function(label, unit) ifelse(nzchar(unit), paste0(label, ", ", unit), label)

# A name with `*` for anything, as a pattern.
name_pattern <- function(name) {
  pieces <- strsplit(name, "*", fixed = TRUE)[[1]]
  paste0("^", paste(gsub("([][{}()+*^$|\\\\?.])", "\\\\\\1", pieces), collapse = ".*"), if (endsWith(name, "*")) ".*",
         "$")
}
