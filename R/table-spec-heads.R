# Fits from the arguments of a table or figure, and the heads of their columns.

# Fits from `...`: each a fit, a list of fits, named or not, or a table, whose columns come first as they are. With the
# attributes `heads`, `over` where lists within a list are named, `tables` and `is_new`.
collect_fits <- function(quos, of, name) {
  known <- setdiff(names(formals(of)), "...")
  parts <- lapply(seq_along(quos), function(q) {
    value <- rlang::eval_tidy(quos[[q]])
    given <- names(quos)[q]
    if (inherits(value, "spec_table")) {
      check_whole_spec(value)
      return(list(table = value))
    }
    if (is_fit_or_record(value)) {
      expr <- rlang::quo_get_expr(quos[[q]])
      name <- if (nzchar(given)) given else if (is.symbol(expr)) as.character(expr) else ""
      return(list(fits = stats::setNames(list(value), name), over = ""))
    }
    if (is.list(value) && !is.object(value) && length(value) > 0) return(flat_fits(value, given))
    if (is.list(value) && inherits(value, "list")) return(flat_fits(value, given))
    # What is named and no fit is meant for an argument.
    if (nzchar(given) && (is.atomic(value) || rlang::is_formula(value) || length(near_names(given, known)) > 0 ||
                          inherits(value, "error_spec"))) {
      stop_no_argument(given, known, name, if (inherits(value, "error_spec")) {
        "Other errors are `with_errors(fit, se_robust())`."
      })
    }
    check_is_fit(value, sprintf("argument %d", q))
  })
  tables <- Filter(Negate(is.null), lapply(parts, `[[`, "table"))
  new <- do.call(c, c(list(list()), lapply(parts, `[[`, "fits")))
  over <- unlist(lapply(parts, function(part) rep_len(part$over, length(part$fits))))
  fits <- c(do.call(c, c(list(list()), lapply(tables, `[[`, "records"))), new)
  if (length(fits) == 0) check_is_fit(NULL, "...")
  for (f in seq_along(fits)) if (!is_fit_or_record(fits[[f]])) check_is_fit(fits[[f]], sprintf("fit %d", f))
  is_new <- rep(c(FALSE, TRUE), c(length(fits) - length(new), length(new)))
  heads <- c(unlist(lapply(tables, `[[`, "heads")), names(new))
  heads <- name_apart(heads, fits)
  over <- if (any(nzchar(over))) c(rep("", sum(!is_new)), over)
  heads <- name_outcomes(heads, fits, over)
  names(fits) <- make.unique(heads, sep = " ")
  structure(fits, heads = heads, tables = tables, is_new = is_new,
            over = over)
}

# Lists within a list have their name over their fits.
flat_fits <- function(value, given) {
  names <- if (is.null(names(value))) rep("", length(value)) else names(value)
  inner <- vapply(value, function(one) is.list(one) && !is.object(one), TRUE)
  over <- fits <- list()
  for (i in seq_along(value)) {
    own <- if (inner[i]) value[[i]] else stats::setNames(list(value[[i]]), names[i])
    if (is.null(names(own))) names(own) <- rep("", length(own))
    fits <- c(fits, own)
    over <- c(over, rep(if (inner[i]) names[i] else given, length(own)))
  }
  list(fits = fits, over = unlist(over))
}

is_fit_or_record <- function(x) inherits(x, c("panel_fit", "fit_record")) && is.list(x) && is_one_text(x$method)

# The coefficients of any of them.
terms_of_all <- function(fits) unique(unlist(lapply(fits, function(fit) fit$coefficients$term)))

fit_outcome <- function(fit) if (inherits(fit, "fit_record")) fit$outcome else fit$design$outcome

# Where the fits are of several outcomes, each column's head tells its own, unless the heads over them tell outcomes.
name_outcomes <- function(heads, fits, over = NULL) {
  outcomes <- vapply(fits, fit_outcome, "", USE.NAMES = FALSE)
  if (length(unique(outcomes)) < 2) return(heads)
  if (!is.null(over) && all(nzchar(over)) && all(lengths(lapply(split(outcomes, over), unique)) == 1)) return(heads)
  own <- heads == outcomes | mapply(function(name, outcome) grepl(outcome, name, fixed = TRUE), heads, outcomes)
  ifelse(own, heads, paste0(outcomes, ", ", heads))
}

# Heads of fits without a name: the method, and what tells those of one method apart.
name_apart <- function(heads, fits) {
  bare <- which(!nzchar(heads))
  if (length(bare) == 0) return(heads)
  methods <- vapply(fits[bare], function(fit) fit$method, "")
  traits <- lapply(fits[bare], fit_traits)
  heads[bare] <- methods
  for (method in unique(methods[duplicated(methods)])) {
    same <- which(methods == method)
    for (trait in names(traits[[1]])) {
      words <- vapply(traits[same], `[[`, "", trait)
      if (length(unique(words)) < 2) next
      heads[bare[same]] <- ifelse(nzchar(words), paste0(heads[bare[same]], ", ", words), heads[bare[same]])
      if (!anyDuplicated(heads[bare[same]])) break
    }
  }
  heads
}

# In the order in which they are asked: effects, what is in the equation, errors, rows.
fit_traits <- function(fit) {
  record <- fit_record(fit)
  sets <- record$effects
  list(
    effects = if (length(sets) < 2) "" else if (length(sets) == 2) "two-way" else sprintf("%d sets", length(sets)),
    sets = paste(sub(" effects$", "", sets), collapse = " and "),
    outcome = record$outcome, rows = if (grepl(" where ", record$sample)) sub("^.* where ([^:;]*).*$", "\\1",
                                                                              record$sample) else "",
    kind = errors_kind(record$errors), errors = short_text(record$errors$label, 30),
    terms = count_of(nrow(record$coefficients), "coefficient"), number = count_of(record$rows, "row")
  )
}
