# The table of coefficients with their errors: the one place that asks a fit's errors for intervals
# and p values.

coefficient_table <- function(fit, which, level = 0.95) {
  terms <- kept_terms(fit)[which]
  estimate <- unname(kept_estimates(fit)[which])
  std_error <- standard_errors(fit)[which]
  statistic <- estimate / std_error
  df <- errors_df(fit)[which]
  half <- stats::qt((1 + level) / 2, df) * std_error
  table <- data.frame(
    term = terms, estimate = estimate, std_error = std_error, statistic = statistic,
    p_value = 2 * stats::pt(-abs(statistic), df), low = estimate - half, high = estimate + half
  )
  if (!is.null(fit$errors$own)) {
    table[c("p_value", "low", "high")] <- fit$errors$own(level)[which, c("p_value", "low", "high")]
  }
  table
}

# A variance that rounding makes of an exact zero is none.
standard_errors <- function(fit) {
  variance <- unname(diag(fit$errors$covariance))
  rounding <- 1e-20 * fit$scale * rowSums(fit$regression$root^2)
  sqrt(ifelse(variance > rounding, variance, NA_real_))
}

# Coefficients by name or number; the constant also by the name that it is printed with.
chosen_terms <- function(parm, terms) {
  if (!is.atomic(parm) || is.null(parm)) parm <- structure(NA, words = value_words(parm))
  if (is.logical(parm) && !anyNA(parm) && length(parm) == length(terms)) parm <- which(parm)
  if (is.numeric(parm) && length(parm) > 0 && all(is.finite(parm)) && all(-parm %in% seq_along(terms))) {
    parm <- seq_along(terms)[parm]
  }
  if (is.character(parm)) {
    parm[parm == "constant" & !"constant" %in% terms] <- "(Intercept)"
    known <- parm %in% terms
  } else {
    known <- is.numeric(parm) & is.finite(parm) & parm %in% seq_along(terms)
  }
  if (length(parm) > 0 && all(known)) return(parm)
  stop_wavetax(
    "unknown_term", sprintf("The fit has no coefficient %s.", if (is.null(attr(parm, "words"))) {
      list_some(sQuote(parm[!known], FALSE))
    } else {
      attr(parm, "words")
    }),
    todo = sprintf("Coefficients are %s.", list_some(terms, 8))
  )
}

# The constant of a regression of changes is a drift: in a table it has a row of its own.
drift_term <- "(Drift)"

with_drift <- function(record) {
  table <- record$coefficients
  if (method_of(record)$constant == "drift") table$term[table$term == constant_term] <- drift_term
  table
}

# Coordinates of rows [lead, x - share * means]: a column a row.
mean_coordinates <- function(fit, lead, x, share = 0, means = 0) {
  frame <- fit$regression$frame
  constant <- has_constant(fit)
  instrumented <- !is.null(fit$instrumented)
  origin <- if (instrumented) fit$regression$centre[match(slope_names(fit), names(fit$design$x))] else
    if (constant) frame$origin[-1] else frame$origin
  apart <- if (all(lead == 0)) x else x - rep(origin, each = nrow(x))
  if (any(share != 0)) apart <- apart - share * (means - rep(origin, each = nrow(x)))
  # Coordinates of an instrumented regression are of its instruments: coefficients lead to them.
  if (instrumented) return(coordinates_of_contrasts(fit$regression$root, if (constant) lead, apart, origin))
  t(core_to_orthonormal(frame$upper, unname(cbind(if (constant) lead, apart))))
}

# Of contrasts lead times (1, origin) and `apart` of the slopes.
coordinates_of_contrasts <- function(root, lead, apart, origin) {
  if (is.null(lead)) return(t(apart %*% root))
  slopes <- root[-1, , drop = FALSE]
  t(outer(lead, root[1, ] + drop(origin %*% slopes)) + apart %*% slopes)
}
