# R-squared in words.

# What each R-squared is of, by what was taken out of y.
r_squared_words <- function(fit) {
  of <- r_squared_group(fit)
  within <- if (!is.null(of)) paste("within", plural_of(of))
  c(within = within, swept = paste("within", swept_words(fit$effects)),
    between = if (!is.null(of)) paste("between", plural_of(of)), overall = "overall", effects = "with effects",
    of_changes = "of changes")[names(fit$r_squared)]
}

# The set whose means within and between are about: the entity, or the first set of effects.
r_squared_group <- function(fit) {
  if (!is.null(fit$design$between)) return(fit$design$between)
  entity <- fit$design$index$entity
  sets <- effect_names(fit)
  if (length(sets) == 0 || (!is.null(entity) && entity %in% sets)) return(entity)
  sets[1]
}
