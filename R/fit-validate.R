# What of a solution a fit keeps, see core_solution().
regression_fields <- c("constant", "status", "slopes", "norms", "regressors", "residual", "root", "frame", "centre",
                       "hat")

# Whether a fit is what new_panel_fit() promises: the tests run this on every method. Gives the fit
# back, or stops at the first field that is not as documented.
validate_panel_fit <- function(fit) {
  must <- function(holds, field) {
    if (!isTRUE(holds)) stop_wavetax("not_a_fit", sprintf("The field `%s` of the fit is not as documented.", field))
  }
  method <- method_of(fit)
  must(inherits(fit, c(paste0("panel_fit_", method$name))), "class")
  table <- fit$coefficients
  must(identical(names(table), c("term", "estimate", "role", "status", "reason", "combination")), "coefficients")
  must(!anyDuplicated(table$term) && all(table$role %in% c("constant", "slope", "mean")), "coefficients")
  kept <- table$status == "kept"
  must(all(is.finite(table$estimate[kept])) && all(is.na(table$estimate[!kept])), "coefficients")
  must(all(nzchar(table$reason) == !kept) && all(lengths(table$combination)[kept] == 0), "coefficients")
  must(sum(table$role == "constant") == has_constant(fit) && (!has_constant(fit) || table$role[1] == "constant"),
       "coefficients")
  must(all(unlist(lapply(table$combination, names)) %in% table$term[kept]), "coefficients")
  k <- sum(kept)
  regression <- fit$regression
  of_regressors <- length(fit$design$x)
  must(all(lengths(regression[c("status", "slopes", "norms")]) == of_regressors), "regression")
  must(identical(names(regression), regression_fields), "regression")
  must(length(regression$centre) == length(regression$residual), "regression")
  scored <- ncol(regression$root)
  must(length(regression$regressors) == scored - has_constant(fit), "regression")
  must(nrow(regression$root) == k && (scored == k || !is.null(fit$instrumented) && scored > k), "regression")
  must(identical(dim(regression$frame$upper), c(scored, scored)), "regression")
  must(fit$n > 0 && fit$ssr >= 0 && isTRUE(all.equal(fit$scale, fit$ssr / fit$df$residual)), "scale")
  must(fit$df$residual > 0 && fit$df$effects >= 0 && is.logical(fit$df$exact), "df")
  must((fit$df$effects > 0) == (method$effects == "fixed"), "df")
  must(is.finite(fit$iteration$steps) && is.finite(fit$iteration$achieved), "iteration")
  must(all(is.na(fit$r_squared) | fit$r_squared <= 1), "r_squared")
  must(length(r_squared_words(fit)) == length(fit$r_squared), "r_squared")
  must(is.finite(fit$parameters) && length(fit$log_lik) == 1, "log_lik")
  must((length(fit$effects) > 0) == (method$effects != "none"), "effects")
  for (set in fit$effects) {
    must(all(c("name", "columns", "trends", "intercept", "groups", "level", "slopes") %in% names(set)), "effects")
    must(length(set$groups$labels) == set$groups$count && length(set$groups$sizes) == set$groups$count, "effects")
    must(is.null(set$level) == !set$intercept && all(lengths(set$slopes) == set$groups$count), "effects")
  }
  must(is.null(fit$variance) == (method$effects != "random" && !is_serial(fit) && fit$method != "gls"), "variance")
  for (layer in fit$transform$layers) {
    must(is.matrix(layer$levels) && is.logical(layer$holds_centre), "transform")
    must(is.null(layer$groups$codes) || !keeps_rows(fit) || length(layer$groups$codes) == fit$n, "transform")
  }
  if (keeps_rows(fit)) {
    must(length(fit$design$y) == fit$n && all(lengths(fit$design$x) == fit$n), "design")
    must(isTRUE(all.equal(sum(weighted_residuals(fit)^2), fit$ssr, tolerance = 1e-6)), "ssr")
  }
  validate_errors(fit, must)
  fit
}

validate_errors <- function(fit, must) {
  errors <- fit$errors
  terms <- kept_terms(fit)
  must(identical(dimnames(errors$covariance), list(terms, terms)), "errors$covariance")
  must(isTRUE(all.equal(errors$covariance, t(errors$covariance))), "errors$covariance")
  must(all(errors_df(fit) > 0) && length(errors_df(fit)) == length(terms), "errors$df")
  must(is.null(errors$clusters) || (all(errors$clusters >= 2) && !is.null(names(errors$clusters))), "errors$clusters")
  must(nzchar(errors$label) && inherits(errors$spec, "error_spec"), "errors$label")
}
