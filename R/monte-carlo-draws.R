# The draws of a laboratory: panels from seeds, what estimators give of each, shared among processes.

# Draws after which an estimator that was always refused is given up.
draws_to_give_up <- 20

# Blocks of draws between two looks at the progress.
draws_blocks <- 25

# All rows of one design. The first draw is made here, so that mistakes are told before the work is shared.
design_draws <- function(design, name, plan, seeds, cores, doing) {
  check_panels_differ(design, seeds)
  one <- function(d) drawn_once(design, plan, seeds[d], d)
  found <- list(checked_draw(one(1)))
  rest <- seq_along(seeds)[-1]
  blocks <- split(rest, ceiling(seq_along(rest) * draws_blocks / length(rest)))
  for (b in along_with_progress(blocks, doing)) {
    block <- lapply(shared_among(cores, blocks[[b]], one), checked_draw)
    found <- c(found, block)
    if (length(found) >= min(draws_to_give_up, length(seeds))) check_some_taken(found)
  }
  rows <- as.data.frame(data.table::rbindlist(found))
  cbind(data.frame(design = rep(name, nrow(rows))), rows)
}

check_panels_differ <- function(design, seeds) {
  drawn <- lapply(seeds[1:2], function(seed) with_own_seed(seed, tryCatch(design$draw(), error = function(cnd) NULL)))
  if (is.null(drawn[[1]]) || !identical(drawn[[1]], drawn[[2]])) return(invisible())
  stop_wavetax("design", "The design gives the same panel each time.",
               todo = "Draw with the random numbers of the moment: without a `seed`, and without `set.seed()`.")
}

# Only where processes can be forked.
usable_cores <- function(cores) {
  if (cores == 1 || .Platform$OS.type == "unix") return(cores)
  warn_wavetax("cores", "This system does not share draws among processes; they are made by one.")
  1
}

shared_among <- function(cores, x, work) {
  if (cores == 1 || length(x) < 2) return(lapply(x, work))
  parallel::mclapply(x, work, mc.cores = min(cores, length(x)), mc.set.seed = FALSE)
}

# What a draw gave, or the fault that ends all.
checked_draw <- function(drawn) {
  if (is.data.frame(drawn)) return(drawn)
  if (!is.list(drawn) || is.null(drawn$kind)) {
    stop_wavetax("cores", "A process that makes draws ended before it was done.", where = if (inherits(
      drawn, "try-error")) sub("\n$", "", drawn), todo = "There may be too little memory for so many: lower `cores`.")
  }
  stop_wavetax(drawn$kind, drawn$found, where = drawn$where, todo = drawn$todo)
}

check_some_taken <- function(found) {
  rows <- data.table::rbindlist(found)
  for (name in unique(rows$source)) {
    own <- rows[rows$source == name, ]
    if (anyNA(own$refused)) next
    stop_wavetax(
      "estimator", sprintf("The estimator %s was refused in each of the first %d draws.", dQuote(name, FALSE),
                           length(found)),
      where = own$refused[1], todo = "Look at one: apply it to a panel of the design."
    )
  }
}

# A data frame with a row for each estimator, kind of errors and term (`source`: which of those given it is of), or
# list(kind, found, where, todo) of a fault.
drawn_once <- function(design, plan, seed, draw) {
  with_own_seed(seed, {
    panel <- tryCatch(design$draw(), error = identity)
    fault <- panel_fault(panel, seed)
    if (!is.null(fault)) return(fault)
    parts <- list()
    for (name in names(plan$estimators)) {
      own <- estimated_once(plan$estimators[[name]], panel, name, plan)
      if (!is.data.frame(own)) return(failed_estimator(own, name, draw, seed))
      told <- with_truth(own, name, panel, plan)
      if (!is.data.frame(told)) return(told)
      parts[[name]] <- cbind(data.frame(source = name), told)
    }
    cbind(data.frame(draw = draw, seed = seed), do.call(rbind, unname(parts)))
  })
}

panel_fault <- function(panel, seed) {
  if (is.data.frame(panel)) return(NULL)
  failed <- inherits(panel, "error")
  list(kind = "design", found = if (failed) "The design's function failed." else
    sprintf("The design's function gave %s, not a panel.", value_words(panel)),
    where = if (failed) cli::ansi_strip(conditionMessage(panel)),
    todo = sprintf("See it: `set.seed(%d)`, then call the function.", seed))
}

failed_estimator <- function(failed, name, draw, seed) {
  no_result <- inherits(failed, "wavetax_error_no_result")
  list(kind = "estimator", found = sprintf("The estimator %s failed in draw %d.", dQuote(name, FALSE), draw),
       where = first_line(failed),
       todo = if (no_result) "Give a fit, a test, numbers with names, or a list of them with names." else
         sprintf("That panel is drawn again by the seed %d.", seed))
}

# Rows of one estimator, or the condition that it failed with. What the package refuses is a row that says so.
estimated_once <- function(estimator, panel, name, plan) {
  warned <- NA_character_
  value <- tryCatch(
    withCallingHandlers(suppressMessages(result_rows(estimator(panel), plan)), warning = function(cnd) {
      if (is.na(warned)) warned <<- first_line(cnd)
      invokeRestart("muffleWarning")
    }),
    wavetax_error_no_result = identity, wavetax_error = function(cnd) result_row(refused = first_line(cnd)),
    error = identity
  )
  if (!is.data.frame(value)) return(value)
  label <- value$label
  value$label <- NULL
  cbind(data.frame(estimator = ifelse(nzchar(label), paste(name, label, sep = ", "), name)), value, warned = warned)
}

result_row <- function(label = "", errors = "", term = NA_character_, estimate = NA_real_, std_error = NA_real_,
                       low = NA_real_, high = NA_real_, p_value = NA_real_, refused = NA_character_) {
  data.frame(label = label, errors = errors, term = term, estimate = estimate, std_error = std_error, low = low,
             high = high, p_value = p_value, refused = refused)
}

result_rows <- function(value, plan, label = "") {
  if (inherits(value, "panel_fit")) return(found_by_fit(value, plan, label))
  if (inherits(value, "htest")) return(result_row(label, p_value = unname(as.numeric(value$p.value))))
  plain <- !is.object(value) && length(value) > 0 && rlang::is_named(value)
  if (plain && is.numeric(value)) {
    return(result_row(label, term = names(value), estimate = as.numeric(value)))
  }
  if (plain && is.list(value)) {
    labels <- paste0(label, if (nzchar(label)) ", ", names(value))
    parts <- Map(function(one, name) result_rows(one, plan, name), value, labels)
    return(do.call(rbind, unname(parts)))
  }
  stop_wavetax("no_result", sprintf("It gave %s, which is no result.", value_words(value)))
}

# A fit under each kind of errors; one that cannot be computed is refused alone.
found_by_fit <- function(fit, plan, label) {
  if (is.null(plan$errors)) return(told_by_fit(fit, comparison_label(fit), plan, label))
  parts <- lapply(names(plan$errors), function(name) {
    tryCatch(told_by_fit(with_errors(fit, plan$errors[[name]]), name, plan, label), wavetax_error = function(cnd) {
      result_row(label, errors = name, refused = first_line(cnd))
    })
  })
  do.call(rbind, parts)
}

told_by_fit <- function(fit, errors, plan, label) {
  table <- coefficient_table(fit, seq_along(kept_terms(fit)), plan$level)
  result_row(label, errors, table$term, table$estimate, table$std_error, table$low, table$high, table$p_value)
}

# Rows of the terms that are told, with their truth; of every estimator some.
with_truth <- function(rows, name, panel, plan) {
  truth <- if (is.null(plan$truth)) design_truth(panel) else plan$truth
  rows$truth <- unname(truth[match(rows$term, names(truth))])
  if (is.null(rows$truth)) rows$truth <- rep(NA_real_, nrow(rows))
  told <- is.na(rows$term) | if (is.null(plan$terms)) !is.na(rows$truth) else rows$term %in% plan$terms
  if (!any(told)) return(no_term_fault(unique(rows$term), name, plan))
  rows[told, ]
}

design_truth <- function(panel) if (is_panel_frame(panel)) panel_truth(panel)$slope

no_term_fault <- function(terms, name, plan) {
  has <- sprintf("The estimator %s has %s.", dQuote(name, FALSE), list_some(terms, 6))
  if (!is.null(plan$terms)) {
    return(list(kind = "unknown_term", found = sprintf("%s None of `terms` is there.", has),
                todo = sprintf("Name one: `terms = %s`.", code_text(terms[length(terms)]))))
  }
  list(kind = "truth", found = sprintf("%s The truth of none is known.", has),
       todo = sprintf("Say it: `truth = c(%s = 0)`.", code_name(terms[length(terms)])))
}
