# In documents that knitr makes tables print as tables of the format that is made.

# The method for all that as_table() takes, of which `knit_print()` of knitr is the generic.
knit_table <- function(x, ...) {
  table <- as_table(x)
  raw <- function(format, lines, ...) {
    knitr::asis_output(paste0("\n\n```{=", format, "}\n", paste(lines, collapse = "\n"), "\n```\n\n"), ...)
  }
  if (knitr::is_latex_output()) {
    return(raw("latex", c(latex_macros, latex_table(table, FALSE)),
               meta = if (requireNamespace("rmarkdown", quietly = TRUE)) list(rmarkdown::latex_dependency("booktabs"))))
  }
  if (knitr::is_html_output(excludes = "markdown")) {
    # The style stands once in a document.
    styled <- isTRUE(knitr::opts_knit$get("wavetax.styled"))
    knitr::opts_knit$set(wavetax.styled = TRUE)
    return(raw("html", c(if (!styled) c("<style>", table_style(), "</style>"), html_table(table))))
  }
  if (knitr::pandoc_to("docx") && requireNamespace("flextable", quietly = TRUE)) {
    look <- table_layout(table)
    words <- c(if (nzchar(look$title)) paste0("**", markdown_text(look$title), "**"), markdown_text(look$says))
    made <- knitr::knit_print(word_table(look, 6.5))
    return(knitr::asis_output(paste(c("", words, "", as.character(made), "", markdown_text(look$notes), ""),
                                    collapse = "\n\n"),
                              meta = attr(made, "knit_meta")))
  }
  knitr::asis_output(paste0("\n", paste(blocks_markdown(table_blocks(table, says = TRUE)), collapse = "\n"), "\n"))
}

register_knit_tables <- function(...) {
  classes <- sub("^as_table\\.", "", grep("^as_table\\.", ls(asNamespace("wavetax")), value = TRUE))
  for (class in setdiff(classes, c("default", "list"))) {
    registerS3method("knit_print", class, knit_table, envir = asNamespace("knitr"))
  }
}
