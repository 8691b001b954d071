# From the argument `effects` to groups of rows.

effect_column <- function(effects, data) {
  check_is_table(data)
  index <- attr(data, "panel", exact = TRUE)
  name <- if (rlang::is_formula(effects, lhs = FALSE)) {
    labels <- attr(stats::terms(effects), "term.labels")
    check_one_effect(labels)
    labels
  } else if (is.character(effects) && length(effects) == 1) {
    if (effects == "both") check_one_effect(c("entity", "period"))
    is_word <- effects %in% c("entity", "period")
    if (is_word && (is_panel_frame(data) || !effects %in% names(data))) {
      check_is_panel(data)
      index[[effects]]
    } else {
      effects
    }
  } else {
    check_one_effect(character())
  }
  check_columns(name, data)
  name
}

check_one_effect <- function(labels) {
  if (length(labels) == 1 && make.names(labels) == labels) return(invisible())
  stop_wavetax(
    "effects", sprintf("`effects` names %s; this version takes one set of effects.",
                       if (length(labels) == 0) "no column" else list_words(labels)),
    todo = c(
      "Give \"entity\", \"period\" or one column: `effects = ~ coast`.",
      "A second, small set can stand in the formula: `+ factor(season)`."
    )
  )
}

# Groups of the used rows by a column, with the labels of the groups.
column_groups <- function(design, name) {
  index <- design$index
  if (!is.null(index) && name == index$entity && is.null(design$rows)) {
    return(c(core_groups(index$codes, length(index$entities)), list(labels = index$entities)))
  }
  ranked <- if (!is.null(index) && name == index$entity) {
    inner <- rank_integers(index$codes[design$rows])
    list(codes = inner$codes, values = index$entities[inner$values])
  } else {
    rank_key(used_column(design, name))
  }
  c(core_groups(ranked$codes, length(ranked$values)), list(labels = ranked$values))
}

# `weight` of the groups is their size where rows are not weighted.
describe_effects <- function(name, groups, values, weight, weights) {
  size <- if (is.null(weights)) weight else tabulate(groups$codes, groups$count)
  list(
    name = name, labels = groups$labels, groups = groups[c("codes", "count", "sorted")],
    size = size, singletons = sum(size == 1), values = values
  )
}
