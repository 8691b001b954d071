# Instrumented random effects beside means of what is exogenous: from Mundlak's regression to instruments.

check_random_instruments <- function(fit, type, draws) {
  if (fit$instrumented$model != "random") {
    stop_wavetax(c("other_fit", "method"),
                 "Mundlak's test of instruments needs random effects, and this fit has none.",
                 todo = "Estimate it: `update(fit, model = \"random\")`.")
  }
  if (type != "CR3") {
    stop_wavetax(c("instrumented", "errors"), "CR2 of an instrumented fit is not given.",
                 todo = "Use `type = \"CR3\"`.")
  }
  if (!is.null(draws)) {
    check_without_instruments(fit, "A simulated p", "Leave `draws` out: CR3 keeps its size in few clusters.")
  }
  check_keeps_rows(fit, "rows to estimate again")
}

# The random fit with the groups' means of exogenous regressors and of instruments that vary within added as regressors,
# theta held, under `errors`.
with_instrument_means <- function(fit, errors) {
  design <- fit$design
  set <- fit$effects[[1]]
  groups <- set$groups
  facts <- fit$instrumented
  columns <- c(design$x, design$beside)[facts$stored$z]
  sizes <- pmax(groups$sizes, 1L)
  means <- lapply(columns, function(v) (core_group_sums(v, groups$codes, groups$count) / sizes)[groups$codes])
  varies <- unlist(Map(function(v, mean) any(abs(v - mean) > 1e-9 * max(abs(v))), columns, means))
  names(means) <- sprintf("mean(%s)", names(columns))
  endogenous <- match(facts$endogenous, names(design$x))
  wide <- change_design(design, x = c(design$x, means[varies]))
  request <- with_model(request_again(fit))
  request["errors"] <- list(errors)
  request$keep <- "rows"
  rows <- random_instrumented_rows(wide, set, endogenous, request$options$variance, fit$variance)
  parts <- core_instrument_parts(rows$factor, length(wide$x), endogenous, rows$constant, rows$norms)
  check_instrument_parts(parts, wide, NULL)
  out <- solve_instrumented(request, wide, list(set), rows, parts)
  out$coefficients$role[out$coefficients$term %in% names(means)] <- "mean"
  out
}
