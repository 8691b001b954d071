#' One question, step by step
#'
#' Question answered: *how does the answer move as I let more in?* A fit of a first equation,
#' then one more for each step, with everything before it.
#'
#' @param formula The first equation: `log(nights) ~ levy`.
#' @param steps A list of steps, or one of them: a one-sided formula adds regressors
#'   (`~ storms + fuel`); `"entity"`, `"period"`, `"both"`, or `list(effects = ~ coast:season)`
#'   (anything that `effects =` of [fit_fixed()] takes) adds fixed effects; one of the words
#'   `"between"`, `"random"`, `"difference"`, `"correlated"` estimates the equation so far by that
#'   method. Names of the list name the fits.
#' @param data A [panel_frame()] or a data frame.
#' @param ... What every fit takes: `weights`, `errors`, `rows`, `serial`.
#' @return A named list of fits, which [spec_table()] takes: [fit_pooled()] until effects come
#'   in, [fit_fixed()] from then on.
#' @section Errors:
#' `wavetax_error_steps` when a step is none of these, and those of the fits.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' steps <- list(~ storms + fuel, "entity", "period", "random")
#' spec_table(spec_ladder(log(nights) ~ levy, steps, panel), terms = "levy")
#' @export
spec_ladder <- function(formula, steps, data, ...) {
  if (missing(data)) stop_argument("data", "missing", "Give the formula, the steps, then the data.")
  check_formula(formula, data)
  check_is_table(data)
  steps <- ladder_steps(steps)
  check_ladder_options(...)
  state <- list(formula = formula, effects = list())
  fits <- list(ladder_fit(state, NULL, data, ...))
  names <- deparse_words(formula[[3]])
  for (s in seq_along(steps)) {
    taken <- take_step(state, steps[[s]], s, data)
    state <- taken$state
    fits <- c(fits, list(ladder_fit(state, taken$method, data, ...)))
    given <- names(steps)[s]
    names <- c(names, if (length(given) == 1 && !is.na(given) && nzchar(given)) given else taken$name)
  }
  stats::setNames(fits, make.unique(names, sep = " "))
}

# What every step's fit takes.
check_ladder_options <- function(...) {
  given <- ...names()
  known <- c("weights", "errors", "rows", "keep", "serial")
  if (...length() == 0 || all(given %in% known)) return(invisible())
  stop_argument("...", "not understood", sprintf("Every step takes %s.", list_words(sprintf("`%s =`", known))))
}

ladder_steps <- function(steps) {
  if (rlang::is_formula(steps) || is_one_text(steps)) return(list(steps))
  if (is.list(steps) && identical(names(steps), "effects")) return(list(steps))
  if (is.list(steps) && !is.data.frame(steps) && length(steps) > 0) return(steps)
  stop_steps(sprintf("`steps` is %s.", value_words(steps)))
}

# A step that names a method is a fit of another kind; pooled and fixed are what effects make.
ladder_methods <- function() methods_with(function(method) !method$nests)

# The equation and effects after a step, the method it asks for, and its name.
take_step <- function(state, step, s, data) {
  if (is_one_text(step) && step %in% ladder_methods() && !step %in% names(data)) {
    return(list(state = state, method = step, name = step))
  }
  if (rlang::is_formula(step, lhs = FALSE)) {
    state$formula[[3]] <- call("+", state$formula[[3]], rlang::f_rhs(step))
    return(list(state = state, name = paste("+", deparse_words(rlang::f_rhs(step)))))
  }
  effects <- if (is.list(step) && identical(names(step), "effects")) step$effects else step
  if (!is_one_text(effects) && !rlang::is_formula(effects, lhs = FALSE)) {
    stop_steps(sprintf("Step %d is %s.", s, value_words(step)))
  }
  sets <- effect_sets(effects, data)
  added <- if (rlang::is_formula(effects)) list(rlang::f_rhs(effects)) else
    lapply(sets, function(set) combination_call(set$columns))
  state$effects <- c(state$effects, added)
  list(state = state, name = paste("+", paste(vapply(sets, set_words, ""), collapse = " + "), "effects"))
}

ladder_fit <- function(state, method, data, ...) {
  fit <- if (is.null(method)) fit_pooled else fit_door(method)
  if (!is.null(method) || length(state$effects) == 0) return(fit(state$formula, data, ...))
  effects <- rlang::new_formula(NULL, Reduce(function(a, b) call("+", a, b), state$effects), env = baseenv())
  fit_fixed(state$formula, data, effects = effects, ...)
}

stop_steps <- function(found) {
  stop_wavetax("steps", found, todo = c(
    "A step adds regressors, `~ x2 + x3`, or effects, \"entity\", \"period\", \"both\" or `list(effects = ~ region)`,",
    sprintf("or names a method: %s.", list_words(dQuote(ladder_methods(), FALSE)))
  ))
}
