#' @rdname panel_fit
#' @export
anova.panel_fit <- function(object, ...) {
  fits <- list(object, ...)
  if (!is.null(names(fits)) && any(nzchar(names(fits)[-1]))) {
    check_no_dots(..., of = method_call("anova", "It takes fits: `anova(smaller, larger)`."))
  }
  for (f in seq_along(fits)) check_is_fit(fits[[f]], sprintf("argument %d", f))
  if (length(fits) < 2) {
    stop_wavetax("nothing_to_compare", "One fit was given; the F test compares nested ones.",
                 todo = "Give the smaller and the larger: `anova(smaller, larger)`.")
  }
  fits <- fits[order(-vapply(fits, residual_df, 0))]
  for (f in seq_along(fits)[-1]) check_nested(fits[[f - 1]], fits[[f]])
  largest <- fits[[length(fits)]]
  df <- vapply(fits, residual_df, 0)
  ssr <- vapply(fits, `[[`, 0, "ssr")
  gained <- c(NA, -diff(df))
  f <- c(NA, -diff(ssr)) / gained / largest$scale
  structure(
    data.frame("Res.Df" = df, RSS = ssr, Df = gained, "Sum of Sq" = c(NA, -diff(ssr)), F = f,
               "Pr(>F)" = stats::pf(f, gained, largest$df$residual, lower.tail = FALSE), check.names = FALSE),
    heading = c("F test of nested models, under classical errors",
                paste0(seq_along(fits), ": ", vapply(fits, nested_words, ""))),
    class = c("nested_test", "anova", "data.frame")
  )
}

residual_df <- function(fit) as.numeric(fit$df$residual)

nested_words <- function(fit) {
  effects <- if (length(fit$effects) > 0) paste0(", effects of ", effects_words(fit$effects))
  paste0(short_text(deparse_words(fit$design$formula)), effects)
}

# Least squares on the same rows, the smaller's regressors and effects among the larger's.
check_nested <- function(small, large) {
  stop_not_nested <- function(found) {
    stop_wavetax("not_nested", found, todo = "The F test is of pooled or fixed effects fits, one within the other.")
  }
  for (fit in list(small, large)) {
    if (!method_of(fit)$nests) stop_not_nested(sprintf("A %s fit is not nested in another.",
        method_words(fit)))
  }
  check_same_data(small, large)
  missing <- setdiff(slope_names(small), names(large$design$x))
  outside <- setdiff(effect_names(small), effect_names(large))
  if (length(missing) == 0 && length(outside) == 0 && small$df$residual > large$df$residual) return(invisible())
  stop_not_nested("The fits are not nested.")
}
