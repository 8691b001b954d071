# What a study says of its data: calls that make the panel, one after another, each with the node that asked for it.
#   name     of the step, "join / wages.csv"
#   calls    assignments, run in this order; the last makes `panel`
#   files    that they read
#   node     where it stands

data_step <- function(name, calls, files = character(), node) {
  list(name = name, calls = calls, files = files, node = node)
}

assign_panel <- function(call) call("<-", quote(panel), call)

reader_keys <- function() setdiff(names(formals(read_options)), c("keys", "labels"))

long_keys <- c("pattern", "indicator", "value", "empty")

study_data_steps <- function(nodes, study) {
  c(read_steps(nodes[["data"]], nodes[["repair"]], study), join_steps(nodes[["join"]], study),
    let_steps(nodes[["let"]]), label_steps(nodes[["labels"]]), sample_steps(study$samples))
}

# ---- data and repair ----

data_types <- function() {
  own <- list(file = texts_type("a file, a pattern or several"), entity = argument_type("", "entity"),
              period = argument_type("", "period"), periods = argument_type("", "periods"),
              labels = text_type("a file of names and labels"))
  types <- c(own, door_types("read_options"), door_types("panel_to_long", c("entity", "period", "periods")))
  types[!duplicated(names(types))]
}

repair_types <- function() door_types("panel_repair", c("findings", "decimal", "thousands", "percent", "missing"))

join_types <- function() {
  c(list(file = text_type("a file")), door_types("panel_join", c("x", "y")), door_types("read_options"))
}

read_steps <- function(node, repair, study) {
  if (!is_node(node, "map")) {
    if (!is_empty(node)) not_of_type(node, "a map, such as {file: harbours.csv, entity: harbour, period: season}")
    return(NULL)
  }
  types <- data_types()
  check_known_keys(node$items, names(types), "`data`")
  for (key in c("file", "entity", "period")) if (is_empty(node$items[[key]])) {
    study_fault(node, "missing", sprintf("`data` does not say its `%s`.", key))
  }
  values <- read_keys(node$items, types)
  if (!is_sound(values) || !all(c("file", "entity", "period") %in% names(values))) return(NULL)
  files <- study_inputs(node$items[["file"]], values$file, study)
  labels <- if (!is.null(values$labels)) study_inputs(node$items[["labels"]], values$labels, study)
  long <- any(long_keys %in% names(values))
  code <- function(names) lapply(values[intersect(names, names(values))], as_code_names)
  path <- as_code_vector(values$file)
  keys <- list(values$entity, values$period)
  reading <- code(reader_keys())
  calls <- if (!is_empty(repair)) {
    mend <- repair_values(repair)
    if (is.null(mend)) return(NULL)
    wide <- if (long) as.call(c(list(quote(panel_to_long), path), keys, code(c("periods", long_keys)), reading))
    repair_calls(path, wide, keys, reading, mend, code(c("periods", "date_format")))
  } else if (long) {
    list(assign_panel(as.call(c(list(quote(panel_to_long), path), keys, code(c("periods", long_keys)), reading))))
  } else {
    list(assign_panel(as.call(c(list(quote(read_panel), path), keys, code("periods"), reading))))
  }
  if (!is.null(labels)) calls <- c(calls, list(assign_panel(call("panel_labels", quote(panel), values$labels))))
  list(data_step("data", calls, c(files, labels), node))
}

# Whole numbers in `sheet` are places.
repair_values <- function(node) {
  types <- repair_types()
  if (!is_node(node, "map")) {
    not_of_type(node, "a map of what is mended")
    return(NULL)
  }
  check_known_keys(node$items, names(types), "`repair`")
  values <- read_keys(node$items, types)
  if (is_sound(values)) values
}

# What is wide is made long first.
repair_calls <- function(path, wide, keys, reading, mend, dates) {
  if (!is.null(wide)) {
    path <- quote(long)
    reading <- list()
  }
  cells <- reading[intersect(names(reading), c("decimal", "thousands", "percent", "missing"))]
  looks <- reading[setdiff(names(reading), c("numbers", "date_format"))]
  found <- as.call(c(list(quote(panel_problems), path), keys, dates, looks))
  mended <- as.call(c(list(quote(panel_repair), path, quote(found)), lapply(mend, as_code_names), cells,
                      looks[setdiff(names(looks), c(names(cells), names(mend)))]))
  # What was not named for repair is read as it would be of the file.
  panel <- as.call(c(list(quote(read_panel), quote(mended)), keys, dates,
                     reading[intersect(names(reading), c("numbers", "text", "decimal", "thousands", "percent"))]))
  c(if (!is.null(wide)) list(call("<-", quote(long), wide)), call("<-", quote(found), found),
    call("<-", quote(mended), mended), assign_panel(panel))
}

# ---- join, let, labels, samples ----

join_steps <- function(node, study) {
  if (is_empty(node)) return(NULL)
  steps <- lapply(node_items(node), function(one) {
    if (!is_node(one, "map")) {
      not_of_type(one, "a map, such as {file: wages.csv, by: season}")
      return(NULL)
    }
    types <- join_types()
    check_known_keys(one$items, names(types), "`join`")
    if (is_empty(one$items[["file"]])) {
      study_fault(one, "missing", "`join` does not say its `file`.")
      return(NULL)
    }
    values <- read_keys(one$items, types)
    if (!is_sound(values)) return(NULL)
    files <- study_inputs(one$items[["file"]], values$file, study)
    rest <- lapply(values[setdiff(names(values), "file")], as_code_names)
    joined <- call("<-", call("[[", quote(joined), values$file), quote(join_report(panel)))
    data_step(paste("join /", values$file), list(
      assign_panel(as.call(c(list(quote(panel_join), quote(panel), values$file), rest))), joined
    ), files, one)
  })
  Filter(Negate(is.null), steps)
}

let_steps <- function(node) {
  if (is_empty(node)) return(NULL)
  if (!is_node(node, "map")) {
    not_of_type(node, "a map of names and expressions")
    return(NULL)
  }
  type <- expression_type("an expression of columns", "variable", c(condition_operators, formula_functions()))
  columns <- lapply(node$items, type$read)
  columns <- columns[!vapply(columns, is_faulty, TRUE)]
  uses <- lapply(columns, function(one) intersect(all.vars(one), names(columns)))
  ordered <- order_of_need(uses)
  if (is.null(ordered)) {
    study_fault(node, "circle", "the new columns need each other in a circle.")
    return(NULL)
  }
  lapply(ordered, function(name) {
    value <- columns[[name]][[2]]
    if (is_condition(value)) value <- call("*", 1, call("(", value))
    data_step(paste("let /", name), list(assign_panel(as.call(c(list(quote(transform), quote(panel)),
                                                               stats::setNames(list(value), name))))),
              node = node$items[[name]])
  })
}

is_condition <- function(expr) {
  expr <- strip_brackets(expr)
  is_operator(expr, c("==", "!=", "<", ">", "<=", ">=", "&", "|", "!", "is.na", "%in%"))
}

# Names so that each comes after those that it uses; NULL for a circle. A column of its own name is the panel's.
order_of_need <- function(uses) {
  uses <- Map(setdiff, uses, names(uses))
  ordered <- character()
  while (length(ordered) < length(uses)) {
    left <- setdiff(names(uses), ordered)
    free <- left[vapply(left, function(name) all(uses[[name]] %in% ordered), TRUE)]
    if (length(free) == 0) return(NULL)
    ordered <- c(ordered, free)
  }
  ordered
}

label_steps <- function(node) {
  if (is_empty(node)) return(NULL)
  if (!is_node(node, "map") || !all(vapply(node$items, is_node, TRUE, "text"))) {
    not_of_type(node, "a map of columns and their labels")
    return(NULL)
  }
  labels <- vapply(node$items, `[[`, "", "text")
  list(data_step("labels", list(assign_panel(call("panel_labels", quote(panel), as_code_names(labels)))), node = node))
}

# Samples that are no plain condition are columns of the panel.
sample_steps <- function(samples) {
  samples <- Filter(function(one) !is.null(one$balance), samples)
  lapply(samples, function(one) {
    call <- as.call(c(list(quote(panel_balance), quote(panel), one$balance), if (!is.null(one$rows)) list(
      rows = one_sided(one$rows)), list(mark = one$name)))
    data_step(paste("samples /", one$name), list(assign_panel(call)), node = one$node)
  })
}

# Each sample as list(name, rows, balance; condition, the expression that a fit is given; node).
study_samples <- function(node) {
  if (is_empty(node)) return(list())
  if (!is_node(node, "map")) {
    not_of_type(node, "a map of names and conditions")
    return(list())
  }
  Map(function(name, one) {
    check_entry_name(name, one)
    sample_of(name, one)
  }, names(node$items), node$items)
}

sample_of <- function(name, node) {
  made <- function(rows, balance = NULL) {
    list(name = name, rows = rows, balance = balance, node = node,
         condition = if (is.null(balance)) rows else as.name(name))
  }
  if (!is_node(node, "map")) {
    condition <- condition_type()$read(node)
    return(made(if (!is_faulty(condition)) condition[[2]]))
  }
  check_known_keys(node$items, c("rows", "balance"), sprintf("the sample `%s`", name))
  values <- read_keys(node$items, list(rows = condition_type(), balance = choice_type(setdiff(balance_ways, "fill"))))
  if (length(values) == 0) study_fault(node, "missing", sprintf("the sample `%s` has neither `rows` nor `balance`.",
                                                                name))
  made(if (!is.null(values$rows) && !is_faulty(values$rows)) values$rows[[2]],
       if (!is_faulty(values$balance)) values$balance)
}
