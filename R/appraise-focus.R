# What of a fit the guided choice looks at: the coefficients of the focus, and what tests would have chosen.

candidate <- function(base, method, effects, formula = base$formula) {
  request <- base
  request$method <- method
  request$formula <- formula
  request["effects"] <- list(effects)
  variance <- if (is.null(base$weights)) "swamy-arora" else "maximum-likelihood"
  request$options <- if (method %in% c("random", "correlated")) list(variance = variance) else list()
  tryCatch(suppressWarnings(run_fit(request)), wavetax_error = function(cnd) NULL)
}

columns_of_unit <- function(fit, unit) names(fit$design$x)[fit$design$blueprint$assign %in% unit$terms]

owns_one_column <- function(fit, unit, term) identical(columns_of_unit(fit, unit), term)

# The combination of coefficients that is the focus: its coefficient, or the finite change of one more of it, at the
# mean of what it has products with.
focus_contrast <- function(fit, focus) {
  terms <- kept_terms(fit)
  if (!is.null(focus$term)) return(if (focus$term %in% terms) stats::setNames(as.numeric(terms == focus$term), terms))
  units <- formula_units(fit)
  unit <- units[[focus$unit]]
  if (is.null(unit) || !any(columns_of_unit(fit, unit) %in% terms)) return(NULL)
  step <- unit_steps(fit, unit)[[1]]
  change <- function(case) {
    whole_change(fit, units, c(stats::setNames(list(step$from), unit$name), case),
                 c(stats::setNames(list(step$to), unit$name), case))
  }
  categories <- Filter(function(other) other$kind == "category", units_beside(units, unit))
  whole <- average_change(fit, categories, change, list())
  # What moves with it and has no estimate: the change is not told.
  if (any(whole[!names(whole) %in% terms] != 0)) return(NULL)
  stats::setNames(whole[terms], terms)
}

# Over the levels of categories, by their shares of the rows.
average_change <- function(fit, categories, change, case) {
  if (length(categories) == 0) return(change(case))
  one <- categories[[1]]
  values <- category_values(fit$design, one$call, one$name)
  w <- if (is.null(fit$design$weights)) rep(1, length(values)) else fit$design$weights
  shares <- vapply(one$values, function(level) sum(w[values == level]), 0) / sum(w)
  Reduce(`+`, lapply(seq_along(shares), function(l) {
    shares[[l]] * average_change(fit, categories[-1], change, c(case, stats::setNames(list(one$values[l]), one$name)))
  }))
}

# The focus under errors: list(spec, fit, row, lost, whether one cluster alone tells it); NULL where they cannot be
# computed.
errors_of_focus <- function(fit, contrast, spec, level) {
  under <- tryCatch(under_errors(fit, spec), wavetax_error = function(cnd) NULL)
  if (is.null(under)) return(NULL)
  used <- names(contrast)[contrast != 0]
  none <- under$errors$no_scores
  if (!is.null(none) && any(used %in% kept_terms(fit)[none])) return(NULL)
  row <- combination_of(under, contrast, 1 - level)
  lost <- any(used %in% under$errors$told_once) || !is.finite(row$std_error)
  list(spec = spec, fit = under, row = row, lost = lost)
}

is_rejected <- function(x, name) {
  test <- x$tests[[name]]
  !is.null(test) && !is.na(test$p.value) && test$p.value < x$level
}

# The model that those tests would have chosen, one after another.
model_by_tests <- function(x) {
  entities <- is_rejected(x, "entities")
  related <- is_rejected(x, "mundlak") || is.null(x$tests$mundlak)
  periods <- is_rejected(x, "periods") && "two-way" %in% names(x$fits)
  fixed <- if (periods && x$kind == "varying") "two-way" else "fixed"
  name <- if (x$kind == "fixed") {
    if (related && !is.null(x$tests$mundlak)) "correlated" else if (entities) "random" else "pooled"
  } else if (!entities && !is_rejected(x, "mundlak")) {
    "pooled"
  } else if (related || periods) {
    fixed
  } else {
    "random"
  }
  if (name %in% names(x$fits)) name else "pooled"
}

fewest_told_entities <- 4
