# The tables and figures of a study: each entry is a call and the files that it goes to.
# name, call, refs     refs of the fits that may be left out where they failed, of tables of specifications and
# figures of estimates; `needs`, steps without which it cannot be made files, write         where it goes, relative to
# the results, and function(file) that gives the call that writes it
#   columns              NULL: the whole panel; otherwise those that it shows

study_tables <- function(node, study) {
  if (is.null(node)) return(list(main = spec_entry("main", list(keys = list(), values = list()), study, new_node(
    "empty", "tables", NA_integer_))))
  made_entries(node, tables_block(), study, table_entry)
}

study_figures <- function(node, study) made_entries(node, figures_block(), study, figure_entry)

made_entries <- function(node, block, study, make) {
  entries <- section_entries(node)
  made <- lapply(names(entries), function(name) {
    found <- entry_of(name, entries, block)
    if (is.null(found)) return(NULL)
    one <- make(name, found, study)
    if (is.null(one)) return(NULL)
    one$files <- entry_files(name, found, block$name, study)
    one$line <- found$node$line
    one$name <- name
    one
  })
  Filter(Negate(is.null), stats::setNames(made, names(entries)))
}

table_entry <- function(name, entry, study) {
  of_fit <- function(make = function(call) call) {
    if (is_empty(entry$keys[["fit"]])) {
      study_fault(entry$node, "fits", sprintf("the table `%s` does not say its `fit`.", name))
      return(NULL)
    }
    ref <- one_reference(entry$keys[["fit"]], study)
    if (is.null(ref)) return(NULL)
    list(call = make(as.call(c(list(as.name(entry$door), ref$expr), entry$values))), needs = ref$name)
  }
  of_panel <- function(call, columns = NULL) list(call = call, needs = "data", columns = columns)
  switch(entry$word,
    spec = spec_entry(name, entry, study, entry$node),
    variation = {
      columns <- columns_type()$read(or_empty(entry$keys[["variables"]], entry$node))
      call <- as.call(c(list(quote(panel_variation), quote(panel)), if (!is_faulty(columns)) as.list(columns),
                        entry$values))
      of_panel(call, if (!is_faulty(columns)) columns)
    },
    shape = of_panel(quote(panel_shape(panel)), character()),
    tests = tests_entry(name, entry, study),
    problems = needs_of(entry, study, "repair", list(call = quote(found), needs = "data")),
    repair_log = needs_of(entry, study, "repair", list(call = quote(repair_log(mended)), needs = "data")),
    join_report = needs_of(entry, study, "join", list(call = quote(joined), needs = "data")),
    compare_errors = {
      errors <- errors_list(entry$keys[["errors"]], study)
      if (is_sound(errors)) of_fit(function(call) as.call(c(as.list(call), errors)))
    },
    first_stage = of_fit(function(call) call("spec_table", call)),
    of_fit()
  )
}

or_empty <- function(node, near) {
  if (!is.null(node)) return(node)
  # All columns are described where none is named.
  new_node("list", c(near$path, "variables"), near$line, items = list())
}

needs_of <- function(entry, study, section, made) {
  if (isTRUE(study$has[[section]])) return(made)
  study_fault(entry$node, "reference", sprintf("the table is of what `%s` does, and the study has none.", section))
  NULL
}

tests_entry <- function(name, entry, study) {
  known <- names(study$tests)
  given <- entry$keys[["tests"]]
  wanted <- if (is_empty(given)) known else node_texts(given)
  if (length(known) == 0) {
    study_fault(entry$node, "reference", sprintf("the table `%s` is of tests, and the study has none.", name))
    return(NULL)
  }
  for (one in setdiff(wanted, known)) {
    study_fault(given, "reference", sprintf("no test is called `%s`.", short_text(one)),
                nearest_name(one, known))
  }
  tests <- unlist(unname(study$tests[intersect(wanted, known)]), recursive = FALSE)
  names <- vapply(tests, `[[`, "", "name")
  list(call = call("as_table", call("[", quote(tests), as_code_vector(names))), needs = paste("tests /", names))
}

as_code_vector <- function(x) if (length(x) == 1) x else as.call(c(list(as.name("c")), as.list(x)))

# ---- tables of specifications ----

spec_entry <- function(name, entry, study, node) {
  over <- over_of(entry$keys[["over"]], study)
  if (is_faulty(over)) return(NULL)
  refs <- if (is.list(over)) over$refs else if (is_empty(entry$keys[["fits"]])) all_references(study) else
    fit_references(entry$keys[["fits"]], study)
  errors <- errors_list(entry$keys[["errors"]], study)
  if (is.null(refs) || !is_sound(errors)) return(NULL)
  if (length(refs) == 0) return(NULL)
  groups <- if (is.list(over)) over$groups else if (!is.null(over)) groups_over(refs, over, errors)
  columns <- spec_columns(unlike_heads(refs), errors, groups, over)
  list(refs = columns, make = function(columns) spec_call(columns, entry$values), files = entry_files(
    name, entry, "tables", study), name = name, line = node$line)
}

# "over" as a word, as heads with their fits, or NULL.
over_words <- c("outcome", "sample", "errors", "effects", "model", "each", "split")

over_of <- function(node, study) {
  if (is_empty(node)) return(NULL)
  if (!is_node(node, "map")) return(choice_type(over_words)$read(node))
  each <- lapply(node$items, fit_references, study)
  if (any(vapply(each, is.null, TRUE))) return(faulty())
  list(refs = unlist(unname(each), recursive = FALSE), groups = rep(names(each), lengths(each)))
}

groups_over <- function(refs, word, errors) {
  vapply(refs, function(ref) {
    label <- unname(ref$member$labels[word])
    if (length(label) == 1 && !is.na(label)) return(label)
    if (word == "model" && !is.null(ref$member)) return(ref$member$model)
    ""
  }, "")
}

# The columns of a table: references with `expr` under their errors, and `over`, the head over each.
spec_columns <- function(refs, errors, groups, over) {
  columns <- Map(function(ref, group) {
    ref$over <- group
    # What stands above is not said again.
    if (is.character(over) && length(ref$member$labels) > 1) {
      ref$head <- paste(ref$member$labels[names(ref$member$labels) != over], collapse = ", ")
    } else if (is.character(over) && nzchar(group) && length(ref$member$labels) == 1) {
      ref$head <- ref$member$entry
    }
    ref
  }, refs, if (is.null(groups)) "" else groups)
  if (length(errors) > 0) {
    columns <- unlist(lapply(columns, function(ref) {
      Map(function(word, spec) {
        ref$expr <- if (ref$many) call("lapply", ref$expr, quote(with_errors), spec) else
          call("with_errors", ref$expr, spec)
        if (length(errors) > 1) ref$head <- if (length(columns) == 1) word else paste(ref$head, word, sep = ", ")
        if (identical(over, "errors")) ref$over <- word
        ref
      }, names(errors), errors)
    }), recursive = FALSE)
  }
  unname(columns[order(match(vapply(columns, `[[`, "", "over"), unique(vapply(columns, `[[`, "", "over"))))])
}

spec_call <- function(columns, values) {
  groups <- vapply(columns, `[[`, "", "over")
  # A head over one column each is that column's.
  if (all(nzchar(groups)) && !anyDuplicated(groups)) {
    columns <- Map(function(column, group) replace(column, "head", group), columns, groups)
    groups[] <- ""
  }
  fits <- if (any(nzchar(groups))) grouped_fits(columns, groups) else fits_expression(columns)
  as.call(c(list(as.name("spec_table"), fits), values))
}

# Lists of fits by the head over them.
grouped_fits <- function(columns, groups) {
  each <- lapply(split(columns, factor(groups, unique(groups))), fits_expression)
  as.call(c(list(as.name("c")), lapply(seq_along(each), function(i) {
    if (nzchar(names(each)[i])) as.call(c(list(as.name("list")), each[i])) else each[[i]]
  })))
}

# Fits in a list by head; lists of them joined.
fits_expression <- function(columns) {
  many <- vapply(columns, `[[`, TRUE, "many")
  run <- cumsum(c(TRUE, many[-1] | many[-length(many)]))
  parts <- lapply(split(columns, run), function(part) {
    if (part[[1]]$many) return(part[[1]]$expr)
    as.call(c(list(as.name("list")), stats::setNames(lapply(part, `[[`, "expr"), vapply(part, `[[`, "", "head"))))
  })
  if (length(parts) == 1) parts[[1]] else as.call(c(list(as.name("c")), unname(parts)))
}

# Errors of a table, one or several, by what they are called: calls.
errors_list <- function(node, study) {
  if (is_empty(node)) return(list())
  items <- if (is_node(node, "map") && "kind" %in% names(node$items)) list(node) else named_items(node)
  calls <- lapply(items, errors_of, study)
  given <- if (is.null(names(items))) rep("", length(items)) else names(items)
  names(calls) <- ifelse(nzchar(given), given, vapply(items, `[[`, "", "text"))
  calls
}

# ---- figures ----

figure_entry <- function(name, entry, study) {
  of_fit <- function(make) {
    if (is_empty(entry$keys[["fit"]])) {
      study_fault(entry$node, "fits", sprintf("the figure `%s` does not say its `fit`.", name))
      return(NULL)
    }
    ref <- one_reference(entry$keys[["fit"]], study)
    if (!is.null(ref)) list(call = make(ref$expr), needs = ref$name)
  }
  door <- function(...) as.call(c(list(as.name(entry$door), ...), entry$values))
  switch(entry$word,
    presence = list(call = door(quote(panel)), needs = "data", columns = character()),
    paths = if (is.null(entry$values$variable)) {
      study_fault(entry$node, "columns", sprintf("the figure `%s` does not say its `variable`.", name))
      NULL
    } else {
      list(call = door(quote(panel)), needs = "data", columns = entry$values$variable)
    },
    estimates = estimates_entry(name, entry, study),
    appraise = appraise_figure(entry, study),
    influence_by = of_fit(function(expr) call("plot", door(expr))),
    of_fit(function(expr) door(expr))
  )
}

estimates_entry <- function(name, entry, study) {
  given <- entry$keys[["fits"]]
  refs <- if (is_empty(given)) all_references(study) else fit_references(given, study)
  if (is.null(refs)) return(NULL)
  if (is_empty(entry$keys[["term"]])) {
    study_fault(entry$node, "term", sprintf("the figure `%s` does not say its `term`.", name))
    return(NULL)
  }
  terms <- argument_type("spec_table", "terms")$read(entry$keys[["term"]])
  if (is_faulty(terms)) return(NULL)
  values <- c(list(terms = as_code_names(terms)), entry$values)
  list(refs = unlike_heads(refs), make = function(columns) {
    as.call(c(list(as.name("plot_estimates"), fits_expression(columns)), values))
  })
}

as_code_names <- function(x) {
  if (is.null(names(x))) as_code_vector(x) else as.call(c(list(as.name("c")), stats::setNames(as.list(x), names(x))))
}

appraise_figure <- function(entry, study) {
  if (length(study$appraise) == 0) {
    study_fault(entry$node, "reference", "the figure is of what `appraise` chooses, and the study has none.")
    return(NULL)
  }
  one <- study$appraise[[1]]
  list(call = call("plot", call("[[", quote(appraised), one$name)), needs = one$step)
}

# ---- files ----

# Where an entry goes: list(file, call, what writes it).
entry_files <- function(name, entry, section, study) {
  given <- entry$keys[["file"]]
  texts <- if (is_empty(given)) {
    paste0(file_stem(name), ".", study$endings[[section]])
  } else {
    texts_type()$read(given)
  }
  if (is_faulty(texts)) return(character())
  away <- texts[grepl("^(/|~|[A-Za-z]:[/\\\\])", texts)]
  if (length(away) > 0) {
    study_fault(given, "path", sprintf("`file`: \"%s\" is a whole path; files go to the folder of results, %s.",
                                       away[1], "`output: {folder: ...}`"))
  }
  check <- if (section == "tables") check_table_file else check_figure_file
  for (one in texts) {
    at <- if (is_empty(given)) entry$node else given
    tryCatch(check(one), wavetax_error = function(cnd) {
      study_fault(at, "file", sprintf("`file`: %s", first_line(cnd)))
    })
  }
  files <- file.path(section, texts)
  attr(files, "node") <- if (is_empty(given)) entry$node else given
  attr(files, "figure") <- read_keys(entry$keys, figure_options())
  files
}

figure_options <- function() list(size = argument_type("", "size"), dpi = argument_type("", "dpi"))

file_stem <- function(name) gsub("[^[:alnum:]_.-]+", "-", name)
