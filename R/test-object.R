# Results of hypothesis tests: class `panel_test`, which extends R's own `htest` by
#   question            what it answers, in words
#   null, alternative   both hypotheses in words
#   reading             one plain sentence on this result, at `level`
#   distribution        what the statistic is referred to: list(name, df)
#   table               NULL, or a typed_table() with more
#   cautions            where its answer may be off
#   for_comparison      whether the cautions come first, as a better test is there
#   notes               what else there is to know
#   simulated           NULL, or list(p, draws, error, asymptotic): see with_draws()
# `title` is the first printed line, `of` the fit whose equation is tested.

new_panel_test <- function(title, question, statistic, parameter, p_value, null, alternative, verdicts,
                           of, distribution, level = 0.05, table = NULL, notes = NULL, cautions = NULL,
                           estimate = NULL, reading = NULL, extra = list()) {
  check_test_level(level)
  cautions <- c(cautions, as_sentences(told_of_outcome(of)))
  structure(c(list(
    statistic = statistic, parameter = parameter, p.value = p_value, method = title,
    data.name = test_equation(of), estimate = estimate, question = question, null = null, alternative = alternative,
    reading = if (is.null(reading)) reading_of(p_value, verdicts, level) else reading,
    distribution = distribution, level = level, verdicts = verdicts, table = table, cautions = cautions, notes = notes
  ), extra), class = c("panel_test", "htest"), home = home())
}

check_test_level <- function(level) {
  check_level(level)
  if (level < 0.5) return(invisible())
  stop_wavetax("level", sprintf("`level` is %s: a test is read at a small share.", label_text(level)),
               todo = sprintf("For example `level = %s`.", label_text(signif(1 - level, 2))))
}

# The level that a reading in words is at, unless another is asked for.
reading_level <- 0.05

percent_words <- function(share) label_text(signif(100 * share, 10))

# `verdicts`: what rejection says, what its absence, and, where one leans on that, what a p below `leaning_p` says.
reading_of <- function(p, verdicts, level = reading_level) {
  if (is.na(p)) return("The data do not tell.")
  if (p < level) return(sprintf("The null is rejected at %s percent: %s", percent_words(level), verdicts[1]))
  kept <- if (p < leaning_p && length(verdicts) > 2) verdicts[3] else verdicts[2]
  sprintf("The null is not rejected at %s percent: %s", percent_words(level), kept)
}

leaning_p <- 0.2

test_equation <- function(fit) deparse_words(fit$design$formula)

# What a test that cannot be computed says instead of NaN.
stop_test <- function(kind, found, where = NULL, todo = NULL) stop_wavetax(kind, found, where = where, todo = todo)

#' A test's result as one row
#'
#' Question answered: *how do I set several tests in one table?* `rbind()` of their rows.
#'
#' @param x A result of one of the `test_` functions.
#' @param row.names,optional,... As for [as.data.frame()].
#' @return A data frame with one row: `test`, `equation`, `statistic` (its name), `value`, `df`, `df2`, `p_value`,
#'   `simulated` (whether p is), `level`, `null`, `reading`.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fit <- fit_fixed(log(nights) ~ levy + storms, panel)
#' rbind(as.data.frame(test_serial(fit)), as.data.frame(test_effects(fit)))
#' @export
as.data.frame.panel_test <- function(x, row.names = NULL, optional = FALSE, ...) {
  df <- as.numeric(x$distribution$df)
  data.frame(
    test = x$method, equation = x$data.name, statistic = names(x$statistic), value = unname(x$statistic),
    df = if (length(df) > 0) df[1] else NA_real_, df2 = if (length(df) > 1) df[2] else NA_real_,
    p_value = unname(x$p.value), simulated = !is.null(x$simulated), level = x$level, null = x$null,
    reading = x$reading, row.names = row.names
  )
}
