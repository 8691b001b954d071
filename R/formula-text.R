# Formulas that come as text, from a command line or a file. The text is parsed, every
# call in it is looked up in the list below, and anything else is refused; nothing is
# evaluated on the way. The formula's environment holds the listed functions only.

formula_operators <- c("~", "+", "-", "*", "/", ":", "^", "%in%", "(")
formula_functions <- function() {
  c("log", "log1p", "log2", "log10", "exp", "sqrt", "abs", "I", "factor", operator_names)
}

condition_operators <- c(formula_operators, "==", "!=", "<", ">", "<=", ">=", "&", "|", "!", "c", "is.na")

# A condition on rows, such as "season > 2012".
condition_from_text <- function(text, data) {
  if (is.null(text)) return(NULL)
  parsed <- allowed_expression(text, "condition", c(condition_operators, formula_functions()))
  check_columns(all.vars(parsed), data)
  rlang::new_formula(NULL, parsed, env = condition_environment())
}

condition_environment <- function() {
  env <- formula_environment()
  for (name in c("==", "!=", "<", ">", "<=", ">=", "&", "|", "!", "is.na")) assign(name, get(name, baseenv()), env)
  env
}

# A new column such as "rise = change(levy) * berths": the panel with it.
with_variable <- function(panel, text) {
  parts <- regmatches(text, regexec("^\\s*(`[^`]+`|[^=<>!`]+?)\\s*=(?!=)\\s*(.*)$", text, perl = TRUE))[[1]]
  if (length(parts) == 0) stop_text(text, "It has no name and value.", "variable")
  name <- gsub("^`|`$", "", parts[2])
  index <- panel_index(panel)
  if (name %in% c(index$entity, index$period)) stop_text(text, sprintf("`%s` is a key of the panel.", name), "variable")
  parsed <- allowed_expression(parts[3], "variable", c(condition_operators, formula_functions()))
  check_columns(all.vars(parsed), panel)
  if (name %in% names(panel)) tell_wavetax(sprintf("`%s` is replaced by `%s`.", name, deparse_words(parsed)))
  column <- stats::setNames(list(parsed), name)
  with_it <- eval(as.call(c(list(transform.panel_frame, quote(panel)), column)),
                  list2env(list(panel = panel), parent = condition_environment()))
  if (NCOL(with_it[[name]]) > 1) stop_text(text, "It gives several columns.", "variable")
  with_it
}

# Regressors to add, such as "~ storms + fuel".
regressors_from_text <- function(text, data) {
  parsed <- allowed_expression(text, "regressors")
  check_columns(all.vars(parsed), data)
  rlang::new_formula(NULL, parsed[[2]], env = formula_environment())
}

# Effects: a word, a column, or columns and trends such as "harbour + coast:season".
effects_from_text <- function(text, data) {
  if (text %in% c("entity", "period", "both") || text %in% names(data)) return(text)
  parsed <- allowed_expression(sub("^\\s*~", "", text), "effects", c("+", ":", "*", "(", "factor", "trend"))
  rlang::new_formula(NULL, parsed, env = formula_environment())
}

formula_from_text <- function(text, data) {
  parsed <- allowed_expression(text, "formula")
  if (!is.call(parsed) || !identical(parsed[[1]], as.name("~")) || length(parsed) != 3) {
    stop_text(text, "It has no outcome, tilde and regressors.")
  }
  check_columns(setdiff(all.vars(parsed), "."), data)
  stats::as.formula(parsed, env = formula_environment())
}

# What is written as text, and how.
text_forms <- list(
  formula = c("formula", "y ~ x1 + log(x2)"), condition = c("condition", "season > 2012"),
  variable = c("new column", "rise = change(levy) * berths"),
  regressors = c("list of regressors", "~ storms + log(fuel)"),
  effects = c("list of effects", "harbour + coast:season")
)

most_signs <- 2e5

# One expression, in which every call is allowed.
allowed_expression <- function(text, form, allowed = c(formula_operators, formula_functions())) {
  if (nchar(text) > most_signs) stop_text(text, sprintf("It has %s signs.", count_words(nchar(text))), form)
  parsed <- tryCatch(
    parse(text = text, keep.source = FALSE),
    error = function(cnd) stop_text(text, where_not_read(text, conditionMessage(cnd)), form)
  )
  if (length(parsed) != 1) stop_text(text, "It is not one expression.", form)
  check_formula_size(call("~", parsed[[1]]))
  check_allowed(parsed[[1]], text, form, allowed)
  parsed[[1]]
}

# Where R's parser stopped, which says "<text>:1:8: unexpected symbol".
where_not_read <- function(text, message) {
  if (grepl("end of input", message, fixed = TRUE)) return("Something is missing at its end.")
  place <- as.integer(regmatches(message, regexec("^<text>:([0-9]+):([0-9]+):", message))[[1]][2:3])
  rest <- if (!anyNA(place)) substring(strsplit(text, "\n", fixed = TRUE)[[1]][place[1]], place[2])
  if (is.null(rest) || is.na(rest) || !nzchar(rest)) return("It cannot be read.")
  sprintf("It cannot be read at %s.", dQuote(short_text(rest), FALSE))
}

# Every call of an expression is looked up.
check_allowed <- function(expr, text, form, allowed) {
  not_allowed <- function(part) {
    stop_text(text, sprintf("%s is not allowed in it.", short_text(sprintf("`%s`", deparse_words(part)))), form)
  }
  for (one in parts_in(expr)) {
    if (is.symbol(one) || is.numeric(one) || is.character(one) || is.logical(one)) next
    if (!is.call(one)) not_allowed(one)
    name <- if (is.symbol(one[[1]])) as.character(one[[1]]) else ""
    if (name %in% row_order_functions) stop_row_order(one, name)
    if (name == "|" && !"|" %in% allowed) stop_bar(expr, one)
    if (!name %in% allowed) not_allowed(one[[1]])
  }
}

stop_text <- function(text, where, form = "formula") {
  form <- text_forms[[form]]
  stop_wavetax(
    "formula", sprintf("The %s %s cannot be used.", form[1], dQuote(short_text(text), FALSE)), where = where,
    todo = sprintf("Write it as \"%s\", of columns, numbers, the signs + - * / : ^ and %s.", form[2],
                   list_words(paste0(formula_functions(), "()")))
  )
}

formula_environment <- function() {
  names <- setdiff(c(formula_operators, formula_functions(), "c"), "~")
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
