# What a table of specifications says of itself: under its title in a document, and below.

# Errors that all columns share, and their clusters, are said once; labels of the rows that need not say them again.
shared_errors <- function(x) {
  labels <- unique(vapply(x$records, function(record) record$errors$label, ""))
  clusters <- unique(lapply(x$records, function(record) record$errors$clusters))
  if (length(labels) > 1 || length(x$beneath) == 0) return(list(words = NULL, labels = character()))
  by_entity <- all(vapply(x$records, function(record) {
    one <- record$errors$clusters
    length(one) == 1 && identical(names(one), record$entity$name) &&
      identical(as.numeric(one[[1]]), as.numeric(record$entity$count))
  }, TRUE)) && "entities" %in% x$facts$about
  count <- if (length(clusters) == 1 && length(clusters[[1]]) == 1) sprintf(" (%s)", count_words(clusters[[1]][[1]]))
  told <- unique(x$facts$label[x$facts$about %in% c("errors", if (length(clusters) == 1 || by_entity) "clusters")])
  list(words = paste0(labels, count), labels = told)
}

spec_says <- function(x, shared) {
  names <- c(std_error = "its standard error", statistic = "its t", p_value = "its p value",
             interval = "its 95 percent interval")
  beneath <- names[x$beneath]
  errors <- shared$words
  told <- identical(x$beneath, "std_error") && !is.null(errors)
  if (told) beneath <- sprintf("its standard error, %s", errors)
  c(
    paste("Outcome:", list_words(vapply(x$outcome, outcome_phrase, "", x))),
    if (length(x$beneath) > 0) {
      paste(if (x$options$beside) "Beside each estimate" else "Beneath each estimate", list_words(beneath))
    },
    if (!told && !is.null(errors)) paste("Standard errors:", errors)
  )
}

outcome_phrase <- function(outcome, x) {
  wording <- spec_wording(x$records, x$options)
  phrase <- variable_phrase(outcome, unlist(wording$labels), wording$nouns)
  whole_label(phrase[["label"]], phrase[["unit"]])
}

# Each about the column that it names; `columns` are the keys of the models.
spec_notes <- function(x, columns) {
  key <- stats::setNames(columns, x$models)
  heads <- spec_column_words(x$models, x$heads)
  do.call(rbind, c(
    dropped_notes(x, key, heads), hidden_notes(x), told_notes(x, heads),
    instrument_notes(x, heads),
    list(
      table_note(left_out_words(x)), table_note(constant_note(x)),
      table_note(errors_note(x, heads)), table_note(mark_words_of(x$options$marks)), table_note(x$told),
      table_note(failed_words(x, heads)), table_note(differing_words(x)), table_note(x$options$notes)
    )
  ))
}

# What all columns lost for one reason is said once.
dropped_notes <- function(x, key, heads) {
  gone <- do.call(rbind, lapply(x$models, function(model) {
    dropped <- x$records[[model]]$dropped
    if (nrow(dropped) > 0) {
      by <- tapply(dropped$term, factor(dropped$reason, unique(dropped$reason)), list_some, 6)
      data.frame(model = model, what = as.vector(by), reason = names(by))
    }
  }))
  if (is.null(gone)) return(list())
  lapply(unname(split(gone, factor(paste(gone$what, gone$reason), unique(paste(gone$what, gone$reason))))),
         function(part) {
    where <- if (nrow(part) == length(x$models) && nrow(part) > 1) "all columns" else list_words(heads[part$model])
    table_note(sprintf("Dropped in %s: %s (%s)", where, part$what[1], part$reason[1]),
               if (nrow(part) == 1) key[[part$model]] else "")
  })
}

# What a fit says of its rows and of its regressors.
told_notes <- function(x, heads) notes_by_column(lapply(x$records, function(one) unlist(one$told)), x, heads)

# What is instrumented by what, and, where instruments are weak, the set to be read.
instrument_notes <- function(x, heads) {
  told <- lapply(x$records, function(record) {
    one <- record$instrumented
    if (is.null(one)) return(NULL)
    c(instrumented_by_words(lapply(one[c("endogenous", "instruments")], unlist)),
      if (length(one$under) > 0) paste("Values of", unlist(one$endogenous), unlist(one$under)))
  })
  notes_by_column(told, x, heads)
}

# Lines that some columns have, with the columns.
notes_by_column <- function(told, x, heads) {
  lapply(unique(unlist(told)), function(words) {
    own <- vapply(told, function(one) words %in% one, TRUE)
    table_note(if (all(own) && length(own) > 1) words else
      sprintf("%s (%s)", words, paste(heads[x$models[own]], collapse = "; ")))
  })
}

hidden_notes <- function(x) {
  lapply(x$hidden, function(item) {
    counts <- vapply(x$records, function(record) sum(item$terms %in% record$coefficients$term), 0)
    with <- which(counts > 0)
    if (length(with) == 0) return(NULL)
    dummies <- !is.null(variable_inside(item$item)) && !any(grepl("^mean\\(", item$terms))
    noun <- if (dummies) "dummy" else "coefficient"
    what <- if (length(unique(counts[with])) == 1) count_of(counts[with][[1]], noun) else
      sprintf("%s to %s", count_words(min(counts[with])), count_of(max(counts[with]), noun))
    own <- paste(item$spans, "effects", recycle0 = TRUE)
    swept <- vapply(x$records, function(record) any(record$effects %in% own), TRUE)
    fixed <- vapply(x$records, function(record) identical(method_of(record)$effects, "fixed"), TRUE)
    in_columns <- function(words, at, more = "") {
      if (length(at) > 0) paste0(words, " the ", list_words(ordinal_words(at)), more)
    }
    some <- length(with) < length(x$models)
    table_note(paste0(
      upper_first(item$label), ": ", what,
      if (some) in_columns(" in", with, if (length(with) > 1) " columns" else " column"),
      in_columns(", swept out in", which(swept & fixed)), in_columns(", random in", which(swept & !fixed)),
        "; not shown"
    ))
  })
}

left_out_words <- function(x) {
  hidden <- unlist(lapply(x$hidden, `[[`, "terms"))
  more <- length(setdiff(all_spec_terms(x$coefficients$term), c(x$terms, hidden)))
  if (more > 0) paste(count_of(more, "more coefficient"), "not shown")
}

# Whether a row says which errors each column has.
names_errors <- function(x) "errors" %in% x$facts$about

# Which errors each column has, where they differ and no row says so.
errors_note <- function(x, heads) {
  labels <- vapply(x$records, function(record) record$errors$label, "")
  if (names_errors(x) || length(x$beneath) == 0 || length(unique(labels)) == 1) return(NULL)
  parts <- vapply(unique(labels), function(label) {
    sprintf("%s in %s", label, list_words(heads[x$models[labels == label]]))
  }, "")
  paste("Standard errors:", paste(parts, collapse = "; "))
}

constant_note <- function(x) {
  aside <- vapply(x$records, function(record) any(record$coefficients$aside), TRUE)
  if (any(aside) && shows_aside(x$options) && constant_term %in% x$terms) {
    "The constant of a column with effects: these average zero over its rows"
  }
}

mark_words_of <- function(marks) {
  if (is.null(marks)) return(NULL)
  marks <- sort(marks, decreasing = TRUE)
  list_words(sprintf("%s for p below %s", names(marks), label_text(unname(marks))))
}

hausman_told <- function(tested, words) {
  against <- tested$against
  if (length(against) > 0) against <- stats::setNames(words[against], words[names(against)])
  if (length(tested$why) > 0) names(tested$why) <- words[names(tested$why)]
  one <- length(unique(against)) == 1
  c(
    if (length(against) > 0) {
      sprintf("Hausman p: %s; small speaks against the column",
              if (one) paste("against", against[[1]]) else list_words(paste(names(against), "against", against)))
    },
    if (length(tested$why) > 0) {
      sprintf("No Hausman test for %s: %s", names(tested$why), sub("[.]$", "", unname(tested$why)))
    }
  )
}

# Why a function of one's own left a cell empty.
failed_words <- function(x, heads) {
  failed <- x$own[x$own$about == "function" & x$own$kind == "empty" & nzchar(x$own$text), ]
  if (is.null(failed) || nrow(failed) == 0) return(NULL)
  sprintf("No %s in %s: %s", failed$label, heads[failed$model], failed$text)
}

# What would mislead side by side.
differing_words <- function(x) {
  rows <- vapply(x$records, `[[`, 0, "rows")
  incomplete <- grepl("left out as incomplete", vapply(x$records, `[[`, "", "sample"), fixed = TRUE)
  c(
    if (length(x$outcome) > 1) "The outcomes differ between columns, and so do the units of their estimates",
    if (length(unique(rows)) > 1 && any(incomplete)) {
      sprintf("Columns rest on different rows, %s, as some are incomplete", rows_shown(rows))
    }
  )
}
