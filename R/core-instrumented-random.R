# Variance components of instrumented random effects, of a state of [x, z, y], k columns x: letters as in
# core-variance.R.

# The columns that vary within groups, see core_instrument_parts().
core_swept_parts <- function(state, k, endogenous) {
  all_rows <- core_merge_within(state, core_group_triangle(state, sqrt(state$weight)))
  core_instrument_parts(state$within, k, endogenous, FALSE, sqrt(colSums(all_rows^2))[-1])
}

# sigma2_e of the swept two-stage least squares, its slopes b by column of x, and df.
core_swept_two_stage <- function(state, within) {
  done <- core_two_stage(within)
  of_x <- c(within$kept$exogenous, within$kept$endogenous)
  df <- state$n - sum(state$weight > 0) - length(of_x)
  b <- numeric(within$k)
  b[of_x] <- done$b
  list(sigma2_e = done$ssr / df, df = df, b = b, of = of_x, bread = done$bread)
}

# e'(P - B)e of e = y - x'b with the swept slopes, B the projection on the constant and the regressors fixed in time
# (Amemiya 1971):
#   E e'(P - B)e = s2_e (N - rank B + tr((X^'QX^)^-1 X'(P - B)X)) + s2_u tr D'(P - B)D
core_instrumented_amemiya <- function(state, within, constant) {
  swept <- core_swept_two_stage(state, within)
  k <- within$k
  status <- integer(k)
  status[within$x$of] <- within$x$status
  between <- core_group_triangle(state, sqrt(state$weight))
  between <- between[, c(1L, 1L + seq_len(k), ncol(between)), drop = FALSE]
  order <- order(swept$of)
  upper <- if (length(order) > 0) chol(chol2inv(chol(swept$bread[order, order, drop = FALSE]))) else matrix(0, 0, 0)
  form <- core_mean_form(between, status, swept$b, upper, constant)
  trace <- core_trace(core_mean_gram(state, form$first, form$kept, state$weight))
  N <- sum(state$weight > 0)
  df <- N - length(form$kept)
  list(sigma2_e = swept$sigma2_e, df_within = swept$df, df_between = df,
       sigma2_u = (form$value - swept$sigma2_e * (df + form$spread)) / (sum(state$weight) - trace))
}

# The between residuals of two-stage least squares set equal to their expectation as if its fitted regressors were given
# (Swamy & Arora 1972; Baltagi & Li 1992).
core_instrumented_between <- function(state, within, k, endogenous, constant) {
  swept <- core_swept_two_stage(state, within)
  between <- core_group_triangle(state, sqrt(state$weight))
  norms <- sqrt(colSums(between^2))[-1]
  parts <- core_instrument_parts(between[, core_used_columns(state, constant), drop = FALSE], k, endogenous, constant,
                                 norms)
  done <- core_two_stage(parts)
  inside <- seq_len(parts$inside)
  kept <- c(if (constant) 1L, 1L + c(parts$kept$exogenous, parts$kept$instruments))
  gram <- core_mean_gram(state, list(upper = parts$triangle[inside, inside, drop = FALSE]), kept, state$weight)
  N <- sum(state$weight > 0)
  K <- length(done$b)
  list(sigma2_e = swept$sigma2_e, df_within = swept$df, df_between = N - K,
       sigma2_u = (done$ssr - (N - K) * swept$sigma2_e) /
         (sum(state$weight) - core_trace(crossprod(done$hat, gram %*% done$hat))))
}
