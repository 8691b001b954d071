# Whether AR(1) is enough: whether rows two periods apart are related as it has it.

serial_beyond_ar1 <- function(fit, level) {
  design <- level_design(fit)
  swept <- method_of(fit)$effects != "none"
  entity <- design$index$entity
  groups <- column_groups(design, entity)
  e <- fit_before_ar1(fit)
  layout <- core_ar1_layout(groups$codes, used_index(design)$clock, groups$count, design$weights, swept)
  done <- core_ar1_enough(e, layout, fit$serial$rho)
  if (done$pairs == 0 || done$G < 2 || !is.finite(done$statistic)) stop_too_short(fit, 2)
  period <- design$index$period
  new_panel_test(
    title = sprintf("Whether AR(1) is enough, from %s two %s apart", if (swept) "residuals" else "pooled residuals",
                    plural_of(period)),
    question = sprintf("do disturbances of one %s fade from %s to %s as AR(1) has it?", entity, period, period),
    statistic = c(t = done$statistic), parameter = c(df = done$G - 1),
    p_value = 2 * stats::pt(-abs(done$statistic), done$G - 1),
    null = sprintf("%s apart their correlation is rho squared, %s", paste("two", plural_of(period)),
                   format_number(fit$serial$rho^2)),
    alternative = "it is another",
    verdicts = c(sprintf("they do not: AR(1) is not enough, so keep errors clustered by %s, which do not need it.",
                         entity),
                 "no sign that AR(1) is not enough."),
    of = fit, distribution = list(name = "t", df = done$G - 1), level = level,
    notes = c(if (fit$serial$method == "given") sprintf("At rho %s, as given.", label_text(fit$serial$rho)) else
                sprintf("At rho %s, whose own estimation is allowed for.", format_number(fit$serial$rho)),
              sprintf("%s of %s.", upper_first(count_of(done$pairs, "pair")), count_of(done$G, entity))),
    extra = list(autocorrelation = unname(fit$serial$rho), pairs = done$pairs, for_comparison = FALSE)
  )
}

# The residuals that rho was estimated from: those without AR(1), swept of the effects, times the root of the weights.
fit_before_ar1 <- function(fit) {
  plain <- without_serial(fit)
  effects <- method_of(fit)$effects
  if (!method_of(fit)$nests) {
    plain <- if (effects == "none") refit(plain, level_design(plain)$y, "pooled", NULL) else
      refit(plain, level_design(plain)$y, "fixed", "entity")
  }
  weighted_residuals(plain)
}

# Rows that are weighed by estimated variances, or each entity by its own rho, have no test of this kind.
check_one_rho <- function(fit) {
  if (fit$method != "gls" || is_serial(fit) && length(fit$serial$rho) == 1) return(invisible())
  stop_test(c("other_fit", "method"),
            if (is_serial(fit)) "Whether AR(1) is enough is told at one rho, and here each entity has its own." else
              "Serial correlation is told from rows that were not weighed by variances estimated from them.",
            todo = sprintf("Test the fit before it, `%s`.",
                           call_words(fit, if (has_effects(fit)) "fit_fixed" else "fit_pooled")))
}

check_only_ar1_test <- function(method, lag, form, alternative, variances, draws) {
  asked <- c(method = !is.null(method), lag = !identical(as.numeric(lag), 1), form = form != "mean",
             alternative = alternative != "positive", variances = !is.null(variances), draws = !is.null(draws))
  if (!any(asked)) return(invisible())
  stop_wavetax(c("other_fit", "method"),
               sprintf("After AR(1) there is one test, whether that is enough; it takes no `%s`.",
                       names(asked)[asked][1]),
               todo = "Leave it out, or test the fit without `serial`.")
}
