# The design of a regression: what build_design() makes of a formula and data, and estimators change by
# change_design(). Every field is there, NULL where it says nothing:
#   y, x        the outcome and a named list of regressors, doubles, used rows only
#   beside      columns that are no regressors and go with them, such as instruments: a named list, or NULL
#   constant    whether the formula has one
#   weights     of the used rows; weighted_by, in words; log_weights, the sum of their logs where rows came in pieces
#   rows        which rows of `data` are used, NULL for all of them; chosen, what `rows =` says, in words
#   missing     rows left out, counted by variable (`total` is the count of `rows`)
#   blueprint   see make_blueprint(): it makes the same columns of other data
#   offset      what was taken off y, whose coefficient is 1, or NULL
#   outcome     the name of y; formula, as estimated: a dot and several lags written out
#   data, index the table, and its index when it is a panel frame
#   groups      those of columns that were made already, by name
#   dropped     regressors that were left out before the regression, as rows of a fit's coefficients
#   levels      of changes: the design from which they were taken; across, the pairs across gaps, in words
#   between     of means: the name of what they are of; averaged_by, the weights within them, in words; collapsed,
#               the rows behind them: list(codes, rows, n)
#   source      where the rows are, see new_source_kind()
#   sample      of a slim fit: sample_facts()
design_fields <- c("y", "x", "constant", "weights", "weighted_by", "log_weights", "rows", "chosen", "missing",
                   "blueprint", "outcome", "formula", "data", "index", "groups", "dropped", "offset", "levels",
                   "across", "between", "averaged_by", "collapsed", "source", "sample", "beside")

new_design <- function(...) {
  change_design(stats::setNames(vector("list", length(design_fields)), design_fields), ...)
}

# The design with other fields; NULL empties one.
change_design <- function(design, ...) {
  fields <- list(...)
  stopifnot(names(fields) %in% design_fields)
  design[names(fields)] <- fields
  validate_design(design)
}

# The columns that are stored, by name: regressors and what goes beside them.
stored_names <- function(design) c(names(design$x), names(design$beside))

validate_design <- function(design) {
  n <- length(design$y)
  a_row <- function(v) is.null(v) || length(v) == n
  stopifnot(
    identical(names(design), design_fields), is.double(design$y), is.list(design$x), lengths(design$x) == n,
    lengths(design$beside) == n,
    is.logical(design$constant), a_row(design$weights), a_row(design$offset), a_row(design$rows),
    vapply(design$groups, function(groups) length(groups$codes) == n, TRUE)
  )
  design
}
