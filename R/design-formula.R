# What a formula may hold, and its terms.

check_formula <- function(formula, data = NULL) {
  if (rlang::is_formula(formula, lhs = TRUE)) return(check_formula_size(formula))
  found <- if (is.data.frame(formula) && rlang::is_formula(data)) {
    "The formula and the data are swapped."
  } else if (rlang::is_formula(formula)) {
    "The formula has no outcome."
  } else {
    sprintf("`formula` is %s, not a formula with an outcome.", value_words(formula))
  }
  stop_wavetax("formula", found, todo = c(
    if (is.data.frame(formula) && rlang::is_formula(data)) "The formula comes first, then the data.",
    sprintf("Write the outcome, a tilde, the regressors: `%s`.",
            example_formula(if (is.data.frame(formula)) formula else data))
  ))
}

# Of the user's own columns of numbers, where there are any.
example_formula <- function(data) {
  names <- if (is.data.frame(data)) names(data)[vapply(data, function(x) is.numeric(x) && !is.factor(x), TRUE)]
  index <- if (is_panel_frame(data)) held_index(data)
  names <- setdiff(names, c(index$entity, index$period))
  if (length(names) < 2) names <- c("y", "x1", "x2")
  names <- code_name(names)
  sprintf("%s ~ %s", names[1], paste(utils::head(names[-1], 2), collapse = " + "))
}

most_depth <- 200
most_terms <- 5000

# Deep or endless expressions would end R before they could be told of; this walks along the
# parts without calling itself.
check_formula_size <- function(formula) {
  stack <- list(list(formula[[length(formula)]], 0))
  parts <- 0
  sums <- 0
  while (length(stack) > 0) {
    one <- stack[[length(stack)]]
    stack[[length(stack)]] <- NULL
    expr <- one[[1]]
    if (!is.call(expr)) next
    parts <- parts + 1
    sum <- is_operator(expr, c("+", "-")) && length(expr) == 3
    sums <- sums + sum
    if (one[[2]] > most_depth || sums > most_terms || parts > 20 * most_terms) {
      stop_wavetax("formula", "The formula is nested too deeply, or too long.",
                   todo = "Make its parts columns of the data first.")
    }
    check_power(expr)
    for (part in seq_along(expr)[-1]) {
      inner <- expr[[part]]
      if (!missing(inner)) stack[[length(stack) + 1L]] <- list(inner, one[[2]] + if (sum && part == 2) 0 else 1)
    }
  }
  invisible()
}

most_power <- 8

# R would multiply the terms out, however many there were.
check_power <- function(expr) {
  if (!is_operator(expr, "^") || length(expr) != 3) return(invisible())
  power <- expr[[3]]
  if (!is.numeric(power) || power <= most_power || !is_operator(expr[[2]], "(")) return(invisible())
  stop_wavetax("formula", sprintf("`%s`: the highest power of a sum is %d.", short_text(deparse_words(expr)),
                                  most_power),
               todo = "A power of a variable is written `I(x^9)`.")
}

# Functions that look along the rows, and so run from one entity into the next.
row_order_functions <- c(
  "lag", "Lag", "lead", "Lead", "shift", "diff", "cumsum", "cumprod", "cummax", "cummin", "cumall", "cumany", "cummean",
  "rev", "embed", "filter", "frollmean", "frollsum", "rollmean", "rollsum", "rollapply", "head", "tail", "sort",
  "order", "row_number", "nafill", "na.locf", "fill", "L", "F.", "D.", "L."
)

check_functions <- function(calls, env) {
  for (call in calls) {
    for (inner in calls_in(without_levels(call))) {
      if (call_name(inner) %in% row_order_functions) stop_row_order(inner, call_name(inner))
    }
    for (inner in calls_in(call)) {
      name <- call_name(inner)
      if (name == "|") stop_bar(call, inner)
      if (is.symbol(inner[[1]]) && !exists(name, envir = env, mode = "function") && !name %in% operator_names) {
        stop_unknown_function(name, inner)
      }
    }
  }
}

# The levels of `factor(x, levels = sort(unique(x)))` are no value of a row.
without_levels <- function(call) {
  if (!is.call(call) || !"levels" %in% unlist(lapply(calls_in(call), names))) return(call)
  if (call_name(call) %in% c("factor", "ordered")) call$levels <- NULL
  for (part in seq_along(call)[-1]) {
    if (!rlang::is_missing(call[[part]])) call[[part]] <- without_levels(call[[part]])
  }
  call
}

stop_row_order <- function(call, name) {
  inner <- if (length(call) > 1) deparse_words(call[[2]]) else "x"
  back <- !name %in% c("lead", "Lead", "F.")
  stop_wavetax(
    "row_order", sprintf("`%s` runs along the rows, from one entity into the next.", short_text(deparse_words(call))),
    todo = c(
      sprintf("On the panel's own clock: `%s(%s)`%s.",
              if (name %in% c("diff", "D.")) "change" else if (back) "past" else "ahead",
              inner, if (name %in% c("diff", "D.")) "" else sprintf(", or `change(%s)`", inner)),
      "There are `past()`, `ahead()`, `change()`, `entity_mean()` and `period_mean()`; the rest is made a column first."
    )
  )
}

stop_bar <- function(call, bar) {
  right <- deparse_words(bar[[3]])
  stop_wavetax(
    "formula", "A formula here holds the outcome and the regressors, nothing behind a bar.",
    todo = c(
      sprintf("Effects are an argument of their own: `fit_fixed(..., effects = ~ %s)`.", right),
      "A condition of two parts is wrapped: `I(a | b)`."
    )
  )
}

stop_unknown_function <- function(name, call) {
  near <- near_names(name, c(operator_names, "log", "exp", "sqrt", "factor", "abs"))
  stop_wavetax("formula", sprintf("There is no function `%s()`.", name), todo = c(
    if (length(near) > 0) sprintf("Did you mean `%s()`?", near[1]),
    "Lags and changes are `past()`, `ahead()` and `change()`."
  ))
}

# `price^2` in a formula is a product of terms, which is `price` again.
check_no_plain_power <- function(expr) {
  parts <- list(expr)
  while (length(parts) > 0) {
    one <- parts[[length(parts)]]
    parts[[length(parts)]] <- NULL
    if (!is_operator(one, c("+", "-", "*", "/", ":", "^", "(", "%in%"))) next
    if (is_operator(one, "^") && length(all.vars(strip_brackets(one[[2]]))) <= 1) {
      stop_wavetax(
        "formula", sprintf("`%s` in a formula is `%s` itself, not its power.", deparse_words(one),
                           deparse_words(one[[2]])),
        todo = sprintf("Write `I(%s)`.", deparse_words(one))
      )
    }
    parts <- c(parts, as.list(one)[-1])
  }
}

# Terms of the formula; a dot stands for every column but the keys and the outcome.
formula_terms <- function(formula, data, index) {
  check_functions(as.list(formula)[-1], baseenv_or(environment(formula)))
  check_no_plain_power(formula[[3]])
  named <- plain_data_frame(data)[setdiff(names(data), c(index$entity, index$period))]
  terms <- tryCatch(
    if ("." %in% all.vars(formula)) stats::terms(formula, data = plain_data_frame(named)) else stats::terms(formula),
    error = function(cnd) {
      stop_wavetax("formula", "The formula could not be read.", where = conditionMessage(cnd),
                   todo = sprintf("Write it like `%s`.", example_formula(data)))
    }
  )
  terms <- without_unused(terms, formula)
  if (length(attr(terms, "term.labels")) > most_terms) {
    stop_wavetax("formula", sprintf("The formula has %s.", count_of(length(attr(terms, "term.labels")), "term")),
                 todo = sprintf("At most %s are taken; sets of dummies are `effects =`.", count_words(most_terms)))
  }
  terms
}

# Variables that no term uses, as after `. - x`, are none of the model's.
without_unused <- function(terms, formula) {
  used <- attr(terms, "factors")
  kept <- c(1, attr(terms, "offset"))
  if (length(used) == 0 || is.null(attr(terms, "term.labels")) || all(rowSums(used)[-kept] > 0)) return(terms)
  stats::terms(written_out(formula, terms))
}

# The formula with a dot written out.
written_formula <- function(formula, terms) {
  if ("." %in% all.vars(formula)) written_out(formula, terms) else formula
}

written_out <- function(formula, terms) {
  labels <- attr(terms, "term.labels")
  offsets <- as.list(attr(terms, "variables"))[-1][attr(terms, "offset")]
  parts <- c(lapply(labels, str2lang), offsets)
  right <- if (length(parts) == 0) 1 else Reduce(function(a, b) call("+", a, b), parts)
  if (attr(terms, "intercept") == 0L) right <- call("-", right, 1)
  rlang::new_formula(formula[[2]], right, env = rlang::f_env(formula))
}

check_outcome_apart <- function(terms, outcome) {
  among <- rownames(attr(terms, "factors"))[-1]
  labels <- attr(terms, "term.labels")
  used <- attr(terms, "factors")
  own <- length(used) > 0 && any(used[1, ] > 0)
  if (!own && !outcome %in% c(among, labels)) return(invisible())
  stop_wavetax("formula", sprintf("The outcome `%s` is among its own regressors.", outcome),
               todo = sprintf("Leave it out on the right; its own past is `past(%s)`.", outcome))
}

most_lags <- 400

# `past(x, 0:2)` in a formula stands for `past(x, 0) + past(x, 1) + past(x, 2)`.
expand_shifts <- function(formula, index = NULL) {
  formula[[3]] <- expand_sum(formula[[3]], baseenv_or(environment(formula)), index)
  formula
}

# A sum of any length is walked along its left side; what is in its parts is nested little.
expand_sum <- function(expr, env, index) {
  tail <- list()
  while (is_operator(expr, c("+", "-")) && length(expr) == 3) {
    tail[[length(tail) + 1L]] <- list(expr[[1]], expr[[3]])
    expr <- expr[[2]]
  }
  out <- expand_part(expr, env, index)
  for (one in rev(tail)) out <- as.call(list(one[[1]], out, expand_part(one[[2]], env, index)))
  out
}

expand_part <- function(expr, env, index) {
  if (!is.call(expr)) return(expr)
  name <- call_name(expr)
  if (!name %in% c("past", "ahead", "change")) {
    for (part in seq_along(expr)[-1]) {
      inner <- expr[[part]]
      if (!missing(inner) && is.call(inner)) expr[[part]] <- expand_sum(inner, env, index)
    }
    return(expr)
  }
  call <- match.call(function(x, k = 1) NULL, expr)
  if (!is.call(call$k)) return(expr)
  k <- lags_of(call$k, env)
  if (length(k) < 2) return(expr)
  check_lags(k, name, call, index)
  parts <- lapply(as.numeric(k), function(one) {
    if (one == 0 && name != "change") call$x else as.call(list(as.name(name), call$x, one))
  })
  call("(", Reduce(function(a, b) call("+", a, b), parts))
}

# Whole numbers written as 0:2 or c(1, 4): ends of a range are looked at before it is laid out.
lags_of <- function(k, env) {
  ends <- if (is_operator(k, ":") && length(k) == 3) lapply(as.list(k)[-1], function(end) {
    tryCatch(eval(end, env), error = function(cnd) NULL)
  })
  if (!is.null(ends) && all(vapply(ends, function(end) is.numeric(end) && length(end) == 1 && is.finite(end), TRUE))) {
    if (abs(ends[[2]] - ends[[1]]) >= most_lags) return(c(ends[[1]], ends[[2]], rep(ends[[2]], most_lags)))
  }
  tryCatch(eval(k, env), error = function(cnd) NULL)
}

check_lags <- function(k, name, call, index) {
  if (!is.numeric(k) || anyNA(k)) return(invisible()) # told when it is computed
  too_far <- !is.null(index) && max(k) >= index$span
  if (!too_far && length(k) <= most_lags) return(invisible())
  words <- sprintf("%s(%s, %s)", name, deparse_words(call$x), short_text(deparse_words(call$k)))
  stop_wavetax(
    "operator",
    if (too_far) {
      sprintf("`%s` reaches beyond the panel, which has %s.", words, count_of(index$span, "period"))
    } else {
      sprintf("`%s` makes more than %d regressors.", words, most_lags)
    },
    todo = "Ask for fewer periods."
  )
}
