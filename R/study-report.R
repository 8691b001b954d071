# The report of a study, of what its steps gave.

study_report_value <- function(step, run) {
  panel_of_run(run)
  study <- run$study
  states <- vapply(run$done, `[[`, "", "state")
  good <- names(states)[states %in% c("run", "kept")]
  for (name in setdiff(step$needs, grep("^figures /", step$needs, value = TRUE))) {
    if (name %in% good) fetch_value(name, run)
  }
  brief <- study_brief(run)
  sections <- lapply(seq_along(step$report$parts), function(i) {
    part <- step$report$parts[[i]]
    if (is.list(part)) return(own_section(part, i, run, good))
    new_report_section(part, part_heading(part, brief), study_part(part, brief, run))
  })
  title <- if (is.null(study$title)) brief_title(brief) else study$title
  new_report(title, sections, study$author, study$date, brief_answer(brief))
}

# What the study made: the recommended fit answers, else the last one.
study_brief <- function(run) {
  values <- run$values
  appraised <- if (length(values$appraised) > 0) values$appraised[[1]]
  single <- Filter(function(fit) inherits(fit, "panel_fit"), values$fits)
  brief <- if (inherits(appraised$fit, "panel_fit")) brief_of.appraisal(appraised) else
    if (length(single) > 0) new_brief(single[[length(single)]], focus = focus_term(single[[length(single)]])) else
      new_brief()
  brief$fits <- if (length(brief$fits) > 0) brief$fits else single
  brief$panel <- values$panel
  brief["diagnosis"] <- list(NULL)
  brief$told <- unlist(lapply(names(run$data$told), function(name) {
    words <- run$data$told[[name]]
    if (length(words) > 0) sprintf("%s %s", if (name == "data") "Read from" else "Joined:", words)
  }))
  brief$calls <- unlist(lapply(values$fits, function(fit) if (inherits(fit, "panel_fit")) call_lines(fit$request$call)),
                        use.names = FALSE)
  brief
}

# A part takes what the study made of its kind, else it makes its own.
study_part <- function(part, brief, run) {
  tables <- run$values$tables
  kinds <- vapply(tables, function(table) class(table)[1], "")
  if (part == "description" && any(kinds == "panel_variation")) {
    return(lapply(tables[kinds == "panel_variation"], function(table) table_block(as_table(table))))
  }
  if (part == "models" && any(kinds == "spec_table")) {
    return(lapply(tables[kinds == "spec_table"], function(table) table_block(as_table(table))))
  }
  if (part == "tests" && length(run$values$tests) > 0) {
    tests <- run$values$tests
    entries <- unique(sub(" / .*", "", names(tests)))
    return(list(if (!is.null(brief$appraisal)) report_part("tests", brief), tests_blocks(named_tests(entries, tests))))
  }
  if (part == "data") return(list(report_part("data", brief), repairs_block(run), missing_block(run)))
  report_part(part, brief)
}

repairs_block <- function(run) {
  if (is.null(run$values$mended)) return(NULL)
  log <- as.data.frame(repair_log(run$values$mended))
  if (nrow(log) == 0) return(NULL)
  list(table_block(as_table(repair_log(run$values$mended))))
}

# What could not be made is told where the data are.
missing_block <- function(run) {
  failed <- Filter(function(one) one$state == "failed", run$done)
  if (length(failed) == 0) return(NULL)
  text_block(sprintf("Not estimated: %s. %s", sub("^[^/]* / ", "", names(failed)), vapply(failed, `[[`, "", "said")))
}

own_section <- function(part, i, run, good) {
  values <- run$values
  there <- function(section, names) names[paste(section, "/", names) %in% good]
  blocks <- lapply(setdiff(names(part), "heading"), function(key) {
    content <- part[[key]]
    switch(key,
      text = if (length(content) > 0) text_block(content), words = words_block(content, values),
      tests = tests_blocks(named_tests(content, values$tests)),
      tables = lapply(there("tables", content), function(name) table_block(as_table(values$tables[[name]]))),
      figures = lapply(there("figures", content), function(name) tried_figure(figure_value(name, run)))
    )
  })
  new_report_section(sprintf("section-%d", i), part$heading, blocks)
}

words_block <- function(references, values) {
  said <- unlist(lapply(references, function(ref) {
    fit <- tryCatch(eval(ref$expr, values), error = function(cnd) NULL)
    if (inherits(fit, "panel_fit")) in_words(fit)$words
  }))
  if (length(said) > 0) list_block(said)
}

# The tests of these entries, by their questions; of several of one entry with what they are of.
named_tests <- function(entries, tests) {
  unlist(lapply(entries, function(entry) {
    own <- tests[names(tests) == entry | startsWith(names(tests), paste0(entry, " / "))]
    if (length(own) == 0) return(NULL)
    of <- sub("^[^/]* / ", "", names(own))
    asked <- vapply(own, function(test) upper_first(paste(c(test$question, test$method, "")[1])), "")
    stats::setNames(own, if (length(own) > 1) sprintf("%s (%s)", asked, of) else asked)
  }), recursive = FALSE)
}

tests_blocks <- function(tests) {
  plain <- Filter(function(test) inherits(test, "panel_test"), tests)
  others <- Filter(function(test) !inherits(test, "panel_test"), tests)
  list(if (length(plain) > 0) table_block(tests_table(plain)),
       list_block(unique(unname(unlist(lapply(plain, cautions_of))))), lapply(unname(others), blocks_of))
}

# Figures are not kept: one that did not run now is drawn from its call.
figure_value <- function(name, run) {
  if (!is.null(run$values$figures[[name]])) return(run$values$figures[[name]])
  step <- run$steps[[paste("figures /", name)]]
  value_of(step, run)
}
