# What a fit says a change of one variable does to its prediction, all terms that the variable enters taken together: a
# finite change, as a combination of coefficients.
#
# The units of a formula are what can be changed by itself: columns, calls of the panel's operators such as
# past(levy, 1), and categories. Each is a list of
#   name     as it is written
#   kind     "number", "indicator" (0 and 1) or "category"
#   values   on the used rows; of a category its levels, the base first
#   mean     of a number, weighted as the fit is
#   terms    places of the formula's terms that hold it; `variables` of its variables
#   alone    whether some kept coefficient belongs to it alone

formula_units <- function(fit) {
  design <- fit$design
  terms <- design$blueprint$terms
  calls <- as.list(attr(terms, "variables"))[-(1:2)]
  names <- vapply(calls, deparse_words, "")
  coding <- attr(terms, "factors")
  if (length(coding) == 0) return(list())
  coding <- coding[utils::tail(seq_len(nrow(coding)), length(calls)), , drop = FALSE] > 0
  parts <- lapply(seq_along(calls), function(v) {
    if (names[v] %in% names(design$blueprint$xlevels)) calls[v] else changeable_parts(calls[[v]], names(design$data))
  })
  each <- unique(unlist(parts, recursive = FALSE))
  labels <- vapply(each, deparse_words, "")
  each <- each[!duplicated(labels)]
  kept <- match(intersect(slope_names(fit), names(design$x)), names(design$x))
  term_of <- design$blueprint$assign
  units <- lapply(each, function(call) {
    name <- deparse_words(call)
    variables <- which(vapply(parts, function(part) name %in% vapply(part, deparse_words, ""), TRUE))
    of_terms <- which(colSums(coding[variables, , drop = FALSE]) > 0)
    alone <- of_terms[colSums(coding[-variables, of_terms, drop = FALSE]) == 0]
    c(list(name = name, call = call, variables = variables, terms = of_terms, alone = any(term_of[kept] %in% alone)),
      unit_values(fit, call, name))
  })
  stats::setNames(units, vapply(units, `[[`, "", "name"))
}

# Columns and calls of operators within a call.
changeable_parts <- function(call, columns) {
  if (is_operator(call, operator_names)) return(list(call))
  if (is.symbol(call)) return(if (as.character(call) %in% columns) list(call))
  if (is.call(call)) unlist(lapply(as.list(call)[-1], changeable_parts, columns), recursive = FALSE)
}

unit_values <- function(fit, call, name) {
  design <- fit$design
  levels <- design$blueprint$xlevels[[name]]
  if (!is.null(levels)) return(list(kind = "category", values = levels))
  values <- take_rows(evaluate_one(call, name, design$data, baseenv_or(environment(design$blueprint$terms)),
                                   design$index), design$rows)
  if (!is.numeric(values) || is.matrix(values) || is.object(values)) return(list(kind = "other", values = values))
  values <- as.double(values)
  if (all(values == 0 | values == 1)) return(list(kind = "indicator", values = values, mean = mean(values)))
  w <- design$weights
  list(kind = "number", values = values, mean = if (is.null(w)) mean(values) else sum(w * values) / sum(w))
}

# Whether a unit is the same in all rows of each entity, whatever its products are.
unit_is_fixed <- function(fit, unit) {
  if (is.null(fit$design$index)) return(FALSE)
  groups <- column_groups(fit$design, fit$design$index$entity)
  values <- if (unit$kind == "category") category_values(fit$design, unit$call, unit$name) else unit$values
  held_by_groups(as.vector(values), groups)
}

held_by_groups <- function(values, groups) {
  first <- values[match(seq_len(groups$count), groups$codes)]
  all(values == first[groups$codes])
}

# Units that share a term with one, by name.
units_beside <- function(units, unit) {
  names <- vapply(units, function(other) other$name != unit$name && any(other$terms %in% unit$terms), TRUE)
  units[names]
}

# The regressors where units have the values of `cases`, a list of vectors of one length by unit; the others are at
# their mean or base: a matrix with a row a case.
regressors_at <- function(fit, units, cases) {
  blueprint <- fit$design$blueprint
  n <- max(lengths(cases))
  values <- lapply(units, function(unit) {
    given <- cases[[unit$name]]
    if (!is.null(given)) return(given)
    rep(if (unit$kind == "category") unit$values[1] else if (unit$kind == "other") unit$values[1] else unit$mean, n)
  })
  terms <- stats::delete.response(blueprint$terms)
  calls <- as.list(attr(blueprint$terms, "predvars"))[-(1:2)]
  names <- vapply(as.list(attr(blueprint$terms, "variables"))[-(1:2)], deparse_words, "")
  places <- paste0(".unit", seq_along(units))
  scope <- stats::setNames(unname(values), places)
  variables <- lapply(seq_along(calls), function(v) {
    if (names[v] %in% names(blueprint$xlevels)) {
      return(factor(values[[names[v]]], levels = blueprint$xlevels[[names[v]]]))
    }
    call <- with_places(calls[[v]], names(units), places)
    rep_len_rows(eval(call, scope, baseenv_or(environment(terms))), n)
  })
  names(variables) <- names
  columns <- regressor_columns(terms, variables, blueprint$xlevels, blueprint$contrasts)$x
  matrix(unlist(columns), n, dimnames = list(NULL, names(columns)))
}

rep_len_rows <- function(value, n) if (NROW(value) == n) value else rep_len(value, n)

with_places <- function(call, names, places) {
  if (is.symbol(call) || is_operator(call, operator_names)) {
    at <- match(deparse_words(call), names)
    return(if (is.na(at)) call else as.name(places[at]))
  }
  if (!is.call(call)) return(call)
  for (part in seq_along(call)[-1]) {
    if (!rlang::is_missing(call[[part]])) call[[part]] <- with_places(call[[part]], names, places)
  }
  call
}

# The combination of kept coefficients by which the prediction changes from one case to another.
change_contrast <- function(fit, units, from, to) {
  whole <- whole_change(fit, units, from, to)
  terms <- kept_terms(fit)
  stats::setNames(whole[terms], terms)
}

# The same of all regressors, those without an estimate too, and of the constant.
whole_change <- function(fit, units, from, to) {
  both <- regressors_at(fit, units, Map(function(a, b) c(a, b), from, to))
  terms <- c(kept_terms(fit), setdiff(colnames(both), kept_terms(fit)))
  out <- stats::setNames(numeric(length(terms)), terms)
  out[colnames(both)] <- both[2, ] - both[1, ]
  # A regressor enters as it is; what is left of nothing is nothing.
  out[abs(out) < 1e-12 * max(abs(both), 1e-300)] <- 0
  # Between entities the means that stand beside a product of it move with it.
  means <- fit$design$blueprint$means$values
  changed <- units[vapply(units, function(unit) !identical(from[[unit$name]], to[[unit$name]]), TRUE)]
  if (length(means) > 0 && all(vapply(changed, unit_is_fixed, TRUE, fit = fit))) {
    moved <- intersect(sprintf("mean(%s)", names(out)), names(out))
    out[moved] <- out[sub("^mean\\((.*)\\)$", "\\1", moved)]
  }
  out
}

# A combination of coefficients under the fit's errors: list(estimate, std_error, df, p_value, low, high). A multiple of
# one coefficient has that one's own interval.
combination_of <- function(fit, contrast, level = 0.95) {
  estimate <- sum(contrast * kept_estimates(fit))
  used <- which(contrast != 0)
  if (length(used) == 1) {
    row <- coefficient_table(fit, used, level)
    ends <- sort(contrast[[used]] * c(row$low, row$high), na.last = TRUE)
    return(list(estimate = estimate, std_error = abs(contrast[[used]]) * row$std_error, df = errors_df(fit)[used],
                p_value = row$p_value, low = ends[1], high = ends[2]))
  }
  rows <- matrix(contrast, 1)
  lost <- any(fit$errors$lost[used])
  variance <- if (length(used) == 0) 0 else if (lost) NA_real_ else if (is.null(fit$errors$meat)) {
    drop(contrast[used] %*% fit$errors$covariance[used, used] %*% contrast[used])
  } else {
    core_quadratic(t(rows %*% fit$regression$root), fit$errors$meat)
  }
  df <- errors_df(fit, rows)
  std_error <- sqrt(variance)
  half <- stats::qt((1 + level) / 2, df) * std_error
  list(estimate = estimate, std_error = std_error, df = df,
       p_value = 2 * stats::pt(-abs(estimate / std_error), df), low = estimate - half, high = estimate + half)
}
