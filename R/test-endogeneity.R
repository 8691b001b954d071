#' Did the regressors need instruments?
#'
#' Question answered: *do least squares and the instruments tell different slopes, so that the regressors answer to the
#' outcome?*
#'
#' What the instruments leave of the m endogenous columns is added to least squares; Wald's statistic of its
#' coefficients over m is referred to F(m, df). With clustered errors of one kind the covariance is CR3 and the
#' reference F(m, G - 1); other errors are their own.
#'
#' Null: the regressors are exogenous, if the instruments are valid. A large p does not show that they are: weak
#' instruments tell nothing.
#'
#' @inheritParams test_strength
#' @param ... Takes nothing; what is misspelt is told.
#' @return A `panel_test` whose `table` has the coefficient of what the instruments leave of each column: `endogenous`,
#'   `estimate` (least squares' slope less the instruments'), `std_error`, `p_value`.
#' @section Size:
#' True nulls rejected at 5 percent with clusters: 3 to 7 percent (`docs/instruments.md` of the sources). Classical
#' errors reject in 11 to 28 percent of clustered cases.
#' @section Errors:
#' `wavetax_error_method` of a fit without instruments; `wavetax_error_too_few_clusters`.
#' @references Wu, D.-M. (1973), *Econometrica* 41. Hausman, J. A. (1978), *Econometrica* 46.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fit <- fit_instrumented(log(nights) ~ levy + storms + log(berths), panel, endogenous = ~ log(berths),
#'                         instruments = ~ relief)
#' test_endogeneity(fit)
#' @export
test_endogeneity <- function(fit, level = 0.05, ...) {
  check_own_arguments(..., of = test_endogeneity, name = "test_endogeneity()")
  check_is_instrumented(fit, "A test of endogeneity")
  check_keeps_rows(fit, "rows to test")
  facts <- fit$instrumented
  m <- length(facts$endogenous)
  done <- left_of_endogenous(fit)
  if (!is.null(done$clusters) && m >= done$clusters) {
    stop_too_few_clusters(sprintf("%s for %s.", count_of(done$clusters, "cluster"), count_of(m, "endogenous column")))
  }
  value <- sum(done$estimate * solve(done$covariance, done$estimate)) / m
  std_error <- sqrt(diag(done$covariance))
  new_panel_test(
    title = sprintf("Endogeneity of %s", list_words(facts$endogenous)),
    question = "do least squares and the instruments tell different slopes?",
    statistic = c(F = value), parameter = c("numerator df" = m, "denominator df" = done$df),
    p_value = stats::pf(value, m, done$df, lower.tail = FALSE),
    null = sprintf("%s %s exogenous: what the instruments leave of %s adds nothing", list_words(facts$endogenous),
                   if (m == 1) "is" else "are", if (m == 1) "it" else "them"),
    alternative = sprintf("%s to the outcome", if (m == 1) "it answers" else "they answer"),
    verdicts = c("least squares is off, if the instruments are valid.",
                 "no sign that instruments were needed; weak ones would show none."),
    of = fit, distribution = list(name = "F", df = c(m, done$df)), level = level,
    table = endogeneity_table(facts$endogenous, done$estimate, std_error, done$df),
    notes = if (!is.null(done$by)) sprintf("Covariance clustered by %s (CR3).", done$by) else
      sprintf("Standard errors %s.", fit$errors$label)
  )
}

endogeneity_table <- function(endogenous, estimate, std_error, df) {
  like <- c("estimate", "std_error")
  typed_table(
    data.frame(endogenous = endogenous, estimate = estimate, std_error = std_error,
               p_value = 2 * stats::pt(-abs(estimate / std_error), df)),
    list(typed_column("endogenous", "", "text"),
         typed_column("estimate", "least squares less instrumented", "estimate", like),
         typed_column("std_error", "std. error", "estimate", like), typed_column("p_value", "p", "p"))
  )
}

# The coefficients of what the instruments leave of the endogenous columns: list(estimate, covariance, df; by, clusters
# where it is CR3).
left_of_endogenous <- function(fit) {
  parts <- fit$instrumented$reduced$parts
  done <- augmented_regression(parts)
  estimate <- done$estimate[done$last]
  clusters <- form_clusters(fit)
  if (!is.null(clusters)) {
    found <- function(M, live) {
      G <- live_groups(clusters$groups, live)$count
      list(estimate = estimate, covariance = M, df = G - 1, clusters = G, by = clusters$name)
    }
    live <- live_rows(fit)
    # What is nested in clusters is so on fewer rows too.
    if (all(nested_effects(fit, clusters$groups, live))) {
      of_residual <- core_of_residual(done$residual, core_residual_factor(parts, coefficients_by_part(fit)$b))
      walked <- core_walk_adjusted(error_walk(whole_of(fit)), clusters$groups, done$Q, of_residual,
                                   t(done$back[done$last, , drop = FALSE]), idle_residual(fit))
      if (!anyNA(walked$scores)) {
        return(found(core_score_products(walked$scores), live_of_all(fit, rows_walk(fit), live, walked$idle)))
      }
    }
    live <- all_live_rows(fit)
    nested <- nested_effects(fit, clusters$groups, live)
    basis <- instrumented_basis(fit, nested)
    if (is.null(basis)) stop_many_crossing("CR3 of this test", clusters$name)
    width <- nrow(done$Q)
    e <- drop(basis$s %*% done$residual)
    z <- cbind(basis$d, basis$s[, seq_len(width), drop = FALSE] %*% done$Q)
    pick <- rbind(matrix(0, ncol(basis$d), parts$m), t(done$back[done$last, , drop = FALSE]))
    M <- core_adjusted_scores(list(z = z, e = e, pick = pick), clusters$groups, "inverse")$products
    return(found(M, live))
  }
  whole <- whole_of(fit)
  errors <- compute_errors(stage_errors(fit), augmented_fit(whole, done, parts))
  root <- done$back[done$last, , drop = FALSE] %*% t(done$Q)
  if (has_swept_effects(fit)) root <- cbind(0, root)
  meat <- if (is.matrix(errors$meat)) errors$meat else diag(errors$meat, ncol(root))
  list(estimate = estimate, covariance = core_covariance(root, meat), df = min(errors$df))
}

# The augmented regression as a fit whose errors can be computed.
augmented_fit <- function(whole, done, parts) {
  facts <- whole$instrumented
  m <- parts$m
  swept <- has_swept_effects(whole)
  lead <- as.integer(parts$constant)
  at <- core_instrument_places(parts)
  x1 <- facts$stored$z[seq_len(parts$beside - lead)]
  z2 <- setdiff(facts$stored$z, x1)
  x2 <- facts$stored$both[seq_len(m)]
  b <- done$estimate
  left <- b[done$last]
  gamma <- facts$reduced$gamma[, seq_len(m), drop = FALSE]
  residual <- numeric(length(whole$regression$residual))
  residual[length(residual)] <- 1
  residual[x1] <- -b[lead + seq_along(x1)] + drop(gamma[lead + seq_along(x1), , drop = FALSE] %*% left)
  residual[z2] <- drop(gamma[lead + length(x1) + seq_along(z2), , drop = FALSE] %*% left)
  residual[x2] <- -(b[lead + length(x1) + seq_len(m)] + left)
  out <- whole
  out["instrumented"] <- list(NULL)
  out$method <- if (swept) "fixed" else facts$model
  out$regression$residual <- residual
  out$regression$hat <- if (swept) rbind(0, done$Q) else done$Q
  root <- done$back %*% t(done$Q)
  out$regression$root <- if (swept) core_block_diagonal(1, root) else root
  own <- names(whole$design$x)
  names <- c(own[x1], own[x2], sprintf("left of %s", own[x2]))
  out$coefficients <- data.frame(
    term = c(if (has_constant(whole)) constant_term, names), estimate = 0,
    role = c(if (has_constant(whole)) "constant", rep("slope", length(names))), status = "kept", reason = ""
  )
  out$coefficients$combination <- rep(list(NULL), nrow(out$coefficients))
  out$df$residual <- whole$df$residual - m
  out$ssr <- sum(done$residual^2)
  out$scale <- out$ssr / out$df$residual
  out
}
