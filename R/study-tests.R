# The tests of a study: each entry gives a call for each fit or pair of fits that it takes.

# Which fits a test takes, where none is named: function(member) by word; others take all.
test_takers <- list(
  effects = function(member) fit_method(member$model)$effects != "none" && !member$instrumented,
  random_effects = function(member) member$model == "pooled" && !member$instrumented,
  mundlak = function(member) member$model == "random",
  serial = function(member) on_levels(member), variance = function(member) on_levels(member),
  cross_section = function(member) on_levels(member), normality = function(member) on_levels(member),
  form = function(member) on_levels(member), diagnose = function(member) !member$instrumented,
  strength = function(member) member$instrumented, overidentification = function(member) member$instrumented,
  endogeneity = function(member) member$instrumented
)

on_levels <- function(member) {
  method <- fit_method(member$model)
  method$levels && method$constant != "drift" && !member$instrumented
}

study_tests <- function(node, study) {
  entries <- section_entries(node)
  tests <- lapply(names(entries), function(name) {
    found <- entry_of(name, entries, tests_block())
    if (is.null(found)) list() else entry_tests(name, found, study)
  })
  stats::setNames(tests, names(entries))
}

# An entry of tests, tables or figures: list(word, keys, values, the arguments; node), NULL with a fault.
entry_of <- function(name, entries, block) {
  levels <- entry_levels(name, entries, block)
  if (is.null(levels)) return(NULL)
  keys <- merged_keys(levels)
  word <- entry_word(name, keys, block, entries[[name]])
  if (is.null(word)) return(NULL)
  types <- entry_types(block, word)
  check_known_keys(keys, c(block$kind, names(types)), sprintf("the %s `%s`", one_of_section(block$name), name))
  own <- c(names(block$keys), names(block$own[[word]]))
  values <- read_keys(keys, types[setdiff(names(types), own)])
  if (!is_sound(values)) return(NULL)
  list(word = word, door = block$doors[[word]], keys = keys, values = values, node = entries[[name]])
}

entry_tests <- function(name, entry, study) {
  sets <- switch(entry$word,
    hausman = hausman_sets(entry, study), effects = effects_sets(entry, study), single_sets(entry, study)
  )
  if (is.null(sets)) return(list())
  # Where a fit has a fault of its own, that is told.
  if (length(sets) == 0 && all(lengths(study$fits) > 0) && length(study$fits) > 0) {
    study_fault(entry$node, "fits",
                sprintf("the test `%s` has nothing to test: no fit of the study is one that it takes.",
                                            name))
  }
  lapply(sets, function(set) {
    called <- if (length(sets) > 1) paste(c(name, set$label), collapse = " / ") else name
    call <- as.call(c(list(as.name(entry$door)), set$arguments, entry$values))
    list(name = called, entry = name, call = with_seed_of_test(call, study$seed), refs = set$refs,
         line = entry$node$line)
  })
}

# Only where it draws.
with_seed_of_test <- function(call, seed) if (is.null(call$draws)) call else with_seed(call, seed)

test_set <- function(label, ...) {
  refs <- Filter(Negate(is.null), list(...))
  list(label = label, arguments = lapply(unname(refs), `[[`, "expr"), refs = vapply(unname(refs), `[[`, "", "name"))
}

single_sets <- function(entry, study) {
  given <- entry$keys[["fit"]]
  if (is.null(given)) given <- entry$keys[["fits"]]
  if (is_empty(given)) {
    takes <- test_takers[[entry$word]]
    refs <- Filter(function(one) !one$many && (is.null(takes) || takes(one$member)), all_references(study))
  } else {
    refs <- fit_references(given, study)
    if (is.null(refs)) return(NULL)
    refs <- single_fits(refs, given)
    if (is.null(refs)) return(NULL)
  }
  lapply(refs, function(ref) test_set(ref_label(ref), ref))
}

ref_label <- function(ref) if (!is.null(ref$member)) ref$member$name else ref$head

single_fits <- function(refs, node) {
  many <- vapply(refs, `[[`, TRUE, "many")
  if (any(many)) {
    study_fault(node, "reference", sprintf("a test takes one fit; `%s` is several: name one, `%s / NAME`.",
                                           refs[many][[1]]$head, refs[many][[1]]$head))
    return(NULL)
  }
  refs
}

# Fits that differ by how much they assume of the effects, and by nothing else.
hausman_sets <- function(entry, study) {
  if (!is_empty(entry$keys[["consistent"]]) || !is_empty(entry$keys[["efficient"]])) {
    for (key in c("consistent", "efficient")) if (is_empty(entry$keys[[key]])) {
      study_fault(entry$node, "fits", sprintf("`hausman` says one of its fits; its `%s` is missing.", key))
      return(NULL)
    }
    refs <- lapply(entry$keys[c("consistent", "efficient")], one_reference, study)
    if (any(vapply(refs, is.null, TRUE))) return(NULL)
    return(list(test_set("", refs[[1]], refs[[2]])))
  }
  given <- entry$keys[["fits"]]
  refs <- if (is_empty(given)) all_references(study) else fit_references(given, study)
  if (is.null(refs)) return(NULL)
  refs <- Filter(function(ref) !ref$many && !is.null(ref$member) && is_hausman_fit(ref$member), refs)
  pairs <- list()
  for (a in refs) for (b in refs) if (is_hausman_pair(a$member, b$member)) {
    pairs <- c(pairs, list(test_set(sprintf("%s and %s", ref_label(a), ref_label(b)), a, b)))
  }
  pairs
}

is_hausman_fit <- function(member) {
  !is.na(fit_method(member$model)$assumes) && fit_method(member$model)$effects != "none" && !member$instrumented &&
    !member$serial
}

is_hausman_pair <- function(consistent, efficient) {
  effects <- function(member) if (is.null(member$effects)) "entity" else member$effects
  fit_method(consistent$model)$assumes < fit_method(efficient$model)$assumes &&
    identical(consistent$same, efficient$same) && identical(effects(consistent), effects(efficient))
}

effects_sets <- function(entry, study) {
  given <- entry$keys[["full"]]
  refs <- if (is_empty(given)) {
    Filter(function(one) !one$many && test_takers$effects(one$member), all_references(study))
  } else {
    fit_references(given, study)
  }
  if (is.null(refs)) return(NULL)
  if (!is_empty(given)) refs <- single_fits(refs, given)
  if (is.null(refs)) return(NULL)
  restricted <- if (!is_empty(entry$keys[["restricted"]])) one_reference(entry$keys[["restricted"]], study)
  if (!is_empty(entry$keys[["restricted"]]) && is.null(restricted)) return(NULL)
  lapply(refs, function(ref) test_set(ref_label(ref), ref, restricted))
}
