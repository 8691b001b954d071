# The rows of a fit: those of its last regression, and those that its disturbances are of.

# The rows of a fit's last regression, with its working outcome and weights where it has them; design_rows() are the
# user's. What covariances and tests of residuals sum up is of these.
fit_rows <- function(fit) {
  rows <- design_rows(fit$design)
  root <- fit$transform$root
  if (!is.null(root)) return(core_rooted_rows(design_rows(level_design(fit)), root))
  if (is.null(fit$working)) rows else core_rows(fit$working$y, rows$x, rows$constant, fit$working$weights)
}

# Their weights, one a row.
row_weights <- function(fit) {
  weights <- fit_rows(fit)$weights
  if (is.null(weights)) rep(1, fit$n) else weights
}

# The equation in levels: of a first difference fit that from which its changes were taken.
level_design <- function(fit) if (is.null(fit$design$levels)) fit$design else fit$design$levels

# Names of the rows in use where those of the data are words, and not just numbers; NULL else.
row_names_of <- function(fit) {
  data <- fit$design$data
  if (is.null(data) || !is.null(fit$design$between)) return(NULL)
  names <- names_in_words(data)
  if (!is.null(names)) take_rows(names, fit$design$rows)
}

names_in_words <- function(data) {
  names <- attr(data, "row.names")
  if (is.character(names)) names
}

with_row_names <- function(values, fit) {
  names(values) <- row_names_of(fit)
  values
}
