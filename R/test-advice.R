# What tests and diagnoses advise of the errors of a fit.

# Errors that allow for serial correlation: clusters of entities where there are enough of them, else Newey-West's with
# its default lag.
repair_words <- function(fit) {
  entity <- fit$design$index$entity
  count <- column_groups(fit$design, entity)$count
  if (count >= 2) {
    return(sprintf("cluster by %s, `with_errors(fit, se_clustered(%s%s))`", entity, formula_text(entity),
                   if (count < few_clusters) ", \"CR2\", df = \"satterthwaite\"" else ""))
  }
  lags <- core_default_lags(fit$n)
  sprintf("use Newey-West errors, `with_errors(fit, se_newey_west())` with %s", count_of(lags, "lag"))
}

# A column as a formula in text, whatever its name.
formula_text <- function(names) {
  paste("~", paste(code_name(names), collapse = " + "))
}
