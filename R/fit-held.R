# What a fit holds of its rows. In memory they stand beside the fit; written to a file, it takes along the columns that
# it uses and nothing that can be made of them: where the rows are asked for after reading, the fit is made again of
# these columns. Several fits of the same columns share them, also in a file.

# Parts of a fit with rows in them. Of a fit with held rows they are reached by `$` alone.
held_parts <- c("design", "transform", "effects", "working")

# Moves the rows aside, into an environment
#   columns   by name the cells of the columns that the fit uses
#   panel     NULL, or what makes a panel frame of them: list(entity, period, order, labels)
#   names     row names that are words, or NULL; `whole` whether these are all columns of the table
#   parts     a weak reference to an environment with the held parts, which a file does not keep
#   kept      NULL, or the held parts of a fit whose formula names what another session may not have
#   contrasts the session's
hold_rows <- function(fit) {
  data <- fit$design$data
  if (!is.data.frame(data)) return(fit)
  rows <- new.env(parent = emptyenv())
  rows$columns <- list()
  rows$panel <- if (is_panel_frame(data)) panel_index(data)[c("entity", "period", "order", "labels")]
  names <- attr(data, "row.names")
  if (is.character(names)) rows$names <- names
  rows$contrasts <- getOption("contrasts")
  hold_parts(rows, fit)
  if (!is_self_contained(fit, names(data))) rows$kept <- parts_of(fit, rows)
  fit[held_parts] <- list(NULL)
  attr(fit, "rows") <- rows
  hold_columns(fit)
}

# In an environment, since a list that a weak reference takes is copied.
hold_parts <- function(rows, fit) {
  parts <- lapply(stats::setNames(held_parts, held_parts), function(part) fit[[part]])
  rows$parts <- rlang::new_weakref(rows, list2env(parts, parent = emptyenv()))
}

#' @export
`$.panel_fit` <- function(x, name) {
  rows <- attr(x, "rows", exact = TRUE)
  # As of any list, the start of one name is enough.
  start <- pmatch(name, names(x))
  if (!is.na(start)) name <- names(x)[start]
  if (name %in% checked_parts && !is.null(attr(x, "set", exact = TRUE)) && is_ours(parent.frame())) check_unaltered(x)
  if (is.null(rows) || !name %in% held_parts) return(.subset2(x, name))
  parts_of(x, rows)[[name]]
}

#' @export
`[[.panel_fit` <- function(x, i, ...) {
  if (is_one_text(i) && ...length() == 0) return(`$.panel_fit`(x, i))
  NextMethod()
}

# A part that is set stands in the fit, and all the others with it.
#' @export
`$<-.panel_fit` <- function(x, name, value) {
  rows <- attr(x, "rows", exact = TRUE)
  class <- class(x)
  plain <- unclass(x)
  if (!is.null(rows) && name %in% held_parts) {
    plain[held_parts] <- mget(held_parts, parts_of(x, rows))
    attr(plain, "rows") <- NULL
  }
  plain[[name]] <- value
  # What is set from outside is looked at once, when one of the parts is used.
  if (name %in% checked_parts && !is_ours(parent.frame())) attr(plain, "set") <- new.env(parent = emptyenv())
  structure(plain, class = class)
}

#' @export
`[[<-.panel_fit` <- function(x, i, value) {
  if (is_one_text(i)) return(`$<-.panel_fit`(x, i, value))
  NextMethod()
}

# Whether a function of ours asks, not its user.
is_ours <- function(frame) identical(topenv(frame), home())

# Parts of which others are made: set by hand, they may not go together.
checked_parts <- c(held_parts, "coefficients", "regression", "n")

# Of a fit whose parts were set since it was made.
check_unaltered <- function(fit) {
  state <- attr(fit, "set", exact = TRUE)
  if (isTRUE(state$sound)) return(invisible())
  attr(fit, "set") <- NULL
  sound <- tryCatch(are_sound_codes(fit) && inherits(muffled(validate_panel_fit(fit), "warning"), "panel_fit"),
                    error = function(cnd) FALSE)
  if (!sound) {
    stop_wavetax("altered_fit", "This fit was altered or damaged: its parts do not go together.",
                 todo = "Estimate it again; a fit is changed by `update()` and `with_errors()`.")
  }
  state$sound <- TRUE
}

# Whether the codes of all groups are those of its rows.
are_sound_codes <- function(fit) {
  parts <- unclass(fit)
  all_groups <- c(lapply(parts$effects, `[[`, "groups"), lapply(parts$transform$layers, `[[`, "groups"),
                  parts$design$groups)
  all(vapply(all_groups, function(groups) {
    codes <- groups$codes
    if (is.null(codes)) return(length(parts$design$y) == 0)
    is.integer(codes) && length(codes) == parts$n && !anyNA(codes) && all(codes >= 1L & codes <= groups$count) &&
      identical(as.integer(tabulate(codes, groups$count)), as.integer(groups$sizes)) &&
      isTRUE(groups$sorted) == !is.unsorted(codes)
  }, TRUE))
}

parts_of <- function(fit, rows) {
  parts <- if (is.null(rows$kept)) rlang::wref_value(rows$parts) else rows$kept
  if (!is.null(parts)) return(parts)
  request <- .subset2(fit, "request")
  request$data <- held_data(rows)
  request["errors"] <- list(NULL)
  before <- options(contrasts = rows$contrasts)
  on.exit(options(before))
  # What was said when it was first made is not said again.
  again <- muffled(run_fit(request), c("message", "warning"))
  hold_parts(rows, again)
  rlang::wref_value(rows$parts)
}

# The parts of a request that may be formulas.
request_formulas <- function(request) c(request[c("formula", "effects", "weights", "rows")], request$options)

# Whether the fit can be made again of its columns: what its formulas name besides is R's own, ours, or kept with them.
is_self_contained <- function(fit, columns) {
  all(vapply(request_formulas(fit$request), function(formula) {
    !rlang::is_formula(formula) || is_known_formula(formula, columns)
  }, TRUE))
}

is_known_formula <- function(formula, columns) {
  env <- rlang::f_env(formula)
  if (is.null(env)) env <- baseenv()
  variables <- setdiff(variables_of(formula), c(columns, "."))
  functions <- setdiff(vapply(calls_in(formula), own_call_name, ""), c("", "~", operator_names, "variance_of"))
  all(vapply(variables, function(name) is_lasting(name, env, "any"), TRUE)) &&
    all(vapply(functions, function(name) is_lasting(name, env, "function"), TRUE))
}

# "" of a call that says its package.
own_call_name <- function(call) if (is_operator(call[[1]], c("::", ":::"))) "" else call_name(call)

is_lasting <- function(name, env, mode) {
  if (!is.null(local_object(name, env, mode))) return(TRUE)
  found <- get0(name, env, mode = mode)
  if (is.function(found)) return(environmentName(topenv(environment_of(found))) %in% c("base", "stats", "utils"))
  !is.null(found) && identical(found, get0(name, baseenv(), mode = mode, inherits = FALSE))
}

environment_of <- function(f) if (is.primitive(f)) baseenv() else environment(f)

held_data <- function(rows) {
  columns <- lapply(rows$columns, function(cell) cell$values)
  names <- if (is.null(rows$names)) .set_row_names(NROW(columns[[1]])) else rows$names
  data <- structure(columns, class = "data.frame", row.names = names)
  if (!rows$whole) attr(data, "read") <- TRUE
  panel <- rows$panel
  if (is.null(panel)) return(data)
  with_index(data, index_keys(data, panel$entity, panel$period, panel$order, panel$labels))
}
