# From a formula and a table to what the core takes: a design, see new_design().

# `also` names further columns whose missing rows are left out (effects), `trends` those of them
# that are numbers; a model whose effects hold the constant says so with `absorbs_constant`. `known_weights` are those
# that `weights` stands for, where they are not to be computed from it. `beside` is a formula with the same outcome,
# whose regressors go along.
build_design <- function(formula, data, weights = NULL, also = character(), trends = character(),
                         absorbs_constant = FALSE, rows = NULL, in_pieces = FALSE, known_weights = NULL,
                         beside = NULL) {
  check_formula(formula, data)
  check_is_table(data)
  check_has_rows(data)
  index <- if (is_panel_frame(data)) panel_index(data)
  formula <- expand_shifts(plain_operators(formula), index)
  terms <- formula_terms(formula, data, index)
  constant <- attr(terms, "intercept") == 1L
  if (absorbs_constant) attr(terms, "intercept") <- 1L
  variables <- evaluate_variables(terms, data, index)
  check_outcome_apart(terms, names(variables)[1])
  check_text_regressors(variables[-1], data)
  attr(terms, "predvars") <- prediction_calls(terms, variables)
  outcome <- check_outcome(variables[[1]], names(variables)[1], data)
  others <- if (!is.null(beside)) variables_beside(beside, data, index)
  w <- if (is.null(known_weights)) evaluate_weights(weights, data) else known_weights
  sizes <- vapply(variables, plain_size, 0)
  finite <- !is.na(sizes)
  chosen <- chosen_rows(rows, data, index)
  keys <- stats::setNames(lapply(also, function(name) key_column(data, name, name %in% trends)), also)
  used <- rows_used(c(variables[!finite], columns_beside(others), keys), w, chosen)
  if (!is.null(used$rows)) {
    variables <- lapply(variables, take_rows, used$rows)
    outcome <- outcome[used$rows]
    w <- w[used$rows]
  }
  held <- lapply(keys[intersect(also, trends)], take_rows, used$rows)
  check_finite(c(variables[!finite], columns_beside(others, used$rows), held), used$rows)
  check_magnitude(variables, sizes)
  offset <- sum_offsets(terms, variables)
  made <- make_blueprint(terms, variables, names(data))
  if (!is.null(beside)) others$made <- made_beside(others, used$rows, names(data))
  new_design(
    chosen = chosen$words, y = if (is.null(offset)) as.double(outcome) else outcome - offset,
    offset = offset, x = made$x, constant = constant,
    weights = if (in_pieces) w else scale_weights(w), weighted_by = weights_words(weights),
    rows = used$rows, missing = used$missing,
    blueprint = made$blueprint, outcome = names(variables)[1], formula = written_formula(formula, terms),
    data = data, index = index, source = list(kind = "memory"),
    beside = others$made
  )
}

# What a formula's regressors are made of: list(terms, variables, sizes, finite: whether each has nothing missing).
variables_beside <- function(formula, data, index) {
  formula <- expand_shifts(plain_operators(formula), index)
  terms <- formula_terms(formula, data, index)
  variables <- evaluate_variables(terms, data, index)
  check_text_regressors(variables[-1], data)
  sizes <- vapply(variables, plain_size, 0)
  # The outcome is looked through where it is used.
  list(terms = terms, variables = variables, sizes = sizes, finite = replace(!is.na(sizes), 1, TRUE))
}

made_beside <- function(others, rows, names) {
  variables <- columns_beside(others, rows, TRUE)
  check_magnitude(variables, others$sizes)
  make_blueprint(others$terms, variables, names)$x
}

# Those of them in which something may be missing, or all; on some rows.
columns_beside <- function(others, rows = NULL, all = FALSE) {
  if (is.null(others)) return(NULL)
  variables <- if (all) others$variables else others$variables[!others$finite]
  if (is.null(rows)) variables else lapply(variables, take_rows, rows)
}

design_rows <- function(design) {
  core_rows(design$y, c(design$x, design$beside), design$constant, design$weights)
}

# A column of the data on the used rows.
used_column <- function(design, name, rows = design$rows) {
  check_columns(name, design$data)
  take_rows(plain_column(design$data[[name]]), rows)
}

take_rows <- function(x, rows) {
  if (is.null(rows)) return(x)
  if (is.matrix(x)) x[rows, , drop = FALSE] else x[rows]
}

# A column of groups: NaN and blank text are no group, infinity is refused; a trend is numbers.
key_column <- function(data, name, trend) {
  x <- plain_column(data[[name]])
  if (trend && is.numeric(x)) return(x)
  if (is.double(x) && !is.object(x)) {
    check_finite_key(x, name)
    x[is.nan(x)] <- NA
  }
  if (is.character(x)) x[is_blank(x)] <- NA
  if (is.factor(x) && any(is_blank(levels(x)))) x[is_blank(as.character(x))] <- NA
  x
}

# Entity codes and clock of the used rows.
used_index <- function(design) {
  index <- design$index
  list(entity = take_rows(index$codes, design$rows), clock = take_rows(index$clock, design$rows))
}

# How many different periods the used rows have, and which come first and last.
used_periods <- function(design) {
  place <- period_place(design$index)
  if (!is.null(design$rows)) place <- place[design$rows]
  which(tabulate(place, length(design$index$ticks)) > 0)
}
