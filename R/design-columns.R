# From variables to the columns of a regression, as R's model.matrix() has them, but one vector a
# column: dummies are made when their turn comes, never as a matrix of all.

# list(x, terms, xlevels, contrasts, assign, pieces: of each column what it is made of, see column_piece()).
# `xlevels` and `contrasts` of a fit make the same columns of other data.
regressor_columns <- function(terms, variables, xlevels = NULL, contrasts = NULL) {
  labels <- attr(terms, "term.labels")
  anew <- is.null(xlevels)
  if (anew) variables <- lapply(variables, text_to_factor)
  predictors <- if (attr(terms, "response") > 0) variables[-1] else variables
  if (anew) check_levels(predictors)
  is_factor <- vapply(predictors, is.factor, TRUE)
  if (is.null(contrasts)) contrasts <- lapply(predictors[is_factor], contrast_matrix)
  check_columns_count(terms, predictors)
  coding <- attr(terms, "factors")
  if (length(coding) > 0) {
    coding <- coding[utils::tail(seq_len(nrow(coding)), length(predictors)), , drop = FALSE]
    if (attr(terms, "intercept") == 0L) coding <- code_first_in_full(coding, is_factor)
  }
  columns <- lapply(seq_along(labels), function(term) {
    of <- which(coding[, term] > 0)
    parts <- lapply(of, function(v) {
      variable_parts(predictors[[v]], names(predictors)[v], contrasts[[names(predictors)[v]]], coding[v, term] == 2L)
    })
    Reduce(multiply_parts, parts)
  })
  list(
    x = do.call(c, c(list(list()), columns)), terms = terms,
    pieces = do.call(c, c(list(list()), lapply(columns, attr, "pieces"))),
    xlevels = if (anew) lapply(predictors[is_factor], levels) else xlevels,
    contrasts = contrasts, assign = rep(seq_along(labels), lengths(columns))
  )
}

# Without a constant the first factor takes a dummy for each of its levels.
code_first_in_full <- function(coding, is_factor) {
  for (term in seq_len(ncol(coding))) {
    first <- which(is_factor & coding[, term] > 0)
    if (length(first) == 0) next
    coding[first[1], term] <- 2L
    break
  }
  coding
}

contrast_matrix <- function(x) {
  given <- attr(x, "contrasts")
  if (is.matrix(given)) return(given)
  name <- if (is.null(given)) getOption("contrasts")[[1 + is.ordered(x)]] else given
  make <- if (is.function(name)) name else get(name, mode = "function", envir = asNamespace("stats"))
  make(levels(x))
}

# A variable's columns, named as R names them.
variable_parts <- function(x, name, contrast, full) {
  if (is.factor(x)) return(category_parts(x, name, contrast, full))
  if (is.matrix(x)) {
    shown <- if (!is.null(colnames(x))) colnames(x) else if (ncol(x) == 1) "" else seq_len(ncol(x))
    columns <- lapply(seq_len(ncol(x)), function(j) as.double(x[, j]))
    return(with_pieces(stats::setNames(columns, paste0(name, shown)), paste0(name, shown), rep("", ncol(x))))
  }
  with_pieces(stats::setNames(list(as.double(x)), name), name, "")
}

category_parts <- function(x, name, contrast, full) {
  codes <- as.integer(x)
  if (full) {
    columns <- lapply(seq_len(nlevels(x)), function(level) as.double(codes == level))
    return(with_pieces(stats::setNames(columns, paste0(name, levels(x))), name, levels(x)))
  }
  shown <- as.character(if (is.null(colnames(contrast))) seq_len(ncol(contrast)) else colnames(contrast))
  is_dummy <- colSums(contrast != 0) == 1 & colSums(contrast) == 1
  columns <- lapply(seq_len(ncol(contrast)), function(j) {
    one <- contrast[, j]
    if (is_dummy[j]) as.double(codes == which(one != 0)) else unname(one[codes])
  })
  base <- levels(x)[rowSums(contrast != 0) == 0]
  with_pieces(stats::setNames(columns, paste0(name, shown)), name, shown,
              if (all(is_dummy) && length(base) == 1) base else "")
}

# What a column is made of: a row a variable, with the level that it tells and the one that it is told against; "" where
# there are none.
column_piece <- function(variable, level, base) cbind(variable = variable, level = level, base = base)

with_pieces <- function(columns, names, levels, base = "") {
  structure(columns, pieces = unname(Map(column_piece, names, levels, base)))
}

# Products of all pairs, the first variable's columns running fastest.
multiply_parts <- function(a, b) {
  out <- pieces <- list()
  for (j in seq_along(b)) {
    for (i in seq_along(a)) {
      name <- paste(names(a)[i], names(b)[j], sep = ":")
      out[[name]] <- a[[i]] * b[[j]]
      pieces[[name]] <- rbind(attr(a, "pieces")[[i]], attr(b, "pieces")[[j]])
    }
  }
  structure(out, pieces = unname(pieces))
}

# Used levels only, so that a level that lost its rows is not a column of zeros. True and false
# are a factor too.
text_to_factor <- function(x) {
  if (is.character(x)) {
    values <- unique(x)
    check_valid_text(values)
    return(factor(x, levels = sort_text(values)))
  }
  if (is.logical(x) && !is.matrix(x)) return(factor(x, levels = c(FALSE, TRUE)[c(FALSE, TRUE) %in% x]))
  if (is.factor(x) && nlevels(x) > 0 && any(tabulate(x, nlevels(x)) == 0)) return(keep_contrasts(droplevels(x), x))
  x
}

keep_contrasts <- function(dropped, x) {
  given <- attr(x, "contrasts")
  if (is.character(given)) attr(dropped, "contrasts") <- given
  dropped
}

check_levels <- function(variables) {
  single <- vapply(variables, function(x) is.factor(x) && nlevels(x) < 2, logical(1))
  if (!any(single)) return(invisible())
  name <- names(variables)[single][1]
  stop_wavetax(
    "one_level", sprintf("`%s` has the one value %s in all rows used.", name,
                         sQuote(levels(variables[[name]]), FALSE)),
    todo = "Leave it out of the formula."
  )
}

# Text whose values are mostly numbers in some notation is a column read wrongly, and text of
# very many values is hardly meant as categories.
most_text_levels <- 50

check_text_regressors <- function(variables, data) {
  for (name in names(variables)) {
    x <- variables[[name]]
    if (!is.character(x)) next
    values <- unique(x[!is_blank(x)])
    if (length(values) == 0) next
    number <- looks_like_number(values)
    if (mean(number) > 0.5) stop_text_numbers(name, x, values[!number], values)
    if (length(values) > most_text_levels || (length(values) > 10 && length(values) > length(x) / 10)) {
      stop_wavetax(
        "text_levels", sprintf("The regressor `%s` is text of %s values: %s dummies.", name,
                               count_words(length(values)), count_words(length(values) - 1)),
        where = sprintf("It starts with %s.", list_some(dQuote(values, FALSE))),
        todo = c(sprintf("If that is meant, write `factor(%s)`.", code_name(name)),
                 sprintf("Or sweep it out: `fit_fixed(..., effects = ~ %s)`.", code_name(name)))
      )
    }
  }
}

# Numbers with a decimal comma, thousands separated, percent, currency, brackets or a sign behind.
number_pattern <- paste0(
  "^[[:space:]]*[-+(\u2212]?[[:space:]]*(\\p{Sc}|[A-Z]{3}[[:space:]]|kr\\.?)?[[:space:]]*[-+\u2212]?[0-9]+",
  "([., '\u00a0\u202f\u2009][0-9]+)*",
  "([eE][-+]?[0-9]+)?[[:space:]]*(%|\\p{Sc}|[[:space:]][A-Z]{3}|kr\\.?)?[[:space:]]*[-)]?[[:space:]]*$"
)
looks_like_number <- function(values) {
  !is.na(suppressWarnings(as.numeric(values))) | grepl(number_pattern, enc2utf8(values), perl = TRUE)
}

stop_text_numbers <- function(name, x, odd, values) {
  plain <- !is.na(suppressWarnings(as.numeric(values)))
  strange <- which(x %in% c(odd, values[!plain]))
  stop_wavetax(
    "text_numbers", sprintf("The regressor `%s` is text, but reads as numbers.", name),
    where = if (length(strange) > 0) {
      sprintf("Not plain numbers: %s.", list_some(sprintf("\"%s\" (row %s)", x[strange], count_words(strange))))
    },
    todo = if (!is.symbol(tryCatch(str2lang(name), error = function(cnd) as.name(name)))) {
      sprintf("Make it numbers, `as.numeric(%s)`, or categories, `factor(%s)`.", name, name)
    } else {
      c(sprintf("Read it as numbers: `read_panel(..., numbers = %s)`,", code_text(name)),
        sprintf("or mend it: `panel_repair(data, findings, numbers = %s)`.", code_text(name)),
        sprintf("Or, if its values are names of groups, write `factor(%s)`.", code_name(name)))
    }
  )
}

# A factor with very many levels in the formula would be more dummies than memory holds; what
# takes it is an effect.
largest_matrix <- 8e9 # bytes

check_columns_count <- function(terms, variables) {
  factors <- attr(terms, "factors")
  if (length(factors) == 0 || !any(vapply(variables, is.factor, TRUE))) return(invisible())
  n <- NROW(variables[[1]])
  width <- vapply(variables, function(x) as.numeric(if (is.factor(x)) nlevels(x) else NCOL(x)), numeric(1))
  used <- factors[utils::tail(seq_len(nrow(factors)), length(variables)), , drop = FALSE] > 0
  columns <- exp(drop(log(width) %*% used))
  if (8 * sum(columns) * n <= largest_matrix) return(invisible())
  worst <- colnames(factors)[which.max(columns)]
  stop_wavetax(
    "too_many_columns",
    sprintf("`%s` makes about %s columns of %s: too many.", worst, count_words(max(columns)), count_of(n, "row")),
    todo = sprintf("Sweep it out instead: `fit_fixed(..., effects = ~ %s)`.",
                   gsub("factor\\(([^()]*)\\)", "\\1", worst))
  )
}
