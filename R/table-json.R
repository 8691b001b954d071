# A table value as JSON: all of it, and of a table of specifications the fits that it was made of.

#' Read a table that was written as JSON
#'
#' Question answered: *how do I go on with a table that I kept?* What [write_table()] wrote to a `.json` file prints as
#' it
#' did, and goes into every other format. A table of specifications takes further fits: `spec_table(table, new = fit)`.
#'
#' @param file Path of a `.json` file.
#' @param ... Takes nothing; what is misspelt is told.
#' @return A [spec_table()], or another table as [as_table()] has it.
#' @section Errors:
#' `wavetax_error_no_file`; `wavetax_error_not_a_table_file` when it holds no table, or one that cannot be; those of
#' [read_fits()] for a fit in it that cannot be true; `wavetax_error_package_needed`.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' file <- file.path(tempdir(), "table.json")
#' write_table(spec_table(fixed = fit_fixed(log(nights) ~ levy, panel)), file)
#' table <- read_table_file(file)
#' spec_table(table, pooled = fit_pooled(log(nights) ~ levy, panel))
#' @export
read_table_file <- function(file, ...) {
  check_own_arguments(..., of = read_table_file, name = "read_table_file()")
  check_package("jsonlite", "reads JSON")
  check_file(file)
  wrong <- function(why) {
    stop_wavetax("not_a_table_file", sprintf("%s holds no table of `write_table()`.", sQuote(file, FALSE)), where = why,
                 todo = "Write one: `write_table(table, \"table.json\")`.")
  }
  content <- tryCatch(jsonlite::read_json(file), error = function(cnd) wrong(first_line(cnd)))
  if (!is.list(content) || is.null(names(content)) || !identical(content$format,
                                                                 "wavetax table")) wrong("It is other JSON.")
  if (!identical(as.numeric(if (is.numeric(content$version)) content$version else NA), table_version)) {
    wrong(sprintf("It is of version %s; this reads version %d.", value_words(content$version), table_version))
  }
  table <- tryCatch(table_of_json(content$table), error = function(cnd) NULL)
  fault <- if (is.null(table)) "content" else table_fault(table)
  if (!is.null(fault)) wrong(sprintf("Its `%s` cannot be of a table.", fault))
  if (is.null(content$fits)) return(table)
  records <- lapply(names(content$fits), function(name) read_record(content$fits[[name]], name, file))
  spec <- tryCatch(spec_of_json(content$spec, stats::setNames(records, names(content$fits))),
                   error = function(cnd) NULL)
  if (is.null(spec)) wrong("What its columns are made of does not fit together.")
  spec
}

table_version <- 1

writer_json <- function() {
  text_table_writer(function(tables, fragment) {
    check_package("jsonlite", "writes JSON")
    table <- tables[[1]]
    content <- list(format = "wavetax table", version = table_version, table = list(
      title = table$title, says = as.list(table$says), stub = table$stub, columns = table$columns, rows = table$rows,
      cells = lapply(table$cells, as.data.frame), notes = table$notes
    ))
    if (!is.null(table$made_of)) content <- c(content, json_of_spec(table$made_of))
    as.character(jsonlite::toJSON(content, digits = I(17), auto_unbox = TRUE, na = "null", null = "null",
                                  pretty = TRUE))
  })
}

json_of_spec <- function(spec) {
  options <- spec$options
  # Functions stay behind: what they gave is among the rows.
  facts <- as.list(options$facts)
  words <- if (is.null(names(facts))) rep("", length(facts)) else names(facts)
  options$facts <- if (length(facts) > 0) {
    Map(function(fact, name) list(name = name, fact = if (is.function(fact)) NA else fact), unname(facts), words)
  }
  named <- function(x) {
    if (is.null(names(x))) as.list(x) else list(names = as.list(names(x)), values = unname(as.list(x)))
  }
  for (name in c("terms", "labels", "marks", "decimals", "over")) {
    if (!is.null(options[[name]]) && !isFALSE(options[[name]])) options[[name]] <- named(options[[name]])
  }
  for (name in c("hide", "beneath", "notes")) if (!is.null(options[[name]])) options[[name]] <- as.list(options[[name]])
  list(spec = list(heads = as.list(spec$heads), options = options, own = spec$own, told = as.list(spec$told)),
       fits = record_contents(spec$records))
}

spec_of_json <- function(content, records) {
  options <- content$options
  texts <- function(x) if (is.null(x)) NULL else as.character(unlist(x))
  named <- function(x, of) {
    if (is.null(x) || isFALSE(x)) return(x)
    if (is.null(x$names)) return(of(unlist(x)))
    values <- lapply(x$values, unlist)
    if (all(lengths(values) == 1)) values <- of(unlist(values))
    stats::setNames(values, texts(x$names))
  }
  facts <- options$facts
  options <- list(
    terms = named(options$terms, as.character), hide = texts(options$hide),
      labels = named(options$labels, as.character),
    beneath = texts(options$beneath), beside = isTRUE(options$beside),
    facts = if (!is.null(facts)) stats::setNames(lapply(facts, function(one) {
      if (is.null(one$fact)) function(fit) stop("It was read from a file.") else one$fact
    }), vapply(facts, function(one) one$name, "")),
    marks = named(options$marks, as.numeric), decimals = named(options$decimals, as.numeric),
    over = named(options$over, identity), numbered = isTRUE(options$numbered), title = options$title,
    notes = texts(options$notes), constant = isTRUE(options$constant)
  )
  own <- rows_of_json(content$own, c("model", "label", "about", "kind", "text"), c("value", "upper", "decimals"))
  new_spec_table(records, texts(content$heads), check_spec_options(options),
                 own[c("model", "label", "about", cell_fields)],
                 texts(content$told))
}

table_of_json <- function(content) {
  stopifnot(all(c("stub", "columns", "rows", "cells", "notes") %in% names(content)))
  cells <- lapply(content$cells, function(rows) {
    as.list(rows_of_json(rows, c("kind", "text"), c("value", "upper", "decimals")))[cell_fields]
  })
  structure(list(
    title = content$title, says = as.character(unlist(content$says)), stub = content$stub,
    columns = rows_of_json(content$columns, c("key", "head", "over", "form")),
    rows = rows_of_json(content$rows, c("key", "label", "role", "mark", "unit"),
                        "depth")[c("key", "label", "role", "depth",
                                                                                       "mark", "unit")],
    cells = cells, notes = rows_of_json(content$notes, c("text", "column"))
  ), class = "panel_table", home = home())
}

# Rows of named values as a data frame of columns of text and numbers.
rows_of_json <- function(rows, text, numbers = NULL) {
  column <- function(name, of, missing) {
    as.vector(vapply(rows, function(row) if (is.null(row[[name]])) missing else of(row[[name]]), missing))
  }
  as.data.frame(c(lapply(stats::setNames(text, text), column, as.character, NA_character_),
                  lapply(stats::setNames(numbers, numbers), column, as.numeric, NA_real_)))
}
