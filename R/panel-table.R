# A table that is given, or that a file holds.

# Functions that take a data frame take a path too: `...` then has what the reader needs.
table_of <- function(data, ..., keys = NULL, settle = FALSE) {
  if (is.data.frame(data)) {
    if (...length() > 0) check_no_dots(..., of = list(call = function(data) NULL, name = "The function", todo = paste(
      "What `read_panel()` takes is for a path, not for a data frame."), hidden = NULL))
    return(own_data_frame(data))
  }
  if (!is.character(data)) check_is_table(data)
  check_reader_names(...)
  options <- read_options(..., keys = keys)
  data <- read_tables(data, options)
  if (settle) settle_columns(data, options) else data
}
