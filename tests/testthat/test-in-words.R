# Sentences: the finite change of the fitted function at the mean, with the interval of the same combination.

# f(m + 1) - f(m) of a design's columns, by hand.
change_by_hand <- function(fit, contrast) {
  b <- coef(fit)
  V <- vcov(fit)
  c <- stats::setNames(numeric(length(b)), names(b))
  c[names(contrast)] <- contrast
  half <- qt(0.975, fit$errors$df) * sqrt(drop(c %*% V %*% c))
  sum(c * b) + c(0, -half, half)
}
numbers <- function(words, row = 1) unlist(words[row, c("estimate", "low", "high")], use.names = FALSE)

test_that("squares, logs, products and categories are told as exact changes at the mean", {
  panel <- harbour_panel()
  fit <- fit_fixed(nights ~ levy + I(levy^2) + storms, panel)
  m <- mean(fit$design$x$levy)
  expect_equal(numbers(in_words(fit, "I(levy^2)")), change_by_hand(fit, c(levy = 1, "I(levy^2)" = 2 * m + 1)))
  expect_identical(in_words(fit)$term, c("levy", "storms"))
  expect_match(in_words(fit, "levy")$words, "from its mean of 12, goes with .* fewer nights .*The curve turns at")
  logs <- fit_fixed(log(nights) ~ levy + I(levy^2) + log(fuel) + pennant, panel)
  expect_equal(numbers(in_words(logs, "levy")),
               100 * (exp(change_by_hand(logs, c(levy = 1, "I(levy^2)" = 2 * mean(logs$design$x$levy) + 1))) - 1))
  expect_equal(numbers(in_words(logs, "log(fuel)")), 100 * (1.01^change_by_hand(logs, c("log(fuel)" = 1)) - 1))
  expect_match(in_words(logs, "pennant")$words, "pennant at 1 rather than 0 goes with .* percent more nights")
  product <- fit_pooled(nights ~ levy * storms, panel)
  both <- in_words(product, "levy:storms")
  expect_equal(numbers(both, 1), change_by_hand(product, c(levy = 1, "levy:storms" = mean(product$design$x$storms))))
  expect_equal(numbers(both, 2), change_by_hand(product, c(storms = 1, "levy:storms" = mean(product$design$x$levy))))
  by_coast <- fit_fixed(log(nights) ~ coast:levy, panel)
  words <- in_words(by_coast)
  expect_identical(words$term, names(coef(by_coast)))
  expect_match(words$words[2], "for coast Ember, goes with")
  expect_equal(numbers(words, 2), 100 * (exp(change_by_hand(by_coast, c("coastEmber:levy" = 1))) - 1))
  coast <- fit_pooled(nights ~ levy + coast, panel)
  expect_match(in_words(coast, "coastEmber")$words, "coast Ember rather than Brindle goes with")
  expect_length(in_words(coast, "coastEmber")$words, 1)
})

test_that("weighted fits stand at the weighted mean, 0/1 outcomes change by points, comparisons say between what", {
  panel <- harbour_panel()
  weighted <- fit_pooled(nights ~ levy + I(levy^2), panel, weights = ~ berths)
  w <- weights(weighted)
  m <- sum(w * weighted$design$x$levy) / sum(w)
  expect_equal(numbers(in_words(weighted)), change_by_hand(weighted, c(levy = 1, "I(levy^2)" = 2 * m + 1)))
  award <- fit_fixed(pennant ~ levy, panel)
  expect_equal(numbers(in_words(award)), 100 * change_by_hand(award, c(levy = 1)))
  expect_match(in_words(award)$words, "a share of pennant that is .* percentage points lower")
  expect_match(in_words(fit_fixed(log(nights) ~ levy, panel, "period"))$words,
               "^Between harbours of one season, one more")
  expect_match(in_words(fit_correlated(log(nights) ~ levy + pier, panel), "pier")$words,
               "^Between harbours, one more of pier")
  expect_match(in_words(fit_fixed(nights ~ past(levy, 2), panel))$words, "one more of levy 2 seasons before goes with")
  expect_match(paste(in_words(fit_fixed(pennant ~ past(storms), panel))$words), "it covers 0")
  pier <- fit_fixed(log(nights) ~ levy * pier, panel)
  expect_identical(in_words(pier)$term, "levy")
  wild <- with_errors(fit_fixed(log(nights) ~ levy, panel), se_bootstrap(~ coast))
  expect_equal(numbers(in_words(wild))[2:3],
               100 * (exp(unlist(as.data.frame(wild)[c("low", "high")], use.names = FALSE)) - 1))
})
