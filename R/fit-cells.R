# The columns of data that fits hold, each once for all fits that have it, also in a file: R writes an environment once.

# A table of so few values is held whole, so that what is asked of a fit later can name its other columns too.
few_values <- 2e6

# The cells of the columns that a fit, and the errors that it was given later, name anywhere.
hold_columns <- function(fit) {
  rows <- attr(fit, "rows", exact = TRUE)
  if (is.null(rows)) return(fit)
  data <- fit$design$data
  names <- if (prod(dim(data)) <= few_values) names(data) else used_names(fit, data)
  rows$whole <- length(names) == length(data)
  data <- unclass(plain_data_frame(data))
  for (name in setdiff(names, names(rows$columns))) rows$columns[[name]] <- column_cell(data[[name]])
  fit
}

# The columns that a fit names anywhere, and its keys.
used_names <- function(fit, data) {
  index <- fit$design$index
  asked <- list(fit$request[c("formula", "effects", "weights", "rows", "options")], fit$design$formula,
                fit$errors$spec, fit$errors$columns, lapply(fit$effects, `[`, c("columns", "trends")), index$entity,
                index$period)
  words <- words_within(asked)
  if ("." %in% words) names(data) else names(data)[names(data) %in% words]
}

words_within <- function(x) {
  if (is.character(x)) return(x)
  if (is.symbol(x)) return(as.character(x))
  if (is.call(x)) return(c(all.names(x), unlist(Filter(is.character, parts_in(x)))))
  if (is.list(x)) unlist(lapply(unclass(x), words_within), use.names = FALSE)
}

# Cells by the address of their column, as weak references: they last as long as a fit has them.
held_cells <- new.env(parent = emptyenv())

column_cell <- function(column) {
  address <- rlang::obj_address(column)
  cell <- cell_at(address)
  if (!is.null(cell) && rlang::is_reference(cell$values, column)) return(cell)
  cell <- new.env(parent = emptyenv())
  cell$values <- column
  held_cells[[address]] <- rlang::new_weakref(cell, finalizer = forget_cell(address))
  cell
}

cell_at <- function(address) {
  known <- held_cells[[address]]
  if (!is.null(known)) rlang::wref_key(known)
}

forget_cell <- function(address) {
  force(address)
  function(cell) if (exists(address, held_cells) && is.null(cell_at(address))) rm(list = address, envir = held_cells)
}
