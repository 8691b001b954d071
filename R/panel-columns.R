# Columns as they come: what is text without a sign, or a number of another package's kind.

# Missing, or text without a sign in it.
is_blank <- function(x) {
  if (!is.character(x)) return(is.na(x))
  values <- unique(x)
  blank <- values[is.na(values) | grepl("^\\s*$", values, perl = TRUE)]
  if (length(blank) == 0) rep(FALSE, length(x)) else x %in% blank
}

# Whole numbers of 64 bits become R's own numbers, or text where they have more digits than those
# hold. Without the package that made them R would read their bits as other numbers.
plain_column <- function(x) {
  if (!inherits(x, "integer64")) return(x)
  whole <- core_integer64(as.double(unclass(x)))
  if (max(abs(whole), 0, na.rm = TRUE) < 2^53) whole else core_integer64_text(as.double(unclass(x)))
}

# One value a row, of a kind that can be told apart and written: what keys, groups and described columns are.
is_plain_vector <- function(x) {
  is.null(dim(x)) && (is.factor(x) || is.atomic(x) && !is.raw(x) && !is.complex(x) && !is.null(x)) && is_sound_class(x)
}

known_classes <- c("factor", "Date", "POSIXct", "difftime", "integer64", "AsIs", "noquote")

# Classes of other packages bring methods of their own, which may not work.
is_sound_class <- function(x) {
  if (!is.object(x) || any(class(x) %in% known_classes)) return(TRUE)
  tryCatch({
    some <- x[seq_len(min(2, length(x)))]
    oldClass(some) <- oldClass(x)
    if (is.numeric(some)) as.double(some)
    length(some) == length(is.na(some)) && length(as.character(some)) == length(format(some)) &&
      is.atomic(unique(some)) && length(some == some) == length(some)
  }, error = function(cnd) FALSE)
}

# A data frame with other columns under its names: asked one by one it would look each name up among thousands.
map_columns <- function(data, make, ...) with_columns(data, Map(make, unclass(data), ...))

with_columns <- function(data, columns) {
  attributes(columns) <- attributes(data)
  columns
}

# What is wrong with the names of columns: each has one of its own, which can be read. NULL where nothing is.
names_fault <- function(names) {
  blank <- which(is.na(names) | !nzchar(names))
  twice <- unique(names[duplicated(names)])
  broken <- which(!validUTF8(enc2utf8(as.character(names))) | !validUTF8(names) & Encoding(names) != "latin1")
  if (length(blank) > 0) {
    sprintf("%s no name.", if (length(blank) == 1) paste("Column", blank, "has") else paste("Columns", list_some(blank),
                                                                                            "have"))
  } else if (length(twice) > 0) {
    sprintf("Several columns are called %s.", list_some(sQuote(twice, FALSE)))
  } else if (length(broken) > 0) {
    sprintf("The name of column %s is not in UTF-8.", list_some(broken))
  }
}

check_column_names <- function(data) {
  found <- names_fault(names(data))
  if (is.null(found)) return(invisible())
  stop_wavetax("column_names", found, todo = "Give each column one name: `names(data) <- make.unique(names(data))`.")
}

check_valid_text <- function(values) {
  marked <- Encoding(values) == "latin1"
  broken <- which(!validUTF8(ifelse(marked, enc2utf8(values), values)) & !is.na(values))
  if (length(broken) == 0) return(invisible())
  stop_wavetax("encoding", sprintf("Text in the data is not in UTF-8: %s.",
                                   dQuote(as_utf8_text(values[broken[1]]), FALSE)),
               todo = "Convert it where it comes from, such as `iconv(x, \"latin1\", \"UTF-8\")`.")
}

# Columns that cannot even be cut by rows are refused with the table.
check_cuttable <- function(data) {
  check_column_names(data)
  columns <- unclass(data)
  for (i in which(vapply(columns, is.object, TRUE))) {
    x <- columns[[i]]
    if (is.data.frame(x) || any(class(x) %in% known_classes)) next
    tryCatch(x[0], error = function(cnd) stop_odd_class(x, names(columns)[i]))
  }
}

check_sound_class <- function(x, name) if (is.atomic(x) && !is_sound_class(x)) stop_odd_class(x, name)

stop_odd_class <- function(x, name) {
  stop_wavetax("column_kind", sprintf("The column `%s` is of class %s, whose methods fail.", name, class(x)[1]),
               todo = "Load the package that the class comes from, or make it plain with `unclass()`.")
}

check_plain_vector <- function(x, name) {
  if (is_plain_vector(x)) return(invisible())
  check_sound_class(x, name)
  kind <- if (is.data.frame(x)) "a data frame" else if (!is.null(dim(x))) "a matrix" else if (is.list(x)) "a list" else
    paste("of class", class(x)[1])
  stop_wavetax("column_kind", sprintf("The column `%s` is %s, not one number, text or date a row.", name, kind),
               todo = sprintf("Make it one: `data$%1$s <- as.character(data$%1$s)`, for example.", code_name(name)))
}

check_finite_key <- function(x, name) {
  if (!is.double(x) || !any(is.infinite(x))) return(invisible())
  rows <- which(is.infinite(x))
  stop_wavetax(
    "key_kind", sprintf("`%s` is infinite in %s.", name, count_of(length(rows), "row")),
    where = sprintf("See %s.", row_words(rows, 5)), todo = "Correct those cells, or leave the rows out."
  )
}

# `read`: of a table of which a fit that was written took along what it uses.
stop_no_column <- function(unknown, columns, read = FALSE) {
  near <- unlist(lapply(unknown, function(name) near_names(name, columns)))
  stop_wavetax(
    "unknown_column", sprintf("There is no column %s.", list_words(sQuote(unknown, FALSE))),
    todo = c(
      if (length(near) > 0) sprintf("Did you mean %s?", list_words(sQuote(unique(near), FALSE))),
      sprintf("Columns are %s.", list_some(columns, 12)),
      if (read) "A fit that was saved has the columns that it uses: `update(fit, data = panel)` has all of them."
    )
  )
}

# The name in a quosure as it is written, before there are columns to look it up in; NULL for none.
written_name <- function(quo) {
  if (rlang::quo_is_missing(quo)) return(NULL)
  expr <- named_expression(quo)
  if (is_one_text(expr)) expr
}

# What a quosure holds, a bare name or a formula of one as text.
named_expression <- function(quo, columns = NULL) {
  expr <- rlang::quo_get_expr(quo)
  if (rlang::is_formula(expr, lhs = FALSE) || is_operator(expr, "~")) expr <- strip_brackets(expr[[length(expr)]])
  if (is.null(columns)) return(if (is.symbol(expr)) as.character(expr) else expr)
  env <- rlang::quo_get_env(quo)
  if (is.symbol(expr)) {
    name <- as.character(expr)
    held <- if (!name %in% columns) held_names(expr, env)
    return(if (is.null(held)) name else held)
  }
  if (!is.call(expr)) return(expr)
  if (is_operator(expr, c("$", "[[")) && identical(expr[[2]], quote(.data)) && length(expr) == 3) {
    inner <- if (is_operator(expr, "$")) as.character(expr[[3]]) else held_names(expr[[3]], env)
    return(if (is.null(inner)) expr else inner)
  }
  head <- expr[[1]]
  if (is_operator(head, "::")) head <- head[[3]]
  chosen <- is.symbol(head) && as.character(head) %in% c("all_of", "any_of", "c") && length(expr) > 1
  inner <- if (chosen) {
    lapply(as.list(expr)[-1], function(part) named_expression(rlang::new_quosure(part, env), columns))
  }
  if (length(inner) > 0 && all(vapply(inner, is.character, TRUE))) unlist(inner, use.names = FALSE) else expr
}

# Names that a variable of the caller holds, or that its expression gives; NULL for anything else.
held_names <- function(expr, env) {
  value <- tryCatch(eval(expr, env), error = function(cnd) NULL)
  if (is.character(value) && length(value) > 0 && !anyNA(value) && is.null(dim(value))) value
}

check_length <- function(value, name, n) {
  ordinary <- is.atomic(value) || is.factor(value)
  if (ordinary && NROW(value) == n) return(invisible())
  stop_wavetax(
    "formula",
    sprintf("`%s` gives %s, but the data have %s.", name,
            if (ordinary) count_of(NROW(value), "value") else paste("a", class(value)[1]),
            count_of(n, "row")),
    todo = "Every part of a formula is one value a row: a column, or made from columns."
  )
}

# Whether a column never differs, nor goes missing, among rows of one key.
same_within <- function(x, key) {
  first <- match(key, key)
  all((is.na(x) & is.na(x[first])) | (!is.na(x) & !is.na(x[first]) & x == x[first]))
}
