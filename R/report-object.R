# A report as a value: list(title; by, the authors; date; answer, NULL or list(words, strip); sections, each list(id,
# heading, blocks)). Every writer renders the same value.
#
# What it is made of is a brief, a list of
#   fit        the fit that answers, NULL where none does; `fits` and `tests` those beside it, by name
#   appraisal, diagnosis, table      of which there may be none
#   panel      the data, NULL where fits keep no rows
#   focus      the coefficient of interest
#   told       what is told of the data: where from, what was repaired
#   calls      lines of code
#   lacks      what cannot be told, and why

report_parts <- c("question", "data", "description", "models", "tests", "recommendation", "robustness", "limits",
                  "appendix")

part_headings <- c(question = "The question", data = "The data", description = "What varies, and where",
                   models = "The models side by side", tests = "What the tests say",
                   recommendation = "What is recommended", robustness = "If other choices were made",
                   limits = "What no test can tell", appendix = "Methods and calls")

# Where nothing was appraised nothing is recommended.
part_heading <- function(part, brief) {
  if (part == "recommendation" && is.null(brief$appraisal)) "What the estimates say" else part_headings[[part]]
}

new_report <- function(title, sections, by = NULL, date = NULL, answer = NULL) {
  list(title = title, by = by, date = date, answer = answer, sections = Filter(Negate(is.null), sections))
}

# Who answers for it, and when; "" where nobody says.
report_byline <- function(report) paste(c(list_words(report$by), report$date), collapse = ". ")

new_report_section <- function(id, heading, blocks) {
  blocks <- flat_blocks(list(gap_block(), blocks))
  if (all(vapply(blocks, function(block) block$kind == "gap", TRUE))) return(NULL)
  list(id = id, heading = heading, blocks = blocks)
}

# The report of x, with the parts that are asked for.
report_of <- function(x, title, author, date, parts) UseMethod("report_of")

report_of.default <- function(x, title, author, date, parts) report_of_brief(brief_of(x), title, author, date, parts)

# `make_part` gives the blocks of a part.
report_of_brief <- function(brief, title = NULL, author = NULL, date = NULL, parts = report_parts,
                            make_part = report_part) {
  sections <- lapply(parts, function(part) {
    new_report_section(part, part_heading(part, brief), make_part(part, brief))
  })
  if (is.null(title)) title <- brief_title(brief)
  new_report(title, sections, author, date, brief_answer(brief))
}

# ---- briefs ----

brief_of <- function(x) UseMethod("brief_of")

new_brief <- function(fit = NULL, fits = list(), tests = list(), appraisal = NULL, diagnosis = NULL, panel = NULL,
                      focus = NULL, told = NULL, calls = NULL, lacks = NULL) {
  list(fit = fit, fits = fits, tests = tests, appraisal = appraisal, diagnosis = diagnosis, panel = panel,
       focus = focus, told = told, calls = calls, lacks = lacks)
}

brief_of.appraisal <- function(x) {
  check_appraised(x)
  fit <- x$fit
  # The others under the errors that are usual on a panel, which is what the appraisal has them under.
  fits <- lapply(x$fits[intersect(c("pooled", "random", "fixed", "two-way"), names(x$fits))], clustered_by_entity)
  heads <- c(pooled = "pooled", random = "random effects", fixed = sprintf("effects of %s", plural_of(x$entity)),
             "two-way" = sprintf("effects of %s and %s", plural_of(x$entity), plural_of(x$period)))
  names(fits) <- heads[names(fits)]
  own <- candidate_head(x, heads)
  fits[[own]] <- fit
  new_brief(fit, fits, x$tests, appraisal = x, panel = report_panel(fit), focus = focus_term(fit, x$focus),
            calls = sprintf("appraise(%s, panel, focus = %s)", deparse_words(x$formula), code_text(x$focus)))
}

clustered_by_entity <- function(fit) {
  tryCatch(with_errors(fit, se_clustered(column_formula(fit$design$index$entity))), wavetax_error = function(cnd) fit)
}

# The recommended fit has its own errors, and stands where its model does.
candidate_head <- function(x, heads) if (x$model %in% names(heads)) heads[[x$model]] else "recommended"

check_appraised <- function(x) {
  if (inherits(x$fit, "panel_fit")) return(invisible())
  stop_wavetax("report", "The appraisal has no fit: its model could not be estimated.",
               todo = "A report is of what was estimated; `print()` shows what was found.")
}

brief_of.panel_fit <- function(x) {
  lacks <- if (is_slim(x)) "the fit keeps no rows: description, tests and other choices need them"
  new_brief(x, list(x), if (is.null(lacks)) tests_of_instruments(x), panel = report_panel(x), focus = focus_term(x),
            diagnosis = if (is.null(lacks)) diagnosis_of(x), calls = call_lines(x$request$call), lacks = lacks)
}

# Those that there are of the fit: exactly identified fits have no test of over-identification.
tests_of_instruments <- function(fit) {
  if (is.null(fit$instrumented)) return(list())
  made <- lapply(list(test_strength, test_overidentification, test_endogeneity), function(test) {
    tryCatch(muffled(test(fit), "wavetax_warning"), wavetax_error = function(cnd) NULL)
  })
  Filter(Negate(is.null), made)
}

brief_of.fit_record <- function(x) {
  new_brief(NULL, list(x), lacks = "the fit was read back from a file and has no rows: only its table can be told")
}

brief_of.diagnosis <- function(x) {
  fit <- attr(x, "fit")
  replace(brief_of.panel_fit(fit), "diagnosis", list(x))
}

# Fits and tests in one list, by name where they have names.
brief_of.list <- function(x) {
  is_fit <- vapply(x, is_fit_or_record, TRUE)
  is_test <- vapply(x, inherits, TRUE, "panel_test")
  odd <- which(!is_fit & !is_test)
  if (length(x) == 0 || length(odd) > 0) {
    stop_wavetax("report", if (length(x) == 0) "The list is empty." else
      sprintf("Element %d of the list is %s.", odd[1], value_words(x[[odd[1]]])),
      todo = "Give fits and tests: `list(pooled, fixed, test_hausman(fixed, random))`.")
  }
  if (!any(is_fit)) return(new_brief(tests = x))
  fits <- x[is_fit]
  last <- fits[[length(fits)]]
  whole <- inherits(last, "panel_fit")
  names <- if (is.null(names(fits))) rep("", length(fits)) else names(fits)
  calls <- unlist(lapply(fits, function(fit) if (inherits(fit, "panel_fit")) call_lines(fit$request$call)))
  new_brief(if (whole) last, fits, x[is_test], panel = if (whole) report_panel(last),
            focus = if (whole) focus_term(last), calls = unname(calls),
            lacks = if (!whole || is_slim(last)) "fits without rows: only their table can be told")
}

brief_of.default <- function(x) {
  stop_wavetax("report", sprintf("`x` is %s, of which there is no report.", value_words(x)),
               todo = "Give an appraisal, a fit, a list of fits and tests, a diagnosis, a study's result, or a test.")
}

report_panel <- function(fit) {
  data <- fit$design$data
  if (is_panel_frame(data)) data
}

is_slim <- function(fit) identical(fit$request$keep, "nothing") || is.null(fit$design$data)

diagnosis_of <- function(fit) tryCatch(muffled(diagnose(fit), "wavetax_warning"), wavetax_error = function(cnd) NULL)

# The coefficient that a variable of interest enters by; where none is named what is instrumented, else the first slope.
focus_term <- function(fit, focus = NULL) {
  slopes <- slope_names(fit)
  if (is.null(focus)) return(c(intersect(unlist(fit$instrumented$endogenous), slopes), slopes)[1])
  if (focus %in% slopes) return(focus)
  within <- slopes[vapply(slopes, function(one) {
    expr <- tryCatch(str2lang(one), error = function(cnd) as.name(one))
    focus %in% all.vars(expr)
  }, TRUE)]
  if (length(within) > 0) within[1] else slopes[1]
}
