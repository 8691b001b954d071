#' One question, step by step
#'
#' Question answered: *how does the answer move as I let more in?* A fit of the outcome on the
#' focus alone, then one more for each step, with everything before it.
#'
#' @param outcome,focus What is explained, and by what first of all: one-sided formulas, or
#'   text such as `"log(nights)"`.
#' @param steps A list of steps: a one-sided formula adds regressors (`~ storms + fuel`); the
#'   words `"entity"`, `"period"` and `"both"` or `list(effects = ~ coast:season)` add fixed
#'   effects. Names of the list name the fits.
#' @param data A [panel_frame()] or a data frame.
#' @param ... What [fit_pooled()] and [fit_fixed()] take: `weights`, `errors`, `rows`.
#' @return A named list of fits, which [spec_table()] takes: [fit_pooled()] until effects come
#'   in, [fit_fixed()] from then on.
#' @section Errors:
#' `wavetax_error_steps` when a step is neither, and those of the fits.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' ladder <- spec_ladder("log(nights)", "levy", list(~ storms + fuel, "entity", "period"), panel)
#' spec_table(ladder, terms = "levy")
#' @export
spec_ladder <- function(outcome, focus, steps, data, ...) {
  env <- if (rlang::is_formula(focus)) environment(focus) else parent.frame()
  left <- one_side(outcome, "outcome")
  right <- one_side(focus, "focus")
  if (!is.list(steps)) steps <- list(steps)
  effects <- character()
  fits <- list(ladder_fit(left, right, effects, data, env, ...))
  names <- deparse_words(right)
  for (s in seq_along(steps)) {
    step <- steps[[s]]
    added <- step_effects(step, data)
    effects <- c(effects, added)
    if (is.null(added)) right <- call("+", right, one_side(step, sprintf("step %d", s)))
    fits <- c(fits, list(ladder_fit(left, right, effects, data, env, ...)))
    names <- c(names, step_name(step, names(steps)[s], added))
  }
  stats::setNames(fits, make.unique(names, sep = " "))
}

ladder_fit <- function(left, right, effects, data, env, ...) {
  formula <- rlang::new_formula(left, right, env = env)
  if (length(effects) == 0) return(fit_pooled(formula, data, ...))
  fit_fixed(formula, data, effects = stats::reformulate(effects, env = env), ...)
}

one_side <- function(x, what) {
  if (rlang::is_formula(x, lhs = FALSE)) return(rlang::f_rhs(x))
  if (is.character(x) && length(x) == 1) return(parse_one_expression(x))
  stop_wavetax("steps", sprintf("The %s is neither a one-sided formula nor text.", what),
               todo = "Write `~ storms + fuel`; effects as \"entity\", \"period\" or `list(effects = ~ coast)`.")
}

# Terms of effects that a step adds, or NULL when it adds regressors.
step_effects <- function(step, data) {
  words <- is.character(step) && length(step) == 1 && step %in% c("entity", "period", "both")
  if (!words && !(is.list(step) && identical(names(step), "effects"))) return(NULL)
  effects <- if (words) step else step$effects
  if (rlang::is_formula(effects)) return(attr(stats::terms(effects), "term.labels"))
  sprintf("`%s`", vapply(effect_sets(effects, data), `[[`, "", "name"))
}

step_name <- function(step, given, added) {
  if (length(given) == 1 && !is.na(given) && nzchar(given)) return(given)
  if (!is.null(added)) return(paste("+", paste(gsub("`", "", added), collapse = " + "), "effects"))
  paste("+", deparse_words(one_side(step, "step")))
}
