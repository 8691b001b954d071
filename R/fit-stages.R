# The first stage of an instrumented fit, as a fit whose errors can be computed: the regression of a combination of
# the endogenous columns, `by` their weights (and the outcome's), on exogenous regressors and instruments.
stage_of <- function(fit, by, of_instruments = TRUE) {
  facts <- fit$instrumented
  regression <- fit$regression
  view <- core_stage_view(regression, facts$reduced, facts$stored, by, of_instruments)
  names <- stored_names(fit$design)[facts$stored$z]
  lead <- has_constant(fit)
  n_terms <- length(view$coefficients)
  regression[c("residual", "regressors", "root", "frame")] <- view[c("residual", "regressors", "root", "frame")]
  stage <- fit
  stage["instrumented"] <- list(NULL)
  # Leverages of the first stage are those of all that it scores.
  regression["hat"] <- list(NULL)
  stage$method <- if (has_swept_effects(fit)) "fixed" else facts$model
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
stage_moments <- function(fit, by, spec = stage_errors(fit), of_instruments = TRUE) {
  stage <- stage_of(fit, by, of_instruments)
  errors <- compute_errors(spec, stage)
  l <- length(fit$instrumented$instruments)
  size <- nrow(stage$regression$root)
  meat <- if (is.matrix(errors$meat)) errors$meat else diag(errors$meat, size)
  at <- size - rev(seq_len(l)) + 1L
  W <- meat[at, at, drop = FALSE]
  clusters <- if (identical(errors$joint, "clusters")) min(errors$clusters)
  check_more_clusters(clusters, l)
  check_moments_vary(W, errors$label)
  list(W = W, df = errors$df[1], clusters = clusters,
       told_once = intersect(fit$instrumented$instruments, errors$told_once))
}

# Moments that are 0 by construction, those of seasons summed by season say, have no covariance.
check_moments_vary <- function(W, label) {
  values <- if (anyNA(W)) 0 else eigen(W, symmetric = TRUE, only.values = TRUE)$values
  if (min(values) > 1e-12 * max(values)) return(invisible())
  stop_wavetax(
    c("no_scores", "instruments", "errors"),
    sprintf("The moments of the instruments, or of a combination of them, do not vary under errors %s.", label),
    todo = "Use errors that are not summed along what the instruments are constant in, or other instruments."
  )
}

# The errors of a first stage: those of the fit, of a bootstrap those whose t it draws.
stage_errors <- function(fit) {
  spec <- fit$errors$spec
  if (inherits(spec, "se_bootstrap")) return(formula_of_bootstrap(spec))
  if (inherits(spec, "se_own")) stop_own_errors("A first stage")
  spec
}

stop_own_errors <- function(what) {
  stop_wavetax(c("own", "errors"),
               sprintf("%s has errors of its own, which a covariance as given does not tell.", what),
               todo = "Use errors that can be computed: `with_errors(fit, se_clustered())`.")
}

# How strong the instruments of each endogenous column are, a row each; of several the conditional F too.
stage_strength <- function(fit) {
  m <- length(fit$instrumented$endogenous)
  table <- do.call(rbind, lapply(seq_len(m), function(j) one_strength(fit, j)))
  if (m == 1) return(table)
  table[c("effective_f", "critical", "middling", "weak_p")] <- NA_real_
  conditional <- lapply(seq_len(m), function(j) conditional_strength(fit, j))
  table$conditional_f <- vapply(conditional, `[[`, 0, "f")
  table$conditional_p <- vapply(conditional, `[[`, 0, "p")
  table
}

one_strength <- function(fit, j) {
  facts <- fit$instrumented
  m <- length(facts$endogenous)
  by <- replace(numeric(m + 1L), j, 1)
  told <- facts$reduced$told[, j]
  found <- stage_moments(fit, by)
  df <- found$df
  check_told_by_several(found$told_once, facts$endogenous[j], fit$errors$label)
  one <- core_strength(told, found$W)
  joint <- joint_f(one$f * length(told), length(told), found)
  all <- sum(told^2) + sum((facts$reduced$left %*% by)^2)
  data.frame(
    endogenous = facts$endogenous[j], f = joint$f, df1 = joint$df1, df2 = joint$df2, p_value = joint$p,
    effective_f = one$effective, critical = core_strength_critical(told, found$W, df, 0.1),
    middling = core_strength_critical(told, found$W, df, 0.3),
    weak_p = stats::pf(one$effective, one$K, df, ncp = one$centrality, lower.tail = FALSE),
    partial_r_squared = sum(told^2) / all, conditional_f = NA_real_, conditional_p = NA_real_
  )
}

# The covariance of clusters does not see what one of them alone tells: the effective F would be of any size.
check_told_by_several <- function(once, endogenous, label) {
  if (length(once) == 0) return(invisible())
  stop_wavetax(
    c("told_once", "instruments", "errors"),
    sprintf("%s %s of %s in one cluster alone, of which errors %s know nothing.", list_some(once),
            if (length(once) == 1) "tells" else "tell", endogenous, label),
    todo = "Leave such instruments out, or use other errors: `with_errors(fit, se_robust())`."
  )
}

# Wald's statistic of q instruments: by the number of clusters, where joint tests go by it.
joint_f <- function(wald, q, found) {
  f <- wald / q
  df2 <- found$df
  if (!is.null(found$clusters)) {
    f <- f * (found$clusters - q) / (found$clusters - 1)
    df2 <- found$clusters - q
  }
  list(f = f, df1 = q, df2 = df2, p = stats::pf(f, q, df2, lower.tail = FALSE))
}

check_more_clusters <- function(clusters, q) {
  if (is.null(clusters) || clusters > q) return(invisible())
  stop_wavetax(c("too_few_clusters", "errors"),
               sprintf("%s for %s: more clusters than instruments are needed.", count_of(clusters, "cluster"),
                       count_of(q, "instrument")),
               todo = "Use fewer instruments, or smaller clusters.")
}

# What instruments tell of one endogenous column beside the others (Sanderson & Windmeijer 2016): list(f, df1, df2, p).
conditional_strength <- function(fit, j) {
  told <- fit$instrumented$reduced$told
  m <- ncol(told) - 1L
  others <- told[, setdiff(seq_len(m), j), drop = FALSE]
  by <- numeric(m + 1L)
  by[j] <- 1
  by[setdiff(seq_len(m), j)] <- -qr.coef(qr(others), told[, j])
  found <- stage_moments(fit, by)
  joint_f(core_two_step_distance(others, told[, j, drop = FALSE], found$W), nrow(told) - m + 1L, found)
}

# Whether the instruments move the endogenous columns apart: Wald's statistic of rank m - 1 of what they tell, residuals
# of unit variance (Kleibergen & Paap 2006), on l - m + 1 degrees of freedom: list(statistic, df, p).
rank_statistic <- function(fit) {
  reduced <- fit$instrumented$reduced
  m <- ncol(reduced$told) - 1L
  l <- nrow(reduced$told)
  of_x <- seq_len(m)
  half <- chol(crossprod(reduced$left[, of_x, drop = FALSE]) / stage_df(fit))
  scaled <- t(backsolve(half, t(reduced$told[, of_x, drop = FALSE]), transpose = TRUE))
  parts <- svd(scaled, nu = l, nv = m)
  by <- c(backsolve(half, parts$v[, m]), 0)
  last <- parts$u[, m:l, drop = FALSE]
  told <- crossprod(last, reduced$told %*% by)
  W <- crossprod(last, stage_moments(fit, by)$W %*% last)
  value <- sum(told * solve(W, told))
  list(statistic = value, df = l - m + 1, p = stats::pchisq(value, l - m + 1, lower.tail = FALSE))
}

# The values of the one endogenous coefficient that Anderson and Rubin's test does not reject: a data frame `low`,
# `high`, a row a piece, none where no value fits.
anderson_rubin_set <- function(fit, level = 0.95) {
  check_sums_alone(fit, "Anderson and Rubin's set")
  facts <- fit$instrumented
  l <- length(facts$instruments)
  told <- facts$reduced$told
  d <- stage_df(fit)
  spec <- stage_errors(fit)
  if (inherits(spec, "se_classical")) {
    # u'Pu / l over u'Mu / d: the covariance is u'Mu / d times the identity.
    left <- crossprod(facts$reduced$left) / d
    identity <- diag(l)
    S <- list(xx = left[1, 1] * identity, xy = left[1, 2] * identity, yy = left[2, 2] * identity)
    most <- l * stats::qf(level, l, d)
  } else {
    G <- NULL
    if (inherits(spec, "se_robust")) {
      S <- moments_by_row(fit)
    } else {
      found <- moments_by_cluster(fit, spec, diag(2))
      G <- found$clusters
      x <- seq_len(l)
      S <- list(xx = found$W[x, x, drop = FALSE], yy = found$W[-x, -x, drop = FALSE], xy = found$W[x, -x, drop = FALSE])
    }
    f <- if (is.null(G)) stats::qf(level, l, d) else stats::qf(level, l, G - l)
    most <- if (is.null(G)) l * f else G * f * l / (G - l + f * l)
  }
  pieces <- core_values_not_rejected(told, S, most)
  data.frame(low = vapply(pieces, `[`, 0, 1), high = vapply(pieces, `[`, 0, 2))
}

# The products behind errors by rows or by clusters, without small-sample factors, of instruments less X1 with one
# combination of the endogenous columns and the outcome: list(W, clusters).
plain_moments <- function(fit, spec, by) {
  if (inherits(spec, "se_robust")) return(stage_moments(fit, by, se_robust("HC0"), of_instruments = FALSE))
  moments_by_cluster(fit, spec, cbind(by))
}

# The covariances of moments of the endogenous column x and the outcome y, both less X1: list(xx, xy, yy). Rows that
# are fitted whatever their outcome do not count.
moments_by_row <- function(fit) {
  of <- function(by) plain_moments(fit, se_robust(), by)$W
  x <- of(c(1, 0))
  y <- of(c(0, 1))
  times <- all_live_rows(fit)$n / (stage_df(fit) + length(fit$instrumented$instruments))
  list(xx = times * x, yy = times * y, xy = times * (of(c(1, 1)) - x - y) / 2)
}

# The products by cluster, on one walk, of instruments less X1 with combinations of the endogenous columns and the
# outcome, columns of `by`, likewise less X1: list(W, of the moments of the first combination, then of the next;
# clusters, how many of them have live rows).
moments_by_cluster <- function(fit, spec, by) {
  parts <- fit$instrumented$reduced$parts
  dimension <- cluster_dimensions(fit, spec)[[1]]
  clusters <- cluster_groups(fit, dimension$columns)
  check_cluster_count(clusters$count, dimension$name, clusters$labels)
  at <- core_instrument_places(parts)
  upper <- core_residual_factor(parts, coefficients_by_part(fit)$b)
  combined <- parts$triangle[, c(at$x2, at$y), drop = FALSE] %*% by
  combined[at$x1, ] <- 0
  walk <- error_walk(whole_of(fit))
  found <- core_walk_combined(walk, clusters, apply(combined, 2, core_of_residual, upper), at$z, idle_residual(fit))
  live <- live_of_all(fit, rows_walk(fit), live_rows(fit), found$idle)
  live_clusters <- live_groups(clusters, live)$count
  check_more_clusters(live_clusters, parts$l)
  W <- core_score_products(found$sums)
  # Each combination with all instruments, whatever their units.
  check_moments_vary(Reduce(`+`, lapply(seq_len(ncol(by)), function(c) {
    of <- (c - 1) * parts$l + seq_len(parts$l)
    W[of, of, drop = FALSE] / core_trace(W[of, of, drop = FALSE])
  })), sprintf("clustered by %s", dimension$name))
  list(W = W, clusters = live_clusters)
}

# Whether instruments agree, of those errors: list(statistic, df: one number of chi-squared or two of F; p). Under
# classical errors Sargan's; by rows and clusters J of the two-step method of moments.
instruments_agree <- function(fit) {
  check_sums_alone(fit, "A test of over-identification")
  reduced <- fit$instrumented$reduced
  m <- length(fit$instrumented$endogenous)
  l <- length(fit$instrumented$instruments)
  q <- l - m
  df <- stage_df(fit) + l - m
  x <- reduced$told[, seq_len(m), drop = FALSE]
  y <- reduced$told[, m + 1]
  by <- c(-qr.coef(qr(x), y), 1)
  chi <- function(value) list(statistic = value, df = q, p = stats::pchisq(value, q, lower.tail = FALSE))
  spec <- stage_errors(fit)
  if (inherits(spec, "se_classical")) {
    told <- drop(reduced$told %*% by)
    return(chi(sum(told^2) * df / (sum(told^2) + sum((reduced$left %*% by)^2))))
  }
  found <- plain_moments(fit, spec, by)
  J <- core_two_step_distance(x, y, found$W)
  if (is.null(found$clusters)) return(chi(J * df / all_live_rows(fit)$n))
  G <- found$clusters
  value <- (G - q) / q * J / (G - J)
  list(statistic = value, df = c(q, G - q), p = stats::pf(value, q, G - q, lower.tail = FALSE))
}

# Errors by rows, by one kind of cluster, or classical ones: what tests of instruments that sum moments up have.
check_sums_alone <- function(fit, what) {
  spec <- stage_errors(fit)
  if (inherits(spec, "se_classical") || weighs_moments(spec)) return(invisible())
  stop_wavetax(c("instruments", "errors"), sprintf("%s is not known under errors %s.", what, fit$errors$label),
               todo = "Use `with_errors(fit, se_clustered())` of one kind of cluster, or `se_robust()`.")
}

# The regression of the outcome on the regressors and what the instruments leave of the endogenous ones, in coordinates
# of [X1, Z2, X2]: list(Q, orthonormal columns of it; back, from these to coefficients, the last m of them of what is
# left; of_y, the outcome's coordinates; estimate, residual).
augmented_regression <- function(parts) {
  at <- core_instrument_places(parts)
  width <- parts$inside + parts$m
  rows <- seq_len(width)
  X <- parts$triangle[rows, c(at$x1, at$x2), drop = FALSE]
  left <- parts$triangle[rows, at$x2, drop = FALSE]
  left[seq_len(parts$inside), ] <- 0
  own <- qr(cbind(X, left), tol = 0, LAPACK = FALSE)
  back <- backsolve(qr.R(own), diag(ncol(X) + parts$m))
  Q <- qr.Q(own)
  y <- parts$triangle[, at$y]
  estimate <- drop(back %*% crossprod(Q, y[rows]))
  residual <- y
  residual[rows] <- y[rows] - drop(Q %*% crossprod(Q, y[rows]))
  list(Q = Q, back = back, estimate = estimate, residual = residual, last = ncol(X) + seq_len(parts$m))
}

# What an instrumented fit tells of its instruments beside its estimates: list(strength, a table; set, that of the one
# endogenous coefficient; agree, of over-identification), NULL where it is not known under its errors; untold, why
# the strength is not.
told_of_instruments <- function(fit) {
  facts <- fit$instrumented
  if (!is.null(fit$errors$instruments_told)) return(fit$errors$instruments_told)
  known <- function(expr) tryCatch(expr, wavetax_error = function(cnd) NULL)
  strength <- tryCatch(stage_strength(fit), wavetax_error = identity)
  untold <- if (inherits(strength, "wavetax_error_told_once")) sub("\\.$", "", strength$message)
  alone <- length(facts$endogenous) == 1
  list(
    strength = if (is.data.frame(strength)) strength, untold = untold, set = if (alone) known(anderson_rubin_set(fit)),
    rank = if (!alone) known(rank_statistic(fit)),
    agree = if (length(facts$instruments) > length(facts$endogenous)) known(instruments_agree(fit))
  )
}

# confint() by Anderson and Rubin's test.
values_not_rejected <- function(fit, parm, level) {
  check_is_instrumented(fit, "Anderson and Rubin's set")
  check_keeps_rows(fit, "sets of values")
  facts <- fit$instrumented
  refuse <- function(found, todo) stop_wavetax(c("instruments", "method"), found, todo = todo)
  if (length(facts$endogenous) > 1) {
    refuse(sprintf("%s are endogenous, and Anderson and Rubin's set is of one.", list_words(facts$endogenous)),
           "Use the interval of the errors, or instrument one at a time.")
  }
  shown <- kept_terms(fit)[shown_terms(fit)]
  chosen <- if (is.null(parm)) facts$endogenous else chosen_terms(parm, shown)
  if (is.numeric(chosen)) chosen <- shown[chosen]
  if (!identical(chosen, facts$endogenous)) {
    refuse(sprintf("%s is not what is instrumented.", list_words(setdiff(chosen, facts$endogenous))),
           sprintf("The set is of %s: `confint(fit, %s, method = \"anderson-rubin\")`.", facts$endogenous,
                   encodeString(facts$endogenous, quote = "\"")))
  }
  set <- anderson_rubin_set(fit, level)
  structure(set, class = c("values_not_rejected", "data.frame"), term = facts$endogenous, level = level,
            errors = fit$errors$label, places = set_decimals(set, fit))
}

# The decimals of a set's ends: those of the estimate, and as many as tell two digits of the shortest piece or gap.
set_decimals <- function(set, fit) {
  table <- coefficient_table(fit, match(fit$instrumented$endogenous[1], kept_terms(fit)))
  ends <- c(set$low, set$high)
  apart <- diff(sort(ends[is.finite(ends)]))
  apart <- apart[apart > 0]
  max(estimate_decimals(table$estimate, table$std_error), if (length(apart) > 0) decimals_for(min(apart), 2))
}
