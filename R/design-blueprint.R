# The blueprint of a regression's columns, made of the data of the fit and replayed on others, so that
# the two cannot differ. A list of
#   terms      of the formula; its `predvars` hold what a transformation learnt (a centre, a basis)
#   xlevels, contrasts   the levels of categories, and how they are coded
#   assign     the term that each column is of
#   pieces     what each column is made of: a data frame with a row a variable of a column, see column_piece(), its
#              name `column` and `of`, the term as it is written
#   outcome    its name
#   times      the class of each variable that is a date, a time or a span, by name
#   columns    the names of the data's columns
#   means      NULL, or what a correlated random effects fit adds: list(column, labels, values), the
#              means of regressors by group

# list(blueprint, x): from the evaluated variables, the outcome first.
make_blueprint <- function(terms, variables, columns) {
  made <- regressor_columns(terms, variables)
  list(
    blueprint = list(terms = made$terms, xlevels = made$xlevels, contrasts = made$contrasts, assign = made$assign,
                     pieces = column_pieces(made, columns = names(made$x)), outcome = names(variables)[1],
                     times = Filter(Negate(is.null), lapply(variables, time_class)), columns = columns, means = NULL),
    x = made$x
  )
}

column_pieces <- function(made, columns) {
  counts <- vapply(made$pieces, nrow, 1L)
  labels <- attr(made$terms, "term.labels")[made$assign]
  pieces <- do.call(rbind, c(list(column_piece(character(), character(), character())), made$pieces))
  data.frame(column = rep(as.character(columns), counts), of = rep(as.character(labels), counts), pieces)
}

# The regressors on other rows, a matrix.
replay_blueprint <- function(blueprint, newdata) {
  variables <- replay_variables(blueprint, newdata)
  terms <- stats::delete.response(blueprint$terms)
  columns <- regressor_columns(terms, variables, blueprint$xlevels, blueprint$contrasts)$x
  out <- do.call(cbind, columns)
  cbind(if (is.null(out)) matrix(0, nrow(newdata), 0) else out, replay_means(blueprint$means, newdata))
}

# What offsets add on other rows.
replay_offset <- function(blueprint, newdata) {
  terms <- stats::delete.response(blueprint$terms)
  if (is.null(attr(terms, "offset"))) 0 else sum_offsets(terms, replay_variables(blueprint, newdata))
}

replay_variables <- function(blueprint, newdata) {
  check_is_table(newdata)
  terms <- stats::delete.response(blueprint$terms)
  check_columns(intersect(all.vars(terms), blueprint$columns), newdata)
  index <- if (is_panel_frame(newdata)) panel_index(newdata)
  calls <- as.list(attr(terms, "predvars"))[-1]
  names <- vapply(as.list(attr(terms, "variables"))[-1], deparse_words, character(1))
  variables <- lapply(seq_along(calls), function(v) {
    value <- evaluate_one(calls[[v]], names[v], newdata, baseenv_or(environment(terms)), index)
    check_length(value, names[v], nrow(newdata))
    if (names[v] %in% names(blueprint$xlevels)) return(known_levels(value, names[v], blueprint$xlevels))
    new_number(value, names[v], blueprint$times[[names[v]]])
  })
  stats::setNames(variables, names)
}

# For rows of groups that the fit has seen.
replay_means <- function(means, newdata) {
  if (is.null(means)) return(NULL)
  check_columns(means$column, newdata)
  at <- match(as.character(newdata[[means$column]]), as.character(means$labels))
  warn_unknown_effects(unique(as.character(newdata[[means$column]])[is.na(at)]), means$column, FALSE)
  do.call(cbind, lapply(means$values, function(values) values[at]))
}

# A variable of new rows as the fit counts it; `time` is its class there where it is a date, a time or a span.
new_number <- function(x, name, time) {
  if (is.null(time) && (is.numeric(x) || is.logical(x)) && is.null(time_class(x))) return(x)
  if (!is.null(time) && (inherits(x, time) || all(is.na(x)))) {
    return(if (inherits(x, "difftime")) as.numeric(x, units = names(time)) else as.double(x))
  }
  stop_wavetax("kind", sprintf("`%s` is %s in the new data, but %s in the fit.", name, kind_words(x),
                               if (is.null(time)) "numbers" else sprintf("of class %s", time)),
               todo = sprintf("Make it %s first, for example `newdata$%2$s <- as.%3$s(newdata$%2$s)`.",
                              if (is.null(time)) "numbers" else "the same", code_name(name),
                              if (is.null(time)) "numeric" else time))
}

# Of a span its unit is the name.
time_class <- function(x) {
  if (inherits(x, "difftime")) return(stats::setNames("difftime", units(x)))
  found <- intersect(c("Date", "POSIXct"), class(x))
  if (length(found) > 0) found[1]
}

known_levels <- function(x, name, xlevels) {
  known <- xlevels[[name]]
  new <- setdiff(as.character(x), c(known, NA))
  if (length(new) > 0) {
    stop_wavetax(
      "new_level", sprintf("`%s` has values that the fit has not seen: %s.", name, list_some(new)),
      todo = sprintf("Seen were %s.", list_some(known, 8))
    )
  }
  factor(x, levels = known)
}

warn_unknown_effects <- function(unknown, name, mean_of) {
  if (length(unknown) == 0) return(invisible())
  warn_wavetax(
    "unknown_effect",
    sprintf("%s not in the fit: %s.", if (length(unknown) == 1) paste("One", name, "is") else
      paste(count_of(length(unknown), name), "are"), list_some(unknown)),
    where = if (mean_of) {
      sprintf("Predicted with the average effect of %s, 0.", one_of_a(name))
    } else {
      "The predictions there are NA: fixed effects say nothing on others."
    },
    todo = if (!mean_of) sprintf("`effects = FALSE` predicts for an average %s.", name)
  )
}
