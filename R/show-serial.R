# How AR(1) disturbances of a fit are told.

serial_lines <- function(fit) {
  c(rho_line(fit), if (length(fit$serial$rho) == 1) {
    sprintf("Variance of the disturbances %s, of their innovations %s", format_number(fit$variance$sigma2_e),
            format_number(fit$variance$sigma2_e * (1 - fit$serial$rho^2)))
  })
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

rho_method_words <- c(
  corrected = "corrected for short panels", regression = "by regression of residuals",
  autocorrelation = "the autocorrelation of residuals", "maximum-likelihood" = "by maximum likelihood"
)
