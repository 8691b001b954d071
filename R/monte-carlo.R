#' What methods find of panels whose truth is known
#'
#' Question answered: *on panels like mine, is this estimator biased, and do its errors hold what they promise?* Panels
#' are drawn again and again, every estimator is computed on each, and what they found is set beside the truth.
#'
#' @param design What is drawn: a panel of [simulate_panel()], of which new ones are drawn with the same arguments; or a
#'   function without arguments that draws a panel, without a seed of its own, as
#'   `function() { panel$y <- simulate(fit)[[1]]; panel }` does from a fit of your own data; or a named list of designs.
#' @param estimators What is computed of each: a fit, whose call is repeated on each panel; a function of the panel that
#'   gives a fit, a test, numbers with names, or a list of them; or a named list of these.
#' @param draws How many panels are drawn of each design.
#' @param seed Where the draws start; the session's random numbers are left alone. Each draw has a seed of its own,
#'   which `x$draws$seed` tells: `simulate_panel(..., seed = )` gives that panel again.
#' @param cores Processes that share the draws, where the system can fork; what is found does not depend on it.
#' @param errors Standard errors by which each fit is told, a named list of `se_` specifications; `NULL`: its own.
#' @param terms Coefficients that are told; `NULL`: all whose truth is known.
#' @param truth True values by name, where the design does not tell them.
#' @param level Coverage that the intervals promise.
#' @param ... Takes nothing; what is misspelt is told.
#' @return A `monte_carlo`, which prints a table and what stands out in it: a list with `draws`, a data frame with a row
#'   for each draw, estimator and term (`design`, `draw`, `seed`, `estimator`, `errors`, `term`, `estimate`,
#'   `std_error`, `low`, `high`, `p_value`, `refused`, `warned`), and `table`, which `as.data.frame()` gives: `design`,
#'   `estimator`, `errors`, `term`, `truth`, `draws` (those with a result), `refused` (how many gave none), `mean`,
#'   `bias` and its simulation error `bias_error`, `spread` (standard deviation of the estimates), `std_error` (the root
#'   of the mean squared standard error, to be compared with `spread`), `coverage` (share of intervals that hold the
#'   truth), `size` (share in which the truth is rejected, 1 - coverage), `rejected` (share in which p is below
#'   1 - `level`: of a coefficient the hypothesis that it is 0, of a test its own null).
#'   `plot()` draws the estimates or the sizes.
#' @section Simulation error:
#' A share of R draws is known to \eqn{1.96 \sqrt{s (1 - s) / R}}{1.96 sqrt(s (1 - s) / R)} either way, a bias to 1.96
#' `bias_error`, which is `spread` over the root of R. What is told in words is further away than three of these errors,
#' and large enough to matter: a bias of a tenth of the spread, standard errors a tenth off.
#' @section Errors:
#' `wavetax_error_design` when a design gives no panel; `wavetax_error_estimator` when an estimator fails for another
#' reason than one that the package gives, gives what is no result, or is refused in each of the first draws (refusals
#' of some are counted); `wavetax_error_truth` when no term has a truth; `wavetax_error_argument`.
#' @examples
#' # The entities' levels move with the regressor, and disturbances are related over time.
#' design <- simulate_panel(30, 6, related = 0.6, serial = 0.5)
#' found <- monte_carlo(design, list(
#'   pooled = fit_pooled(y ~ x, design), fixed = fit_fixed(y ~ x, design), random = fit_random(y ~ x, design)
#' ), draws = 40)
#' found
#' plot(found)
#'
#' # Do errors hold their size, with few entities?
#' few <- list("8 entities" = simulate_panel(8, 10, serial = 0.7), "40 entities" = simulate_panel(40, 10, serial = 0.7))
#' sizes <- monte_carlo(few, list(fixed = function(panel) fit_fixed(y ~ x, panel)), draws = 40, errors = list(
#'   classical = se_classical(), clustered = se_clustered(), CR3 = se_clustered(type = "CR3")
#' ))
#' plot(sizes, "size")
#' @export
monte_carlo <- function(design, estimators, draws = 400, seed = 1, cores = 1, errors = NULL, terms = NULL, truth = NULL,
                        level = 0.95, ...) {
  check_own_arguments(..., of = monte_carlo, name = "monte_carlo()")
  if (missing(design)) stop_argument("design", "missing", "Draw one: `simulate_panel(50, 10)`.")
  if (missing(estimators)) {
    stop_argument("estimators", "missing", "For example `list(fixed = fit_fixed(y ~ x, design))`.")
  }
  check_number(draws, "draws", 2, 1e7, whole = TRUE)
  check_seed(seed)
  check_number(cores, "cores", 1, 1024, whole = TRUE)
  check_texts(terms, "terms", "Name coefficients in quotes.", kind = "unknown_term")
  check_level(level)
  cores <- usable_cores(cores)
  designs <- laboratory_designs(design)
  plan <- list(estimators = laboratory_estimators(estimators), errors = laboratory_errors(errors), terms = terms,
               truth = checked_truth(truth), level = level)
  seeds <- with_own_seed(seed, sample.int(.Machine$integer.max, draws))
  found <- Map(function(one, name) {
    design_draws(one, name, plan, seeds, cores, if (length(designs) == 1) "Drawing panels" else paste("Drawing", name))
  }, designs, names(designs))
  rows <- do.call(rbind, unname(found))
  structure(list(
    table = laboratory_table(rows, level, as.integer(draws)), draws = rows[setdiff(names(rows), c("source", "truth"))],
    designs = vapply(designs, `[[`, "", "words"), level = level, seed = seed, asked = draws
  ), class = "monte_carlo")
}

#' @export
as.data.frame.monte_carlo <- function(x, ...) x$table

# ---- what is drawn and computed ----

# Each is list(draw: a function without arguments that gives a panel from the random numbers of the moment; words).
laboratory_designs <- function(design) {
  if (is_panel_frame(design) || is.function(design) || !is.list(design) || is.object(design)) {
    return(stats::setNames(list(one_design(design, "design")), ""))
  }
  if (length(design) == 0) stop_argument("design", "an empty list", "Draw one: `simulate_panel(50, 10)`.", "design")
  made <- Map(one_design, design, sprintf("design[[%d]]", seq_along(design)))
  stats::setNames(made, names_apart(design, "design", function() {
    truths <- lapply(design, function(one) if (is_panel_frame(one)) panel_truth(one))
    if (any(vapply(truths, is.null, TRUE))) NULL else truth_differences(truths)
  }))
}

one_design <- function(design, argument) {
  if (is.function(design)) return(list(draw = design, words = "panels that a function draws"))
  truth <- if (is_panel_frame(design)) panel_truth(design)
  if (is.null(truth)) {
    stop_argument(argument, value_words(design), c(
      "Draw it by `simulate_panel()`, of which new panels can be drawn,",
      "or give a function without arguments that draws one: `function() { panel$y <- simulate(fit)[[1]]; panel }`."
    ), "design")
  }
  list(draw = function() draw_panel(truth, NULL), words = truth_sentence(truth))
}

# What tells simulated panels apart: "serial 0.5, spread 1".
truth_differences <- function(truths) {
  arguments <- setdiff(names(formals(simulate_panel)), "seed")
  said <- lapply(arguments, function(name) {
    vapply(truths, function(truth) paste(name, list_some(label_text(unname(truth[[name]])), 3)), "")
  })
  differing <- Filter(function(one) length(unique(one)) > 1, said)
  if (length(differing) > 0) do.call(paste, c(unname(differing), sep = ", "))
}

# Names as they are given, else made, else asked for.
names_apart <- function(list, argument, make) {
  given <- if (is.null(names(list))) rep("", length(list)) else names(list)
  bare <- !nzchar(given) | is.na(given)
  if (any(bare)) {
    made <- make()
    if (is.null(made)) {
      stop_argument(argument, "a list with an element without a name",
                    sprintf("Name each: `%s = list(ours = ...)`.", argument))
    }
    given[bare] <- made[bare]
  }
  if (anyDuplicated(given) > 0) {
    stop_argument(argument, sprintf("a list with two of the name %s", dQuote(given[anyDuplicated(given)], FALSE)),
                  "Each has a name of its own.")
  }
  given
}

# Functions of a panel by name.
laboratory_estimators <- function(estimators) {
  if (is.function(estimators) || inherits(estimators, "panel_fit")) estimators <- list(estimators)
  if (!is.list(estimators) || is.object(estimators) || length(estimators) == 0) {
    stop_argument("estimators", value_words(estimators),
                  "Give fits or functions of a panel: `list(fixed = function(panel) fit_fixed(y ~ x, panel))`.")
  }
  fits <- vapply(estimators, inherits, TRUE, "panel_fit")
  for (one in estimators[!fits]) {
    if (is.function(one)) next
    stop_argument("estimators", sprintf("a list with %s", value_words(one)),
                  "Each is a fit, or a function of a panel: `function(panel) fit_fixed(y ~ x, panel)`.")
  }
  names(estimators) <- names_apart(estimators, "estimators", function() {
    if (!all(fits)) return(if (length(fits) == 1) "estimate")
    methods <- vapply(estimators, `[[`, "", "method")
    if (anyDuplicated(methods) == 0) methods
  })
  lapply(estimators, function(one) {
    if (is.function(one)) return(one)
    check_is_fit(one)
    function(panel) stats::update(one, data = panel)
  })
}

laboratory_errors <- function(errors) {
  if (is.null(errors)) return(NULL)
  if (inherits(errors, "error_spec")) errors <- list(errors)
  if (!is.list(errors) || is.object(errors) || length(errors) == 0) check_error_spec(errors)
  for (spec in errors) check_error_spec(spec)
  stats::setNames(errors, names_apart(errors, "errors", function() {
    made <- vapply(errors, error_kind_words, "")
    if (anyDuplicated(made) == 0) made
  }))
}

checked_truth <- function(truth) {
  if (is.null(truth)) return(NULL)
  numbers <- is.numeric(truth) && !is.object(truth) && length(truth) > 0 && all(is.finite(truth))
  if (numbers && rlang::is_named(truth) && anyDuplicated(names(truth)) == 0) return(truth)
  stop_argument("truth", value_words(truth), "Give numbers with the names of terms: `truth = c(levy = -0.05)`.")
}

# ---- what was found ----

# A row for each design, estimator, kind of errors and term.
laboratory_table <- function(rows, level, asked) {
  by <- c("design", "estimator", "errors", "term")
  told <- rows[is.na(rows$refused), ]
  key <- do.call(paste, c(unname(told[by]), sep = "\r"))
  out <- do.call(rbind, lapply(split(told, factor(key, unique(key))), function(part) {
    cbind(part[1, c(by, "truth")], told_of_draws(part, level, asked))
  }))
  # In the order in which they were given, also where the first draw was refused.
  out <- out[order(match(out$design, unique(rows$design)), match(out$estimator, unique(rows$estimator))), ]
  rownames(out) <- NULL
  out
}

told_of_draws <- function(part, level, asked) {
  share <- function(x) if (all(is.na(x))) NA_real_ else mean(x, na.rm = TRUE)
  estimates <- part$estimate[!is.na(part$estimate)]
  n <- length(estimates)
  spread <- if (n > 1) stats::sd(estimates) else NA_real_
  # An interval of no length is read to rounding.
  slack <- 1e-9 * pmax(abs(part$truth), abs(part$estimate))
  holds <- part$low - slack <= part$truth & part$truth <= part$high + slack
  mean <- if (n > 0) mean(estimates) else NA_real_
  data.frame(
    draws = nrow(part), refused = asked - nrow(part), mean = mean, bias = mean - part$truth[1],
    bias_error = spread / sqrt(n), spread = spread, std_error = sqrt(share(part$std_error^2)),
    coverage = share(holds), size = share(!holds), rejected = share(part$p_value < 1 - level)
  )
}
