# The parts of a report: each a function of the brief that gives blocks, NULL where it has nothing to tell.

report_part <- function(part, brief) get(paste0("part_", part), mode = "function")(brief)

# ---- the question ----

part_question <- function(brief) {
  fit <- brief$fit
  if (is.null(fit)) return(NULL)
  list(text_block(question_words(brief)), equation_of(fit))
}

question_words <- function(brief) {
  fit <- brief$fit
  x <- brief$appraisal
  focus <- short_label(focus_words(brief))
  outcome <- short_label(outcome_words(fit)$name)
  if (is.null(x)) return(sprintf("Asked is what goes with %s in %s, in the model below.", focus, outcome))
  entities <- plural_of(x$entity)
  switch(x$kind,
    varying = c(
      sprintf(paste("%s differ in much that does not change, and that may move both %s and %s. A comparison between",
                    "them would count that as an effect."), upper_first(entities), focus, outcome),
      sprintf("What is asked is what happens to one %s when its own %s changes, set against other %s of the same %s.",
              x$entity, focus, entities, x$period)
    ),
    common = sprintf(paste("In one %s %s is the same for all %s. What is asked is what happens from %s to %s as it",
                           "changes."), x$period, focus, entities, x$period, x$period),
    fixed = sprintf(paste("Within one %s %s does not change, so what can be asked is how %s that have more of it",
                          "differ from others."), x$entity, focus, entities)
  )
}

# y = b1 x1 + ... + what is swept out or drawn + disturbance.
equation_of <- function(fit) {
  index <- fit$design$index
  panel <- !is.null(index)
  between <- fit$design$between
  it <- subscript(if (length(between) > 0) mean_signs(fit, between) else if (panel) "it" else "i")
  labels <- fit_labels(fit)
  said <- function(term) equation_name(term, labels)
  formula <- fit$design$formula
  changes <- if (model_kind(fit) == "difference") "\u0394" else ""
  terms <- attr(fit$design$blueprint$terms, "term.labels")
  slopes <- sprintf("%s%s %s%s", "\u03b2", subscript(seq_along(terms)),
                    paste0(changes, vapply(terms, said, "")), it)
  effects <- equation_effects(fit)
  swept <- length(effects$terms) > 0 && !identical(method_of(fit)$effects, "random")
  constant <- if (!swept && has_constant(fit)) paste0("\u03b2", subscript("0"))
  equation_block(paste0(changes, said(deparse_words(rlang::f_lhs(formula))), it),
                 c(constant, slopes, effects$terms, paste0(changes, "\u03b5", it)),
                 if (length(between) > 0) {
                   sprintf("A dot stands for the mean over the rows of one %s.", list_words(between))
                 } else {
                   effects$where
                 })
}

# "i" and a dot: means over the periods of an entity.
mean_signs <- function(fit, between) {
  index <- fit$design$index
  if (identical(between, index$entity)) "i\u00b7" else if (identical(between, index$period)) "\u00b7t" else "g\u00b7"
}

# A term as it stands in an equation: a label without its unit, "log" before it where it is a logarithm.
equation_name <- function(term, labels) {
  expr <- tryCatch(str2lang(term), error = function(cnd) as.name(term))
  known <- function(name) name %in% names(labels)
  if (known(term)) return(short_label(labels[[term]]))
  if (is_operator(expr, "log") && length(expr) == 2 && is.symbol(expr[[2]]) && known(as.character(expr[[2]]))) {
    return(paste("log", short_label(labels[[as.character(expr[[2]])]])))
  }
  term
}

equation_effects <- function(fit) {
  sets <- fit$effects
  if (length(sets) == 0) return(NULL)
  index <- fit$design$index
  letters <- c("\u03b1", "\u03b3", "\u03b4")
  kind <- method_of(fit)$effects
  named <- vapply(sets, function(set) set$name, "")
  below <- ifelse(named %in% index$entity, "i", ifelse(named %in% index$period, "t", "g"))
  symbols <- paste0(letters[pmin(seq_along(sets), 3)], subscript(below))
  what <- if (identical(kind, "random")) "a draw of its own for each %s" else "what is fixed about each %s"
  where <- ifelse(below == "t" & !identical(kind, "random"), sprintf("%s: what %s does to all", symbols, named),
                  sprintf(paste0("%s: ", what), symbols, named))
  list(terms = symbols, where = paste0(where, c(rep(";", length(where) - 1), ".")))
}

# ---- the data ----

part_data <- function(brief) {
  told <- if (length(brief$told) > 0) text_block(brief$told)
  if (is.null(brief$panel)) {
    return(list(told, if (!is.null(brief$fit)) text_block(sample_words(brief$fit)), lacks_block(brief)))
  }
  shape <- panel_shape(brief$panel)
  list(
    told, text_block(shape_size(shape)), text_block(shape_evenness(shape)),
    if (used_differs(brief)) text_block(sprintf("The models use %s", sample_words(brief$fit))),
    text_block(variation_of_focus(brief))
  )
}

used_differs <- function(brief) brief$fit$n != nrow(brief$panel) || !is.null(brief$fit$design$weights)

lacks_block <- function(brief) if (!is.null(brief$lacks)) text_block("Left out: ", brief$lacks)

# How much the focus varies between and within, where it is a column.
variation_of_focus <- function(brief) {
  variable <- focus_variable(brief)
  panel <- brief$panel
  if (is.null(variable) || !is.numeric(panel[[variable]])) return(character())
  index <- panel_index(panel)
  focus <- upper_first(short_label(focus_words(brief)))
  if (identical(brief$appraisal$kind, "common")) {
    return(sprintf("%s has one value in each %s: %s tell of it, however many %s there are.", focus, index$period,
                   count_of(length(unique(panel[[index$period]])), index$period), plural_of(index$entity)))
  }
  table <- as.data.frame(muffled(panel_variation(panel, variable), "message"))
  number <- function(value) format_number(value, 3)
  if (isTRUE(table$sd_within == 0)) {
    return(sprintf("%s varies by %s (standard deviation), and never within %s", focus, number(table$sd),
                   one_of_a(index$entity)))
  }
  lesson <- if (length(brief$fit$design$between) > 0) ": the comparison is between" else
    if (isTRUE(table$sd_within > 0)) ": there is something to learn from within" else ""
  sprintf("%s varies by %s (standard deviation), %s percent of its variance within %s, where it varies by %s%s", focus,
          number(table$sd), fixed_decimals(100 * table$share_within, 1), plural_of(index$entity),
          number(table$sd_within), lesson)
}

# ---- description ----

part_description <- function(brief) {
  panel <- brief$panel
  if (is.null(panel)) return(NULL)
  index <- panel_index(panel)
  variables <- setdiff(all.vars(brief$fit$design$formula), c(index$entity, index$period))
  plain <- variables[vapply(variables, function(name) is.numeric(panel[[name]]), TRUE)]
  variable <- focus_variable(brief)
  list(
    if (length(plain) > 0) table_block(as_table(muffled(panel_variation(panel, plain), "message"))),
    tried_figure(plot_presence(panel)),
    if (!is.null(variable) && variable %in% plain) tried_figure(plot_paths(panel, variable)),
    if (!identical(brief$appraisal$kind, "fixed")) tried_figure(plot_within(brief$fit, regressor = brief$focus))
  )
}

# A figure, where these data have one.
tried_figure <- function(plot) {
  drawn <- tryCatch(muffled(plot, c("message", "wavetax_warning")), wavetax_error = function(cnd) NULL)
  if (!is.null(drawn)) figure_block(drawn)
}

# ---- models ----

part_models <- function(brief) {
  if (length(brief$fits) == 0) return(NULL)
  list(if (length(brief$fits) > 1 && !is.null(brief$fit)) text_block(models_words(brief)),
       table_block(as_table(spec_table(brief$fits, hide = long_factors(brief)))))
}

# Factors of many levels are hidden, in a formula, unless they are the focus; all estimates stand at the end.
long_factors <- function(brief) {
  named <- unlist(lapply(Filter(function(fit) inherits(fit, "panel_fit"), brief$fits), function(fit) {
    blueprint <- fit$design$blueprint
    places <- tabulate(blueprint$assign, length(attr(blueprint$terms, "term.labels")))
    own <- fit$design$blueprint$assign[match(brief$focus, names(fit$design$x))]
    attr(blueprint$terms, "term.labels")[setdiff(which(places > 5), own)]
  }))
  if (length(named) == 0) return(NULL)
  rlang::new_formula(NULL, Reduce(function(a, b) call("+", a, b), lapply(unique(named), str2lang)), baseenv())
}

models_words <- function(brief) {
  term <- brief$focus
  estimates <- vapply(brief$fits, function(fit) {
    table <- as.data.frame(fit)
    c(table$estimate[match(term, table$term)], NA)[1]
  }, 0)
  estimates <- estimates[is.finite(estimates)]
  if (length(estimates) < 2) return(character())
  focus <- short_label(focus_words(brief))
  number <- function(value) format_number(value, 3)
  ends <- c(which.min(estimates), which.max(estimates))
  names <- if (is.null(names(estimates))) rep("", length(estimates)) else names(estimates)
  said <- sprintf("The coefficient of %s runs from %s%s to %s%s", focus, number(estimates[ends[1]]),
                  bracketed(names[ends[1]]), number(estimates[ends[2]]), bracketed(names[ends[2]]))
  if (min(estimates) < 0 && max(estimates) > 0) {
    said <- paste0(said, ": its sign turns on which comparison is made")
  }
  said
}

bracketed <- function(name) if (nzchar(name)) sprintf(" (%s)", name) else ""

# ---- tests ----

part_tests <- function(brief) {
  x <- brief$appraisal
  if (!is.null(x)) {
    path <- x$path
    p <- ifelse(is.na(path$p_value), "", vapply(path$p_value, p_words, ""))
    return(list(
      text_block(sprintf(paste("How %s varies chooses the model, and no test: a choice by tests on the same data would",
                               "make the interval too short. What the tests say is read at %s percent."),
                         short_label(focus_words(brief)), percent_words(x$level))),
      path_block(path$question, path$answer, p, path$follows)
    ))
  }
  list(
    if (length(brief$tests) > 0) {
      list(table_block(as_table.list(brief$tests)), list_block(unname(unlist(lapply(brief$tests, cautions_of)))))
    },
    if (!is.null(brief$diagnosis)) {
      list(table_block(as_table(brief$diagnosis)), list_block(attr(brief$diagnosis, "advice")))
    }
  )
}

cautions_of <- function(test) if (length(test$cautions) > 0) paste0(test$method, ": ", test$cautions)

# ---- recommendation ----

part_recommendation <- function(brief) {
  if (!is.null(brief$appraisal)) return(text_block(brief$appraisal$recommendation))
  if (is.null(brief$fit)) return(NULL)
  said <- tryCatch(in_words(brief$fit), wavetax_error = function(cnd) NULL)
  if (NROW(said) == 0) return(NULL)
  list(list_block(said$words), text_block(attr(said, "disturbances")),
       text_block(instruments_in_words(attr(said, "instruments"))), text_block(attr(said, "of_outcome")))
}

# ---- limits ----

part_limits <- function(brief) {
  if (!is.null(brief$appraisal)) return(list_block(brief$appraisal$caveats))
  fit <- brief$fit
  if (is.null(fit)) return(NULL)
  outcome <- short_label(outcome_words(fit)$name)
  focus <- short_label(focus_words(brief))
  list_block(c(
    as_sentences(told_of_outcome(fit)), what_is_left(fit, focus, outcome), instrument_limits(fit, outcome),
    "A test that does not reject has not shown that its null holds; with few rows it seldom rejects.",
    sprintf("The errors allow for what their name says, and for nothing else: %s.", brief$fit$errors$label)
  ))
}

what_is_left <- function(fit, focus, outcome) {
  if (!is.null(fit$instrumented)) return(NULL)
  takes <- if (model_kind(fit) == "difference") "Differences take" else if (has_effects(fit)) "Effects take"
  if (is.null(takes) || identical(method_of(fit)$effects, "random")) {
    return(sprintf("Whatever moves both %s and %s and is not among the regressors is in the estimate.", focus, outcome))
  }
  sprintf("%s out what does not change. What changes together with %s and moves %s itself is not taken out.", takes,
          focus, outcome)
}

instrument_limits <- function(fit, outcome) {
  facts <- fit$instrumented
  if (is.null(facts)) return(NULL)
  by <- facts$instruments
  c(
    sprintf("That %s %s %s through %s alone is a claim about the world: no test establishes it.", list_words(by),
            verb(length(by), "move"), outcome, list_words(facts$endogenous)),
    if (length(by) > length(facts$endogenous)) {
      "A test of over-identification sets the instruments against each other: all may be wrong in the same way."
    }
  )
}
