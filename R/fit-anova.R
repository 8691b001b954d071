#' @rdname panel_fit
#' @export
anova.panel_fit <- function(object, ...) {
  check_without_instruments(object, "An F test by sums of squares", "Use `test_joint(fit, terms)`.")
  fits <- list(object, ...)
  if (!is.null(names(fits)) && any(nzchar(names(fits)[-1]))) {
    check_no_dots(..., of = method_call("anova", "It takes fits: `anova(smaller, larger)`."))
  }
  for (f in seq_along(fits)) check_is_fit(fits[[f]], sprintf("argument %d", f))
  if (length(fits) == 1) return(terms_in_turn(object))
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
    class = c("nested_test", "terms_tested", "anova", "data.frame")
  )
}

# What each term adds to those before it: the squares of the outcome's coordinates in the orthonormal basis that the
# columns make in their order.
terms_in_turn <- function(fit) {
  if (!method_of(fit)$nests) {
    stop_wavetax("not_nested",
                 sprintf("Sums of squares in turn are of pooled or fixed effects fits, not of %s %s fit.",
                         article_of(method_words(fit)), method_words(fit)),
                 todo = "`test_joint(fit, term)` tests terms of any fit.")
  }
  terms <- kept_terms(fit)
  along <- drop(fit$regression$frame$upper %*% kept_estimates(fit))
  labels <- labels(fit)
  of <- labels[fit$design$blueprint$assign[match(terms, names(fit$design$x))]]
  of[is.na(of)] <- ""
  own <- factor(of, labels)
  squares <- c(as.vector(tapply(along^2, own, sum, default = 0)), fit$ssr)
  df <- c(as.vector(table(own)), residual_df(fit))
  f <- c(utils::head(squares / df, -1) / fit$scale, NA)
  f[df == 0] <- NA
  effects <- if (length(fit$effects) > 0) paste0(", after the effects of ", effects_words(fit$effects))
  structure(
    data.frame(Df = df, "Sum Sq" = squares, "Mean Sq" = squares / df, "F value" = f,
               "Pr(>F)" = stats::pf(f, df, residual_df(fit), lower.tail = FALSE),
               row.names = c(labels, "Residuals"), check.names = FALSE),
    heading = c(paste0("Terms in turn", effects, ", under classical errors"),
                short_text(deparse_words(fit$design$formula))),
    class = c("terms_in_turn", "terms_tested", "anova", "data.frame")
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
