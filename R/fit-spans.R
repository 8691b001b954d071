# Which columns' levels the dummies of a formula stand for: asked of the rows, since factor(year > 2015) names the year
# and has two levels of it.

# By term of the formula that is one category: names of the columns whose levels it tells apart, no more and no less.
spanned_columns <- function(design, effects) {
  if (!is.null(design$levels)) design <- design$levels
  terms <- design$blueprint$terms
  categories <- names(design$blueprint$xlevels)
  if (length(categories) == 0 || is.null(design$data) || !is.null(design$collapsed) || length(design$y) == 0) {
    return(list())
  }
  calls <- as.list(attr(terms, "variables"))[-1]
  names(calls) <- vapply(calls, deparse_words, "")
  own <- intersect(attr(terms, "term.labels"), categories)
  keys <- c(design$index$entity, design$index$period, unlist(lapply(effects, `[[`, "columns")))
  spans <- lapply(own, function(term) {
    values <- category_values(design, calls[[term]], term)
    codes <- match(values, unique(values))
    candidates <- intersect(unique(c(all.vars(calls[[term]]), keys)), names(design$data))
    Filter(function(name) same_partition(codes, column_groups(design, name)$codes), candidates)
  })
  stats::setNames(spans, own)[lengths(spans) > 0]
}

# The category of each row in use.
category_values <- function(design, call, name) {
  as.character(take_rows(evaluate_one(call, name, design$data, baseenv_or(environment(design$blueprint$terms)),
                                      design$index), design$rows))
}

# Whether two columns of codes part the rows alike.
same_partition <- function(a, b) {
  !anyNA(a) && !anyNA(b) && all(b > 0) && max(a) == length(unique(b)) && all(b == b[match(seq_len(max(a)), a)][a])
}
