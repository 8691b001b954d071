# Refusals in their words and with their classes: each line is a call, and the snapshot what it ends in.

test_that("errors say what, where and what next, as they did", {
  skip_if_not(l10n_info()[["UTF-8"]])
  panel <- harbour_panel()
  fixed <- fit_fixed(log(nights) ~ levy + storms, panel)
  random <- fit_random(log(nights) ~ levy + storms, panel)
  plain <- harbours
  calls <- readLines(test_path("refusals.txt"))
  scope <- environment()
  told <- vapply(calls, function(call) {
    end <- tryCatch({
      suppressWarnings(suppressMessages(utils::capture.output(eval(str2lang(call), scope))))
      "no error"
    }, wavetax_error = function(cnd) {
      paste0(cli::ansi_strip(conditionMessage(cnd)), "\n  ", paste(grep("^wavetax_error_", class(cnd), value = TRUE),
                                                                  collapse = " < "))
    },
    error = function(cnd) paste("UNTYPED", conditionMessage(cnd)))
    paste0("> ", call, "\n", end, "\n")
  }, "", USE.NAMES = FALSE)
  expect_identical(grep("UNTYPED|no error", told, value = TRUE), character())
  expect_snapshot(cat(told, sep = "\n"))
})
