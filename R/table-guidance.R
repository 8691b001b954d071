# A diagnosis and an appraisal as Markdown, and as values for JSON.

markdown_rows <- function(data) {
  line <- function(x) paste("|", paste(x, collapse = " | "), "|")
  cells <- lapply(data, function(column) markdown_text(as.character(column)))
  c(line(markdown_text(names(data))), line(rep(":--", ncol(data))),
    vapply(seq_len(nrow(data)), function(r) line(vapply(cells, `[`, "", r)), ""))
}

diagnosis_markdown <- function(x) {
  record <- fit_record(attr(x, "fit"))
  p <- format_p(x$p_value)
  c(
    paste0(markdown_text(paste("Diagnosis of", record$title)), "."), "",
    markdown_rows(data.frame(question = x$question, p = p, answer = ifelse(x$status == "skipped",
                                                                           paste("not tested:", x$says),
                                                                          x$says))),
    "", if (length(attr(x, "advice")) > 0) paste("-", markdown_text(attr(x, "advice"))) else
      "Nothing here asks for another model or other errors."
  )
}

appraisal_markdown <- function(x) {
  columns <- lapply(choice_columns(x), trimws)
  names(columns)[length(columns)] <- "role"
  c(
    paste0(markdown_text(sprintf("Which model, and which errors: %s", deparse_words(x$formula))), "."), "",
    markdown_text(x$recommendation), "", markdown_rows(as.data.frame(columns, check.names = FALSE)), "",
    markdown_rows(data.frame(question = x$path$question, answer = x$path$answer, p = format_p(x$path$p_value),
                             "what follows" = x$path$follows, check.names = FALSE)),
    "", paste("-", markdown_text(x$caveats))
  )
}

# Values by name, those of one element as one.
diagnosis_values <- function(x) {
  list(fit = fit_record(attr(x, "fit"))$title, level = attr(x, "level"),
       checks = as.data.frame(unclass(x)), advice = as.list(attr(x, "advice")))
}

appraisal_values <- function(x) {
  list(formula = deparse_words(x$formula), focus = x$focus, kind = x$kind, standing = x$standing,
       estimate = x$estimate, interval = as.list(x$interval), unrelated = x$unrelated, level = x$level, path = x$path,
       recommendation = as.list(x$recommendation), choices = x$choices, caveats = as.list(x$caveats),
       coefficients = as.data.frame(x$fit), errors = x$fit$errors$label)
}
