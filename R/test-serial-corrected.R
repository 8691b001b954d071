# Serial correlation from products of residuals, corrected for what the fit takes out of them.

# The statistics that hold for whatever the fit takes out: see core-serial-corrected.R.
corrected_forms <- function(fit, live, parts, lags, seed, with_rho = TRUE) {
  check_some_residual(fit)
  longest <- max(tabulate(live$entity))
  if (longest > most_series) {
    stop_test("too_many_rows", sprintf("A %s with %s is more than the corrected test takes.", live$noun,
                                       count_of(longest, "row")),
              todo = "Use `method = \"durbin-watson\"`, or `rows =` for a part of the periods.")
  }
  width <- sum(core_unknowns(parts$beside)) + ncol(live$columns)
  exact <- width <= most_exact_columns && width * live$n <= most_basis_cells
  if (!exact && live$n > most_probed_rows) {
    stop_test("too_many_rows", sprintf("%s beside those of %s, in %s: too many for the corrected test.",
                                       upper_first(count_of(width, "column")), live$nouns, count_of(live$n, "row")),
              todo = "Test a part of the entities: `rows =` of the fit; or `method = \"durbin-watson\"`.")
  }
  beside <- if (exact) cbind(set_columns(parts$beside, live$root, live$n), live$columns)
  done <- with_own_seed(seed, core_serial_corrected(
    live_residuals(live, fit), live$entity, live$clock, parts$own, beside, lags, live$root, if (!exact) live$annihilate,
    with_rho
  ))
  c(done, list(exact = exact, width = width))
}

# The autocorrelation from one period to the next that the residuals tell; NA where they tell none.
first_autocorrelation <- function(fit, live, held = serial_holds(fit, live)) {
  if (held$changes) {
    changes <- serial_changes(fit)
    return(if (length(changes$now) < 3) NA_real_ else changes$rho)
  }
  tryCatch(corrected_forms(fit, live, held$parts, 1L, 1)$rho, wavetax_error = function(cnd) NA_real_)
}

serial_corrected <- function(fit, ask) {
  live <- ask$live
  done <- corrected_forms(fit, live, ask$held$parts, ask$lag, ask$seed, with_rho = !ask$held$changes)
  both <- lapply(c(rows = "rows", entities = "entities"), function(kind) {
    forms <- lapply(done$forms, `[[`, kind)
    if (length(forms) > 1) {
      joint <- core_serial_joint_lags(forms)
      p <- stats::pf(joint$statistic, joint$p, joint$G - joint$p, lower.tail = FALSE)
      return(list(statistic = joint$statistic, G = joint$G, p = p, df = c(joint$p, joint$G - joint$p)))
    }
    one <- forms[[1]]
    list(statistic = one$statistic, G = one$G, p = 2 * stats::pt(-abs(one$statistic), one$G - 1), df = one$G - 1,
         kappa = one$kappa)
  })
  fewest <- max(2, length(ask$lag) + 1)
  by_rows <- both$rows$G >= max(2, both$entities$G / 2) && is.finite(both$rows$statistic)
  kind <- if (!is.null(ask$variances)) ask$variances else if (by_rows) "rows" else "entities"
  used <- both[[kind]]
  if (used$G < fewest || !is.finite(used$statistic)) stop_too_short(fit, max(ask$lag), used$G, fewest)
  other <- setdiff(names(both), kind)
  words <- c(rows = "whatever the variance of each row",
             entities = sprintf("under one variance for each %s", live$noun))
  joint <- length(ask$lag) > 1
  lags <- if (joint) sprintf("at lags %s", list_words(ask$lag)) else sprintf("at lag %s", count_words(ask$lag))
  component <- if (fit$method == "pooled" && !ask$held$level) component_p(fit) else NA
  list(
    statistic = used$statistic, name = if (joint) "F" else "t",
    parameter = if (joint) stats::setNames(used$df, c("numerator df", "denominator df")) else c(df = used$df),
    p = used$p, distribution = list(name = if (joint) "F" else "t", df = used$df),
    null = if (joint || ask$lag > 1) sprintf("disturbances of one %s that are %s %s apart are unrelated", live$noun,
                                             list_or(ask$lag), plural_of(live$moment)) else neighbours_null(fit),
    title = sprintf("Serial correlation, corrected, %s, %s", lags, words[[kind]]), G = used$G, rho = done$rho,
    pairs = sum(vapply(ask$lag, function(lag) length(core_lag_pairs(live$entity, live$clock, lag)$now), 0)),
    table = NULL,
    cautions = c(
      if (kind == "entities" && is.null(ask$variances)) {
        sprintf(paste("The series are too short to allow for a variance of each row: variances that change over %s",
                      "make it reject."),
                plural_of(live$moment))
      },
      if (isTRUE(component < ask$level)) {
        sprintf(paste("It rejects where %s differ in level, as they do here (%s): take their effects out first, or",
                      "`test_serial(fit, \"joint\")` tells the two apart."), live$nouns, p_words(component))
      },
      if (any(fit$of_outcome$kind == "past")) {
        "The lagged outcome is a regressor: its part in the residuals is not allowed for."
      }
    ),
    notes = c(
      if (other == "entities" || is.finite(both[[other]]$statistic)) {
        sprintf("%s: %s, %s.", upper_first(words[[other]]),
                if (is.finite(both[[other]]$statistic)) sprintf("%s = %s", if (joint) "F" else "t",
                                                                format_number(both[[other]]$statistic)) else "not told",
                if (is.finite(both[[other]]$p)) p_words(both[[other]]$p) else "no p")
      },
      sprintf("%s are taken as independent given what the fit takes out.", upper_first(live$nouns)),
      left_out_note(live),
      if (!done$exact) sprintf(paste("%s beside those of %s are too many for exact sums: estimated from random",
                                     "signs, t within 1 to 3 percent."),
                          upper_first(count_of(done$width, "column")), live$nouns)
    ),
    extra = list(variances = kind, p_values = vapply(both, `[[`, 0, "p"),
                 statistics = vapply(both, `[[`, 0, "statistic"), entities = vapply(both, `[[`, 0, "G"))
  )
}

most_series <- 3000

# Signs are drawn for every row 64 times.
most_probed_rows <- 3e6

# Columns beside the nested effects up to which all is exact; beyond, traces are estimated from random signs.
most_exact_columns <- 500
