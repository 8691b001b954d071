# The terms of a fit, and the words for its effects.

constant_term <- "(Intercept)"

# Terms with an estimate, the constant among them.
kept_terms <- function(fit) fit$coefficients$term[fit$coefficients$status == "kept"]

# Estimates by name, the constant first where there is one.
kept_estimates <- function(fit) {
  kept <- fit$coefficients[fit$coefficients$status == "kept", ]
  stats::setNames(kept$estimate, kept$term)
}

# Which of the kept terms coef() gives: a constant from which effects deviate is apart.
shown_terms <- function(fit) kept_terms(fit) != constant_term | method_of(fit)$constant != "aside"

slope_names <- function(fit) setdiff(kept_terms(fit), constant_term)

has_constant <- function(fit) fit$regression$constant

constant_of <- function(fit) if (has_constant(fit)) fit$coefficients$estimate[1] else 0

dropped_terms <- function(fit) {
  out <- fit$coefficients[fit$coefficients$status == "dropped", c("term", "reason")]
  rownames(out) <- NULL
  out
}

effect_names <- function(fit) vapply(fit$effects, `[[`, "", "name")

# "harbours", or of several sets "harbours and seasons"
within_words <- function(effects) list_words(plurals_of(vapply(effects, `[[`, "", "name")))

plurals_of <- function(nouns) vapply(nouns, plural_of, "", USE.NAMES = FALSE)

# The same with what more is taken out than levels: "harbours and their trends".
swept_words <- function(effects) {
  list_words(vapply(effects, function(set) {
    name <- plural_of(set$name)
    if (length(set$trends) == 0) name else if (set$intercept) paste(name, "and their trends") else
      sprintf("trends of %s", name)
  }, ""))
}

name_both <- function(m, names) {
  dimnames(m) <- list(names, names)
  m
}

has_swept_effects <- function(fit) method_of(fit)$effects == "fixed" && length(fit$effects) > 0

# Whether its disturbances follow AR(1).
is_serial <- function(fit) !is.null(fit$serial)
