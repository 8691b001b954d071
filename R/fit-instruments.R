# What of a formula is instrumented by what: its terms, and what stands in the way.

# The terms that are endogenous, by number, and the formula of the instruments.
instrument_terms <- function(request) {
  index <- if (is_panel_frame(request$data)) panel_index(request$data)
  labels <- function(formula) {
    terms <- formula_terms(expand_shifts(plain_operators(with_outcome(formula, request$formula)), index), request$data,
                           index)
    attr(terms, "term.labels")
  }
  all <- labels(rlang::new_formula(NULL, rlang::f_rhs(request$formula), rlang::f_env(request$formula)))
  endogenous <- labels(request$options$endogenous)
  instruments <- labels(request$options$instruments)
  check_instrument_terms(all, endogenous, instruments, request$formula)
  list(endogenous = match(endogenous, all), formula = with_outcome(request$options$instruments, request$formula))
}

with_outcome <- function(formula, other) {
  rlang::new_formula(rlang::f_lhs(other), rlang::f_rhs(formula), rlang::f_env(formula))
}

check_instrument_terms <- function(all, endogenous, instruments, formula) {
  refuse <- function(found, todo) stop_wavetax("instruments", found, todo = todo)
  if (length(endogenous) == 0) refuse("`endogenous` names no term.", "Name terms of the formula: `endogenous = ~ x`.")
  if (length(instruments) == 0) refuse("`instruments` names no variable.", "Name what moves the endogenous terms.")
  unknown <- setdiff(endogenous, all)
  if (length(unknown) > 0) {
    refuse(sprintf("%s %s among the regressors.", list_words(sQuote(unknown, FALSE)),
                   if (length(unknown) == 1) "is not" else "are not"),
           sprintf("`endogenous` names terms as the formula writes them: %s.", list_some(all, 6)))
  }
  both <- intersect(instruments, c(all, deparse_words(rlang::f_lhs(formula))))
  if (length(both) > 0) {
    refuse(sprintf("%s cannot be an instrument: it is in the formula.", list_words(sQuote(both, FALSE))),
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
  names <- c(names(design$x), names(design$beside))
  told <- function(reasons) paste0(list_some(paste(names(reasons), reasons), 4), ".")
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
  names <- c(names(design$x), names(design$beside))
  lead <- as.integer(parts$constant)
  gone <- which(solved$status[lead + seq_along(solved$of)] != 0L)
  stats::setNames(vapply(gone, function(j) {
    if (solved$status[lead + j] != 1L) return("is a combination of others")
    if (length(sets) > 0) sprintf("does not vary within %s", within_words(sets)) else "does not vary"
  }, ""), names[solved$of[gone]])
}
