# Results of hypothesis tests: class `panel_test`, which extends R's own `htest` by
#   null, alternative   both hypotheses in words
#   reading             one plain sentence on this result
#   distribution        what the statistic is referred to: list(name, df)
#   table               NULL, or a typed_table() with more
#   notes               cautions
# `title` is the first printed line.

new_panel_test <- function(title, statistic, parameter, p_value, null, alternative, reading,
                           data_name, distribution, table = NULL, notes = NULL, estimate = NULL, extra = list()) {
  structure(c(list(
    statistic = statistic, parameter = parameter, p.value = p_value, method = title,
    data.name = data_name, estimate = estimate, null = null, alternative = alternative,
    reading = reading, distribution = distribution, table = table, notes = notes
  ), extra), class = c("panel_test", "htest"))
}

# The level that a reading in words is at.
reading_level <- 0.05

reading_of <- function(p, rejected, kept) {
  if (is.na(p)) return("The data do not tell.")
  if (p < reading_level) {
    paste0("The null is rejected at 5 percent: ", rejected)
  } else {
    paste0("The null is not rejected at 5 percent: ", kept)
  }
}
