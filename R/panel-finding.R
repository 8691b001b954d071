# What is found in a table, as one record.

finding <- function(kind, weight, where, todo, rows = integer(), column = NA_character_) {
  list(kind = kind, weight = weight, column = column, where = where, todo = todo,
       rows = list(as.integer(rows)))
}
