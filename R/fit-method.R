# What sets one estimator apart from the others, besides its numbers: a descriptor, kept in the
# estimator's own file as `method_<name>()`. Printing, tables, tests, predictions and the command line
# ask it and never the method's name. A list of
#   name        the door is fit_<name>(), the class panel_fit_<name>
#   words       in a sentence: "a fixed effects fit"
#   title       function(fit): the first words of its print
#   row         function(design): the noun of one of its rows
#   estimate    function(request): the fit
#   arguments   what the door takes beside formula, data, errors and rows
#   effects     "none", "fixed" (swept out) or "random" (drawn, and shrunken)
#   sets        how many sets of effects it takes, and whether with trends: list(most, trends)
#   constant    how the constant is reported: "shown", "aside" (effects are deviations from it) or
#               "drift" (of changes)
#   assumes     how much it assumes of the effects, in the order of Hausman's test: the more, the
#               greater; NA where that test does not take it
#   nests       whether F tests of nested fits take it: least squares of the rows as they are or swept
#   estimate_several  the same of several requests that differ by their outcome, a list of fits; NULL where one by one
#   estimate_pieces   the same of a source that is read piece by piece; NULL where there is none
#   r_squared   the kinds that a table of specifications shows
#   weighted    function(variance): whether it takes weights under a method of variance components, and does not only
#               say why not
#   levels      whether its rows are those of the data, with periods of their own
#   varies      NULL, or function(x): changes of these fields by what the fit, record or request x is

new_fit_method <- function(name, words, title, estimate, arguments, row = function(design) "row", effects = "none",
                           sets = list(most = 0, trends = FALSE), constant = "shown", assumes = NA, nests = FALSE,
                           estimate_several = NULL, estimate_pieces = NULL,
                           r_squared = c("within", "swept", "overall"), levels = TRUE,
                           weighted = function(variance) TRUE, varies = NULL) {
  list(name = name, words = words, title = title, estimate = estimate, arguments = arguments, row = row,
       effects = effects, sets = sets, constant = constant, assumes = assumes, nests = nests,
       estimate_several = estimate_several, estimate_pieces = estimate_pieces, r_squared = r_squared, levels = levels,
       weighted = weighted, varies = varies)
}

# In the order in which they are told of.
fit_method_names <- c("pooled", "between", "fixed", "random", "difference", "correlated", "gls", "instrumented")

fit_method <- function(name) get(paste0("method_", name), mode = "function")()

# That of a fit, a record of one, or a request.
method_of <- function(x) {
  method <- fit_method(x$method)
  changes <- if (!is.null(method$varies)) method$varies(x)
  method[names(changes)] <- changes
  method
}

# What kind of model a fit is of: the name of its method, instrumented or not.
model_kind <- function(fit) if (is.null(fit$instrumented)) fit$method else fit$instrumented$model

has_effects <- function(x) {
  if (inherits(x, "panel_fit")) return(x$df$effects > 0)
  length(x$effects) > 0 && !identical(x$effects, "none")
}

method_words <- function(fit) method_of(fit)$words

# The first words of its print, with what is said of its disturbances.
fit_title <- function(fit) {
  paste0(method_of(fit)$title(fit), if (!is.null(fit$serial)) ", AR(1) disturbances")
}

# The names of those that have a trait.
methods_with <- function(has) Filter(function(name) has(fit_method(name)), fit_method_names)

fit_door <- function(name) get(paste0("fit_", name), mode = "function")
