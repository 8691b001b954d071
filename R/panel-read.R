# Reading a table from a file of delimited text.

read_table_file <- function(file) {
  check_file(file)
  data <- tryCatch(
    withCallingHandlers(
      data.table::fread(
        file = file, data.table = FALSE, showProgress = FALSE, na.strings = c("NA", ""),
        check.names = FALSE, encoding = "UTF-8"
      ),
      warning = function(cnd) stop_not_a_table(file, conditionMessage(cnd))
    ),
    error = function(cnd) {
      if (inherits(cnd, "wavetax_error")) rlang::cnd_signal(cnd)
      stop_not_a_table(file, conditionMessage(cnd))
    }
  )
  if (ncol(data) < 2) stop_not_a_table(file, "It has one column only; is it comma separated?")
  if (nrow(data) == 0) stop_not_a_table(file, "It has a header, but no rows.")
  repeated <- unique(names(data)[duplicated(names(data))])
  if (length(repeated) > 0) {
    stop_not_a_table(file, sprintf("Several columns are called %s.", list_some(sQuote(repeated, FALSE))))
  }
  data
}

check_file <- function(file) {
  if (dir.exists(file)) stop_not_a_table(file, "It is a folder.")
  if (!file.exists(file)) {
    near <- near_names(basename(file), list.files(dirname(file)))
    stop_wavetax(
      "no_file", sprintf("There is no file %s.", sQuote(file, FALSE)),
      todo = if (length(near) > 0) sprintf("Did you mean %s?", list_words(sQuote(near, FALSE)))
    )
  }
  start <- readBin(file, "raw", 4096)
  if (length(start) == 0) stop_not_a_table(file, "It is empty.")
  if (any(start == as.raw(0))) stop_not_a_table(file, "It is not text.")
}

stop_not_a_table <- function(file, where) {
  stop_wavetax(
    "not_a_table", sprintf("The file %s could not be read as a table.", sQuote(file, FALSE)),
    where = gsub("\\s*\n\\s*", " ", where),
    todo = "It should be delimited text with column names in the first line."
  )
}
