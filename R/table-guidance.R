# A diagnosis and an appraisal as values by name for JSON, those of one element as one.

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
