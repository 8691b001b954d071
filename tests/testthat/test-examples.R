test_that("every example on the help pages runs", {
  pages <- tools::Rd_db("wavetax")
  for (page in names(pages)) {
    script <- tempfile(fileext = ".R")
    tools::Rd2ex(pages[[page]], script)
    if (!file.exists(script)) next
    expect_error(
      capture.output(suppressMessages(source(script, local = new.env(), echo = FALSE))), NA, label = page
    )
  }
})
