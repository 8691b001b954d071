# In documents that knitr makes, what is printed stands in the format that is made: tables as tables, all else as the
# blocks that a report has.

raw_output <- function(format, lines, ...) {
  knitr::asis_output(paste0("\n\n```{=", format, "}\n", paste(lines, collapse = "\n"), "\n```\n\n"), ...)
}

# The style stands once in a document.
knit_style <- function() {
  styled <- isTRUE(knitr::opts_knit$get("wavetax.styled"))
  knitr::opts_knit$set(wavetax.styled = TRUE)
  if (!styled) c("<style>", table_style(), "</style>")
}

# The method for all that is printed by blocks, of which `knit_print()` of knitr is the generic.
knit_blocks <- function(x, ...) {
  blocks <- flat_blocks(blocks_of(x))
  if (knitr::is_latex_output()) {
    needs <- if (requireNamespace("rmarkdown", quietly = TRUE)) list(rmarkdown::latex_dependency("booktabs"))
    return(raw_output("latex", c(latex_macros, render_blocks(blocks, "latex")), meta = needs))
  }
  if (knitr::is_html_output(excludes = "markdown")) {
    return(raw_output("html", c(knit_style(), render_blocks(blocks, "html"))))
  }
  knitr::asis_output(paste0("\n", paste(blocks_markdown(blocks), collapse = "\n"), "\n"))
}

# The same for what is a table alone.
knit_table <- function(x, ...) {
  table <- as_table(x)
  if (knitr::is_latex_output()) {
    return(raw_output("latex", c(latex_macros, latex_table(table, FALSE)),
               meta = if (requireNamespace("rmarkdown", quietly = TRUE)) list(rmarkdown::latex_dependency("booktabs"))))
  }
  if (knitr::is_html_output(excludes = "markdown")) {
    return(raw_output("html", c(knit_style(), html_table(table))))
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
  classes_with <- function(generic) {
    sub(paste0("^", generic, "[.]"), "", grep(paste0("^", generic, "[.]"), ls(asNamespace("wavetax")), value = TRUE))
  }
  tables <- c("spec_table", "panel_table")
  printed <- setdiff(classes_with("blocks_of"), c("default", tables))
  for (class in printed) registerS3method("knit_print", class, knit_blocks, envir = asNamespace("knitr"))
  for (class in setdiff(c(tables, classes_with("as_table")), c("default", "list", printed))) {
    registerS3method("knit_print", class, knit_table, envir = asNamespace("knitr"))
  }
}
