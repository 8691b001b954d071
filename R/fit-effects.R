# From the argument `effects` to sets of effects. A set is a list of
#   name        as it is printed: "harbour", "coast:season"
#   columns     the columns whose combinations are its groups
#   trends      names of the columns whose slopes differ between groups
#   intercept   whether each group has a level of its own

effect_sets <- function(effects, data) {
  check_is_table(data)
  if (rlang::is_formula(effects, lhs = FALSE)) return(sets_of_formula(effects, data))
  if (!is_one_text(effects)) stop_effects(sprintf("`effects` is %s.", value_words(effects)), data = data)
  index <- if (is_panel_frame(data)) held_index(data)
  words <- list(entity = "entity", period = "period", both = c("entity", "period"))
  roles <- words[[effects]]
  names <- if (!is.null(roles) && (is_panel_frame(data) || !effects %in% names(data))) {
    check_is_panel(data)
    vapply(roles, function(role) index[[role]], "", USE.NAMES = FALSE)
  } else {
    if (!effects %in% names(data)) stop_effects_word(effects, data)
    effects
  }
  lapply(names, new_effect_set)
}

stop_effects_word <- function(word, data) {
  near <- near_names(word, names(data))
  both <- grepl("two|both|entity.*(period|time)|twoway", lower_case(word))
  stop_effects(
    sprintf("`effects = %s` is no column.", dQuote(word, FALSE)),
    c(if (length(near) > 0) sprintf("Did you mean %s?", list_words(sQuote(near, FALSE))),
      if (both) "Effects of the entity and the period together are `effects = \"both\"`."),
    data, kind = if (both) "effects" else "unknown_column"
  )
}

new_effect_set <- function(columns, trends = character(), intercept = TRUE) {
  list(name = paste(columns, collapse = ":"), columns = columns, trends = trends, intercept = intercept)
}

# Terms of `~ harbour + coast:season + harbour:trend(season)`; terms with the same groups
# are one set.
sets_of_formula <- function(effects, data) {
  check_formula_size(effects)
  terms <- tryCatch(stats::terms(effects), error = function(cnd) {
    stop_effects(sprintf("`%s` cannot be read.", deparse_words(effects)), data = data)
  })
  factors <- attr(terms, "factors")
  if (length(factors) == 0) stop_effects("`effects` names no column.", data = data)
  parts <- lapply(rownames(factors), function(label) effect_part(str2lang(label), data))
  sets <- list()
  for (term in seq_len(ncol(factors))) {
    mine <- parts[factors[, term] > 0]
    is_trend <- vapply(mine, function(part) part$trend, TRUE)
    columns <- vapply(mine[!is_trend], `[[`, "", "column")
    trends <- vapply(mine[is_trend], `[[`, "", "column")
    if (length(columns) == 0) {
      stop_effects(sprintf("`%s` is a trend without groups.", colnames(factors)[term]),
                   "A common trend is a regressor; a trend for each group is `group:trend(time)`.")
    }
    if (length(trends) > 1) {
      stop_effects(sprintf("`%s` multiplies two trends.", colnames(factors)[term]),
                   "Make the product a column of its own.")
    }
    name <- paste(columns, collapse = ":")
    if (is.null(sets[[name]])) sets[[name]] <- new_effect_set(columns, intercept = FALSE)
    if (length(trends) == 0) sets[[name]]$intercept <- TRUE else sets[[name]]$trends <- c(sets[[name]]$trends, trends)
  }
  unname(sets)
}

# A column, written plainly, as factor(column), or as trend(column).
effect_part <- function(expr, data) {
  trend <- is.call(expr) && identical(expr[[1]], as.name("trend"))
  wrapped <- is.call(expr) && (trend || identical(expr[[1]], as.name("factor"))) && length(expr) == 2
  name <- if (wrapped) expr[[2]] else expr
  if (!is.symbol(name)) {
    stop_effects(sprintf("`%s` is not a column.", deparse_words(expr)),
                 "Make it a column of the data first, and name that.")
  }
  name <- as.character(name)
  check_columns(name, data)
  check_plain_vector(data[[name]], name)
  if (trend) check_trend(name, data)
  list(column = name, trend = trend)
}

check_trend <- function(name, data) {
  index <- if (is_panel_frame(data)) held_index(data)
  x <- data[[name]]
  if ((is.numeric(x) && !is.factor(x)) || inherits(x, "Date") || identical(name, index$period)) return(invisible())
  stop_effects(sprintf("`trend(%s)`: the column is %s.", name, kind_words(x)),
               "A trend follows a column of numbers or the period.")
}

stop_effects <- function(found, todo = NULL, data = NULL, kind = "effects") {
  index <- if (is_panel_frame(data)) held_index(data)
  columns <- if (is.null(index)) c("id", "year") else c(index$entity, index$period)
  stop_wavetax(kind, found, todo = c(
    todo, sprintf("Give \"entity\", \"period\", \"both\", or columns: `effects = ~ %s`.",
                  paste(code_name(columns), collapse = " + "))
  ))
}

trend_columns <- function(sets) unique(unlist(lapply(sets, `[[`, "trends")))

effect_columns <- function(sets) {
  unique(unlist(lapply(sets, function(set) c(set$columns, set$trends))))
}

# Whether sets of effects are the levels of one column alone.
are_levels_of <- function(sets, column) {
  length(sets) == 1 && identical(sets[[1]]$columns, column) && length(sets[[1]]$trends) == 0
}

# The one column of a model that takes one set of levels.
effect_column <- function(effects, data) {
  sets <- effect_sets(effects, data)
  if (length(sets) == 1 && length(sets[[1]]$columns) == 1 && length(sets[[1]]$trends) == 0) {
    return(sets[[1]]$columns)
  }
  stop_effects(
    sprintf("`effects` has %s; this model takes the levels of one column.",
            list_words(vapply(sets, set_words, ""))),
    "`fit_fixed()` takes several, and trends."
  )
}

set_words <- function(set) {
  own <- if (set$intercept) set$name
  list_words(c(own, if (length(set$trends) > 0) sprintf("%s:trend(%s)", set$name, set$trends)))
}

effects_words <- function(sets) list_words(vapply(sets, set_words, ""))

# Groups of the used rows by a column, with the labels of the groups; those that the design holds
# are not made again.
column_groups <- function(design, name) {
  if (!is.null(design$groups[[name]])) return(design$groups[[name]])
  if (!is.null(design$collapsed)) return(collapsed_groups(design, name))
  groups_of_rows(design, design$rows, name)
}

# The same of chosen rows of its data, NULL for all.
groups_of_rows <- function(design, rows, name) {
  index <- design$index
  ranked <- if (!is.null(index) && name == index$entity) {
    inner <- if (is.null(rows)) index else rank_integers(index$codes[rows])
    list(codes = inner$codes, values = if (is.null(rows)) index$entities else index$entities[inner$values])
  } else if (is.null(rows) && has_ranked_periods(index, name)) {
    list(codes = period_place(index), values = index$periods)
  } else {
    x <- used_column(design, name, rows)
    check_plain_vector(x, name)
    check_finite_key(x, name)
    rank_key(x)
  }
  ranked_groups(ranked)
}

# Whether the panel holds this column's rank already: periods that are numbers stand in the order of the clock.
has_ranked_periods <- function(index, name) {
  !is.null(index) && name == index$period && is.numeric(index$periods) && !is.object(index$periods)
}

# The design with the groups of a column, for all that asks for them later.
with_groups <- function(design, name) {
  change_design(design, groups = c(design$groups, stats::setNames(list(column_groups(design, name)), name)))
}

ranked_groups <- function(ranked) core_groups(ranked$codes, length(ranked$values), ranked$values)

# Groups by the combinations of several columns that occur. Labels of a million of them take longer than all else:
# without `labels` they are made of few groups only.
combined_groups <- function(design, names, labels = TRUE) {
  if (length(names) == 1) return(column_groups(design, names))
  parts <- lapply(names, function(name) column_groups(design, name))
  if (!labels && keys_are_rows(design, names)) return(core_groups(seq_len(length(parts[[1]]$codes))))
  cells <- prod(vapply(parts, function(part) as.double(part$count), 0))
  cell <- if (cells < .Machine$integer.max) parts[[1]]$codes else as.double(parts[[1]]$codes)
  for (part in parts[-1]) {
    cell <- (cell - 1L) * (if (is.integer(cell)) as.integer(part$count) else part$count) + part$codes
  }
  for (part in parts) if (part$missing > 0) cell[part$codes == 0L] <- NA
  ranked <- if (is.integer(cell) && !anyNA(cell)) rank_integers(cell) else rank_key(cell)
  if (!labels && length(ranked$values) > 1e5) return(core_groups(ranked$codes, length(ranked$values)))
  first <- match(seq_along(ranked$values), ranked$codes)
  ranked$values <- do.call(paste, c(lapply(parts, function(part) {
    label_text(part$labels[part$codes[first]])
  }), sep = ":"))
  ranked_groups(ranked)
}

# Whether columns hold both keys of a panel, which no two rows share.
keys_are_rows <- function(design, names) {
  index <- design$index
  !is.null(index) && is.null(design$between) && is.null(design$collapsed) &&
    all(c(index$entity, index$period) %in% names)
}

# A trend on the used rows: the period counts on the panel's clock, other columns as numbers.
trend_values <- function(design, name) {
  index <- design$index
  if (!is.null(index) && name == index$period) return(as.double(used_index(design)$clock))
  as.double(used_column(design, name))
}

# A set of effects as the core's systems take it.
fit_effect_set <- function(set, design, groups = set$groups) {
  core_effect_set(groups, lapply(set$trends, function(name) trend_values(design, name)), set$intercept)
}

# The effects of a fit as a system that sweeps any columns; given back by core_release().
fit_effect_system <- function(fit) {
  core_effect_system(lapply(fit$effects, fit_effect_set, fit$design), fit$n, fit_rows(fit)$weights)
}

# What a fit keeps of a set of effects. `level` by group is a deviation from the constant; `connected` how many groups
# of levels its rows connect with those of the first set.
describe_effects <- function(set, groups, level, slopes = list(), connected = NULL) {
  list(
    name = set$name, columns = set$columns, trends = set$trends, intercept = set$intercept, groups = groups,
    singletons = sum(groups$sizes == 1), level = level, slopes = slopes, connected = connected
  )
}

# The same sets with whether the slopes depend on where their trends are 0: those without a level, unless the levels of
# another set lie within their groups and take it up. Asked of the rows, so when a fit is made.
with_zeros <- function(sets) {
  lapply(sets, function(set) {
    taken_up <- function(other) {
      same_rows <- length(other$groups$codes) > 0 && length(other$groups$codes) == length(set$groups$codes)
      other$intercept && same_rows && core_is_nested(other$groups, set$groups)
    }
    set$through_zero <- length(set$trends) > 0 && !set$intercept && !any(vapply(sets, taken_up, TRUE))
    set
  })
}

group_weights <- function(fit, set) {
  if (!is.null(set$groups$weight)) return(set$groups$weight)
  core_group_weights(set$groups, fit_rows(fit)$weights)
}

# The share of a group's mean that random effects of one set keep, by what its rows tell of it.
shrinkage <- function(fit, weight) {
  v <- fit$variance
  noise <- if (is.null(v$innovation)) v$sigma2_e else v$innovation
  weight * v$sigma2[[1]] / (noise + weight * v$sigma2[[1]])
}

# Means of the kept regressors, a row a regressor, from the first layer of the transformation.
layer_rows <- function(fit, levels) {
  kept <- match(slope_names(fit), names(fit$design$x))
  levels[kept, , drop = FALSE]
}

# A column's groups on the entities of a between regression: none may be in two.
collapsed_groups <- function(design, name) {
  groups <- groups_of_rows(design, design$collapsed$rows, name)
  first <- match(seq_along(design$y), design$collapsed$codes)
  own <- groups$codes[first]
  if (identical(own[design$collapsed$codes], groups$codes)) {
    return(core_groups(own, groups$count, groups$labels))
  }
  moved <- unique(design$collapsed$codes[own[design$collapsed$codes] != groups$codes])
  stop_wavetax(
    "clusters", sprintf("%s %s in several clusters by `%s`.", count_of(length(moved), design$between),
                        if (length(moved) == 1) "is" else "are", name),
    todo = sprintf("A between regression has one row for each %s; cluster by what holds it whole.",
                   design$between)
  )
}
