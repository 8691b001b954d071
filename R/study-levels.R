# The levels of a fit: common, what it is like, its own keys. Each changes what was before.

# What a fit is after its levels: list(keys, nodes by key in the order in which they were first written; left, the call
# of the outcome or NULL; right, the terms of the equation as calls), NULL where a level could not be read.
fit_levels <- function(levels) {
  state <- list(keys = list(), left = NULL, right = NULL, sound = TRUE)
  for (level in levels) state <- take_level(state, level)
  if (state$sound) state
}

take_level <- function(state, level) {
  items <- level$items[setdiff(names(level$items), c("like", "formula", "add", "without"))]
  state <- take_formula(state, level$items[["formula"]])
  for (key in names(items)) {
    if (is_empty(items[[key]])) next
    if (is_none(items[[key]])) state$keys[[key]] <- NULL else state$keys[[key]] <- items[[key]]
  }
  for (key in intersect(names(level$items), c("without", "add"))) {
    state <- take_terms(state, level$items[[key]], key)
  }
  state
}

take_formula <- function(state, node) {
  if (is_empty(node)) return(state)
  sides <- formula_type()$read(node)
  if (is_faulty(sides)) return(replace(state, "sound", list(FALSE)))
  state$right <- sum_terms(sides$right)
  if (!is.null(sides$left)) {
    state$left <- sides$left
    state$keys[["outcome"]] <- NULL
  }
  state
}

# The terms of a sum.
sum_terms <- function(expr) {
  if (is_operator(expr, "+") && length(expr) == 3) return(c(sum_terms(expr[[2]]), list(expr[[3]])))
  list(expr)
}

joined_terms <- function(terms) Reduce(function(a, b) call("+", a, b), terms)

take_terms <- function(state, node, key) {
  expr <- expression_type("terms such as storms + fuel", "regressors")$read(node)
  if (is_faulty(expr)) return(replace(state, "sound", list(FALSE)))
  if (is.null(state$right)) {
    study_fault(node, "terms", sprintf("`%s` changes a formula, and there is none yet.", key))
    return(replace(state, "sound", list(FALSE)))
  }
  terms <- sum_terms(expr[[2]])
  words <- vapply(terms, deparse_words, "")
  known <- vapply(state$right, deparse_words, "")
  odd <- if (key == "add") intersect(words, known) else setdiff(words, known)
  if (length(odd) > 0) {
    found <- if (key == "add") sprintf("`add`: %s is in the formula already.", odd[1]) else
      sprintf("`without`: %s is not in the formula; that has %s.", odd[1], list_words(known))
    study_fault(node, "terms", found, if (key == "without") nearest_name(odd[1], known))
    return(replace(state, "sound", list(FALSE)))
  }
  state$right <- if (key == "add") c(state$right, terms) else state$right[!known %in% words]
  if (length(state$right) > 0) return(state)
  study_fault(node, "terms", "`without` leaves no regressor.")
  replace(state, "sound", list(FALSE))
}

# ---- one of each ----

crossed_keys <- c("model", "outcome", "effects", "sample", "errors", "weights", "variance", "serial")
# A map of these is arguments, not values with names.
argument_maps <- c("errors", "serial")
most_fits <- 500L

# All combinations of keys where several values stand, the first key written slowest: a list of list(keys, labels, by
# key), NULL for too many.
crossed_fits <- function(keys, node) {
  values <- list()
  for (key in intersect(names(keys), crossed_keys)) {
    one <- keys[[key]]
    several <- is_node(one, "list") || is_node(one, "map") && !key %in% argument_maps
    if (several) values[[key]] <- crossed_values(one)
  }
  n <- prod(lengths(values))
  if (n > most_fits) {
    # What it is like makes too many already, and that is told there.
    inherited <- vapply(keys[names(values)], function(one) !identical(one$path[2], node$path[2]), TRUE)
    if (prod(lengths(values)[inherited]) <= most_fits) stop_too_many(node, n)
    return(NULL)
  }
  if (length(values) == 0) return(list(list(keys = keys, labels = character())))
  grid <- rev(do.call(expand.grid, rev(unname(lapply(values, seq_along)))))
  lapply(seq_len(nrow(grid)), function(i) {
    chosen <- Map(function(value, at) value[at], values, unlist(grid[i, ]))
    for (key in names(chosen)) keys[[key]] <- chosen[[key]][[1]]
    # `none` among several: without this key.
    keys <- Filter(function(one) !is_none(one), keys)
    list(keys = keys, labels = vapply(chosen, names, ""))
  })
}

stop_too_many <- function(node, n) {
  study_fault(node, "crossing", sprintf("this makes %s fits; a study has at most %d.", count_words(n), most_fits))
}

# The values with their labels: the names that are given, else the texts.
crossed_values <- function(node) {
  items <- named_items(node)
  labels <- vapply(seq_along(items), function(i) {
    if (!is.null(names(items)) && nzchar(names(items)[i])) return(names(items)[i])
    text <- items[[i]]$text
    if (!is_node(items[[i]], "text") || grepl("/", text, fixed = TRUE)) {
      study_fault(items[[i]], "name", sprintf("this value of `%s` needs a name: {Name: value}.", node_key(node)))
    }
    text
  }, "")
  again <- anyDuplicated(labels)
  if (again > 0) study_fault(items[[again]], "twice", sprintf("`%s` has %s twice.", node_key(node), labels[again]))
  stats::setNames(items, labels)
}
