# The fits of a study: each entry gives members, and each member is a call.
#   name, entry, labels    "by sample / since 2013", "by sample", and by key the values that tell it apart
#   model, door, call      the method, and the call that estimates it
#   many                   whether the call gives a list of fits: `each` and `steps`
#   line                   of the entry
#   same                   what two fits must share to be tested against each other

# Keys that the study has itself, and all that some model takes.
# A fit on the rows of each value of a column; `split` is how earlier studies ask for it.
group_keys <- c("each", "and_all", "split")

fit_own_keys <- c("model", "like", "formula", "outcome", "add", "without", "sample", "rows", "errors", group_keys, "steps",
                  "endogenous", "instruments", "method")

fit_argument_keys <- function() {
  unique(unlist(lapply(fit_method_names, function(name) fit_method(name)$arguments)))
}

known_fit_keys <- function() unique(c(fit_own_keys, fit_argument_keys()))

# Models that an entry may name; instruments make any of them instrumented.
study_models <- function() setdiff(fit_method_names, "instrumented")

fits_block <- function() {
  models <- study_models()
  new_study_block("fits", "model", stats::setNames(paste0("fit_", models), models))
}

# The members of all entries, in order; entries that could not be read have none.
study_fits <- function(node, common, study) {
  entries <- section_entries(node)
  known <- known_fit_keys()
  if (!is_empty(common)) check_known_keys(common$items, setdiff(known, c("like", group_keys, "steps")), "`common`")
  for (name in names(entries)) {
    check_known_keys(entries[[name]]$items, known, sprintf("the fit `%s`", name))
  }
  members <- lapply(names(entries), function(name) {
    levels <- entry_levels(name, entries, fits_block())
    if (is.null(levels)) return(NULL)
    entry_fits(name, if (is_empty(common)) levels else c(list(common), levels), entries[[name]], study)
  })
  members <- stats::setNames(members, names(entries))
  if (sum(lengths(members)) > most_fits) stop_too_many(node, sum(lengths(members)))
  members
}

entry_fits <- function(name, levels, node, study) {
  state <- fit_levels(levels)
  if (is.null(state)) return(NULL)
  keys <- state$keys[intersect(names(state$keys), known_fit_keys())]
  several_models <- is_node(keys[["model"]], "list", "map")
  if (!several_models) {
    word <- entry_word(name, keys, fits_block(), node)
    if (is.null(word)) return(NULL)
    keys[["model"]] <- new_node("text", c(node$path, "model"), node$line, word)
  }
  combinations <- crossed_fits(keys, node)
  members <- lapply(combinations, function(one) {
    called <- paste(c(name, one$labels), collapse = " / ")
    member <- fit_member(called, one$keys, state, node, study)
    if (!is.null(member)) c(member, list(entry = name, labels = one$labels))
  })
  Filter(Negate(is.null), members)
}

# One member's call, from single values.
fit_member <- function(name, keys, state, node, study) {
  model <- word_key(keys[["model"]]$text)
  if (!model %in% study_models()) {
    study_fault(keys[["model"]], "kind", sprintf("`model`: no model is called `%s`.", short_text(model)),
                nearest_name(model, study_models()))
    return(NULL)
  }
  left <- if (!is_empty(keys[["outcome"]])) outcome_type()$read(keys[["outcome"]]) else state$left
  if (is_faulty(left)) return(NULL)
  if (is.null(left) || is.null(state$right)) {
    study_fault(node, "formula", sprintf("the fit `%s` has no %s: it stands under `common` or here.", name,
                                         if (is.null(state$right)) "`formula`" else "outcome"))
    return(NULL)
  }
  formula <- call("~", left, joined_terms(state$right))
  instrumented <- any(c("endogenous", "instruments") %in% names(keys))
  ladder <- !is_empty(keys[["steps"]])
  if (!check_model_keys(keys, model, instrumented, ladder, node, name)) return(NULL)
  door <- if (instrumented) "fit_instrumented" else paste0("fit_", model)
  arguments <- fit_arguments_of(keys, model, door, ladder, study)
  if (!is_sound(arguments)) return(NULL)
  if (instrumented) arguments <- c(arguments, list(model = model))
  # `split`, of studies written before, has all rows before each value.
  groups <- if (is_empty(keys[["each"]])) keys[["split"]] else keys[["each"]]
  call <- if (ladder) {
    as.call(c(list(as.name("spec_ladder"), formula, ladder_call(keys[["steps"]]), quote(panel)), arguments))
  } else if (!is_empty(groups)) {
    by <- column_type()$read(groups)
    all <- is_empty(keys[["each"]]) || !is_empty(keys[["and_all"]]) && isTRUE(flag_type()$read(keys[["and_all"]]))
    as.call(c(list(as.name("fit_each"), formula, quote(panel), by = by, fit = as.name(door)), if (all) list(all = TRUE),
              arguments))
  } else {
    as.call(c(list(as.name(door), formula, quote(panel)), arguments))
  }
  list(name = name, model = model, instrumented = instrumented, call = call, line = node$line,
       many = ladder || !is_empty(groups), effects = arguments$effects, serial = !is.null(arguments$serial),
       same = list(formula, arguments$rows, arguments$weights))
}

outcome_type <- function() {
  plain <- expression_type("an outcome such as log(nights)", "formula")
  read <- plain$read
  plain$read <- function(node) {
    expr <- read(node)
    if (is_faulty(expr)) expr else expr[[2]]
  }
  plain
}

# Whether the model takes all keys; those that it does not take are faults.
check_model_keys <- function(keys, model, instrumented, ladder, node, name) {
  method <- fit_method(model)
  takes <- c("model", "outcome", "sample", "rows", "errors", if (!ladder) c(group_keys, method$arguments),
             if (ladder) c("steps", "weights", "serial"))
  if (instrumented) {
    takes <- c(takes, "endogenous", "instruments", "method", "effects", "variance", "weights")
    takes <- setdiff(takes, c("serial", "by_rows", "steps"))
  }
  refused <- setdiff(names(keys), takes)
  whose <- if (ladder) "a fit in `steps`" else sprintf("%s %s model", article_of(model), model)
  for (key in refused) fault_of_model(keys[[key]], key, sprintf("%s takes no `%s`", whose, key), node)
  if (length(refused) > 0) return(FALSE)
  check_instrument_keys(keys, model, instrumented, node, name) && check_weight_keys(keys, model, method, node)
}

# What a model does not take: told where the key stands, or of the fit that has it from another level.
fault_of_model <- function(at, key, found, node) {
  own <- identical(at$path[1:2], node$path[1:2])
  from <- if (at$path[1] == "common") "common" else at$path[2]
  told <- if (own) "." else sprintf(", which come%s from `%s` on line %d. Say `%s: none`.",
                                    if (endsWith(key, "s")) "" else "s",
                                    from, at$line, key)
  study_fault(if (own) at else node, "model", paste0(found, told))
}

check_instrument_keys <- function(keys, model, instrumented, node, name) {
  if (!instrumented) return(TRUE)
  lacks <- setdiff(c("endogenous", "instruments"), names(keys))
  for (key in lacks) study_fault(node, "instruments", sprintf("the fit `%s` does not say its `%s`.", name, key))
  if (!model %in% instrumented_models) {
    study_fault(node, "instruments", sprintf("%s %s model takes no instruments; %s do.", article_of(model), model,
                                             list_words(instrumented_models)))
    return(FALSE)
  }
  length(lacks) == 0
}

# Weights that a model only takes under one method of its components.
check_weight_keys <- function(keys, model, method, node) {
  weights <- keys[["weights"]]
  variance <- if (!is_empty(keys[["variance"]])) keys[["variance"]]$text
  if (is_empty(weights) || method$weighted(variance)) return(TRUE)
  with_likelihood <- method$weighted("maximum-likelihood")
  fault_of_model(weights, "weights", sprintf(
    "%s%s %s model takes no `weights`", if (with_likelihood) "without `variance: maximum-likelihood` " else "",
    article_of(model), model
  ), node)
  FALSE
}

# What the door is given besides the equation and the panel.
fit_arguments_of <- function(keys, model, door, ladder, study) {
  takes <- door_types(door, c("errors", "serial", "model", "rows"))
  out <- read_keys(keys, takes[intersect(names(takes), names(keys))])
  if (door == "fit_instrumented" && model == "pooled") out$effects <- "none"
  if (!is_empty(keys[["serial"]])) out$serial <- serial_call(keys[["serial"]])
  if (ladder && !is_empty(keys[["weights"]])) out$weights <- weights_type()$read(keys[["weights"]])
  out$rows <- sample_condition(keys[["sample"]], keys[["rows"]], study)
  if (!is_empty(keys[["errors"]])) out$errors <- errors_of(keys[["errors"]], study)
  out
}

study_serial_kinds <- c("none", "ar1", "ar1-own")

serial_call <- function(node) {
  if (!is_node(node, "map")) return(choice_type(study_serial_kinds)$read(node))
  types <- door_types("serial_ar1")
  check_known_keys(node$items, names(types), "`serial`")
  values <- read_keys(node$items, types)
  if (is_sound(values)) as.call(c(list(as.name("serial_ar1")), values)) else faulty()
}

# The condition of a sample, and of rows besides; NULL for all.
sample_condition <- function(sample, rows, study) {
  parts <- list()
  if (!is_empty(sample) && !identical(sample$text, "all")) {
    if (!is_node(sample, "text")) return(not_of_type(sample, "the name of a sample"))
    if (!sample$text %in% names(study$samples)) return(stop_sample_name(sample, names(study$samples)))
    parts <- list(study$samples[[sample$text]]$condition)
  }
  if (!is_empty(rows)) {
    condition <- condition_type()$read(rows)
    if (is_faulty(condition)) return(condition)
    parts <- c(parts, list(condition[[2]]))
  }
  parts <- Filter(Negate(is.null), parts)
  if (length(parts) == 0) return(NULL)
  one_sided(Reduce(function(a, b) call("&", call("(", a), call("(", b)), parts))
}

stop_sample_name <- function(node, known) {
  condition <- tryCatch(is.call(str2lang(node$text)), error = function(cnd) FALSE)
  near <- if (!condition) nearest_name(node$text, known) else character()
  rest <- if (condition) " A condition stands under `rows`." else
    if (length(near) == 0 && length(known) > 0) sprintf(" There are %s.", list_words(sprintf("`%s`", known)))
  study_fault(node, "reference", paste0(sprintf("no sample is called `%s`.", short_text(node$text)), rest), near)
}

# The steps of a ladder as a call of list(); a map of one key of its own names a step.
ladder_call <- function(node) {
  items <- node_items(node)
  names <- vapply(items, function(one) {
    if (is_node(one, "map") && length(one$items) == 1) setdiff(c(names(one$items), ""), ladder_keys)[1] else ""
  }, "")
  steps <- Map(function(one, name) {
    if (nzchar(name)) one <- one$items[[1]]
    if (is_node(one, "map")) ladder_step(one) else ladder_word(one)
  }, items, names)
  if (!is_sound(steps)) return(faulty())
  as.call(c(list(as.name("list")), if (any(nzchar(names))) stats::setNames(steps, names) else unname(steps)))
}

ladder_keys <- c("add", "effects", "model")

ladder_step <- function(node) {
  check_known_keys(node$items, ladder_keys, "a step")
  items <- node$items
  if (!is_empty(items[["effects"]])) {
    effects <- effects_type()$read(items[["effects"]])
    return(if (is.call(effects)) call("list", effects = effects) else effects)
  }
  if (!is_empty(items[["add"]])) return(expression_type("regressors", "regressors")$read(items[["add"]]))
  ladder_word(items[["model"]])
}

ladder_word <- function(node) {
  if (is.null(node)) return(faulty())
  choice_type(ladder_methods())$read(node)
}
