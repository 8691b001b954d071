# Faults of the other columns: each works through a plain list of `columns`, as asking a
# data frame for one of thousands of columns by name is slow.

problem_values <- function(columns, keys) {
  layout <- if (any(vapply(columns, may_be_fixed, TRUE))) problem_layout(keys)
  far <- far_values(columns, keys)
  watched <- along_with_progress(columns, "Looking at the columns")
  options <- number_options()
  found <- lapply(watched, function(i) {
    x <- columns[[i]]
    c(problem_text(x, names(columns)[i], keys, options),
      list(problem_shifted(x, names(columns)[i], keys, layout), problem_jumps(x, names(columns)[i], keys, far[[i]])))
  })
  unlist(found, recursive = FALSE)
}

# Whether a column has few enough different values to be fixed for nearly every entity: of long ones, by a
# sample.
may_be_fixed <- function(x) {
  if (length(x) < 5000) return(TRUE)
  some <- x[round(seq(1, length(x), length.out = 1000))]
  length(unique(some)) <= 500
}

# Whether entities stand in blocks, and the first row of each row's block.
problem_layout <- function(keys) {
  code <- keys$codes
  new <- c(TRUE, code[-1] != code[-length(code)])[seq_along(code)]
  list(first = which(new)[cumsum(new)], blocks = !anyDuplicated(code[new & code > 0L]))
}

# Text that is numbers but for some cells, or numbers written in ways that must be told.
problem_text <- function(x, name, keys, options) {
  if (!is.character(x)) return(NULL)
  x[keys$stray] <- NA
  read <- column_numbers(x, options)
  todo <- sprintf("Read it as numbers: `numbers = %s`.", code_text(name))
  column <- sprintf("`%s`", name)
  tell <- function(rows, kind, where, todo, weight = "likely") {
    list(finding(kind, weight, where, todo, rows, name))
  }
  cells <- function(rows) list_first(rows, function(rows) sprintf("%s (row %s)", trimws(x[rows]), label_text(rows)))
  switch(read$status,
    text = NULL,
    codes = tell(integer(), "codes", paste(column, "is read as text:", code_words(x, read$first)),
                 "A number would lose digits; it stays text.", "note"),
    question = tell(integer(), "two readings", paste(sprintf(read$question$found, column), read$question$where),
                    read$question$todo),
    numbers = if (length(read$lost) <= 0.2 * read$filled) {
      said <- names(read$said)
      apart <- sort(c(read$lost, read$missing))
      commas <- if ("comma_decimal" %in% said) setdiff(grep(",", x, fixed = TRUE), apart)
      dressed <- setdiff(said, c("comma_decimal", "missing"))
      c(
        if (length(said) == 0 && length(apart) == 0) {
          tell(which(!is_blank(x)), "numbers as text", paste(column, "holds numbers, stored as text"), todo)
        },
        if (length(commas) > 0) {
          tell(commas, "decimal commas", sprintf("%s has decimal commas: %s", column, cells(commas)), todo)
        },
        if (length(dressed) > 0) {
          tell(setdiff(which(!is_blank(x) & is.na(suppressWarnings(as.numeric(x)))), c(apart, commas)),
               "numbers as text",
               sprintf("%s holds numbers with %s", column, list_words(read$said[dressed])), todo)
        },
        if (length(apart) > 0) {
          tell(apart, "text among numbers", sprintf("%s is numbers but for: %s", column, cells(apart)), todo)
        }
      )
    }
  )
}

# In a column that is fixed for nearly every entity, a cell at an entity's border that has
# its neighbour's value: a block one row too long or too short.
problem_shifted <- function(x, name, keys, layout) {
  if (length(x) < 10 || is.null(layout) || !layout$blocks || !may_be_fixed(x)) return(NULL)
  some <- unique(round(seq(1, length(x), length.out = 1000)))
  if (!isTRUE(mean(x[some] == x[layout$first[some]], na.rm = TRUE) > 0.6)) return(NULL)
  if (mean(x == x[layout$first], na.rm = TRUE) < 0.8 || length(unique(x)) < 3) return(NULL)
  rows <- which(keys$codes > 0L)
  code <- keys$codes[rows]
  x <- x[rows]
  x <- match(x, unique(x))
  usual <- usual_value(x, code)
  odd <- which(!is.na(x) & x != usual[code])
  if (length(odd) == 0 || length(unique(code[odd])) > 0.1 * length(unique(code))) return(NULL)
  border <- function(step) {
    at <- pmin(pmax(odd + step, 1L), length(x))
    code[at] != code[odd] & x[odd] == usual[code[at]]
  }
  rows <- rows[odd[border(1L) | border(-1L)]]
  if (length(rows) == 0) return(NULL)
  finding(
    "neighbour's value", "likely",
    sprintf("`%s` has the neighbouring %s's value: %s", name, keys$entity, row_words(rows, 5)),
    "Was a block pasted one row too long or too short? Compare with the source.", rows, name
  )
}

# The value (coded by whole numbers) most frequent in each group.
usual_value <- function(x, code) {
  key <- code * (max(x) + 1) + x
  size <- tabulate(match(key, unique(key)))
  first <- !duplicated(key)
  by_size <- order(code[first], -size)
  code_first <- code[first][by_size]
  out <- rep(NA_integer_, max(code))
  keep <- !duplicated(code_first)
  out[code_first[keep]] <- x[first][by_size][keep]
  out
}

# Values a factor of 300 or more from the median of their entity, and further out than the column's own
# spread makes likely. Each side is judged by itself, as a column that comes close to 0 has a long one
# below.
far_values <- function(columns, keys) {
  far <- rep(list(numeric()), length(columns))
  numbers <- vapply(columns, is.numeric, TRUE)
  far[numbers] <- core_far_values(lapply(columns[numbers], as.double), keys$codes, length(keys$entities), 4L, 300,
                                 core_threads(length(keys$codes)))
  far
}

problem_jumps <- function(x, name, keys, rows) {
  if (length(rows) == 0) return(NULL)
  cells <- function(rows) sprintf("%s (row %d, %s)", label_text(x[rows]), rows, cell_words(keys, rows))
  finding(
    "far value", "likely",
    sprintf("`%s` is far from the %s's median: %s", name, keys$entity, list_first(rows, cells)),
    "A unit or a decimal point may have slipped; correct the cells.", rows, name
  )
}

problem_columns <- function(columns, rows) {
  is_which <- function(columns, check) columns[vapply(columns, check, logical(1))]
  without <- function(columns, gone) columns[!names(columns) %in% names(gone)]
  empty <- is_which(columns, function(x) is_blank(x[1]) && all(is_blank(x)))
  rest <- without(columns, empty)
  constant <- is_which(rest, function(x) {
    first <- x[which.min(is.na(x))]
    rows > 1 && all(utils::head(x, 100) == first, na.rm = TRUE) && all(x == first, na.rm = TRUE)
  })
  rest <- without(rest, constant)
  plain <- function(x) if (is.numeric(x)) as.numeric(x) else as.character(x)
  start <- vapply(rest, function(x) paste(plain(utils::head(x, 20)), collapse = "\r"), "")
  suspects <- rest[start %in% start[duplicated(start)]]
  twice <- suspects[duplicated(lapply(suspects, plain))]
  one <- function(columns, kind, what, todo) {
    lapply(names(columns), function(name) finding(kind, "note", sprintf(what, name), todo, column = name))
  }
  c(
    one(empty, "empty column", "`%s` has no value", "Leave it out."),
    one(constant, "constant column", "`%s` has one value in all rows", "It tells nothing in a model."),
    one(twice, "same column twice", "`%s` repeats an earlier column", "Leave one of them out.")
  )
}

# Lists, tables and the like, which no other question can be asked of.
problem_kinds <- function(names) {
  lapply(names, function(name) {
    finding("odd column", "note", sprintf("`%s` is not one number, text or date a row", name),
            "Make it one, or leave it out.", column = name)
  })
}
