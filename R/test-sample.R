# What tests of residuals take: those that are not fitted whatever their outcome, times the root of their weight.

# list(e, keep, entity, clock, period, noun, moment): residuals of the live rows, their entity's code, clock and place
# among the periods; the words for an entity and a period. `keep` are the rows, TRUE for all.
residual_sample <- function(fit, panel = TRUE) {
  check_keeps_rows(fit, "residuals to test")
  walk <- rows_walk(fit)
  e <- weighted_residuals(fit, walk)
  check_some_residual(fit)
  live <- all_live_rows(fit, walk)
  keep <- if (is.null(live$fitted)) TRUE else -live$fitted
  out <- list(e = kept_rows(e, keep), keep = keep, left_out = length(live$fitted), walk = walk, n = live$n)
  if (panel) c(out, panel_sample(fit, keep)) else out
}

kept_rows <- function(v, keep) if (isTRUE(keep)) v else v[keep]

panel_sample <- function(fit, keep = TRUE) {
  index <- fit$design$index
  check_test_panel(fit)
  used <- used_index(fit$design)
  list(entity = rank_codes(kept_rows(used$entity, keep))$codes, clock = kept_rows(used$clock, keep),
       noun = index$entity,
       moment = index$period, nouns = plural_of(index$entity))
}

check_test_panel <- function(fit) {
  if (is.null(fit$design$index)) check_is_panel(fit$design$data)
  if (is.null(fit$design$between)) return(invisible())
  stop_test(c("no_periods", "method"),
            sprintf("A between fit has one row for each %s, and no periods.", fit$design$between),
            todo = "Test a fit on the rows: `fit_pooled()`, `fit_fixed()`, `fit_random()`.")
}

# A perfect fit leaves nothing to test.
check_some_residual <- function(fit) {
  if (fit$ssr > 1e-20 * max(fit$sst, sum(fit$design$y^2))) return(invisible())
  stop_test("perfect_fit", "The model fits every row: there are no disturbances to test.",
            todo = "Is the outcome, or a part of it, among the regressors?")
}

left_out_note <- function(sample) {
  if (sample$left_out > 0) {
    sprintf("%s that the model fits whatever the outcome %s left out.", count_of(sample$left_out, "row"),
            if (sample$left_out == 1) "is" else "are")
  }
}

# Which fit a test needs, and how to make it.
stop_wrong_fit <- function(fit, what, needs, call) {
  stop_test(c("other_fit", "method"), sprintf("%s needs %s, and this is %s fit.", what, needs,
                                              one_of_a(method_words(fit))),
            todo = sprintf("Estimate it: `%s`.", call))
}

# The call of another estimator of the fit's equation, as a user would write it.
call_words <- function(fit, door) {
  sprintf("%s(%s, data)", door, short_text(deparse_words(fit$design$formula)))
}

has_entity_effects <- function(fit) {
  entity <- fit$design$index$entity
  has_swept_effects(fit) && !is.null(entity) && any(vapply(fit$effects, function(set) {
    identical(set$columns, entity) && set$intercept
  }, TRUE))
}

# The full leverages of the rows, effects and regressors together.
row_leverages <- function(fit, walk) {
  h <- rowSums(core_coordinate_rows(walk, walk$skip)$z^2)
  effects <- effect_leverages(fit, list(type = "This test", leverages = "exact"))$values
  if (is.null(effects)) return(h)
  weights <- fit_rows(fit)$weights
  h + if (is.list(effects)) {
    effects$inverse[effects$groups$codes] * (if (is.null(weights)) 1 else weights)
  } else {
    effects
  }
}
