# The third round: the data. The panel is made, or is known from before, and what the study names is looked up in it. No
# fit has been run by then.

# The panel of a study as list(key; names; columns, a hash by column; keys, the hash of entity and period; labels;
# samples, rows by name; facts; value, list(panel, found, mended, joined), NULL where it is kept and was not needed
# yet).
study_panel <- function(study, steps, store) {
  data <- Filter(function(step) step$section == "data", steps)
  key <- data_key(study, data)
  kept <- kept_step(store, "data", key)
  files <- input_hashes(study, data)
  if (!is.null(kept)) return(c(kept$facts, list(key = key, files = files, ran = FALSE)))
  made <- make_panel(study, data)
  facts <- panel_facts(made$values$panel, study)
  facts$told <- made$told
  keep_step(store, "data", key, made$values, facts = facts, call = calls_hash(data), files = files)
  c(facts, list(key = key, files = files, ran = TRUE, value = made$values))
}

# Files are read and joined, then all columns that the study names are looked up, then new ones are made.
make_panel <- function(study, data) {
  values <- new.env(parent = home())
  values$joined <- list()
  later <- vapply(data, function(step) grepl("^(let /|labels$|samples /)", step$name), TRUE)
  told <- list()
  for (step in data[!later]) told[[step$name]] <- run_data_step(step, study, values)
  checked_round(check_mentions(study, names(values$panel)), study$file)
  checked_round(check_new_names(study, names(values$panel)), study$file)
  for (step in data[later]) run_data_step(step, study, values)
  checked_round(check_samples(study, values$panel), study$file)
  list(values = as.list(values), told = told)
}

# A step of the data; what is wrong with it is a fault at its line. What was told is the result.
run_data_step <- function(step, study, values) {
  told <- character()
  checked_round(tryCatch(
    within_folder(study$folder, muffled(for (call in step$calls) eval(call, values), c("message", "wavetax_warning"))),
    error = function(cnd) {
      study_fault(new_place(strsplit(step$name, " / ", fixed = TRUE)[[1]], step$line), "data",
                  sprintf("`%s`: %s", sub(" / .*", "", step$name), error_sentence(cnd)))
    }
  ), study$file)
  data_words(step, values)
}

# What an error says, in one line.
error_sentence <- function(cnd) {
  lines <- trimws(sub("^(\u2716|\u2139|x|i|!) ", "", strsplit(cli::ansi_strip(conditionMessage(cnd)), "\n")[[1]]))
  paste(lines[nzchar(lines)], collapse = " ")
}

within_folder <- function(folder, work) {
  before <- setwd(folder)
  on.exit(setwd(before))
  force(work)
}

# What a step of the data did, for the print.
data_words <- function(step, values) {
  if (step$name == "data") {
    mended <- values$mended
    n <- nrow(values$panel)
    if (is.null(mended)) return(sprintf("%s: %s", list_some(step$files, 3), count_of(n, "row")))
    log <- repair_log(mended)
    gone <- sum(grepl("^(drop|repeated)", log$action))
    return(sprintf("%s: %s; %s repaired, %s left", list_some(step$files, 3), count_of(n + gone, "row"),
                   paste(count_words(nrow(log)),
                         if (nrow(log) == 1) "cell or row" else "cells and rows"), count_words(n)))
  }
  if (grepl("^join /", step$name)) {
    report <- join_report(values$panel)
    of <- sum(!is.na(report$panel) & report$panel > 0)
    return(sprintf("%s: %s of %s keys matched", list_some(step$files, 3), count_words(sum(report$matched != "none")),
                   count_words(of)))
  }
  NULL
}

check_mentions <- function(study, names) {
  coming <- unlist(lapply(study$data, function(step) if (grepl("^let /", step$name)) sub("^let / ", "", step$name)))
  known <- c(names, coming, names(Filter(function(one) !is.null(one$balance), study$samples)))
  also <- c(if (study$has$join) "`join`", if (length(coming) > 0) "`let`")
  after <- if (length(also) > 0) sprintf(", also after %s", list_words(also)) else ""
  for (mention in study$mentions) for (name in setdiff(mention$names, known)) {
    near <- nearest_name(name, known)
    rest <- if (length(near) == 0) sprintf(" There are %s.", list_some(sprintf("`%s`", known), 12))
    study_fault(mention$at, "column", paste0(sprintf("there is no column `%s`%s.", short_text(name), after), rest),
                near)
  }
}

check_new_names <- function(study, names) {
  for (one in Filter(function(one) !is.null(one$balance), study$samples)) {
    if (one$name %in% names) {
      study_fault(one$node, "name", sprintf("the sample `%s` has the name of a column. Give it another name.",
                                            one$name))
    }
  }
}

# The rows of each sample.
sample_rows <- function(study, panel) {
  vapply(study$samples, function(one) {
    if (is.null(one$condition)) return(nrow(panel))
    as.integer(sum(looked_rows_or_none(panel, one$condition)))
  }, 1L)
}

looked_rows_or_none <- function(panel, condition) {
  condition <- rlang::new_formula(NULL, condition, env = home())
  tryCatch(looked_rows(panel, condition), wavetax_error_no_rows = function(cnd) FALSE)
}

check_samples <- function(study, panel) {
  for (one in study$samples) {
    rows <- tryCatch(sum(looked_rows_or_none(panel, one$condition)), wavetax_error = function(cnd) {
      study_fault(one$node, "sample", sprintf("the sample `%s`: %s", one$name, error_sentence(cnd)))
      NA
    })
    if (identical(as.integer(rows), 0L)) {
      study_fault(one$node, "sample", sprintf("the sample `%s` has no rows.", one$name))
    }
  }
}

panel_facts <- function(panel, study) {
  index <- panel_index(panel)
  columns <- vapply(panel, rlang::hash, "")
  list(names = names(panel), columns = columns, keys = rlang::hash(list(columns[c(index$entity, index$period)],
                                                                        index$clock, index$order)),
       labels = rlang::hash(panel_labels(panel)), samples = sample_rows(study, panel), rows = nrow(panel),
       entity = index$entity, period = index$period)
}
