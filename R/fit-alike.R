# Fits that are compared under one model of their disturbances.

# A fit estimated again at the rho of another one, or without AR(1) where that has none.
at_rho_of <- function(fit, other) {
  if (!is_serial(fit) && !is_serial(other)) return(fit)
  if (identical(fit$serial[c("rho", "left_out")], other$serial[c("rho", "left_out")])) return(fit)
  if (!"serial" %in% method_of(fit)$arguments) stop_no_serial(fit)
  under_serial(fit, if (is_serial(other)) at_rho(other))
}

# A fit estimated again over the variances of another one, where both have weights from those of the same groups.
at_variances_of <- function(fit, other) {
  own <- fit$request$options$group_variances
  theirs <- other$request$options$group_variances
  if (is.null(own) || is.null(theirs) || own$column != theirs$column || identical(own, theirs)) return(fit)
  request <- request_again(fit)
  request$formula <- fit$design$formula
  request$options$group_variances <- theirs
  request$options$hold_variances <- TRUE
  request["errors"] <- list(fit$errors$spec)
  request$keep <- "rows"
  run_fit(request)
}

# serial_ar1() of a fit's own rho.
at_rho <- function(fit) serial_ar1(rho = unname(fit$serial$rho), first = fit$serial$first)

stop_no_serial <- function(fit) {
  stop_wavetax("different_disturbances", sprintf("One of the fits is under AR(1), which %s fit does not take.",
                                                 one_of_a(method_words(fit))),
               todo = "Estimate both without `serial`.")
}

# The same equation without AR(1), to look at beside it.
without_serial <- function(fit) under_serial(fit, NULL)

# The same equation under other disturbances: NULL, or serial_ar1()'s.
under_serial <- function(fit, serial) {
  request <- request_again(fit)
  request$formula <- fit$design$formula
  request$options["serial"] <- list(serial)
  request["errors"] <- list(fit$errors$spec)
  request$keep <- "rows"
  suppressWarnings(run_fit(request), classes = "wavetax_warning_negative_variance")
}

# What is said of fits that were put under one rho.
one_rho_words <- function(fit) {
  if (is_serial(fit)) sprintf("Both at rho %s, that of the %s fit.", format_number(fit$serial$rho), method_words(fit))
}

# What is said of fits that were put under the weights of one of them.
one_weighting_words <- function(fit) {
  variances <- fit$request$options$group_variances
  if (!is.null(variances)) sprintf("Both weighted by the variances that the fuller fit gives `%s`.", variances$column)
}
