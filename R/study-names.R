# The second round: what the study names. The result is all that is to be run, as calls; no data are opened.
#   file, folder, title, author, date, seed
#   data        the steps that make the panel
#   samples, errors, fits, appraise, tests, tables, figures, report
#   output      list(folder, tables, figures), the latter two endings
#   mentions    columns that were named, and where

study_names <- function(read, allow_outside = FALSE, out = NULL) {
  done <- collect_mentions(study_of_nodes(study_nodes(read), read, allow_outside, out))
  study <- done$value
  study$mentions <- done$mentions
  study
}

study_of_nodes <- function(root, read, allow_outside, out) {
  nodes <- root$items
  check_top(nodes, root)
  nodes <- nodes[intersect(names(nodes), study_keys)]
  study <- list(file = read$file, folder = read$folder, allow_outside = allow_outside)
  study <- c(study, study_facts(nodes), list(output = study_output(nodes[["output"]], out)))
  study$endings <- study$output[c("tables", "figures")]
  study$has <- list(repair = !is_empty(nodes[["repair"]]), join = !is_empty(nodes[["join"]]))
  study$samples <- study_samples(nodes[["samples"]])
  study$errors <- study_errors(nodes[["errors"]], study$seed)
  study$data <- study_data_steps(nodes, study)
  study$fits <- study_fits(nodes[["fits"]], nodes[["common"]], study)
  study$appraise <- study_appraise(nodes[["appraise"]], nodes[["common"]], study)
  study$tests <- study_tests(nodes[["tests"]], study)
  study$tables <- study_tables(nodes[["tables"]], study)
  study$figures <- study_figures(nodes[["figures"]], study)
  study$entries <- lapply(nodes[c("tables", "figures", "tests")], function(node) {
    if (is_node(node, "map")) names(node$items) else node_texts(node)
  })
  if (is_empty(nodes[["tables"]])) study$entries$tables <- "main"
  study$report <- study_report(nodes[["report"]], study)
  check_outputs(study)
  study
}

# What stands under it in a study, where it does not stand at the top.
key_homes <- function() {
  fits <- setdiff(known_fit_keys(), c("errors"))
  data <- c("file", "entity", "period", names(door_types("read_options")))
  c(stats::setNames(rep("under `common`, for all fits, or under one", length(fits)), fits),
    stats::setNames(rep("under `data`", length(data)), data))
}

check_top <- function(nodes, root) {
  for (key in setdiff(names(nodes), study_keys)) {
    home <- unname(key_homes()[key])
    if (!is.na(home)) {
      study_fault(nodes[[key]], "key", sprintf("`%s` does not stand at the top but %s.", key, home))
    } else {
      near <- near_keys(key, study_keys)
      rest <- if (length(near) == 0) sprintf(" It has %s.", list_words(sprintf("`%s`", study_keys)))
      study_fault(nodes[[key]], "key", paste0(sprintf("a study has no key `%s`.", key), rest), near)
    }
  }
  version <- nodes[["study"]]
  if (is_empty(version)) {
    study_fault(root, "missing", "the study does not say its version: `study: 1`.")
  } else if (!identical(version$text, "1")) {
    later <- grepl("^[0-9]+$", version$text) && as.numeric(version$text) > 1
    study_fault(version, "version", if (later) {
      sprintf("this study is of version %s; this wavetax reads version 1. A later one is needed.", version$text)
    } else {
      sprintf("`study` takes the version of the format, 1, not %s.", dQuote(short_text(version$text), FALSE))
    })
  }
  meant <- unlist(lapply(setdiff(names(nodes), study_keys), near_keys, study_keys))
  for (key in setdiff(needed_keys, c("study", meant))) if (is_empty(nodes[[key]])) {
    study_fault(root, "missing", sprintf("the study does not say its `%s`.", key))
  }
}

study_facts <- function(nodes) {
  types <- list(title = text_type(), author = texts_type(), date = text_type(), seed = whole_type())
  facts <- read_keys(nodes, types)
  facts <- facts[!vapply(facts, is_faulty, TRUE)]
  if (is.null(facts$seed)) facts$seed <- 1
  facts
}

output_types <- function() {
  list(folder = text_type("a folder"), tables = choice_type(table_endings),
       figures = choice_type(c("png", "pdf", "svg")))
}

study_output <- function(node, out) {
  types <- output_types()
  values <- list()
  if (!is_empty(node)) {
    if (is_node(node, "map")) {
      check_known_keys(node$items, names(types), "`output`")
      values <- read_keys(node$items, types)
    } else {
      not_of_type(node, "a map, such as {folder: results}")
    }
  }
  values <- values[!vapply(values, is_faulty, TRUE)]
  given <- utils::modifyList(list(folder = "results", tables = "html", figures = "png"), values)
  if (!is.null(out)) given$folder <- out
  given$node <- if (!is_empty(node)) node$items[["folder"]]
  given$by_caller <- !is.null(out)
  given
}

# ---- appraise ----

appraise_types <- function() door_types("appraise", c("rows", "weights", "seed"))

study_appraise <- function(node, common, study) {
  if (is_empty(node)) return(list())
  if (!is_node(node, "map")) {
    not_of_type(node, "a map, such as {focus: levy}")
    return(list())
  }
  types <- appraise_types()
  check_known_keys(node$items, c(names(types), "sample", "outcome"), "`appraise`")
  values <- read_keys(node$items, types)
  state <- if (!is_empty(common)) fit_levels(list(common))
  if (is.null(state) || is.null(state$right)) {
    study_fault(node, "formula", "`appraise` is of the equation under `common`, and there is none.")
    return(list())
  }
  if (!is_sound(values)) return(list())
  keys <- c(node$items[intersect(names(node$items), c("sample", "outcome"))],
            state$keys[setdiff(intersect(names(state$keys), c("outcome", "weights", "sample", "rows")),
                               names(node$items))])
  combinations <- crossed_fits(keys, node)
  members <- lapply(combinations, function(one) appraise_member(one, state, values, node, study))
  Filter(Negate(is.null), members)
}

appraise_member <- function(one, state, values, node, study) {
  left <- if (!is_empty(one$keys[["outcome"]])) outcome_type()$read(one$keys[["outcome"]]) else state$left
  if (is.null(left)) {
    study_fault(node, "formula", "`appraise` has no outcome.")
    return(NULL)
  }
  rows <- sample_condition(one$keys[["sample"]], one$keys[["rows"]], study)
  weights <- if (!is_empty(one$keys[["weights"]])) weights_type()$read(one$keys[["weights"]])
  if (is_faulty(left) || is_faulty(rows) || is_faulty(weights)) return(NULL)
  name <- if (length(one$labels) > 0) paste(one$labels, collapse = " / ") else "appraise"
  seed <- if (study$seed != 1) list(seed = study$seed)
  given <- c(values, if (!is.null(weights)) list(weights = weights), if (!is.null(rows)) list(rows = rows), seed)
  list(name = name, step = if (length(one$labels) > 0) paste("appraise /", name) else "appraise", labels = one$labels,
       call = as.call(c(list(quote(appraise), call("~", left, joined_terms(state$right)), quote(panel)), given)),
       line = node$line)
}

# ---- output ----

# No file twice, none that is read, all within the results.
check_outputs <- function(study) {
  if (!study$output$by_caller) {
    at <- study$output$node
    if (!is_empty(at)) path_allowed(at, study$output$folder, study)
  }
  inputs <- unlist(lapply(study$data, `[[`, "files"))
  inputs <- vapply(file.path(study$folder, c(inputs, basename(study$file))), resolved_path, "")
  seen <- character()
  for (one in c(study$tables, study$figures, if (!is.null(study$report)) list(study$report))) {
    node <- attr(one$files, "node")
    for (file in one$files) {
      place <- resolved_path(file.path(study$folder, study$output$folder, file))
      results <- resolved_path(file.path(study$folder, study$output$folder))
      if (!is_within(place, results)) {
        study_fault(node, "file", sprintf("\"%s\" leaves the folder of the results.", sub("^[^/]*/", "", file)))
      } else if (place %in% inputs) {
        study_fault(node, "file", sprintf("\"%s\" is read; it is not written over.", sub("^[^/]*/", "", file)))
      } else if (file %in% seen) {
        study_fault(node, "file", sprintf("\"%s\" is written by another entry too.", sub("^[^/]*/", "", file)))
      }
      seen <- c(seen, file)
    }
  }
}
