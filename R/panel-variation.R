#' Where each variable varies: between entities, within them, or nowhere
#'
#' Question answered: *is there anything within entities for fixed effects to work on?*
#'
#' For numbers: rows, missing, mean, standard deviation; how much of the variance is within entities, the sum of squares
#' of x less its entity's mean over that of x less its mean, in percent and as a bar; the standard deviation of x less
#' its entity's mean; minimum and maximum. In words: whether it never varies within an entity, is the same for all
#' entities in a period, or varies within how many. With `parts = TRUE` also what the entities' means have of the
#' variance, and their own standard deviation, each entity counted once. Categories (text, factors, true and
#' false): rows of each, entities that ever
#' have it, and how often an entity changes from one to another between adjacent periods.
#'
#' @param data A [panel_frame()], or a fit on one: its outcome and regressors on the rows that it used.
#' @param ... Columns, bare or quoted; none for all but the keys.
#' @param by A column, bare or quoted, to do it for each of its values.
#' @param show What else to show: `"range"` (minimum, quartiles, maximum), `"missing"` (by variable and
#'   period), `"correlations"` (overall, of entities' means, of deviations from them, on the rows that have all of
#'   the variables).
#' @param statistics What the table has, in this order: some of `"rows"`, `"missing"`, `"mean"`, `"sd"`,
#'   `"share_within"`, `"sd_within"`, `"sd_between"`, `"min"`, `"q1"`, `"median"`, `"q3"`, `"max"`; a name is its head.
#'   `NULL`: the first six, and with `"range"` the last five.
#' @param weights A column of weights, bare or quoted: of means, spreads and quartiles.
#' @param parts Whether to show how the variance parts into what is between entities and what is within.
#' @return A `panel_variation`: `numbers` (a data frame with a row a variable: `variable`,
#'   `rows`, `missing`, `mean`, `sd`, `share_within` (0 to 1), `sd_within`, `sd_between`, `min`, `max`, `varies`,
#'   and `group` with `by`; with `"range"` also `q1`, `median`, `q3`), `missing` (a data frame: `variable`, `period`,
#'   `missing`, `rows`), `correlations` (`rows`, and the matrices `overall`, `between`, `within`), `categories` (a
#'   data frame: `variable`, `value`, `rows`,
#'   `entities`) and `transitions` (a named list of tables, from rows to columns).
#'   `as.data.frame()` gives `numbers`.
#' @section Errors:
#' `wavetax_error_not_a_panel`, `wavetax_error_unknown_column`; `wavetax_error_slim` of a fit without its rows;
#' `wavetax_error_weights`.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' panel_variation(panel)
#' panel_variation(panel, levy, nights, by = coast)
#' panel_variation(panel, levy, nights, statistics = c("mean", "min", "max"))
#' @export
panel_variation <- function(data, ..., by = NULL, show = NULL, statistics = NULL, weights = NULL,
                            parts = FALSE) {
  UseMethod("panel_variation")
}

#' @export
panel_variation.default <- function(data, ..., by = NULL, show = NULL, statistics = NULL, weights = NULL,
                                    parts = FALSE) {
  check_dots_unnamed(...names(), panel_variation.default, "panel_variation()")
  check_is_panel(data)
  check_flag(parts, "parts")
  check_texts(show, "show")
  for (one in show) check_choice(one, c("range", "missing", "correlations"), "show")
  check_texts(statistics, "statistics")
  for (one in statistics) check_choice(one, variation_statistics, "statistics")
  index <- panel_index(data)
  range <- "range" %in% show || any(c("q1", "median", "q3") %in% statistics)
  weights <- rlang::enquo(weights)
  weighted <- if (!rlang::quo_is_null(weights)) column_name(weights, data, "weighting")
  w <- if (!is.null(weighted)) check_variation_weights(data[[weighted]], weighted)
  names <- unlist(lapply(unname(rlang::enquos(...)), column_names, data, "described"))
  by <- rlang::enquo(by)
  group <- if (!rlang::quo_is_null(by)) column_name(by, data, "grouping")
  if (length(names) == 0) {
    names <- setdiff(names(data), c(index$entity, index$period, group, weighted))
    plain <- vapply(names, function(name) is_plain_vector(data[[name]]), TRUE)
    if (!all(plain)) tell_wavetax(c(i = sprintf("Not described: %s, not one number, text or date a row.",
                                                list_some(sprintf("`%s`", names[!plain])))))
    names <- names[plain]
  }
  data <- plain_data_frame(data)
  is_number <- vapply(data[names], function(x) is.numeric(x) && !is.factor(x), logical(1))
  describe <- function(rows, label) {
    part <- list(codes = index$codes[rows], clock = index$clock[rows])
    watched <- along_with_progress(names[is_number], "Describing the variables")
    out <- do.call(rbind, lapply(watched, function(i) {
      name <- names[is_number][i]
      describe_number(as.double(data[[name]][rows]), name, part, index, range, w[rows])
    }))
    if (!is.null(label) && !is.null(out)) cbind(group = label, out) else out
  }
  numbers <- if (is.null(group)) {
    describe(seq_len(nrow(data)), NULL)
  } else {
    values <- sort(unique(as.character(data[[group]])), method = "radix")
    do.call(rbind, lapply(values, function(value) describe(which(data[[group]] == value), value)))
  }
  texts <- names[!is_number]
  structure(list(
    entity = index$entity, period = index$period, by = group, numbers = numbers, show = show, parts = parts,
    statistics = statistics, weighted = weighted, labels = index$labels, sample = variation_sample(index),
    missing = if ("missing" %in% show) missing_by_period(data[names], index),
    correlations = if ("correlations" %in% show) correlations_of(data[names[is_number]], index),
    categories = do.call(rbind, lapply(texts, function(name) describe_category(data[[name]], name, index))),
    transitions = lapply(stats::setNames(texts, texts), function(name) transitions_of(data[[name]], index)),
    varies = vapply(texts, function(name) {
      variation_words(match(data[[name]], unique(data[[name]])), index, index)
    }, "")
  ), class = "panel_variation")
}

#' @export
as.data.frame.panel_variation <- function(x, row.names = NULL, optional = FALSE, ...) x$numbers

describe_number <- function(x, name, part, index, range = FALSE, weights = NULL) {
  seen <- is.finite(x)
  v <- x[seen]
  w <- weights[seen]
  codes <- part$codes[seen]
  if (length(v) == 0) v <- NA_real_
  groups <- core_groups(match(codes, unique(codes)))
  sum_by <- function(x) core_group_sums(x, groups$codes, groups$count)
  means <- if (length(codes) == 0) NA_real_ else if (is.null(w)) sum_by(v) / groups$sizes else sum_by(w * v) / sum_by(w)
  quartiles <- if (range) quartiles_of(v, w)
  whole <- weighted_sd(v, w)
  within <- if (length(codes) > 0) weighted_sd(v - means[groups$codes], w) else NA_real_
  out <- data.frame(
    variable = name, rows = sum(seen), missing = sum(!seen), mean = weighted_mean(v, w), sd = whole,
    share_within = if (isTRUE(whole > 0)) min(1, (within / whole)^2) else NA_real_, sd_within = within,
    sd_between = stats::sd(means), min = min(v), max = max(v),
    varies = if (length(codes) > 0) {
      variation_words(v, list(codes = codes, clock = part$clock[seen]), index)
    } else {
      "all missing"
    }
  )
  if (range) out[c("q1", "median", "q3")] <- as.list(quartiles)
  out
}

variation_statistics <- c("rows", "missing", "mean", "sd", "share_within", "sd_within", "sd_between", "min", "q1",
                          "median", "q3", "max")

weighted_mean <- function(x, w) if (is.null(w)) mean(x) else sum(w * x) / sum(w)

# sqrt of n / (n - 1) sum w (x - mean)^2 / sum w, n the rows of positive weight: with equal weights the usual one.
weighted_sd <- function(x, w) {
  if (is.null(w)) return(stats::sd(x))
  n <- sum(w > 0)
  if (n < 2) NA_real_ else sqrt(n / (n - 1) * sum(w * (x - weighted_mean(x, w))^2) / sum(w))
}

# With weights the least value with at least that share of the weight at or below it.
quartiles_of <- function(x, w) {
  shares <- c(0.25, 0.5, 0.75)
  if (is.null(w)) return(stats::quantile(x, shares, names = FALSE, na.rm = TRUE))
  order <- order(x)
  below <- cumsum(w[order]) / sum(w)
  vapply(shares, function(share) x[order][which(below >= share - 1e-12)[1]], 0)
}

check_variation_weights <- function(w, name) {
  if (is.numeric(w) && !anyNA(w) && all(is.finite(w) & w >= 0) && any(w > 0)) return(as.double(w))
  stop_wavetax("weights", sprintf("`%s` cannot weight: weights are numbers, 0 or more, none missing.", name),
               todo = "Mend the column, or leave `weights` out.")
}

# "96 harbours, 12 seasons (2009 to 2020), 1,046 rows"
variation_sample <- function(index) {
  seen <- format_period(index$periods[sort(unique(match(index$clock, index$ticks)))])
  sprintf("%s, %s (%s), %s", count_of(length(unique(index$codes)), index$entity), count_of(length(seen), index$period),
          paste(unique(c(seen[1], seen[length(seen)])), collapse = " to "), count_of(length(index$codes), "row"))
}

# How many cells are missing, by variable and period.
missing_by_period <- function(data, index) {
  place <- period_place(index)
  rows <- tabulate(place, length(index$ticks))
  labels <- format_period(index$periods)
  do.call(rbind, lapply(names(data), function(name) {
    data.frame(variable = name, period = labels,
               missing = tabulate(place[is_blank(data[[name]])], length(index$ticks)), rows = rows)
  }))
}

# Correlations of rows, of entities' means, and of deviations from them.
correlations_of <- function(data, index) {
  x <- vapply(data, as.double, numeric(nrow(data)))
  x <- matrix(x, ncol = length(data), dimnames = list(NULL, names(data)))
  use <- rowSums(!is.finite(x)) == 0
  x <- x[use, , drop = FALSE]
  codes <- match(index$codes[use], unique(index$codes[use]))
  groups <- core_groups(codes)
  means <- vapply(seq_len(ncol(x)), function(j) core_group_sums(x[, j], groups$codes, groups$count) / groups$sizes,
                  numeric(groups$count))
  means <- matrix(means, ncol = ncol(x), dimnames = dimnames(x))
  relate <- function(x) suppressWarnings(stats::cor(x))
  list(rows = sum(use), overall = relate(x), between = relate(means), within = relate(x - means[codes, , drop = FALSE]))
}

# In words where a variable varies.
variation_words <- function(x, part, index) {
  x <- as.double(x)
  seen <- !is.na(x)
  x <- x[seen]
  entity <- groups_that_vary(x, part$codes[seen])
  period <- groups_that_vary(x, part$clock[seen])
  if (length(unique(x)) <= 1) return("the same in every row")
  if (entity$vary == 0) return(sprintf("never varies within %s", one_of_a(index$entity)))
  if (period$vary == 0) {
    return(sprintf("the same for all %s in %s", plural_of(index$entity), one_of_a(index$period)))
  }
  if (entity$vary == entity$able) return(sprintf("varies within every %s", index$entity))
  sprintf("varies within %s of %s", count_words(entity$vary), count_of(entity$groups, index$entity))
}

# Groups, those with more than one row, and those in which x is not one value.
groups_that_vary <- function(x, codes) {
  first <- match(codes, codes)
  differs <- x != x[first]
  list(
    groups = length(unique(codes)), able = length(unique(codes[duplicated(codes)])),
    vary = length(unique(codes[differs]))
  )
}

describe_category <- function(x, name, index) {
  x <- as.character(x)
  values <- sort(unique(x), method = "radix")
  data.frame(
    variable = rep(name, length(values)), value = values, rows = as.vector(table(factor(x, values))),
    entities = vapply(values, function(value) length(unique(index$codes[which(x == value)])), 0L)
  )
}

# How often an entity goes from one category to another between adjacent periods.
transitions_of <- function(x, index) {
  x <- as.character(x)
  x <- factor(x, sort_text(unique(x)))
  if (nlevels(x) > 20) return(NULL)
  before <- shift_values(as.integer(x), index, 1)
  table(from = factor(levels(x)[before], levels(x)), to = x)
}
