# Formulas that come as text, from a command line or a file. The text is parsed, every
# call in it is looked up in the list below, and anything else is refused; nothing is
# evaluated on the way. The formula's environment holds the listed functions only.

formula_operators <- c("~", "+", "-", "*", "/", ":", "^", "%in%", "(")
formula_functions <- c("log", "log1p", "log2", "log10", "exp", "sqrt", "abs", "I", "factor",
                       "past", "ahead", "change", "entity_mean", "period_mean", "against")

condition_operators <- c(formula_operators, "==", "!=", "<", ">", "<=", ">=", "&", "|", "!", "c", "is.na")

# A condition on rows, such as "season > 2012".
condition_from_text <- function(text, data) {
  if (is.null(text)) return(NULL)
  parsed <- parse_one_expression(text)
  check_allowed(parsed, text, c(condition_operators, formula_functions))
  check_columns(all.vars(parsed), data)
  env <- formula_environment()
  for (name in c("==", "!=", "<", ">", "<=", ">=", "&", "|", "!", "is.na")) assign(name, get(name, baseenv()), env)
  rlang::new_formula(NULL, parsed, env = env)
}

# Effects: a word, a column, or columns and trends such as "harbour + coast:season".
effects_from_text <- function(text, data) {
  if (text %in% c("entity", "period", "both") || text %in% names(data)) return(text)
  parsed <- parse_one_expression(sub("^\\s*~", "", text))
  check_allowed(parsed, text, c("+", ":", "*", "(", "factor", "trend"))
  rlang::new_formula(NULL, parsed, env = formula_environment())
}

formula_from_text <- function(text, data) {
  parsed <- parse_one_expression(text)
  check_allowed(parsed, text)
  if (!is.call(parsed) || !identical(parsed[[1]], as.name("~")) || length(parsed) != 3) {
    stop_formula_text(text, "It has no outcome, tilde and regressors.")
  }
  check_columns(setdiff(all.vars(parsed), "."), data)
  stats::as.formula(parsed, env = formula_environment())
}

most_signs <- 2e5

parse_one_expression <- function(text) {
  if (nchar(text) > most_signs) stop_formula_text(text, sprintf("It has %s signs.", count_words(nchar(text))))
  parsed <- tryCatch(
    parse(text = text, keep.source = FALSE),
    error = function(cnd) stop_formula_text(text, sub("\n.*", "", conditionMessage(cnd)))
  )
  if (length(parsed) != 1) stop_formula_text(text, "It is not one expression.")
  check_formula_size(call("~", parsed[[1]]))
  parsed[[1]]
}

# Every call of an expression is looked up.
check_allowed <- function(expr, text, allowed = c(formula_operators, formula_functions)) {
  for (one in parts_in(expr)) {
    if (is.symbol(one) || is.numeric(one) || is.character(one) || is.logical(one)) next
    if (!is.call(one)) stop_formula_text(text, sprintf("%s is not allowed in it.", short_text(deparse_words(one))))
    name <- if (is.symbol(one[[1]])) as.character(one[[1]]) else ""
    if (name %in% row_order_functions) stop_row_order(one, name)
    if (name == "|" && !"|" %in% allowed) stop_bar(expr, one)
    if (!name %in% allowed) {
      stop_formula_text(text, sprintf("`%s` is not allowed in it.", short_text(deparse_words(one[[1]]))))
    }
  }
}

stop_formula_text <- function(text, where) {
  stop_wavetax(
    "formula", sprintf("The formula %s cannot be used.", dQuote(short_text(text), FALSE)), where = where,
    todo = sprintf(
      "Write it as \"y ~ x1 + log(x2)\", of columns, numbers, the signs + - * / : ^ and %s.",
      list_words(paste0(formula_functions, "()"))
    )
  )
}

formula_environment <- function() {
  names <- setdiff(c(formula_operators, formula_functions, "c"), "~")
  here <- environment()
  out <- list2env(stats::setNames(lapply(names, get, envir = here), names), parent = emptyenv())
  assign(":", bounded_run, out)
  out
}

# Of whole numbers, no more than there could be periods or levels.
most_run <- 1e6
bounded_run <- function(from, to) {
  if (is.factor(from) || length(from) == 1 && length(to) == 1 && isTRUE(abs(to - from) <= most_run)) return(from:to)
  stop_wavetax("formula", "A run such as `1:12` goes from one number to another, by a million steps at most.")
}

# Columns as a formula, whatever their names: `~ a + b`, built of symbols.
column_formula <- function(names) {
  rlang::new_formula(NULL, Reduce(function(a, b) call("+", a, b), lapply(names, as.name)), env = baseenv())
}
