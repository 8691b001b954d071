#' Past, future, changes and means on the panel's own clock
#'
#' Question answered: *what was this last period, how much has it changed, what is it on
#' average for this entity?* For formulas of the `fit_` functions, and for
#' [transform()] and [within()] on a panel frame.
#'
#' * `past(x, k)`: x of the same entity k periods before; `ahead(x, k)`: k after.
#' * `change(x, k)`: x less `past(x, k)`.
#' * `entity_mean(x)`, `period_mean(x)`: the mean over the rows of the entity, or of
#'   the period, that have x.
#' * `against(f, base)`: the categories f with `base` as the reference.
#'
#' Periods are counted on the clock of the [panel_frame()], in its steps: never across an
#' entity's border, and where that period is not there the value is `NA`. They nest:
#' `change(log(nights))`, `past(change(levy), 2)`. Several k at once give several
#' regressors, `past(levy, 0:2)` those of this period and the two before. In a fit they
#' see the whole panel, also the rows that `rows =` leaves out.
#'
#' @param x A column or an expression of columns, one value a row.
#' @param k Whole numbers of periods, 0 or more.
#' @param f A text or factor column.
#' @param base One of its categories.
#' @return A vector with a value for each row; with several k a matrix with a column each.
#' @section Errors:
#' `wavetax_error_not_a_panel` outside a panel frame; `wavetax_error_operator` for a
#' negative or broken k, a k that exceeds the panel's length, or a base that is no
#' category.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fit_fixed(log(nights) ~ past(levy, 0:1) + against(coast, "Ember"):storms, panel)
#' panel <- transform(panel, rise = change(levy), usual = entity_mean(levy))
#' head(panel[c("harbour", "season", "levy", "rise", "usual")])
#' @export
past <- function(x, k = 1) among_current_rows("past", x, k)

#' @rdname past
#' @export
ahead <- function(x, k = 1) among_current_rows("ahead", x, k)

#' @rdname past
#' @export
change <- function(x, k = 1) among_current_rows("change", x, k)

#' @rdname past
#' @export
entity_mean <- function(x) among_current_rows("entity_mean", x)

#' @rdname past
#' @export
period_mean <- function(x) among_current_rows("period_mean", x)

#' @rdname past
#' @export
against <- function(f, base) {
  if (missing(base)) stop_argument("base", "missing", "Name the category to compare with.", "operator")
  if (!is.atomic(f) || !is.atomic(base)) stop_argument("f", value_words(f), "Give a column of categories.", "operator")
  if (length(base) != 1) stop_argument("base", value_words(base), "Name one category to compare with.", "operator")
  values <- if (is.factor(f)) levels(f) else sort(unique(as.character(f)), method = "radix")
  if (!as.character(base) %in% values) {
    stop_wavetax(
      "operator", sprintf("The base %s is not a category.", dQuote(base, FALSE)),
      todo = sprintf("Categories are %s.", list_some(values, 8))
    )
  }
  factor(f, levels = c(as.character(base), setdiff(values, as.character(base))))
}

# The panel whose columns a verb works on at the moment.
current <- new.env(parent = emptyenv())

with_current_panel <- function(panel, expr) {
  before <- current$index
  on.exit(current$index <- before)
  current$index <- panel_index(panel)
  expr
}

among_current_rows <- function(name, x, ...) {
  if (is.null(current$index)) stop_outside_panel(name)
  panel_operators(current$index)[[name]](x, ...)
}

stop_outside_panel <- function(name) {
  stop_wavetax(
    "not_a_panel", sprintf("`%s()` does not know here which rows are of one entity.", name),
    todo = c(
      sprintf("Use it in a formula on a `panel_frame()`, or as `transform(panel, new = %s(x))`.", name)
    )
  )
}

# The operators bound to the rows of one panel.
panel_operators <- function(index) {
  shift <- function(x, k, direction, name) {
    check_shift(x, k, index, name)
    columns <- lapply(k, function(one) shift_values(x, index, direction * one))
    if (length(k) == 1) return(columns[[1]])
    columns <- do.call(cbind, columns)
    colnames(columns) <- k
    columns
  }
  list(
    past = function(x, k = 1) shift(x, k, 1L, "past"),
    ahead = function(x, k = 1) shift(x, k, -1L, "ahead"),
    change = function(x, k = 1) x - shift(x, k, 1L, "change"),
    entity_mean = function(x) group_mean(x, index$codes, length(index$entities)),
    period_mean = function(x) group_mean(x, period_place(index), length(index$ticks))
  )
}

# x of the same entity `lag` ticks before each row. Through a table of the grid's cells
# where that is small enough, otherwise along the rows in order.
shift_values <- function(x, index, lag) {
  lag <- as.integer(lag)
  plain <- is.double(x) && is.null(attributes(x))
  span <- index$span
  dense <- as.numeric(length(index$entities)) * span <= 8 * length(index$codes) + 1e6
  if (plain && (index$ordered || dense)) {
    entities <- if (index$ordered) 0 else length(index$entities)
    return(core_shifted_values(x, index$codes, index$clock, entities, span, lag,
                              core_threads(length(x))))
  }
  order <- if (!index$ordered) order(index$codes, index$clock, method = "radix")
  x[core_shifted_rows(index$codes, index$clock, order, lag)]
}

group_mean <- function(x, codes, count) {
  x <- as.double(x)
  present <- !is.na(x)
  sums <- core_group_sums(replace(x, !present, 0), codes, count)
  counts <- core_group_sums(as.double(present), codes, count)
  (sums / ifelse(counts == 0, NA, counts))[codes]
}

check_shift <- function(x, k, index, name) {
  if (length(x) != length(index$codes)) {
    stop_wavetax("operator", sprintf("`%s()` was given %s for %s.", name, count_of(length(x), "value"),
                                     count_of(length(index$codes), "row")),
                 todo = "Give it a column, or an expression of columns.")
  }
  whole <- is.numeric(k) && length(k) > 0 && !anyNA(k) && all(k == trunc(k) & k >= 0)
  opposite <- c(past = "ahead", ahead = "past", change = "ahead")[[name]]
  if (!whole) {
    stop_wavetax("operator", sprintf("`%s(x, %s)`: k is not a whole number of periods, 0 or more.",
                                     name, paste(label_text(k), collapse = ", ")),
                 todo = sprintf("For the other direction there is `%s()`.", opposite))
  }
  span <- index$span
  if (any(k >= span)) {
    stop_wavetax("operator", sprintf("`%s(x, %d)` reaches beyond the panel, which has %s.", name,
                                     as.integer(max(k)), count_of(span, "period")),
                 todo = sprintf("The longest k is %d.", span - 1L))
  }
}

# Categories of text in the order of their signs, as everywhere else, not in that of the locale.
categories_of <- function(x = character(), levels, ...) {
  if (missing(levels) && is.character(x)) return(factor(x, levels = sort_text(unique(x)), ...))
  if (missing(levels)) factor(x, ...) else factor(x, levels, ...)
}
