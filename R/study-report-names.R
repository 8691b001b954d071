# The report of a study as it is named: its files, and parts that are ours or sections of its own.

# list(files, parts: texts or lists of section keys; line), NULL where there is none.
study_report <- function(node, study) {
  if (is_empty(node)) return(NULL)
  whole <- is_node(node, "map")
  if (whole) check_known_keys(node$items, c("file", "parts"), "`report`")
  given <- if (whole) node$items[["file"]] else node
  if (is_empty(given)) {
    study_fault(node, "missing", "`report` does not say its `file`.")
    return(NULL)
  }
  files <- texts_type("files such as report.html")$read(given)
  if (is_faulty(files)) return(NULL)
  for (one in files) {
    tryCatch(check_ending(one, names(report_writers()), "The report"), wavetax_error = function(cnd) {
      study_fault(given, "file", sprintf("`report`: %s It is written to %s.", first_line(cnd),
                                         list_or(paste0(".", names(report_writers())))))
    })
  }
  parts <- if (whole && !is_empty(node$items[["parts"]])) {
    lapply(node_items(node$items[["parts"]]), report_part_of, study)
  } else {
    as.list(report_parts)
  }
  attr(files, "node") <- given
  list(name = "report", files = files, parts = Filter(Negate(is_faulty), parts), line = node$line)
}

report_part_of <- function(node, study) {
  if (is_node(node, "text")) {
    if (node$text %in% report_parts) return(node$text)
    near <- nearest_name(node$text, report_parts)
    return(study_fault(node, "part", sprintf("`parts` takes %s, or a section with its `heading`; not %s.",
                                             list_words(report_parts), dQuote(short_text(node$text), FALSE)), near))
  }
  if (!is_node(node, "map")) return(not_of_type(node, "parts and sections"))
  check_known_keys(node$items, report_section_keys, "a section of the report")
  if (is_empty(node$items[["heading"]])) {
    return(study_fault(node, "missing", "a section of the report does not say its `heading`."))
  }
  # One with a fault of its own is told there.
  known <- stats::setNames(study$entries[c("tables", "figures", "tests")], c("tables", "figures", "tests"))
  named <- lapply(stats::setNames(nm = names(known)), function(section) {
    item <- node$items[[section]]
    wanted <- if (is_empty(item)) character() else node_texts(item)
    for (one in setdiff(wanted, known[[section]])) {
      study_fault(item, "reference", sprintf("no %s is called `%s`.", one_of_section(section), short_text(one)),
                  nearest_name(one, known[[section]]))
    }
    intersect(wanted, known[[section]])
  })
  words <- if (!is_empty(node$items[["words"]])) fit_references(node$items[["words"]], study)
  text <- if (is_empty(node$items[["text"]])) character() else texts_type()$read(node$items[["text"]])
  # In the order in which they are written.
  content <- c(list(text = text, words = words), named)
  c(list(heading = node$items[["heading"]]$text), content[intersect(names(node$items), names(content))])
}

# The step: it needs what it shows, and goes without what failed.
report_step <- function(report, study, steps) {
  own <- c("heading", "text", "tables", "figures", "tests")
  shown <- lapply(report$parts, function(part) if (is.list(part)) part[own] else part)
  words <- lapply(report$parts, function(part) if (is.list(part)) vapply(part$words, `[[`, "", "name"))
  facts <- study[intersect(c("title", "author", "date"), names(study))]
  list(name = "report", section = "report", target = c("report", "report"), line = report$line, calls = list(),
       call = as.call(c(list(as.name("write_report")), list(shown, words, facts))),
       needs = setdiff(names(steps), names(steps)[vapply(steps, `[[`, "", "section") == "data"]),
       columns = unique(unlist(lapply(steps, function(step) c(step$columns, names_in_call(step$call))))),
       shown = TRUE, reads_data = TRUE, files = as.character(report$files), report = report)
}

report_section_keys <- c("heading", "text", "tables", "figures", "tests", "words")
