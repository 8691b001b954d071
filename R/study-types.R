# What a key of a study takes: a descriptor, list(words, in a sentence; json, the fragment of the schema; read, a
# function(node) that gives what the argument takes, or study_fault()). What is read names the columns that it needs by
# mention_columns().

new_study_type <- function(words, json, read) list(words = words, json = json, read = read)

# Columns that a value names, told to who collects them; they are looked up when the data are there.
mention_columns <- function(names, node) {
  rlang::signal("", class = "wavetax_study_mention", names = setdiff(names, "."), at = node)
}

# The value, and what it mentioned: a list of list(names, at).
collect_mentions <- function(work) {
  held <- new.env(parent = emptyenv())
  held$mentions <- list()
  value <- withCallingHandlers(work, wavetax_study_mention = function(cnd) {
    held$mentions[[length(held$mentions) + 1L]] <- list(names = cnd$names, at = cnd$at)
  })
  list(value = value, mentions = held$mentions)
}

not_of_type <- function(node, words) {
  given <- switch(node$kind, text = dQuote(short_text(node$text), FALSE), map = "a map", list = "a list",
                  empty = "nothing")
  study_fault(node, "type", sprintf("`%s` takes %s, not %s.", node_key(node), words, given))
}

# ---- one value ----

json_text_type <- list(type = "string")
one_or_several <- function(json) list(anyOf = list(json, list(type = "array", items = json)))

text_type <- function(words = "a text") {
  new_study_type(words, json_text_type, function(node) {
    if (is_node(node, "text")) node$text else not_of_type(node, words)
  })
}

texts_type <- function(words = "texts", least = 1) {
  new_study_type(words, one_or_several(json_text_type), function(node) {
    items <- node_items(node)
    if (length(items) >= least && all(vapply(items, is_node, TRUE, "text", "empty"))) {
      return(vapply(items, `[[`, "", "text"))
    }
    not_of_type(node, words)
  })
}

study_flags <- c(true = TRUE, yes = TRUE, false = FALSE, no = FALSE)

flag_type <- function() {
  new_study_type("true or false", list(enum = as.list(names(study_flags))), function(node) {
    if (is_node(node, "text") && node$text %in% names(study_flags)) return(study_flags[[node$text]])
    not_of_type(node, "true or false")
  })
}

decimal_pattern <- "^[+-]?([0-9]+([.][0-9]*)?|[.][0-9]+)$"

number_type <- function(words = "a number", fits = function(number) TRUE) {
  new_study_type(words, list(type = "string", pattern = decimal_pattern), function(node) {
    good <- is_node(node, "text") && grepl(decimal_pattern, node$text) && fits(as.numeric(node$text))
    if (good) as.numeric(node$text) else not_of_type(node, words)
  })
}

whole_type <- function(words = "a whole number", least = 0, most = 2147483647) {
  number_type(words, function(number) number == trunc(number) && number >= least && number <= most)
}

numbers_type <- function(words = "numbers") {
  one <- number_type(words)
  new_study_type(words, one_or_several(one$json), function(node) {
    values <- lapply(node_items(node), one$read)
    if (length(values) == 0) return(not_of_type(node, words))
    if (any(vapply(values, is_faulty, TRUE))) faulty() else unlist(values)
  })
}

# One of some words; what else a text may be, `other` reads.
choice_type <- function(choices, other = NULL) {
  words <- list_or(choices)
  json <- list(enum = as.list(choices))
  new_study_type(words, if (is.null(other)) json else list(anyOf = list(json, other$json)), function(node) {
    if (is_node(node, "text") && node$text %in% choices) return(node$text)
    if (!is.null(other)) return(other$read(node))
    if (!is_node(node, "text")) return(not_of_type(node, words))
    near <- near_names(node$text, choices)
    study_fault(node, "choice", sprintf("`%s` takes %s, not %s.", node_key(node), words,
                                        dQuote(short_text(node$text), FALSE)), utils::head(near, 1))
  })
}

choices_type <- function(choices) {
  one <- choice_type(choices)
  new_study_type(paste("some of", list_words(choices)), one_or_several(one$json), function(node) {
    values <- lapply(node_items(node), one$read)
    if (length(values) == 0) return(not_of_type(node, one$words))
    if (any(vapply(values, is_faulty, TRUE))) faulty() else unlist(values)
  })
}

# ---- columns, and what is made of them ----

column_type <- function(words = "a column") {
  new_study_type(words, json_text_type, function(node) {
    if (!is_node(node, "text")) return(not_of_type(node, words))
    mention_columns(node$text, node)
    node$text
  })
}

columns_type <- function(words = "columns", mentioned = TRUE) {
  new_study_type(words, one_or_several(json_text_type), function(node) {
    items <- node_items(node)
    if (length(items) == 0 || !all(vapply(items, is_node, TRUE, "text"))) return(not_of_type(node, words))
    names <- vapply(items, `[[`, "", "text")
    if (mentioned) mention_columns(names, node)
    names
  })
}

# An expression of columns as text: looked up in the list of what is allowed, and made a formula.
expression_type <- function(words, form, allowed = c(formula_operators, formula_functions()), words_for = character()) {
  new_study_type(words, json_text_type, function(node) {
    if (!is_node(node, "text")) return(not_of_type(node, words))
    if (node$text %in% words_for) return(node$text)
    if (form == "effects" && !grepl("[+:*()~`^/]", node$text)) {
      # One column, whatever it is called.
      mention_columns(node$text, node)
      return(one_sided(as.name(node$text)))
    }
    expr <- study_expression(sub("^\\s*~", "", node$text), form, node, allowed)
    if (is_faulty(expr)) return(expr)
    mention_columns(all.vars(expr), node)
    one_sided(expr)
  })
}

one_sided <- function(expr) call("~", expr)

# What a text is parsed to, or the fault.
study_expression <- function(text, form, node, allowed = c(formula_operators, formula_functions())) {
  tryCatch(allowed_expression(text, form, allowed), wavetax_error = function(cnd) {
    lines <- strsplit(cli::ansi_strip(conditionMessage(cnd)), "\n")[[1]]
    # What was wrong, where that says it better than the first line, and what to do in the words of a study.
    wrong <- grepl("^(\u2716|x) ", lines)
    hint <- sub("^\\S+ ", "", lines[grepl("^(\u2139|i) ", lines)])
    hint <- gsub("an argument of their own", "a key of their own", hint, fixed = TRUE)
    hint <- gsub("`fit_fixed\\(\\.\\.\\., effects = ~ (.*)\\)`", "`effects: \\1`", hint)
    found <- if (any(wrong)) sub("^\\S+ ", "", lines[wrong][1]) else
      paste(c(lines[1], utils::head(hint, 1)), collapse = " ")
    takes <- if (grepl("not allowed", found, fixed = TRUE)) {
      sprintf(" It takes columns, numbers, + - * / : ^ and %s.", list_words(paste0(formula_functions(), "()")))
    }
    study_fault(node, "formula", paste0(sprintf("`%s`: %s", node_key(node), found), takes))
  })
}

condition_type <- function() {
  expression_type("a condition such as season > 2012", "condition", c(condition_operators, formula_functions()))
}

# The sides of an equation: list(left, NULL where there is none, right).
formula_type <- function() {
  new_study_type("a formula such as log(nights) ~ levy + storms", json_text_type, function(node) {
    if (!is_node(node, "text")) return(not_of_type(node, "a formula such as log(nights) ~ levy + storms"))
    expr <- study_expression(node$text, "formula", node)
    if (is_faulty(expr)) return(expr)
    if (!is_operator(expr, "~")) {
      return(study_fault(node, "formula", sprintf("`%s` has no ~ between the outcome and its regressors.",
                                                  node_key(node))))
    }
    sides <- as.list(expr)[-1]
    if (any(vapply(sides, has_tilde, TRUE))) {
      return(study_fault(node, "formula", sprintf("`%s` has more than one ~.", node_key(node))))
    }
    mention_columns(all.vars(expr), node)
    if (length(sides) == 1) list(left = NULL, right = sides[[1]]) else list(left = sides[[1]], right = sides[[2]])
  })
}

has_tilde <- function(expr) "~" %in% all.names(expr)

# Effects: a word, a column, or sets of columns and trends.
effects_type <- function() {
  of_columns <- expression_type("entity, period, both, none or columns such as harbour + coast:season", "effects",
                                c("+", ":", "*", "(", "factor", "trend"), c("entity", "period", "both", "none"))
  several_joined(of_columns)
}

# Columns to cluster by, dimensions joined by +.
clusters_type <- function() {
  several_joined(expression_type("columns such as harbour + season", "effects", c("+", ":", "("),
                                 c("entity", "period")))
}

# A list of columns as their sum.
several_joined <- function(type) {
  read <- type$read
  type$read <- function(node) {
    if (is_node(node, "list") && all(vapply(node$items, is_node, TRUE, "text"))) {
      node <- new_node("text", node$path, node$line, paste(node_texts(node), collapse = " + "))
    }
    read(node)
  }
  type$json <- one_or_several(type$json)
  type
}

weights_type <- function() {
  expression_type("a column of weights, or an expression of columns", "effects",
                  c(formula_operators, formula_functions(), "variance_of"))
}

# ---- named values ----

named_texts_type <- function(words) {
  new_study_type(words, list(anyOf = list(json_text_type, list(type = "object"), list(type = "array"))),
                 function(node) {
    items <- named_items(node)
    if (length(items) == 0 || !all(vapply(items, is_node, TRUE, "text", "empty"))) return(not_of_type(node, words))
    values <- vapply(unname(items), `[[`, "", "text")
    if (is.null(names(items)) || !any(nzchar(names(items)))) return(values)
    stats::setNames(values, names(items))
  })
}

map_of_numbers_type <- function(words, alone = FALSE, one = number_type(words)) {
  json <- list(type = "object", additionalProperties = one$json)
  new_study_type(words, if (alone) list(anyOf = list(one$json, json)) else json, function(node) {
    if (alone && is_node(node, "text")) return(one$read(node))
    if (!is_node(node, "map")) return(not_of_type(node, words))
    values <- lapply(node$items, one$read)
    if (any(vapply(values, is_faulty, TRUE))) faulty() else unlist(values)
  })
}

# Terms that are not shown, joined by + or in a list; they are named as the table has them.
hidden_type <- function() {
  words <- "terms joined by +"
  new_study_type(words, one_or_several(json_text_type), function(node) {
    items <- node_items(node)
    if (length(items) == 0 || !all(vapply(items, is_node, TRUE, "text"))) return(not_of_type(node, words))
    formula <- tryCatch(stats::as.formula(paste("~", paste(node_texts(node), collapse = " + ")), baseenv()),
                        error = function(cnd) NULL)
    named <- if (!is.null(formula)) tryCatch(hidden_items(formula), error = function(cnd) NULL)
    if (is.null(named)) not_of_type(node, words) else named
  })
}
