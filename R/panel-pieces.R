# What is refused of sources that are read in pieces.

check_source_columns <- function(wanted, names, file) {
  absent <- setdiff(wanted, names)
  if (length(absent) == 0) return(invisible())
  near <- unlist(lapply(absent, near_names, names))
  stop_wavetax(
    "unknown_column", sprintf("The file %s has no column %s.", sQuote(file, FALSE),
                              list_words(sQuote(absent, FALSE))),
    todo = c(
      if (length(near) > 0) sprintf("Did you mean %s?", list_words(sQuote(unique(near), FALSE))),
      sprintf("Its columns are %s.", list_some(names, 8))
    )
  )
}

stop_pieces <- function(found, todo = NULL) stop_wavetax("pieces", found, todo = todo)
