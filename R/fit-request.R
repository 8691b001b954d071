# What was asked of a fit, read once at its door. A request is a list of
#   method, call
#   formula, data, errors     as given
#   effects                   a word, a column's name, or a one-sided formula
#   weights, rows             NULL or a one-sided formula
#   keep                      "rows" or "nothing", see slim()
#   options                   what one method takes besides: variance, by_rows
# update(), fit_each() and several outcomes change a request and run it again.

fit_request <- function(method, call, formula, data, weights, rows, errors, keep, effects = NULL,
                        options = list()) {
  check_both_given(missing(formula), missing(data))
  check_formula(formula, data)
  if (is.data.frame(data) || !is_source(data)) check_is_table(data)
  if (!is.null(errors)) check_error_spec(errors)
  check_choice(keep, c("rows", "nothing"), "keep")
  if (inherits(data, "data.table")) data <- own_data_frame(data)
  columns <- names(data)
  # A call with the data written into it, as do.call() makes them, would hold them once more.
  if (is.data.frame(call$data)) call$data <- quote(data)
  list(
    method = method, call = call, formula = with_own_objects(formula, columns), data = data, errors = errors,
    keep = keep, effects = if (!is.null(effects)) with_own_objects(effects_argument(effects, data), columns),
    weights = with_own_objects(columns_argument(weights, data, "weights"), columns),
    rows = with_own_objects(columns_argument(rows, data, "rows"), columns),
    options = lapply(options, with_own_objects, columns)
  )
}

# A formula written in a function keeps all that the function has at hand. Here it keeps what it names.
with_own_objects <- function(formula, columns) {
  if (!rlang::is_formula(formula)) return(formula)
  env <- rlang::f_env(formula)
  if (is.null(env) || identical(env, topenv(env)) || identical(env, emptyenv())) return(formula)
  own <- new.env(parent = topenv(env))
  called <- setdiff(all.names(formula), all.vars(formula))
  for (name in c(setdiff(all.vars(formula), columns), called)) {
    value <- local_object(name, env, if (name %in% called) "function" else "any")
    if (!is.null(value)) assign(name, value, envir = own)
  }
  rlang::f_env(formula) <- own
  formula
}

# The object of that name between an environment and the session or package around it; NULL where there is none.
local_object <- function(name, env, mode) {
  while (!identical(env, topenv(env)) && !identical(env, emptyenv())) {
    value <- get0(name, env, mode = mode, inherits = FALSE)
    if (!is.null(value)) return(value)
    env <- parent.env(env)
  }
}

check_both_given <- function(no_formula, no_data) {
  if (!no_formula && !no_data) return(invisible())
  stop_wavetax(
    "argument", if (no_formula) "No formula was given." else "No data were given.",
    todo = "The formula comes first, then the data: `fit_fixed(y ~ x, panel)`."
  )
}

run_fit <- function(request) {
  outcomes <- several_outcomes(request$formula)
  if (length(outcomes) > 0) {
    each <- lapply(outcomes, function(outcome) {
      rlang::f_lhs(request$formula) <- outcome
      request$call$formula <- request$formula
      request
    })
    several <- method_of(request)$estimate_several
    if (is.null(several) || is_source(request$data)) return(lapply(each, run_fit))
    return(with_memory_told(several(each)))
  }
  request <- with_estimated_weights(request, run_fit)
  method <- method_of(request)
  in_pieces <- is_source(request$data)
  if (in_pieces && is.null(method$estimate_pieces)) check_is_table(request$data)
  with_memory_told(if (in_pieces) method$estimate_pieces(request) else method$estimate(request))
}

# A column or an expression of columns, bare, quoted or as a one-sided formula: NULL or a
# formula.
columns_argument <- function(quo, data, argument) {
  value <- argument_value(quo, names(data))
  if (is.null(value) || rlang::is_formula(value, lhs = FALSE)) return(value)
  if (is_one_text(value) && nzchar(value) && (argument != "rows" || value %in% names(data))) {
    return(rlang::new_formula(NULL, as.name(value), env = baseenv()))
  }
  example <- if (is.data.frame(data)) code_name(names(data)[1]) else "w"
  stop_wavetax(
    argument, sprintf("`%s` is %s.", argument, value_words(value)),
    todo = if (argument == "rows") {
      sprintf("Give a condition on columns: `rows = ~ %s > 0`.", example)
    } else {
      sprintf("Name a column, `%s = ~ %s`, or an expression of columns.", argument, example)
    }
  )
}

# Regressors as a one-sided formula, bare, or in words.
regressors_argument <- function(quo, data, argument) {
  value <- argument_value(quo, names(data))
  if (is.null(value)) stop_instruments_missing(argument)
  if (!is_one_text(value) || value %in% names(data)) return(columns_argument(quo, data, argument))
  regressors_from_text(paste("~", sub("^ *~", "", value)), data)
}

stop_instruments_missing <- function(argument) {
  stop_wavetax(
    c("instruments", "argument"), sprintf("`%s` is missing.", argument),
    todo = if (argument == "endogenous") "Name the terms that are instrumented: `endogenous = ~ x`." else
      "Name what instruments them: `instruments = ~ z`."
  )
}

# What an argument stands for: a name or an expression of columns is taken as a formula, all else is evaluated, such as
# what has a formula in it.
argument_value <- function(quo, columns) {
  expr <- rlang::quo_get_expr(quo)
  if (rlang::is_missing(expr) || is.null(expr)) return(NULL)
  bare <- (is.symbol(expr) && as.character(expr) %in% columns) ||
    (is.call(expr) && !"~" %in% all.names(expr) && any(all.vars(expr) %in% columns))
  if (bare) return(rlang::new_formula(NULL, expr, env = rlang::quo_get_env(quo)))
  tryCatch(rlang::eval_tidy(quo), error = function(cnd) {
    if (inherits(cnd, "wavetax_error")) rlang::cnd_signal(cnd)
    if (is.symbol(expr)) {
      if (is.null(columns)) return(rlang::new_formula(NULL, expr, env = baseenv()))
      stop_no_column(as.character(expr), columns)
    }
    stop_wavetax("argument", sprintf("`%s` could not be computed.", short_text(deparse_words(expr))),
                 where = conditionMessage(cnd))
  })
}

# One column, bare, quoted or as a formula of one name.
one_column_argument <- function(quo, data, argument) {
  value <- argument_value(quo, names(data))
  if (rlang::is_formula(value, lhs = FALSE)) {
    right <- strip_brackets(rlang::f_rhs(value))
    value <- if (is.symbol(right)) as.character(right) else value
  }
  if (!is_one_text(value)) {
    stop_wavetax(argument, sprintf("`%s` is %s, not one column.", argument, value_words(value)),
                 todo = sprintf("For example `%s = ~ %s`.", argument, code_name(names(data)[1])))
  }
  check_columns(value, data)
  check_plain_vector(data[[value]], value)
  value
}

effects_argument <- function(quo, data) {
  value <- argument_value(quo, names(data))
  if (rlang::is_formula(value, lhs = FALSE)) {
    right <- rlang::f_rhs(value)
    written <- is.call(rlang::quo_get_expr(quo)) || rlang::is_formula(rlang::quo_get_expr(quo))
    if (!written && is.symbol(right) && is.data.frame(data)) return(as.character(right))
    return(value)
  }
  if (is_one_text(value)) return(value)
  stop_effects(sprintf("`effects` is %s.", value_words(value)), data = data)
}

# Outcomes of `cbind(a, b) ~ x`: their calls, named as written.
several_outcomes <- function(formula) {
  left <- if (rlang::is_formula(formula, lhs = TRUE)) rlang::f_lhs(formula)
  if (!is.call(left) || !identical(left[[1]], as.name("cbind"))) return(NULL)
  outcomes <- as.list(left)[-1]
  given <- names(outcomes)
  words <- vapply(outcomes, deparse_words, "")
  if (!is.null(given)) words[nzchar(given)] <- given[nzchar(given)]
  stats::setNames(outcomes, words)
}

# What was asked of a fit, with the data, which it holds once.
request_again <- function(fit) {
  request <- fit$request
  if (is.null(request$data)) request["data"] <- list(fit$design$data)
  request
}

#' @rdname panel_fit
#' @param formula. Changes of the formula, as for R's own `update()`.
#' @param evaluate Whether the changed call is run, or given back.
#' @export
update.panel_fit <- function(object, formula., ..., evaluate = TRUE) {
  check_flag(evaluate, "evaluate")
  changes <- rlang::enquos(...)
  request <- request_again(object)
  request$errors <- object$errors$spec
  request$formula <- object$design$formula
  if (!missing(formula.)) {
    if (is_one_text(formula.)) {
      formula. <- tryCatch(stats::as.formula(formula.), error = function(cnd) formula.)
    }
    if (!rlang::is_formula(formula.)) stop_argument("formula.", value_words(formula.),
                                                    "For example `update(fit, . ~ . + x)`.")
    request$formula <- stats::update.formula(request$formula, formula.)
  }
  door <- fit_door(object$method)
  known <- setdiff(names(formals(door)), "...")
  unknown <- setdiff(names(changes), known)
  if (length(unknown) > 0 || any(!nzchar(names(changes)))) {
    stop_wavetax("argument", sprintf("`fit_%s()` has no argument %s.", object$method,
                                     list_words(sQuote(names(changes), FALSE))),
                 todo = c(near_argument(unknown, known), foreign_words(unknown),
                          sprintf("Its arguments are %s.", list_words(known))))
  }
  call <- request$call
  call$formula <- request$formula
  for (name in names(changes)) call[[name]] <- rlang::quo_get_expr(changes[[name]])
  if (!evaluate) return(call)
  if ("keep" %in% names(changes)) {
    request$keep <- check_choice(rlang::eval_tidy(changes$keep), c("rows", "nothing"), "keep")
  }
  if ("data" %in% names(changes)) request$data <- rlang::eval_tidy(changes$data)
  for (name in intersect(names(changes), c("weights", "rows"))) {
    request[name] <- list(columns_argument(changes[[name]], request$data, name))
  }
  if ("effects" %in% names(changes)) request$effects <- effects_argument(changes$effects, request$data)
  if ("errors" %in% names(changes)) request["errors"] <- list(rlang::eval_tidy(changes$errors))
  for (name in intersect(names(changes), c("endogenous", "instruments"))) {
    request$options[[name]] <- regressors_argument(changes[[name]], request$data, name)
  }
  for (name in setdiff(intersect(names(changes), names(request$options)), c("endogenous", "instruments"))) {
    value <- rlang::eval_tidy(changes[[name]])
    request$options[name] <- list(if (name == "serial") serial_argument(value, object$method == "gls") else value)
  }
  if (is.null(request$data)) check_keeps_rows(object, "data to fit again")
  request$call <- call
  run_fit(request)
}
