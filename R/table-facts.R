# What is told of each fit below its coefficients.

spec_figures <- c(
  rows = "rows used", entities = "entities", periods = "periods", coefficients = "coefficients",
  df_residual = "residual degrees of freedom", df_effects = "degrees of freedom of the effects",
  r2_within = "R-squared within entities", r2_within_all = "R-squared within all sets of effects",
  r2_between = "R-squared between entities", r2_overall = "R-squared overall",
  r2_with_effects = "R-squared with the effects, or with dummies in their place",
  r2_of_changes = "R-squared of changes", f = "F of all slopes, under classical errors",
    f_df1 = "its degrees of freedom",
  f_p = "its p value", rmse = "standard deviation of the error", rho = "share of the variance between entities",
  log_lik = "log-likelihood", parameters = "parameters", aic = "AIC", bic = "BIC", outcome_mean = "mean of the outcome",
  outcome_sd = "standard deviation of the outcome", constant = "constant, effects averaging zero over rows",
  constant_error = "standard error of the constant"
)

# Values of any kind as cells.
value_cells <- function(x) {
  if (is.logical(x)) return(word_cells(c("yes", "no", NA)[match(x, c(TRUE, FALSE))]))
  if (!is.numeric(x)) return(word_cells(x))
  x <- as.numeric(x)
  if (all(is.na(x) | x == trunc(x) & abs(x) < 1e15)) count_cells(unname(x)) else
    number_cells(unname(x), max(decimals_for(x[!is.na(x)], 3)))
}

# What is told of each fit beneath its coefficients: a data frame with a row a fact of a fit. `about` says what kind of
# fact it is, by which they are ordered; the rest is its cell, see new_cells().
fact_kinds <- c("effects", "serial", "instruments", "strength", "errors", "clusters", "rows", "entities", "r_squared",
                "levels",
                "connected", "tests", "own")

default_facts <- c("effects", "serial", "instruments", "errors", "clusters", "rows", "entities", "r_squared", "tests",
                   "own")

# All that can be asked for.
fact_names <- unique(c(fact_kinds, names(spec_figures)))

new_fact <- function(model, label, about, cells) {
  if (length(label) == 0 || length(model) == 0) return(NULL)
  n <- max(length(model), length(label))
  structure(c(list(model = rep_len(model, n), label = rep_len(unname(label), n), about = rep_len(about, n)), cells),
            class = "data.frame", row.names = seq_len(n))
}

bind_facts <- function(parts) as.data.frame(data.table::rbindlist(parts))

check_facts <- function(facts) {
  if (is.null(facts)) return(invisible())
  good <- is.character(facts) && !anyNA(facts) || is.list(facts) && all(vapply(facts, function(one) {
    is_one_text(one) || is.function(one)
  }, TRUE))
  if (!good) {
    stop_argument("facts", value_words(facts), "Give names in quotes, or a list of names and functions of a fit.",
                  "fact")
  }
  names <- if (is.null(names(facts))) rep("", length(facts)) else names(facts)
  for (f in seq_along(facts)) {
    if (is.function(facts[[f]])) {
      if (!nzchar(names[f])) stop_wavetax("fact", "A function among the facts has no name.",
                                          todo = "Name its row: `list(\"Mundlak p\" = function(fit) ...)`.")
      next
    }
    known <- fact_names
    if (facts[[f]] %in% known) next
    near <- near_names(facts[[f]], known)
    stop_wavetax("fact", sprintf("There is no figure %s.", sQuote(facts[[f]], FALSE)),
                 todo = if (length(near) > 0) sprintf("Did you mean %s?", list_words(sQuote(near, FALSE))) else
                   "`table_figures()` lists them.")
  }
}

# In the order asked for: kinds of facts, single figures, and rows that were kept, which fits alone could tell.
spec_facts <- function(records, hidden, own, asked) {
  wanted <- if (is.null(asked)) default_facts else asked
  names <- if (is.null(names(wanted))) rep("", length(wanted)) else names(wanted)
  parts <- lapply(seq_along(wanted), function(f) {
    if (is.function(wanted[[f]])) return(own[own$label == names[f] & own$about == "function", ])
    kind <- wanted[[f]]
    found <- if (kind %in% c("tests", "own")) own[own$about == kind, ] else
      bind_facts(lapply(names(records), function(model) facts_of(records[[model]], model, kind, records, hidden)))
    if (nzchar(names[f]) && length(unique(found$label)) == 1) found$label <- names[f]
    found
  })
  # Rows of one's own, and tests that were asked for, are never left out.
  late <- if (!is.null(asked)) own[own$about %in% setdiff(c("tests", "own"),
                                                          unlist(Filter(is.character, as.list(wanted)))), ]
  bind_facts(c(list(new_fact("", "", "own", empty_cells(1))[0, ]), parts, list(late)))
}

facts_of <- function(record, model, kind, records, hidden) {
  switch(kind,
    effects = effect_rows(record, model, records, hidden),
    serial = disturbance_rows(record, model, records), instruments = instrument_rows(record, model, records),
    strength = strength_rows(record, model, records),
    errors = new_fact(model, "errors", kind, word_cells(errors_kind(record$errors))),
    clusters = new_fact(model, "clusters", kind, cluster_cells(record$errors$clusters)),
    rows = new_fact(model, "rows", kind, count_cells(record$rows)),
    entities = {
      nouns <- unique(unlist(lapply(records, function(one) one$entity$name)))
      counts <- vapply(nouns, function(name) {
        if (identical(record$entity$name, name)) as.numeric(record$entity$count) else NA_real_
      }, 0)
      new_fact(model, vapply(nouns, plural_of, ""), kind, count_cells(unname(counts)))
    },
    r_squared = r_squared_rows(record, model, records),
    levels = new_fact(model, sprintf("levels of %s effects", names(record$levels)), kind,
                      count_cells(as.numeric(record$levels))),
    connected = new_fact(model, sprintf("connected groups of %s effects", names(record$connected)), kind,
                         count_cells(as.numeric(record$connected))),
    new_fact(model, spec_figures[[kind]], kind, figure_cells(record$figures[[kind]], kind))
  )
}

# What all columns explain of what varies within entities, and with the effects: where nothing was swept out, all that
# is in the equation counts. Where no column has either, the one that it has.
r_squared_rows <- function(record, model, records) {
  told <- record$r_squared
  of <- function(one, kind) one$value[match(kind, one$kind)]
  rows <- function(labels, value) {
    value[!is.finite(value)] <- NA
    new_fact(model, paste("R-squared", labels, recycle0 = TRUE), "r_squared", number_cells(as.numeric(value), 3))
  }
  all <- lapply(records, `[[`, "r_squared")
  if (!any(c("within", "effects") %in% unlist(lapply(all, `[[`, "kind")))) {
    labels <- unlist(Map(function(one, known) {
      known$label[match(intersect(method_of(one)$r_squared, known$kind)[1], known$kind)]
    }, records, all))
    labels <- unique(labels[!is.na(labels)])
    return(rows(labels, told$value[match(labels, told$label)]))
  }
  labels <- unique(unlist(lapply(all, function(one) one$label[one$kind == "within"])))
  value <- of(told, "within")[match(labels, told$label[told$kind == "within"])]
  if (any(is.finite(vapply(all, of, 0, "effects")))) {
    labels <- c(labels, "with effects")
    plain <- length(record$effects) == 0 && method_of(record)$levels
    value <- c(value, of(told, if (plain) "overall" else "effects"))
  }
  rows(labels, value)
}

figure_cells <- function(value, kind) {
  value <- if (is.null(value)) NA_real_ else suppressWarnings(as.numeric(value))
  if (!is.finite(value)) return(empty_cells(1))
  if (kind == "f_p") return(p_cells(value))
  if (startsWith(kind, "r2_") || kind == "rho") return(number_cells(value, 3))
  whole <- c("rows", "entities", "periods", "coefficients", "df_residual", "df_effects", "f_df1", "parameters")
  if (kind %in% whole) count_cells(value) else number_cells(value, if (kind %in% c("log_lik", "aic", "bic")) 1 else
                                                            decimals_for(value, 3))
}

# A row for each set of effects in any of the fits: none, fixed or random. What was hidden has a row that says yes or
# no,
# and where effects of the same column were swept out elsewhere the two share it.
effect_rows <- function(record, model, records, hidden) {
  sets <- unique(unlist(lapply(records, `[[`, "effects")))
  holds <- function(name) name %in% record$effects || any(vapply(record$effects, holds_effects, TRUE, name))
  spanned <- lapply(hidden, function(item) paste(item$spans, "effects", recycle0 = TRUE))
  kinds <- vapply(sets, function(name) {
    within <- vapply(spanned, function(names) name %in% names, TRUE)
    if (any(within)) {
      terms <- unlist(lapply(hidden[within], `[[`, "terms"))
      return(if (holds(name) || any(terms %in% record$coefficients$term)) "yes" else "no")
    }
    if (holds(name)) method_of(record)$effects else "none"
  }, "")
  alone <- hidden[!vapply(spanned, function(names) any(names %in% sets), TRUE)]
  inside <- vapply(alone, function(item) if (any(item$terms %in% record$coefficients$term)) "yes" else "no", "")
  labels <- vapply(alone, function(item) {
    if (is.null(variable_inside(item$item))) item$label else paste(item$label, "dummies")
  }, "")
  rbind(new_fact(model, sets, "effects", word_cells(unname(kinds))),
        new_fact(model, labels, "effects", word_cells(inside)))
}

# Of fits whose disturbances are more than unrelated and alike: the rho of AR(1), of entities with their own from which
# to which, how it was found, and whose variances were estimated. Rows that no fit has are left out.
disturbance_rows <- function(record, model, records) {
  of_any <- function(field) any(!vapply(records, function(one) is.null(one[[field]]), TRUE))
  serial <- record$serial
  words <- c(corrected = "corrected", regression = "regression", autocorrelation = "autocorrelation",
             "maximum-likelihood" = "likelihood", given = "as given")
  cell <- function(value, cells) if (is.null(value)) empty_cells(1) else cells(value)
  rho_cells <- function(serial) {
    rho <- unlist(serial$rho)
    if (length(rho) == 1) number_cells(rho, 2) else word_cells(paste(fixed_decimals(range(rho), 2), collapse = " to "))
  }
  rbind(
    if (of_any("serial")) new_fact(model, "AR(1) rho", "serial", cell(serial, rho_cells)),
    if (of_any("serial")) {
      new_fact(model, "rho by", "serial", cell(serial$method, function(method) word_cells(unname(words[method]))))
    },
    if (of_any("variances")) new_fact(model, "variances", "serial", cell(record$variances, word_cells))
  )
}

# What functions say of each fit. One that fails leaves its cell empty, and why is kept as a note.
own_facts <- function(fits, asked) {
  functions <- Filter(is.function, as.list(asked))
  if (length(functions) == 0 || length(fits) == 0) return(NULL)
  rows <- lapply(names(functions), function(label) {
    lapply(names(fits), function(model) {
      value <- tryCatch(functions[[label]](fits[[model]]), error = function(cnd) cnd)
      failed <- inherits(value, "condition")
      single <- !failed && is.atomic(value) && length(value) == 1
      is_p <- single && is.numeric(value) && grepl("(^| )p$", label)
      cells <- if (!single) empty_cells(1) else if (is_p) p_cells(as.numeric(value)) else value_cells(value)
      fact <- new_fact(model, label, "function", cells)
      if (!single) fact$text <- if (failed) sub("[.]$", "", first_line(value)) else
        paste("the function gave", value_words(value))
      fact
    })
  })
  do.call(rbind, unlist(rows, recursive = FALSE))
}

# Whether effects of combinations hold those of a part: "coast:season effects" hold "season effects".
holds_effects <- function(larger, smaller) {
  parts <- function(label) strsplit(sub(" effects$", "", label), ":", fixed = TRUE)[[1]]
  both <- endsWith(larger, " effects") && endsWith(smaller, " effects")
  both && all(parts(smaller) %in% parts(larger))
}

# One dimension as a count, several in words.
cluster_cells <- function(clusters) {
  if (length(clusters) == 0) return(empty_cells(1))
  if (length(clusters) == 1) return(count_cells(clusters[[1]], names(clusters)))
  word_cells(cluster_words(clusters))
}

# What instruments what, how strongly, and whether the instruments agree, where any of the fits has them.
instrument_rows <- function(record, model, records) {
  one <- record$instrumented
  of_any <- function(field) any(vapply(records, function(other) !is.null(other$instrumented[[field]]), TRUE))
  cell <- function(value, cells) if (is.null(value)) empty_cells(1) else cells(value)
  bind_facts(list(
    new_fact("", "", "own", empty_cells(1))[0, ],
    if (of_any("method")) {
      new_fact(model, "instrumented in", "instruments",
               cell(one$method, function(method) word_cells(instrument_method_short[[method]])))
    },
    if (of_any("method")) {
      new_fact(model, "instruments", "instruments",
               cell(one$instruments, function(names) word_cells(short_instruments(unlist(names)))))
    },
    strength_rows(record, model, records, "instruments"),
    if (of_any("agree_p")) {
      new_fact(model, "over-identification p", "instruments", cell(one$agree_p, p_cells))
    }
  ))
}

# The effective F of the instruments, where any of the fits has it.
strength_rows <- function(record, model, records, about = "strength") {
  f <- function(one) one$instrumented$effective_f
  if (all(vapply(records, function(one) is.null(f(one)), TRUE))) return(NULL)
  own <- f(record)
  new_fact(model, "effective F", about, if (is.null(own)) empty_cells(1) else number_cells(own, decimals_for(own, 3)))
}

instrument_method_short <- c("2sls" = "two stages", liml = "limited inf.", gmm = "moments")

# Names where they fit into a column, else how many.
short_instruments <- function(names) {
  words <- list_words(names)
  if (nchar(words) <= 16) words else count_words(length(names))
}
