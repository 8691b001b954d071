# Expressions evaluated among the columns of a table.

# Names that an expression looks up: those of parts, as in `fits$fe` or `pack::f`, and what a function within it
# names, are not looked up here.
variables_of <- function(expr) {
  looked_up <- function(call) {
    if (is_operator(call, c("function", "::", ":::"))) return(NULL)
    parts <- if (is_operator(call, c("$", "@"))) list(call[[2]]) else as.list(call)[-1]
    if (is.call(call[[1]])) c(call[[1]], parts) else parts
  }
  symbols <- Filter(is.symbol, parts_in(expr, looked_up))
  unique(rev(vapply(symbols, as.character, "")))
}

check_formula_names <- function(calls, data, env) {
  wanted <- unique(unlist(lapply(calls, variables_of)))
  absent <- setdiff(wanted, names(data))
  absent <- absent[!vapply(absent, exists, logical(1), envir = env)]
  if (length(absent) > 0) check_columns(absent, data)
}

evaluate_one <- function(call, name, data, env, index = NULL) {
  evaluate_in(call, name, columns_environment(data, env, index))
}

# A symbol such as ..1 stands for an argument in R, and may be a column's name here.
plain_symbols <- function(call) {
  if (is.symbol(call)) {
    dotted <- grepl("^[.][.]([.]|[0-9]+)$", as.character(call))
    return(if (dotted) call("get", as.character(call)) else call)
  }
  if (!is.call(call)) return(call)
  for (part in seq_along(call)[-1]) {
    if (!rlang::is_missing(call[[part]])) call[[part]] <- plain_symbols(call[[part]])
  }
  call
}

evaluate_in <- function(call, name, scope) {
  if (any(startsWith(all.names(call), ".."))) call <- plain_symbols(call)
  call <- plain_operators(call)
  value <- tryCatch(
    withCallingHandlers(
      plain_column(eval(call, scope)),
      warning = function(cnd) {
        # log() of a negative number: the NaN is reported as an error, with its rows
        if (grepl("NaNs? produced", conditionMessage(cnd))) invokeRestart("muffleWarning")
      }
    ),
    error = function(cnd) {
      if (inherits(cnd, "wavetax_error") || is_memory_error(cnd)) rlang::cnd_signal(cnd)
      text <- variables_of(call)
      text <- text[vapply(text, function(one) is.character(get0(one, scope)), TRUE)]
      stop_wavetax(
        "formula", sprintf("`%s` could not be computed.", name),
        where = c(conditionMessage(cnd),
                  if (length(text) > 0) sprintf("%s text.", if (length(text) == 1) sprintf("`%s` is", text) else
                    paste(list_words(sprintf("`%s`", text)), "are"))),
        todo = if (length(text) > 0) "Read it as numbers first: `panel_problems()` names the cells." else
          "Check the kinds of the columns in it with `str()`."
      )
    }
  )
  if (is.null(dim(value))) check_sound_class(value, name)
  value
}

# Evaluates an expression among the columns of a table; on a panel frame with the
# operators at hand.
evaluate_among <- function(expr, data, env, index = NULL) {
  eval(expr, columns_environment(data, env, index))
}

# All calls within an expression, itself the first.
calls_in <- function(expr) Filter(is.call, parts_in(expr))

# "lag" of lag(x) and of stats::lag(x)
call_name <- function(call) {
  head <- call[[1]]
  if (is_operator(head, c("::", ":::"))) head <- head[[3]]
  if (is.symbol(head)) as.character(head) else ""
}

# What in a formula has a meaning of ours.
operator_names <- c("past", "ahead", "change", "entity_mean", "period_mean", "against", "quarter_of", "month_of",
                    "year_of")

# `wavetax::past(x)` is past(x): outside a panel it would not know the rows.
plain_operators <- function(expr) {
  if (!is.call(expr) || !"wavetax" %in% all.names(expr)) return(expr)
  head <- expr[[1]]
  if (is_operator(head, c("::", ":::")) && identical(as.character(head[[2]]), "wavetax") &&
      as.character(head[[3]]) %in% operator_names) {
    expr[[1]] <- as.name(as.character(head[[3]]))
  }
  for (part in seq_along(expr)[-1]) {
    inner <- expr[[part]]
    if (!missing(inner) && is.call(inner)) expr[[part]] <- plain_operators(inner)
  }
  expr
}

columns_environment <- function(data, env, index = NULL) {
  # Ours are known where the package is not attached too.
  unknown <- Filter(function(name) !exists(name, envir = env, mode = "function"), operator_names)
  own <- if (is.null(index)) list() else panel_operators(index)
  operators <- c(
    own, mget(setdiff(unknown, names(own)), envir = home()),
    # Unless the caller has something else by that name.
    if (identical(get0("factor", env), factor)) list(factor = categories_of)
  )
  columns <- lapply(as.list(plain_data_frame(data)), plain_column)
  list2env(columns, parent = list2env(operators, parent = env))
}
