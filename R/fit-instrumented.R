#' Instrumented regression
#'
#' Question answered: *what is the slope of a regressor that itself answers to the outcome, judged by what moves it and
#' does not move the outcome otherwise?*
#'
#' The formula holds all regressors \eqn{X = [X_1, X_2]}{X = [X1, X2]}; `endogenous` names those that answer back,
#' \eqn{X_2}{X2}, and `instruments` what moves them, \eqn{Z_2}{Z2}; with \eqn{Z = [X_1, Z_2]}{Z = [X1, Z2]}, all of
#' them less the effects, and \eqn{\hat X = P_Z X}{Xh = P_Z X}. Two-stage least squares is \eqn{b = (\hat
#' X'X)^{-1}\hat X'y}{b = (Xh'X)^-1 Xh'y}, its residuals \eqn{y - Xb}{y - Xb}. Limited information maximum likelihood
#' replaces \eqn{\hat X}{Xh} by \eqn{X - \kappa M_Z X}{X - kappa M_Z X} with the smallest root kappa of \eqn{|Y'M_1Y -
#' \kappa Y'M_ZY|}{|Y'M_1 Y - kappa Y'M_Z Y|}, \eqn{Y = [y, X_2]}{Y = [y, X2]}: it errs less where instruments are many
#' and weak. The generalised method of moments weighs instruments by the covariance of their moments over the clusters
#' of the errors. Effects are swept from all columns first, so that constant and effects are as of [fit_fixed()].
#'
#' An instrument must move its regressor, which data show, and must not move the outcome in any other way, which they do
#' not: a test of over-identification asks whether several instruments agree.
#'
#' R-squared, likelihood and what is made of it are not given: they do not say how well an instrumented model fits.
#'
#' @inheritParams fit_fixed
#' @param formula All regressors, endogenous ones among them.
#' @param endogenous The terms of the formula that are instrumented, as written there: `~ log(berths)`.
#' @param instruments What instruments them, a one-sided formula.
#' @param effects Those swept out, as of [fit_fixed()], or `"none"`.
#' @param method `"2sls"`, `"liml"` or `"gmm"`.
#' @return A fit, see [panel_fit]; `instrumented` holds `method`, `kappa`, and the names of what is `endogenous`, of the
#'   `instruments`, and of those `dropped`.
#' @section Errors:
#' Those of [fit_fixed()], and of class `wavetax_error_instruments`: `endogenous` that are not in the formula,
#' instruments that are; fewer instruments than endogenous columns, none left after the sweep, or some that do not move
#' an endogenous column (`wavetax_error_rank`); a first stage without residual; the generalised method of moments with
#' errors that are no sums by one kind of cluster or by row, or with no more clusters than instruments.
#' @references Anderson, T. W. and Rubin, H. (1949), *Annals of Mathematical Statistics* 20. Basmann, R. L. (1957),
#'   *Econometrica* 25. Hansen, L. P. (1982), *Econometrica* 50.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fit_instrumented(log(nights) ~ levy + storms + log(berths), panel, endogenous = ~ log(berths),
#'                  instruments = ~ relief, effects = "both")
#' @noRd
fit_instrumented <- function(formula, data, endogenous, instruments, effects = "entity", method = "2sls",
                             weights = NULL, errors = NULL, rows = NULL, keep = "rows", ...) {
  check_own_arguments(..., of = fit_instrumented, name = "fit_instrumented()")
  if (missing(endogenous)) stop_instruments_missing("endogenous")
  if (missing(instruments)) stop_instruments_missing("instruments")
  run_fit(fit_request(
    "instrumented", match.call(), formula, data, rlang::enquo(weights), rlang::enquo(rows), errors, keep,
    rlang::enquo(effects),
    list(endogenous = columns_argument(rlang::enquo(endogenous), data, "endogenous"),
         instruments = columns_argument(rlang::enquo(instruments), data, "instruments"), method = method)
  ))
}

stop_instruments_missing <- function(argument) {
  stop_wavetax(
    c("instruments", "argument"), sprintf("`%s` is missing.", argument),
    todo = if (argument == "endogenous") "Name the terms that are instrumented: `endogenous = ~ x`." else
      "Name what instruments them: `instruments = ~ z`."
  )
}

method_instrumented <- function() {
  new_fit_method(
    "instrumented", words = "instrumented", title = instrumented_title,
    estimate = function(request) estimate_instrumented(request),
    arguments = c("effects", "weights", "endogenous", "instruments", "method"),
    sets = list(most = Inf, trends = TRUE), r_squared = character(),
    with_effects = list(effects = "fixed", constant = "aside")
  )
}

instrumented_title <- function(fit) {
  how <- c("2sls" = "Two-stage least squares", liml = "Limited information maximum likelihood",
           gmm = "Generalised method of moments")[[fit$instrumented$method]]
  if (length(fit$effects) == 0) how else paste(how, "with fixed effects by", effects_words(fit$effects))
}

estimate_instrumented <- function(request) {
  method <- check_choice(request$options$method, c("2sls", "liml", "gmm"), "method", kind = "method")
  sets <- if (identical(request$effects, "none")) list() else effect_sets(request$effects, request$data)
  named <- instrument_terms(request)
  design <- request_design(request, also = effect_columns(sets), trends = trend_columns(sets),
                           absorbs_constant = length(sets) > 0, beside = named$formula)
  endogenous <- which(design$blueprint$assign %in% named$endogenous)
  check_enough_instruments(design, endogenous)
  swept <- instrumented_rows(design, sets)
  parts <- core_instrument_parts(swept$factor, length(design$x), endogenous, swept$constant, swept$norms)
  check_instrument_parts(parts, design, sets)
  made <- function(request, done) instrumented_fit(request, design, sets, swept, parts, done)
  if (method == "liml") return(made(request, core_limited_information(parts)))
  if (method == "2sls") return(made(request, core_two_stage(parts)))
  made(request, core_two_step(parts, instrument_moments(made(first_step(request), core_two_stage(parts)), parts)))
}

# The request of the fit whose residuals weigh the moments.
first_step <- function(request) {
  request$options$method <- "2sls"
  if (is.null(request$errors)) return(request)
  if (!weighs_moments(request$errors)) stop_moment_errors(request$errors)
  request$errors <- plain_sums_of(request$errors)
  request
}

# The terms that are endogenous, by number, and the formula of the instruments.
instrument_terms <- function(request) {
  index <- if (is_panel_frame(request$data)) panel_index(request$data)
  labels <- function(formula) {
    if (!rlang::is_formula(formula, lhs = FALSE)) {
      stop_wavetax(c("instruments", "argument"), sprintf("`endogenous` or `instruments` is %s.", value_words(formula)),
                   todo = "Give one-sided formulas: `endogenous = ~ x, instruments = ~ z`.")
    }
    terms <- formula_terms(expand_shifts(plain_operators(with_outcome(formula, request$formula)), index), request$data,
                           index)
    attr(terms, "term.labels")
  }
  all <- labels(rlang::new_formula(NULL, rlang::f_rhs(request$formula), rlang::f_env(request$formula)))
  endogenous <- labels(request$options$endogenous)
  instruments <- labels(request$options$instruments)
  check_instrument_terms(all, endogenous, instruments, request$formula)
  list(endogenous = match(endogenous, all), formula = with_outcome(request$options$instruments, request$formula))
}

with_outcome <- function(formula, other) {
  rlang::new_formula(rlang::f_lhs(other), rlang::f_rhs(formula), rlang::f_env(formula))
}

check_instrument_terms <- function(all, endogenous, instruments, formula) {
  refuse <- function(found, todo) stop_wavetax("instruments", found, todo = todo)
  if (length(endogenous) == 0) refuse("`endogenous` names no term.", "Name terms of the formula: `endogenous = ~ x`.")
  if (length(instruments) == 0) refuse("`instruments` names no variable.", "Name what moves the endogenous terms.")
  unknown <- setdiff(endogenous, all)
  if (length(unknown) > 0) {
    refuse(sprintf("%s %s among the regressors.", list_words(sQuote(unknown, FALSE)),
                   if (length(unknown) == 1) "is not" else "are not"),
           sprintf("`endogenous` names terms as the formula writes them: %s.", list_some(all, 6)))
  }
  both <- intersect(instruments, c(all, deparse_words(rlang::f_lhs(formula))))
  if (length(both) > 0) {
    refuse(sprintf("%s cannot be an instrument: it is in the formula.", list_words(sQuote(both, FALSE))),
           "Exogenous regressors are their own instruments; `instruments` names what is excluded.")
  }
}

check_enough_instruments <- function(design, endogenous) {
  l <- length(design$beside)
  m <- length(endogenous)
  if (l >= m) return(invisible())
  stop_wavetax("instruments", sprintf("%s for %s that are endogenous.", count_of(l, "instrument"),
                                      count_of(m, "column")),
               todo = "As many are needed at least.")
}

# What the sweep leaves of [x, z, y]: list(factor, constant: whether it has that of ones; norms of the columns before;
# grand, their means; weight, NULL without effects; df_effects, exact, sst, transform, groups, levels: a function of the
# residual's weights by column).
instrumented_rows <- function(design, sets) {
  rows <- design_rows(design)
  if (length(sets) == 0) {
    state <- core_pooled_state(rows)
    constant <- design$constant
    factor <- if (constant) state$triangle else state$triangle[, -1, drop = FALSE]
    return(list(
      factor = factor, constant = constant, norms = sqrt(colSums(state$triangle^2))[-1],
      grand = core_centre(factor, constant), df_effects = 0L, sst = sum(core_centred(state$triangle)[, rows$k + 1L]^2),
      transform = new_transformation(), n = rows$n
    ))
  }
  sweep <- start_sweep(design, sets, rows)
  state <- sweep$state
  out <- c(if (sweep$one) one_set_swept(state, sweep$groups[[1]]) else sets_swept(state, sets, sweep$groups),
           list(factor = state$within, constant = FALSE, n = rows$n, groups = sweep$groups))
  sweep$release()
  out
}

one_set_swept <- function(state, groups) {
  all_rows <- core_merge_within(state, core_group_triangle(state, sqrt(state$weight)))
  used <- state$weight > 0
  grand <- core_grand_means(state)
  list(
    norms = sqrt(colSums(all_rows^2))[-1], grand = grand, weight = sum(state$weight), df_effects = sum(used),
    sst = sum(core_centred(all_rows)[, ncol(state$within)]^2),
    transform = swept_rows(list(core_layer(groups, state$means))),
    levels = function(residual) {
      level <- core_combined_levels(state$means, residual, grand)
      level[!used] <- NA_real_
      list(list(level = level, slopes = list()))
    }
  )
}

sets_swept <- function(state, sets, groups) {
  check_converged(state)
  dimension <- core_effects_rank(state$system)
  p <- ncol(state$within)
  inverse <- core_small_inverse(state$system)
  list(
    norms = sqrt(state$squares + state$weight * state$centre^2), grand = state$centre, weight = state$weight,
    df_effects = dimension$count, exact = dimension$exact, sst = state$squares[p],
    iterations = state$iterations, achieved = state$achieved,
    transform = swept_rows(state$layers, reduced_inverse = inverse),
    levels = function(residual) core_effect_levels(state, residual)
  )
}

instrumented_fit <- function(request, design, sets, swept, parts, done) {
  solution <- core_instrumented_solution(parts, done, swept$norms, swept$n, swept$df_effects, swept$grand,
                                         swept$weight, swept$sst, iterations = swept$iterations,
                                         achieved = swept$achieved, exact = swept$exact)
  transform <- swept$transform
  effects <- list()
  if (length(sets) > 0) {
    levels <- swept$levels(solution$residual)
    # Where no set has levels, the sweep added one for all rows.
    transform$offset <- unlist(lapply(levels[-seq_along(sets)], `[[`, "level"))
    effects <- Map(function(set, groups, level) {
      describe_effects(set, groups, level$level, level$slopes, level$connected)
    }, sets, swept$groups, levels[seq_along(sets)])
  }
  new_panel_fit(request, design, solution, transform, effects = effects,
                instrumented = instrumented_facts(request, design, parts, done, solution))
}

# What a fit keeps of its instruments: see new_panel_fit().
instrumented_facts <- function(request, design, parts, done, solution) {
  names <- c(names(design$x), names(design$beside))
  list(
    method = request$options$method, kappa = done$kappa, endogenous = names[parts$kept$endogenous],
    instruments = names[parts$kept$instruments],
    dropped = setdiff(names(design$beside), names[parts$kept$instruments]), reduced = core_reduced_form(parts),
    stored = list(z = c(parts$kept$exogenous, parts$kept$instruments),
                  both = c(parts$kept$endogenous, length(names) + 1L)),
    bread = if (request$options$method == "liml") solution$bread
  )
}

# Endogenous columns that nothing is left of, instruments that are not left or do not move them, and fits without error.
check_instrument_parts <- function(parts, design, sets) {
  names <- c(names(design$x), names(design$beside))
  within <- if (length(sets) > 0) within_words(sets)
  lead <- as.integer(parts$constant)
  refuse <- function(found, todo, where = NULL, kind = "instruments") {
    stop_wavetax(unique(c(kind, "instruments")), found, where = where, todo = todo)
  }
  reasons <- function(solved) {
    gone <- which(solved$status[lead + seq_along(solved$of)] != 0L)
    vapply(gone, function(j) {
      still <- solved$status[lead + j] == 1L
      sprintf("%s %s", names[solved$of[j]], if (!still) "is a combination of others" else
        if (is.null(within)) "does not vary" else sprintf("does not vary within %s", within))
    }, "")
  }
  lost <- setdiff(parts$endogenous, parts$kept$endogenous)
  if (length(lost) > 0) {
    refuse(sprintf("Nothing of %s is left to be instrumented.", list_words(names[lost])),
           "Leave it out of the formula, or sweep fewer effects.", paste0(list_some(reasons(parts$x), 4), "."))
  }
  if (parts$l < parts$m) {
    refuse(sprintf("%s %s left for %s that are endogenous.", count_of(parts$l, "instrument"),
                   if (parts$l == 1) "is" else "are", count_of(parts$m, "column")),
           "Name instruments that vary where the effects leave something.",
           paste0(list_some(reasons(parts$z), 4), "."))
  }
  rank <- core_instrument_rank(parts)
  if (any(rank$left < 1e-9)) {
    refuse(sprintf("The instruments fit %s without residual.", names[parts$kept$endogenous[which.min(rank$left)]]),
           "It is exogenous if they are: use `fit_fixed()`, or leave out what it is made of.")
  }
  if (rank$least < 1e-9) {
    refuse("The instruments do not move the endogenous columns apart.", kind = "rank",
           "Use others: each endogenous column needs one that moves it beside the others.")
  }
}

# The covariance of the moments of the instruments less X1, from two-stage least squares under the fit's errors.
instrument_moments <- function(fit, parts) {
  spec <- fit$errors$spec
  if (!weighs_moments(spec)) stop_moment_errors(spec)
  G <- fit$errors$clusters
  if (!is.null(G) && G <= parts$l) {
    stop_wavetax(c("instruments", "errors"),
                 sprintf("%s cannot weigh %s: more clusters than instruments are needed.", count_of(G[[1]], "cluster"),
                         count_of(parts$l, "instrument")),
                 todo = "Use `method = \"2sls\"`, or fewer instruments.")
  }
  meat <- compute_errors(plain_sums_of(spec), fit)$meat
  at <- core_instrument_places(parts)$z + (nrow(meat) - ncol(parts$triangle[, seq_len(parts$inside), drop = FALSE]))
  meat[at, at, drop = FALSE]
}

# The sums behind errors by rows or by clusters, without small-sample factors.
plain_sums_of <- function(spec) {
  if (inherits(spec, "se_robust")) se_robust("HC0") else replace(spec, "type", "CR0")
}
