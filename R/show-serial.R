# How AR(1) disturbances of a fit are told.

serial_lines <- function(fit) {
  c(if (length(fit$serial$rho) > 1) own_rho_line(fit) else rho_line(fit), disturbance_variance_line(fit))
}

rho_line <- function(fit) {
  serial <- fit$serial
  if (serial$method == "given") return(sprintf("AR(1): rho %s, as given", label_text(serial$rho)))
  interval <- if (all(is.finite(c(serial$low, serial$high)))) {
    sprintf(" (95 percent %s to %s)", fixed_decimals(serial$low, 2), fixed_decimals(serial$high, 2))
  }
  paste0("AR(1): rho ", fixed_decimals(serial$rho, 2), interval, ", ", rho_method_words[[serial$method]], ", from ",
         count_of(serial$pairs, "pair"), " of neighbouring ", plural_of(fit$design$index$period),
         if (serial$steps > 0) sprintf("; settled in %s", count_of(serial$steps, "round")))
}

own_rho_line <- function(fit) {
  rho <- fit$serial$rho
  sprintf("AR(1): a rho for each of %s, %s, the middle one %s, from %s of neighbouring %s",
          count_of(length(rho), fit$design$index$entity), paste(fixed_decimals(range(rho), 2), collapse = " to "),
          fixed_decimals(stats::median(rho), 2), count_of(fit$serial$pairs, "pair"),
          plural_of(fit$design$index$period))
}

# One variance, or from which to which.
disturbance_variance_line <- function(fit) {
  of <- fit$variance$sigma2_e
  rho <- fit$serial$rho
  ends <- function(v) paste(unique(format_number(range(v))), collapse = " to ")
  innovation <- of * (1 - (if (length(rho) > 1 && length(of) > 1) rho[names(of)] else rho)^2)
  sprintf("Variance of the disturbances %s, of their innovations %s", ends(of), ends(innovation))
}

rho_method_words <- c(
  corrected = "corrected for short panels", regression = "by regression of residuals",
  autocorrelation = "the autocorrelation of residuals", "maximum-likelihood" = "by maximum likelihood"
)

# Estimated variances, and what makes up for them in the errors.
adjustment_line <- function(fit) {
  a <- fit$adjustment
  if (is.null(a)) return(NULL)
  counted <- paste0(count_of(a$variances, "variance"), " by ", a$of,
                    if (a$covariances > 0) paste(" and", count_of(a$covariances, "covariance")))
  factor <- if (is.null(a$whole)) a$by_row else a$whole
  made <- if (is.null(factor)) "nothing makes up for that in the errors" else
    sprintf("for that, errors are multiplied by %s", paste(unique(fixed_decimals(factor, 2)), collapse = " to "))
  sprintf("%s %s estimated from %s; %s", upper_first(counted), if (a$variances + a$covariances == 1) "is" else "are",
          count_of(a$rows, "row"), made)
}
