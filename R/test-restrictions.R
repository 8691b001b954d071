# Restrictions read from terms, patterns and written equations.

# What is asked for as list(contrasts, a row a restriction; value; zero, whether all are single coefficients against 0;
# null, in words; text, redundant, how many follow from the others).
read_restrictions <- function(terms, fit) {
  all <- kept_terms(fit)
  if (!is.null(terms) && length(terms) == 0) stop_no_terms()
  of_names <- function(chosen, redundant = 0L) {
    chosen <- unique(chosen)
    if (length(chosen) == 0) stop_no_terms()
    list(contrasts = diag(length(all))[match(chosen, all), , drop = FALSE], value = numeric(length(chosen)),
         zero = TRUE,
         null = paste(list_some(chosen, 8), if (length(chosen) == 1) "is zero" else "are zero together"),
         redundant = redundant)
  }
  if (is.null(terms)) return(of_names(slope_names(fit)))
  if (!is.character(terms) || anyNA(terms)) {
    chosen <- chosen_terms(terms, all)
    return(of_names(if (is.character(chosen)) chosen else all[chosen]))
  }
  written <- grepl("=", terms, fixed = TRUE) & !terms %in% all
  if (!any(written)) return(of_names(unlist(lapply(terms, matching_terms, fit))))
  rows <- unlist(lapply(seq_along(terms), function(i) {
    if (written[i]) return(read_equation(terms[i], fit))
    lapply(matching_terms(terms[i], fit), function(term) list(weights = as.numeric(all == term), value = 0))
  }), recursive = FALSE)
  contrasts <- do.call(rbind, lapply(rows, `[[`, "weights"))
  value <- vapply(rows, `[[`, 0, "value")
  keep <- independent_restrictions(contrasts, value, terms)
  list(contrasts = contrasts[keep, , drop = FALSE], value = value[keep], zero = FALSE,
       null = list_words(terms), redundant = nrow(contrasts) - length(keep))
}

# The kept coefficients of a term as it is written, or of the terms of one variable alone, such as `factor(x)`.
columns_of_variable <- function(name, fit) {
  labels <- terms_of_slopes(fit)
  chosen <- labels == name
  if (!any(chosen)) {
    chosen <- vapply(labels, function(label) {
      expr <- tryCatch(str2lang(label), error = function(cnd) NULL)
      is.call(expr) && !is_operator(expr, ":") && identical(variables_of(expr), name)
    }, TRUE)
  }
  intersect(names(labels)[chosen], kept_terms(fit))
}

# Names that a pattern with `*` matches, or the one name.
matching_terms <- function(term, fit) {
  all <- kept_terms(fit)
  of_variable <- if (!term %in% c(all, "constant")) columns_of_variable(term, fit)
  if (length(of_variable) > 0) return(of_variable)
  if (term %in% c(all, "constant") || !grepl("*", term, fixed = TRUE)) {
    check_not_dropped(term, fit)
    near <- near_names(term, unique(c(all, terms_of_slopes(fit), variables_of(fit$design$formula[[3]]))))
    if (!term %in% c(all, "constant") && length(near) > 0) {
      stop_wavetax("unknown_term", sprintf("The fit has no coefficient or variable %s.", sQuote(term, FALSE)),
                   todo = sprintf("Did you mean %s?", list_words(sQuote(near, FALSE))))
    }
    return(all[match(chosen_terms(term, all), all)])
  }
  found <- setdiff(grep(name_pattern(term), all, value = TRUE), constant_term)
  if (length(found) > 0) return(found)
  stop_wavetax("unknown_term", sprintf("No coefficient is like %s.", sQuote(term, FALSE)),
               todo = sprintf("Coefficients are %s.", list_some(term_words(all), 8)))
}

check_not_dropped <- function(term, fit) {
  gone <- fit$coefficients[fit$coefficients$status == "dropped" & fit$coefficients$term == term, ]
  if (nrow(gone) == 0) return(invisible())
  stop_wavetax("unknown_term", sprintf("%s was dropped from the fit (%s), so nothing is known of it.", term,
                                       gone$reason[1]),
               todo = "Leave it out of the restriction.")
}

# Rows of those that say something new; contradictory ones are an error.
independent_restrictions <- function(contrasts, value, terms) {
  size <- sqrt(rowSums(contrasts^2))
  scaled <- cbind(contrasts, value) / size
  keep <- integer()
  for (i in seq_len(nrow(scaled))) {
    if (length(keep) == 0) {
      keep <- i
      next
    }
    base <- qr(t(scaled[keep, seq_len(ncol(contrasts)), drop = FALSE]))
    weights <- qr.coef(base, scaled[i, seq_len(ncol(contrasts))])
    left <- scaled[i, ] - drop(weights %*% scaled[keep, , drop = FALSE])
    if (sqrt(sum(left[seq_len(ncol(contrasts))]^2)) > 1e-9) {
      keep <- c(keep, i)
    } else if (abs(left[ncol(contrasts) + 1]) > 1e-9 * max(1, abs(scaled[, ncol(contrasts) + 1]))) {
      stop_restriction(terms, "They contradict each other.")
    }
  }
  keep
}

stop_restriction <- function(text, where) {
  stop_wavetax("restriction", sprintf("The restriction %s cannot be used.",
                                      list_words(dQuote(short_text(text), FALSE))),
               where = where,
               todo = "Write equations linear in coefficients, such as \"levy + 2 * storms = 0.1\".")
}

# "a = b = 2 * c + 1" as rows of list(weights by kept coefficient, value).
read_equation <- function(text, fit) {
  if (nchar(text) > 5000) stop_restriction(text, "It is too long.")
  sides <- equation_sides(text)
  if (length(sides) < 2 || any(!nzchar(trimws(sides)))) stop_restriction(text, "It has no two sides around `=`.")
  read <- lapply(sides, function(side) {
    expr <- tryCatch(parse(text = side, keep.source = FALSE), error = function(cnd) NULL)
    if (is.null(expr) || length(expr) != 1) stop_restriction(text, sprintf("%s cannot be read.",
                                                                           dQuote(trimws(side), FALSE)))
    linear_combination(expr[[1]], fit, text)
  })
  out <- lapply(seq_along(read)[-1], function(s) {
    list(weights = read[[s - 1]]$weights - read[[s]]$weights, value = read[[s]]$constant - read[[s - 1]]$constant)
  })
  for (row in out) if (all(row$weights == 0)) stop_restriction(text, "No coefficient is left in it.")
  out
}

# Parts between single equals signs that stand outside brackets and quotes.
equation_sides <- function(text) {
  signs <- strsplit(text, "")[[1]]
  depth <- cumsum(signs %in% c("(", "[")) - cumsum(signs %in% c(")", "]"))
  quoted <- cumsum(signs == "`") %% 2 == 1
  at <- which(signs == "=" & depth == 0 & !quoted)
  double <- at[at %in% (at + 1L) | (at + 1L) %in% at]
  if (length(double) > 0) {
    signs[double[c(FALSE, TRUE)]] <- ""
    at <- setdiff(at, double[c(FALSE, TRUE)])
  }
  from <- c(1L, at + 1L)
  to <- c(at - 1L, length(signs))
  vapply(seq_along(from), function(i) {
    if (to[i] < from[i]) "" else paste(signs[from[i]:to[i]], collapse = "")
  }, "")
}

# An expression of coefficients and numbers as list(weights, constant); nothing is evaluated.
linear_combination <- function(expr, fit, text, depth = 0) {
  all <- kept_terms(fit)
  if (depth > 200) stop_restriction(text, "It nests too deep.")
  inner <- function(part) linear_combination(part, fit, text, depth + 1)
  zero <- numeric(length(all))
  expr <- strip_brackets(expr)
  name <- coefficient_named(expr, fit)
  if (!is.na(name)) return(list(weights = as.numeric(all == name), constant = 0))
  if (is.numeric(expr) && length(expr) == 1 && is.finite(expr)) return(list(weights = zero, constant = as.double(expr)))
  if (is_operator(expr, c("+", "-"))) {
    sign <- if (as.character(expr[[1]]) == "-") -1 else 1
    if (length(expr) == 2) {
      one <- inner(expr[[2]])
      return(list(weights = sign * one$weights, constant = sign * one$constant))
    }
    a <- inner(expr[[2]])
    b <- inner(expr[[3]])
    return(list(weights = a$weights + sign * b$weights, constant = a$constant + sign * b$constant))
  }
  if (is_operator(expr, c("*", "/")) && length(expr) == 3) {
    a <- inner(expr[[2]])
    b <- inner(expr[[3]])
    if (as.character(expr[[1]]) == "/") {
      if (any(b$weights != 0) || b$constant == 0) stop_restriction(text, "It divides by a coefficient or by zero.")
      return(list(weights = a$weights / b$constant, constant = a$constant / b$constant))
    }
    if (any(a$weights != 0) && any(b$weights != 0)) stop_restriction(text, "It multiplies two coefficients.")
    return(if (any(a$weights != 0)) list(weights = a$weights * b$constant, constant = a$constant * b$constant) else
      list(weights = b$weights * a$constant, constant = a$constant * b$constant))
  }
  said <- short_text(deparse_words(expr))
  check_not_dropped(said, fit)
  stop_wavetax("unknown_term", sprintf("The fit has no coefficient %s.", sQuote(said, FALSE)),
               where = sprintf("It stands in %s.", dQuote(short_text(text), FALSE)),
               todo = sprintf("Coefficients are %s.", list_some(term_words(all), 8)))
}

# The coefficient that an expression names as it is printed, blanks aside; NA for none.
coefficient_named <- function(expr, fit) {
  if (!is.symbol(expr) && !is.call(expr)) return(NA_character_)
  all <- kept_terms(fit)
  plain <- function(x) gsub("[ `]", "", x)
  said <- plain(deparse_words(expr))
  if (said == "constant" && !"constant" %in% all) said <- constant_term
  hit <- which(plain(all) == said)
  # `past(x)` is the coefficient of one period before, however it is written.
  if (length(hit) == 0) hit <- which(plain(sub(", 1)$", ")", all)) == said)
  if (length(hit) == 0) NA_character_ else all[hit[1]]
}

stop_no_terms <- function() {
  stop_argument("terms", "empty", "Name coefficients: `test_joint(fit, c(\"levy\", \"storms\"))`.")
}
