# From a formula and a table to what the core takes. A design holds
#   y, x        the outcome and a named list of regressors, doubles, used rows only
#   constant    whether the formula has one
#   weights     of the used rows, or NULL
#   rows        which rows of `data` are used, or NULL for all of them
#   missing     rows left out, counted by variable (`total` is the count of rows)
#   terms, xlevels, contrasts   to build the same columns from other data
#   data, panel the table, and its index when it is a panel frame

# `also` names further columns whose missing rows are left out (effects); a model
# whose effects hold the constant says so with `absorbs_constant`.
build_design <- function(formula, data, weights = NULL, also = character(),
                         absorbs_constant = FALSE, rows = NULL) {
  check_formula(formula)
  check_is_table(data)
  check_has_rows(data)
  index <- if (is_panel_frame(data)) panel_index(data)
  terms <- formula_terms(expand_shifts(formula), data, index)
  constant <- attr(terms, "intercept") == 1L
  if (absorbs_constant) attr(terms, "intercept") <- 1L
  variables <- evaluate_variables(terms, data, index)
  check_text_numbers(variables[-1])
  attr(terms, "predvars") <- prediction_calls(terms, variables)
  outcome <- check_outcome(variables[[1]], names(variables)[1])
  w <- evaluate_weights(weights, data)
  finite <- vapply(variables, is_all_finite, logical(1))
  chosen <- chosen_rows(rows, data, index)
  used <- rows_used(c(variables[!finite], as.list(plain_data_frame(data)[also])), w, chosen)
  if (!is.null(used$rows)) {
    variables <- lapply(variables, take_rows, used$rows)
    outcome <- outcome[used$rows]
    w <- w[used$rows]
  }
  check_finite(variables[!finite], used$rows)
  columns <- regressor_columns(terms, variables)
  list(
    chosen = chosen$words, y = as.double(outcome), x = columns$x, constant = constant,
    weights = w, weights_name = weights_words(weights), rows = used$rows, missing = used$missing,
    terms = columns$terms, xlevels = columns$xlevels, contrasts = columns$contrasts, assign = columns$assign,
    outcome = names(variables)[1], formula = formula, data = data, index = index
  )
}

design_rows <- function(design) {
  core_rows(design$y, design$x, design$constant, design$weights)
}

# A column of the data on the used rows.
used_column <- function(design, name) {
  check_columns(name, design$data)
  column <- design$data[[name]]
  if (is.null(design$rows)) column else take_rows(column, design$rows)
}

take_rows <- function(x, rows) if (is.matrix(x)) x[rows, , drop = FALSE] else x[rows]

check_formula <- function(formula) {
  good <- rlang::is_formula(formula, lhs = TRUE)
  if (good) return(invisible())
  stop_wavetax(
    "formula", "The first argument is not a formula with an outcome.",
    todo = "Write the outcome, a tilde, the regressors: `log(nights) ~ levy + storms`."
  )
}

# Terms of the formula; a dot stands for every column but the keys and the outcome.
formula_terms <- function(formula, data, index) {
  named <- data[setdiff(names(data), c(index$entity, index$period))]
  terms <- if ("." %in% all.vars(formula)) {
    stats::terms(formula, data = plain_data_frame(named))
  } else {
    stats::terms(formula)
  }
  if (!is.null(attr(terms, "offset"))) {
    stop_wavetax(
      "offset", "The formula has an offset, which these models do not take.",
      todo = "Subtract it from the outcome: `I(nights - known) ~ levy`."
    )
  }
  terms
}

# The variables of the formula, the outcome first, each of as many rows as the data.
# What a transformation learns from these data (a centre, a basis) is kept in the
# terms' `predvars`, to be used again on new data.
evaluate_variables <- function(terms, data, index = NULL) {
  env <- baseenv_or(environment(terms))
  calls <- as.list(attr(terms, "variables"))[-1]
  names <- vapply(calls, deparse_words, character(1))
  check_formula_names(calls, data, env)
  values <- lapply(seq_along(calls), function(v) {
    value <- evaluate_one(calls[[v]], names[v], data, env, index)
    check_length(value, names[v], nrow(data))
    value
  })
  names(values) <- names
  values
}

# The calls of the formula with what they learnt from these data written in.
prediction_calls <- function(terms, variables) {
  calls <- attr(terms, "variables")
  for (v in seq_along(variables)) {
    calls[[v + 1]] <- stats::makepredictcall(variables[[v]], calls[[v + 1]])
  }
  calls
}

check_formula_names <- function(calls, data, env) {
  wanted <- unique(unlist(lapply(calls, all.vars)))
  absent <- setdiff(wanted, names(data))
  absent <- absent[!vapply(absent, exists, logical(1), envir = env)]
  if (length(absent) > 0) check_columns(absent, data)
}

evaluate_one <- function(call, name, data, env, index = NULL) {
  tryCatch(
    withCallingHandlers(
      evaluate_among(call, data, env, index),
      warning = function(cnd) {
        # log() of a negative number: the NaN is reported as an error, with its rows
        if (grepl("NaNs? produced", conditionMessage(cnd))) invokeRestart("muffleWarning")
      }
    ),
    error = function(cnd) {
      if (inherits(cnd, "wavetax_error")) rlang::cnd_signal(cnd)
      stop_wavetax(
        "formula", sprintf("`%s` could not be computed.", name),
        where = conditionMessage(cnd),
        todo = "Check the kinds of the columns in it with `str(data)`."
      )
    }
  )
}

check_length <- function(value, name, n) {
  ordinary <- is.atomic(value) || is.factor(value)
  if (ordinary && NROW(value) == n) return(invisible())
  stop_wavetax(
    "formula",
    sprintf("`%s` gives %s, but the data have %s.", name,
            if (ordinary) count_of(NROW(value), "value") else paste("a", class(value)[1]),
            count_of(n, "row")),
    todo = "Every part of a formula is one value a row: a column, or made from columns."
  )
}

check_outcome <- function(y, name) {
  if (is.matrix(y) && ncol(y) == 1) y <- drop(y)
  if ((is.numeric(y) || is.logical(y)) && !is.matrix(y) && !is.factor(y)) return(y)
  kind <- if (is.matrix(y)) {
    sprintf("has %d columns", ncol(y))
  } else {
    paste("is", kind_words(y))
  }
  text <- if (is.character(y)) {
    bad <- which(!is.na(y) & is.na(suppressWarnings(as.numeric(y))))
    if (length(bad) > 0) {
      sprintf("Not a number: %s.", list_some(sprintf("\"%s\" (row %d)", y[bad], bad)))
    }
  }
  stop_wavetax(
    "outcome", sprintf("The outcome `%s` %s; a regression explains one column of numbers.", name, kind),
    where = text,
    todo = if (is.character(y)) "Mend those cells, then turn the column into numbers with `as.numeric()`."
  )
}

# Weights are given as a column name or a one-sided formula.
evaluate_weights <- function(weights, data) {
  if (is.null(weights)) return(NULL)
  if (rlang::is_formula(weights, lhs = FALSE)) {
    call <- rlang::f_rhs(weights)
    check_formula_names(list(call), data, rlang::f_env(weights))
    name <- deparse_words(call)
    w <- evaluate_one(call, name, data, rlang::f_env(weights))
  } else if (is.character(weights) && length(weights) == 1) {
    check_columns(weights, data)
    name <- weights
    w <- data[[weights]]
  } else {
    stop_wavetax(
      "weights", "`weights` is neither a column name nor a one-sided formula.",
      todo = "For example `weights = ~ berths`, or `weights = \"berths\"`."
    )
  }
  check_weights(w, name, nrow(data))
  as.double(w)
}

check_weights <- function(w, name, n) {
  if (!is.numeric(w) || length(w) != n) {
    stop_wavetax("weights", sprintf("The weights `%s` are not one number a row.", name))
  }
  bad <- which(is.na(w) | w < 0 | is.infinite(w))
  if (length(bad) == 0) return(invisible())
  stop_wavetax(
    "weights", sprintf("The weights `%s` are negative, missing or infinite in %s.", name,
                       count_of(length(bad), "row")),
    where = sprintf("See %s: %s.", row_words(bad), list_some(format(w[utils::head(bad, 3)]))),
    todo = "Weights are positive numbers; a weight of 0 leaves its row out."
  )
}

# Rows with every variable present and a positive weight, and why the others are out.
rows_used <- function(variables, w, chosen = NULL) {
  absent <- lapply(variables, missing_rows)
  within <- function(gone) if (is.null(chosen)) gone else gone & chosen$keep
  counts <- vapply(absent, function(gone) if (is.null(gone)) 0L else sum(within(gone)), integer(1))
  out <- Reduce(function(a, b) if (is.null(a)) b else if (is.null(b)) a else a | b, absent)
  zero <- if (!is.null(w) && any(w == 0)) w == 0
  total <- if (is.null(out)) 0L else sum(within(out))
  if (!is.null(chosen)) out <- if (is.null(out)) !chosen$keep else out | !chosen$keep
  if (!is.null(zero)) out <- if (is.null(out)) zero else out | zero
  rows <- if (!is.null(out)) which(!out)
  if (!is.null(rows) && length(rows) == 0) {
    worst <- sort(counts[counts > 0], decreasing = TRUE)
    stop_wavetax(
      "no_rows", "No row has all the variables of the formula.",
      where = sprintf("Missing: %s.", list_some(sprintf("%s in %s", names(worst),
                                                        count_of(worst, "row")), 5)),
      todo = "Leave the emptiest variable out, or check how the file was read."
    )
  }
  list(rows = rows, missing = list(
    total = total, by_variable = counts[counts > 0], zero_weight = sum(zero)
  ))
}

# Whether a variable is plain numbers without a hole or an infinity: the common case.
is_all_finite <- function(x) {
  if (is.factor(x)) return(FALSE)
  if (is.double(x)) return(cpp_all_finite(x))
  is.integer(x) && !anyNA(x)
}

# The rows that `rows =` chooses: list(keep, words), or NULL for all.
chosen_rows <- function(rows, data, index) {
  if (is.null(rows)) return(NULL)
  if (!rlang::is_formula(rows, lhs = FALSE)) {
    stop_wavetax("rows", "`rows` is not a one-sided formula.", todo = "For example `rows = ~ season > 2012`.")
  }
  call <- rlang::f_rhs(rows)
  words <- deparse_words(call)
  check_formula_names(list(call), data, rlang::f_env(rows))
  keep <- evaluate_one(call, words, data, rlang::f_env(rows), index)
  if (!is.logical(keep) || length(keep) != nrow(data)) {
    stop_wavetax("rows", sprintf("`%s` is not true or false for each row.", words),
                 todo = "For example `rows = ~ season > 2012`.")
  }
  keep <- keep & !is.na(keep)
  if (!any(keep)) {
    stop_wavetax("no_rows", sprintf("`%s` is true in no row.", words), todo = "Check the condition.")
  }
  list(keep = keep, words = words)
}

# `past(x, 0:2)` in a formula stands for `past(x, 0) + past(x, 1) + past(x, 2)`.
expand_shifts <- function(formula) {
  env <- environment(formula)
  expand <- function(expr) {
    if (!is.call(expr)) return(expr)
    expr[-1] <- lapply(as.list(expr)[-1], function(part) if (missing(part)) part else expand(part))
    name <- if (is.symbol(expr[[1]])) as.character(expr[[1]]) else ""
    if (!name %in% c("past", "ahead", "change")) return(expr)
    call <- match.call(function(x, k = 1) NULL, expr)
    if (!is.call(call$k)) return(expr)
    k <- tryCatch(eval(call$k, baseenv_or(env)), error = function(cnd) NULL)
    if (length(k) < 2) return(expr)
    parts <- lapply(as.numeric(k), function(one) {
      if (one == 0 && name != "change") call$x else as.call(list(as.name(name), call$x, one))
    })
    call("(", Reduce(function(a, b) call("+", a, b), parts))
  }
  formula[[3]] <- expand(formula[[3]])
  formula
}

baseenv_or <- function(env) if (is.null(env)) baseenv() else env

missing_rows <- function(x) {
  if (!anyNA(x)) return(NULL)
  gone <- if (is.double(x)) is.na(x) & !is.nan(x) else is.na(x)
  if (is.matrix(x)) gone <- rowSums(gone) > 0
  if (any(gone)) gone
}

check_finite <- function(variables, rows) {
  for (name in names(variables)) {
    x <- variables[[name]]
    bad <- if (is.double(x)) which(!is.finite(x))
    if (length(bad) == 0) next
    at <- unique((bad - 1L) %% NROW(x) + 1L)
    if (!is.null(rows)) at <- rows[at]
    stop_wavetax(
      "not_finite",
      sprintf("`%s` is infinite or not a number in %s.", name, count_of(length(at), "row")),
      where = sprintf("%s: %s.", sub("^r", "R", row_words(at)),
                      list_some(unique(format(x[utils::head(bad, 20)])))),
      todo = if (grepl("log\\(", name)) {
        "The logarithm of 0 or less has no value: leave those rows out, or model the level."
      } else {
        "Correct those cells, or set them to NA to leave their rows out."
      }
    )
  }
}

# One named double vector a coefficient, the constant apart. Numbers and their
# products are taken as they are; factors and the rest through model.matrix().
regressor_columns <- function(terms, variables) {
  plain <- vapply(variables[-1], function(x) is.numeric(x) && !is.matrix(x), logical(1))
  labels <- attr(terms, "term.labels")
  if (all(plain)) {
    factors <- attr(terms, "factors")
    x <- lapply(seq_along(labels), function(term) {
      parts <- variables[which(factors[, term] > 0)]
      as.double(Reduce(`*`, parts))
    })
    return(list(x = stats::setNames(x, labels), terms = terms, assign = seq_along(labels)))
  }
  frame <- structure(
    lapply(variables, text_to_factor), names = names(variables), class = "data.frame",
    row.names = .set_row_names(NROW(variables[[1]])), terms = terms
  )
  check_levels(frame[-1])
  check_matrix_size(terms, frame)
  matrix <- stats::model.matrix(terms, frame)
  assign <- attr(matrix, "assign")
  keep <- which(assign > 0)
  x <- lapply(stats::setNames(keep, colnames(matrix)[keep]), function(j) as.vector(matrix[, j]))
  list(
    x = x, terms = terms, xlevels = stats::.getXlevels(terms, frame),
    contrasts = attr(matrix, "contrasts"), assign = assign[keep]
  )
}

# Text whose values are nearly all numbers is a column read wrongly, not categories.
check_text_numbers <- function(variables) {
  for (name in names(variables)) {
    x <- variables[[name]]
    if (!is.character(x)) next
    values <- unique(x[!is.na(x)])
    numbers <- !is.na(suppressWarnings(as.numeric(values)))
    if (length(values) == 0 || mean(numbers) < 0.8) next
    stop_wavetax(
      "text_numbers", sprintf("The regressor `%s` is text, but reads as numbers.", name),
      where = if (!all(numbers)) {
        bad <- which(x %in% values[!numbers])
        sprintf("Not a number: %s.", list_some(sprintf("\"%s\" (row %s)", x[bad], count_words(bad))))
      },
      todo = c(
        sprintf("Turn it into numbers: `data$%s <- as.numeric(data$%s)`.", name, name),
        sprintf("Or, if its values are names of groups, write `factor(%s)`.", name)
      )
    )
  }
}

# A factor with very many levels in the formula would be a matrix of dummies too large
# to hold; what takes it is an effect.
largest_matrix <- 8e9 # bytes

check_matrix_size <- function(terms, frame) {
  factors <- attr(terms, "factors")
  width <- vapply(frame, function(x) if (is.factor(x)) nlevels(x) else NCOL(x), numeric(1))
  columns <- apply(factors > 0, 2, function(used) prod(width[used]))
  if (8 * sum(columns) * nrow(frame) <= largest_matrix) return(invisible())
  worst <- names(which.max(columns))
  stop_wavetax(
    "too_many_columns",
    sprintf("`%s` makes about %s columns of %s: too large a matrix.", worst,
            count_words(max(columns)), count_of(nrow(frame), "row")),
    todo = sprintf("Sweep it out instead: `fit_fixed(..., effects = ~ %s)`.",
                   sub("factor\\((.*)\\)", "\\1", worst))
  )
}

# Used levels only, so that a level that lost its rows is not a column of zeros.
text_to_factor <- function(x) {
  if (is.character(x)) return(factor(x, levels = sort(unique(x), method = "radix")))
  if (is.factor(x)) return(droplevels(x))
  x
}

check_levels <- function(variables) {
  single <- vapply(variables, function(x) is.factor(x) && nlevels(x) < 2, logical(1))
  if (!any(single)) return(invisible())
  name <- names(variables)[single][1]
  stop_wavetax(
    "one_level", sprintf("`%s` has the one value %s in all rows used.", name,
                         sQuote(levels(variables[[name]]), FALSE)),
    todo = "Leave it out of the formula."
  )
}

weights_words <- function(weights) {
  if (rlang::is_formula(weights)) deparse_words(rlang::f_rhs(weights)) else weights
}

# Entity codes and clock of the used rows.
used_index <- function(design) {
  index <- design$index
  rows <- design$rows
  if (is.null(rows)) return(list(entity = index$codes, clock = index$clock))
  list(entity = index$codes[rows], clock = index$clock[rows])
}
