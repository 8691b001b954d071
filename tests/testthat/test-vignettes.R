# The pages to learn from: each runs, and what its sentences say of its numbers holds (the checks stand in the pages).
skip_on_cran()
skip_if_not_installed("knitr")

pages <- list.files(test_path("..", "..", "vignettes"), "[.]Rmd$", full.names = TRUE)

for (page in pages) {
  test_that(sprintf("%s runs, and its numbers are those that it speaks of", basename(page)), {
    out <- file.path(fresh_folder(), "page.md")
    before <- options(knitr.duplicate.label = "allow")
    on.exit(options(before))
    folder <- setwd(dirname(out))
    on.exit(setwd(folder), add = TRUE)
    suppressMessages(knitr::knit(normalizePath(file.path(folder, page), mustWork = FALSE), out, quiet = TRUE,
                                 envir = new.env(parent = globalenv())))
    text <- readLines(out, encoding = "UTF-8")
    expect_false(any(grepl("`r ", text, fixed = TRUE)))
    errors <- grep("^(## )?Error( in .*)?:?", text)
    errors <- errors[!grepl("^Errors ", text[errors])]
    # One is shown on purpose.
    expect_lte(length(errors), as.integer(grepl("spreadsheet", page)))
  })
}
