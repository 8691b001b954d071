# Hausman's test of the columns of a table.

# For each random effects fit the test against the first fixed effects fit that it can be tested against, those of
# the same sets of effects first: list(cells, against, by column, why), why where there is none.
hausman_facts <- function(fits) {
  effects <- vapply(fits, function(fit) {
    if (inherits(fit, "panel_fit") && !is.na(method_of(fit)$assumes)) method_of(fit)$effects else "not to test"
  }, character(1))
  fixed <- names(fits)[effects == "fixed"]
  random <- names(fits)[effects == "random"]
  if (length(fixed) == 0 || length(random) == 0) {
    stop_wavetax(
      "nothing_to_compare", "A Hausman test needs a fixed and a random effects fit in the table.",
      todo = "Add the one that is missing, or leave `hausman` out; saved fits cannot be tested."
    )
  }
  sets <- lapply(fits, effect_names)
  found <- lapply(stats::setNames(random, random), function(model) {
    refused <- NULL
    for (one in fixed[order(!vapply(fixed, function(one) setequal(sets[[one]], sets[[model]]), TRUE))]) {
      test <- tryCatch(test_hausman(fits[[one]], fits[[model]]), wavetax_error = function(cnd) cnd)
      if (!inherits(test, "condition")) return(list(p = test$p.value, against = one))
      if (is.null(refused)) refused <- test
    }
    list(p = NA_real_, refused = refused)
  })
  told <- vapply(found, function(one) !is.null(one$against), TRUE)
  if (!any(told)) rlang::cnd_signal(found[[1]]$refused)
  list(
    facts = new_fact(random, "Hausman p", "tests", p_cells(vapply(found, `[[`, 0, "p"))),
    against = vapply(found[told], `[[`, "", "against"),
    why = vapply(found[!told], function(one) first_line(one$refused), "")
  )
}
