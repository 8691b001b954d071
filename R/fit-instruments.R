# What of a formula is instrumented by what: its terms, and what stands in the way.

# The terms that are endogenous, by number, the formula of the instruments, and what is to be said of them.
instrument_terms <- function(request) {
  index <- if (is_panel_frame(request$data)) panel_index(request$data)
  read <- function(formula) {
    terms_by_variables(formula_terms(
      expand_shifts(plain_operators(with_outcome(formula, request$formula)), index), request$data, index
    ))
  }
  all <- read(request$formula)
  endogenous <- read(request$options$endogenous)
  instruments <- read(request$options$instruments)
  check_instrument_terms(all, endogenous, instruments, request$formula)
  at <- match(names(endogenous), names(all))
  list(endogenous = at, formula = with_outcome(request$options$instruments, request$formula),
       notes = made_of_endogenous(all, at, instruments))
}

# The labels of terms, named by their variables whatever the order in which a product writes them.
terms_by_variables <- function(terms) {
  labels <- attr(terms, "term.labels")
  factors <- attr(terms, "factors")
  names(labels) <- vapply(seq_along(labels), function(j) {
    paste(sort(rownames(factors)[factors[, j] > 0]), collapse = "\n")
  }, "")
  labels
}

# What is taken as exogenous and is made of a column that is not: products and powers of an endogenous regressor, and
# instruments. What a column was before may be exogenous where the column is not.
made_of_endogenous <- function(all, at, instruments) {
  columns <- function(label) all.vars(without_past(str2lang(label)))
  made <- lapply(all[at], columns)
  answering <- unique(unlist(made[lengths(made) == 1], use.names = FALSE))
  holds <- function(labels) Filter(function(label) any(columns(label) %in% answering), unname(labels))
  told <- function(labels, what, todo) {
    if (length(labels) == 0) return(NULL)
    sprintf("%s %s made of %s, which is endogenous, and %s: %s", list_some(labels),
            if (length(labels) == 1) "is" else "are",
            list_words(intersect(answering, unlist(lapply(labels, columns)))), what, todo)
  }
  c(told(holds(all[-at]), "taken as exogenous", "name it in `endogenous` too, with instruments of its own"),
    told(holds(instruments), "used as an instrument", "it answers to the outcome as that does"))
}

without_past <- function(expr) {
  if (missing(expr)) return(rlang::missing_arg())
  if (is_operator(expr, "past")) return(NULL)
  if (!is.call(expr)) return(expr)
  as.call(lapply(as.list(expr), without_past))
}

with_outcome <- function(formula, other) {
  rlang::new_formula(rlang::f_lhs(other), rlang::f_rhs(formula), rlang::f_env(formula))
}

check_instrument_terms <- function(all, endogenous, instruments, formula) {
  refuse <- function(found, todo) stop_wavetax("instruments", found, todo = todo)
  if (length(endogenous) == 0) refuse("`endogenous` names no term.", "Name terms of the formula: `endogenous = ~ x`.")
  if (length(instruments) == 0) refuse("`instruments` names no variable.", "Name what moves the endogenous terms.")
  unknown <- endogenous[!names(endogenous) %in% names(all)]
  if (length(unknown) > 0) {
    refuse(sprintf("%s %s among the regressors.", list_some(sQuote(unknown, FALSE)),
                   if (length(unknown) == 1) "is not" else "are not"),
           sprintf("`endogenous` names terms as the formula writes them: %s.", list_some(all, 6)))
  }
  both <- instruments[names(instruments) %in% c(names(all), deparse_words(rlang::f_lhs(formula)))]
  if (length(both) > 0) {
    refuse(sprintf("%s cannot be an instrument: it is in the formula.", list_some(sQuote(both, FALSE))),
           "Exogenous regressors are their own instruments; `instruments` names what is excluded.")
  }
}

check_enough_instruments <- function(design, endogenous) {
  l <- length(design$beside)
  m <- length(endogenous)
  if (l >= m) return(invisible())
  stop_wavetax("instruments", sprintf("%s for %s.", count_of(l, "instrument"),
                                      count_of(m, "endogenous column")),
               todo = "As many are needed at least.")
}

# Endogenous columns that nothing is left of, instruments that are not left or do not move them, and fits without error.
check_instrument_parts <- function(parts, design, sets) {
  names <- stored_names(design)
  told <- function(reasons) {
    each <- vapply(unique(reasons), function(why) {
      sprintf("%s (%s)", list_some(names(reasons)[reasons == why], 6), why)
    }, "")
    paste0(paste(each, collapse = "; "), ".")
  }
  refuse <- function(found, todo, where = NULL, kind = "instruments") {
    stop_wavetax(unique(c(kind, "instruments")), found, where = where, todo = todo)
  }
  lost <- setdiff(parts$endogenous, parts$kept$endogenous)
  if (length(lost) > 0) {
    refuse(sprintf("Nothing of %s is left to be instrumented.", list_words(names[lost])),
           "Leave it out of the formula, or sweep fewer effects.",
           told(instrument_reasons(parts, design, sets, parts$x)[names[lost]]))
  }
  if (parts$l < parts$m) {
    refuse(if (parts$l == 0) sprintf("No instrument is left for %s.", list_words(names[parts$kept$endogenous])) else
      sprintf("%s left for %s: %s.", count_of(parts$l, "instrument"), count_of(parts$m, "endogenous column"),
              list_words(names[parts$kept$endogenous])),
           "Name instruments that vary where the effects leave something.",
           told(instrument_reasons(parts, design, sets)))
  }
  rank <- core_instrument_rank(parts)
  if (any(rank$left < 1e-9)) {
    refuse(sprintf("The instruments fit %s without residual.", names[parts$kept$endogenous[which.min(rank$left)]]),
           "It is exogenous if they are: use `fit_fixed()`, or leave out what it is made of.")
  }
  if (rank$least < 1e-9) {
    refuse("The instruments do not move the endogenous columns apart.", kind = "rank",
           "Use others: each endogenous column needs one that moves it beside the others.")
  }
}

# Why columns of one of the two regressions of core_instrument_parts() were dropped, by name.
instrument_reasons <- function(parts, design, sets, solved = parts$z) {
  names <- stored_names(design)
  lead <- as.integer(parts$constant)
  gone <- which(solved$status[lead + seq_along(solved$of)] != 0L)
  stats::setNames(vapply(gone, function(j) {
    if (solved$status[lead + j] != 1L) return("is a combination of others")
    if (length(sets) > 0) sprintf("does not vary within %s", within_words(sets)) else "does not vary"
  }, ""), names[solved$of[gone]])
}
