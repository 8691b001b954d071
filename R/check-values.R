# Checks of arguments, one family for every door: what was given, what is taken instead. The
# error's kind is "argument" unless a function documents its own.

stop_argument <- function(argument, found, todo, kind = "argument") {
  stop_wavetax(kind, sprintf("`%s` is %s.", argument, found), todo = todo)
}

# What a value is, in a few words.
value_words <- function(x) {
  if (is.null(x)) return("NULL")
  if (is.function(x)) return("a function")
  if (is.data.frame(x)) return("a data frame")
  if (rlang::is_formula(x)) return(sprintf("the formula `%s`", short_text(deparse_words(x))))
  if (is.language(x)) return("an expression")
  if (!is.atomic(x)) return(if (is.list(x)) paste("a list of", count_of(length(x), "element")) else
    paste("of class", class(x)[1]))
  if (length(x) == 0) return("empty")
  if (length(x) > 1) return(paste(count_of(length(x), "value"), "of class", class(x)[1]))
  if (is.na(x)) return("missing")
  if (is.character(x)) return(dQuote(short_text(x), FALSE))
  if (is.numeric(x) && !is.object(x)) return(format(x, digits = 6, decimal.mark = "."))
  paste("of class", class(x)[1])
}

short_text <- function(x, most = 60) {
  ifelse(nchar(x, "chars", allowNA = TRUE) > most & !is.na(x), paste0(substr(x, 1, most), " ..."), x)
}

check_flag <- function(x, argument) {
  if (is.logical(x) && length(x) == 1 && !is.na(x)) return(invisible())
  stop_argument(argument, value_words(x), "Give TRUE or FALSE.")
}

is_one_text <- function(x) is.character(x) && !is.object(x) && length(x) == 1 && !is.na(x)

check_choice <- function(x, choices, argument, kind = "argument") {
  if (is_one_text(x) && x %in% choices) return(x)
  stop_argument(argument, value_words(x),
                sprintf("It takes %s.", list_or(dQuote(choices, FALSE))), kind)
}

# The argument's default is the vector of all choices: untouched, it is the first of them.
check_one_of <- function(x, choices, argument, kind = "argument") {
  if (identical(x, choices)) return(choices[1])
  check_choice(x, choices, argument, kind)
}

list_or <- function(x) if (length(x) < 2) x else paste(paste(x[-length(x)], collapse = ", "), "or", x[length(x)])

check_number <- function(x, argument, low = -Inf, high = Inf, whole = FALSE, open = FALSE, kind = "argument") {
  good <- is.numeric(x) && !is.object(x) && length(x) == 1 && is.finite(x) &&
    (if (open) x > low && x < high else x >= low && x <= high) && (!whole || x == trunc(x))
  if (good) return(invisible())
  range <- c(if (is.finite(low)) sprintf(if (open) "above %s" else "%s or more", label_text(low)),
             if (is.finite(high)) sprintf(if (open) "below %s" else "at most %s", label_text(high)))
  stop_argument(argument, value_words(x), paste0("Give one ", if (whole) "whole ", "number",
                                                 if (length(range) > 0) ", ", paste(range,
                                                     collapse = " and "), "."), kind)
}

check_seed <- function(seed) check_number(seed, "seed", low = 0, high = 2^31 - 1, whole = TRUE)

# Several numbers, as many as one of `lengths`.
check_numbers <- function(x, argument, lengths, low = -Inf, high = Inf, whole = FALSE, open = FALSE) {
  if (!is.numeric(x) || is.object(x) || !length(x) %in% lengths) {
    stop_argument(argument, value_words(x),
                  sprintf("Give %s.", list_or(unique(vapply(lengths, count_of, "", "number")))))
  }
  for (one in x) check_number(one, argument, low, high, whole, open)
}

check_level <- function(level) {
  good <- is.numeric(level) && length(level) == 1 && is.finite(level) && level > 0 && level < 1
  if (good) return(invisible())
  stop_argument(
    "level", value_words(level),
    if (is.numeric(level) && length(level) == 1 && is.finite(level) && level > 1 && level < 100) {
      sprintf("It is a share below 1: `level = %s`.", format(level / 100, decimal.mark = "."))
    } else {
      "Give one number between 0 and 1, such as 0.95."
    },
    kind = "level"
  )
}

check_text <- function(x, argument, todo = "Give one text in quotes.", kind = "argument") {
  if (is_one_text(x) && nzchar(x)) return(invisible())
  stop_argument(argument, if (identical(x, "")) "empty" else value_words(x), todo, kind)
}

# Text without holes, of any length; NULL too.
check_texts <- function(x, argument, todo = "Give text in quotes.", kind = "argument") {
  if (is.null(x) || is.character(x) && !anyNA(x)) return(invisible())
  stop_argument(argument, value_words(x), todo, kind)
}

# A method whose dots take nothing: what it was given besides is an error, not ignored.
check_no_dots <- function(..., of) {
  if (...length() == 0) return(invisible())
  names <- ...names()
  given <- if (is.null(names)) rep("", ...length()) else names
  given[is.na(given)] <- ""
  known <- setdiff(names(formals(of$call)), c("...", of$hidden))
  named <- given[nzchar(given)]
  if (length(named) > 0) stop_no_argument(named, known, of$name, of$todo)
  stop_wavetax("argument", sprintf("`%s` was given %s too many.", of$name, count_of(...length(), "argument")),
               todo = c(of$todo, known_arguments(known)))
}

stop_no_argument <- function(named, known, name, todo = NULL) {
  stop_wavetax("argument", sprintf("`%s` has no argument %s.", name, list_words(sQuote(named, FALSE))),
               todo = c(near_argument(named, known), todo, known_arguments(known)))
}

known_arguments <- function(known) {
  if (length(known) > 1) sprintf("Its arguments are %s.", list_words(known))
}

# The same where people bring the arguments of other functions.
check_own_arguments <- function(..., of, name) {
  if (...length() == 0) return(invisible())
  todo <- if (startsWith(name, "fit_") || name == "panel_frame()") foreign_words(...names())
  check_no_dots(..., of = list(call = of, name = name, hidden = character(), todo = todo))
}

# Named values among dots that take columns or fits: arguments that are not there.
check_dots_unnamed <- function(names, of, name) {
  names <- names[!is.na(names)]
  named <- names[nzchar(names)]
  if (length(named) == 0) return(invisible())
  known <- setdiff(names(formals(of)), c("...", "x"))
  stop_no_argument(named, known, name)
}

# Names of coefficients, bare or quoted: as of columns, one of the `known` goes before a variable of that name. What
# cannot be computed, or is a function, is meant as it is written.
bare_names <- function(quo, known) {
  expr <- rlang::quo_get_expr(quo)
  if (is.language(expr) && deparse_words(expr) %in% known) return(deparse_words(expr))
  if (is_operator(expr, "c")) {
    parts <- lapply(as.list(expr)[-1], function(one) {
      bare_names(rlang::new_quosure(one, rlang::quo_get_env(quo)), known)
    })
    names(parts) <- names(expr)[-1]
    return(unlist(parts))
  }
  value <- tryCatch(list(rlang::eval_tidy(quo)), error = function(cnd) NULL)
  if (is.null(value) || is.function(value[[1]])) deparse_words(expr) else value[[1]]
}

# What does here what arguments of these names do elsewhere.
foreign_words <- function(names) {
  unique(unlist(lapply(names, function(name) {
    meaning <- vapply(foreign_arguments, function(one) name %in% one$names, TRUE)
    vapply(foreign_arguments[meaning], `[[`, "", "todo")
  })))
}

foreign_arguments <- list(
  list(names = c("subset", "filter", "where"), todo = "`rows = season > 2012` chooses rows."),
  list(names = c("cluster", "clusters", "vcov", "se", "robust"),
       todo = "Errors are `errors = se_clustered(harbour)`, or `se_robust()`: see ?standard_errors."),
  list(names = c("index", "id", "time", "panel", "key"),
       todo = "Entity and period are named once: `panel_frame(data, entity, period)`."),
  list(names = c("na.action", "na.rm"),
       todo = "Rows with a missing value are left out and counted; `na.action(fit)` has them."),
  list(names = c("family", "link"), todo = "The models are linear: there is no family."),
  list(names = c("instruments", "endogenous"),
       todo = "Instruments: `fit_instrumented(formula, data, endogenous = ~ x, instruments = ~ z)`."),
  list(names = c("model", "method", "type"),
       todo = "The function is the model: `fit_pooled()`, `fit_fixed()`, `fit_random()`, `fit_difference()`."),
  list(names = "offset", todo = "An offset stands in the formula: `y ~ x + offset(z)`."),
  list(names = "contrasts",
       todo = "A base is `against(coast, \"Ember\")` in the formula, or a factor's own contrasts."),
  list(names = c("level", "conf.level"), todo = "The coverage is that of `confint(fit, level = )`.")
)

check_print_dots <- function(..., of) {
  check_no_dots(..., of = list(call = of, name = "print()", hidden = "x",
                               todo = paste("Numbers are rounded by their errors; as data, by",
                                            "`as.data.frame()`, they are whole.")))
}

near_argument <- function(given, known) {
  near <- unlist(lapply(given, near_names, known))
  if (length(near) > 0) sprintf("Did you mean %s?", list_words(sQuote(unique(near), FALSE)))
}

near_names <- function(name, candidates) {
  if (length(candidates) == 0) return(character())
  distance <- drop(utils::adist(lower_case(name), lower_case(candidates)))
  candidates[distance == min(distance) & distance <= max(1, ceiling(nchar(name) / 3)) & distance < nchar(name)]
}

# The first of those that were nearly written, none where none was.
nearest_name <- function(name, candidates) utils::head(near_names(name, candidates), 1)

# ---- expressions ----

is_operator <- function(expr, names) is.call(expr) && is.symbol(expr[[1]]) && as.character(expr[[1]]) %in% names

# All parts of an expression, itself the first and of parts beside each other the last, along a list of what is left
# to look at: expressions may nest deeper than functions may call themselves. `inner` gives the parts of a call.
parts_in <- function(expr, inner = function(call) as.list(call)[-1]) {
  found <- list()
  left <- list(expr)
  while (length(left) > 0) {
    one <- left[[length(left)]]
    left[[length(left)]] <- NULL
    found[length(found) + 1L] <- list(one)
    if (is.call(one)) left <- c(left, Filter(function(part) !rlang::is_missing(part), inner(one)))
  }
  found
}

strip_brackets <- function(expr) {
  while (is_operator(expr, "(")) expr <- expr[[2]]
  expr
}

baseenv_or <- function(env) if (is.null(env)) baseenv() else env
