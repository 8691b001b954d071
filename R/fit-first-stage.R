# The first stage of an instrumented fit, as a fit whose errors can be computed: the regression of a combination of
# the endogenous columns, `by` their weights (and the outcome's), on exogenous regressors and instruments.
stage_of <- function(fit, by, of_instruments = TRUE) {
  facts <- fit$instrumented
  regression <- fit$regression
  view <- core_stage_view(regression, facts$reduced, facts$stored, by, of_instruments)
  names <- c(names(fit$design$x), names(fit$design$beside))[facts$stored$z]
  lead <- has_constant(fit)
  n_terms <- length(view$coefficients)
  regression[c("residual", "regressors", "root", "frame")] <- view[c("residual", "regressors", "root", "frame")]
  stage <- fit
  stage["instrumented"] <- list(NULL)
  stage$regression <- regression
  stage$coefficients <- data.frame(
    term = c(if (lead) constant_term, names), estimate = view$coefficients,
    role = c(if (lead) "constant", rep("slope", length(names))), status = "kept", reason = "",
    combination = I(rep(list(NULL), n_terms))
  )
  stage$ssr <- sum((facts$reduced$left %*% by)^2)
  stage$df$residual <- stage_df(fit)
  stage$scale <- stage$ssr / stage$df$residual
  stage
}

stage_df <- function(fit) fit$n - fit$df$effects - nrow(fit$instrumented$reduced$upper)

# The covariance of the moments of instruments less X1, in orthonormal coordinates, of what the instruments leave of
# the combination, under the fit's errors: list(W, df, and clusters where joint tests go by their number).
stage_moments <- function(fit, by, spec = fit$errors$spec, of_instruments = TRUE) {
  stage <- stage_of(fit, by, of_instruments)
  errors <- compute_errors(spec, stage)
  l <- length(fit$instrumented$instruments)
  size <- nrow(stage$regression$root)
  meat <- if (is.matrix(errors$meat)) errors$meat else diag(errors$meat, size)
  at <- size - rev(seq_len(l)) + 1L
  list(W = meat[at, at, drop = FALSE], df = errors$df[1],
       clusters = if (identical(errors$joint, "clusters")) min(errors$clusters))
}

# How strong the instruments of one endogenous column are: a row of test_strength()'s table.
stage_strength <- function(fit, j) {
  facts <- fit$instrumented
  m <- length(facts$endogenous)
  by <- replace(numeric(m + 1L), j, 1)
  told <- facts$reduced$told[, j]
  found <- stage_moments(fit, by)
  df <- found$df
  one <- core_strength(told, found$W)
  l <- length(told)
  joint <- if (is.null(found$clusters)) c(one$f, df) else
    c(one$f * (found$clusters - l) / (found$clusters - 1), found$clusters - l)
  all <- sum(told^2) + sum((facts$reduced$left %*% by)^2)
  data.frame(
    endogenous = facts$endogenous[j], f = joint[1], df1 = l, df2 = joint[2],
    p_value = stats::pf(joint[1], l, joint[2], lower.tail = FALSE), effective_f = one$effective,
    critical = core_strength_critical(told, found$W, df, 0.1),
    middling = core_strength_critical(told, found$W, df, 0.3),
    weak_p = stats::pf(one$effective, one$K, df, ncp = one$centrality, lower.tail = FALSE),
    partial_r_squared = sum(told^2) / all
  )
}

# The values of the one endogenous coefficient that Anderson and Rubin's test does not reject: a data frame `low`,
# `high`, a row a piece, none where no value fits.
anderson_rubin_set <- function(fit, level = 0.95) {
  facts <- fit$instrumented
  l <- length(facts$instruments)
  told <- facts$reduced$told
  d <- stage_df(fit)
  spec <- fit$errors$spec
  if (inherits(spec, "se_classical")) {
    # u'Pu / l over u'Mu / d: the covariance is u'Mu / d times the identity.
    left <- crossprod(facts$reduced$left) / d
    identity <- diag(l)
    S <- list(xx = left[1, 1] * identity, xy = left[1, 2] * identity, yy = left[2, 2] * identity)
    most <- l * stats::qf(level, l, d)
  } else {
    of <- function(by) stage_moments(fit, by, plain_sums_of(spec), of_instruments = FALSE)
    x <- of(c(1, 0))
    y <- of(c(0, 1))
    both <- of(c(1, 1))
    factor <- if (inherits(spec, "se_robust")) fit$n / (d + l) else 1
    S <- list(xx = factor * x$W, yy = factor * y$W, xy = factor * (both$W - x$W - y$W) / 2)
    G <- x$clusters
    f <- if (is.null(G)) stats::qf(level, l, d) else stats::qf(level, l, G - l)
    most <- if (is.null(G)) l * f else G * f * l / (G - l + f * l)
  }
  pieces <- core_values_not_rejected(told, S, most)
  data.frame(low = vapply(pieces, `[`, 0, 1), high = vapply(pieces, `[`, 0, 2))
}

# Whether instruments agree, of those errors: list(statistic, df: one number of chi-squared or two of F; p). Under
# classical errors Sargan's; by rows and clusters J of the two-step method of moments.
instruments_agree <- function(fit) {
  reduced <- fit$instrumented$reduced
  m <- length(fit$instrumented$endogenous)
  l <- length(fit$instrumented$instruments)
  q <- l - m
  df <- stage_df(fit) + l - m
  x <- reduced$told[, seq_len(m), drop = FALSE]
  y <- reduced$told[, m + 1]
  by <- c(-qr.coef(qr(x), y), 1)
  chi <- function(value) list(statistic = value, df = q, p = stats::pchisq(value, q, lower.tail = FALSE))
  spec <- fit$errors$spec
  if (inherits(spec, "se_classical")) {
    told <- drop(reduced$told %*% by)
    return(chi(sum(told^2) * df / (sum(told^2) + sum((reduced$left %*% by)^2))))
  }
  found <- stage_moments(fit, by, plain_sums_of(spec), of_instruments = FALSE)
  J <- core_two_step_distance(x, y, found$W)
  if (is.null(found$clusters)) return(chi(J * df / fit$n))
  G <- found$clusters
  value <- (G - q) / q * J / (G - J)
  list(statistic = value, df = c(q, G - q), p = stats::pf(value, q, G - q, lower.tail = FALSE))
}
