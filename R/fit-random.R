#' Random effects regression
#'
#' Question answered: *what does x do to y when what is fixed about each entity is
#' taken as a draw unrelated to x?* It uses the variation between entities as well as
#' within, and is misleading when that draw is related: see [test_hausman()].
#'
#' One set of effects: least squares of \eqn{y_{it} - \theta_i \bar y_i}{y_it - theta_i
#' ybar_i} on \eqn{[1 - \theta_i, x_{it} - \theta_i \bar x_i]}{[1 - theta_i, x_it -
#' theta_i xbar_i]}, \eqn{\theta_i = 1 - \sqrt{\sigma^2_e / (\sigma^2_e + T_i
#' \sigma^2_u)}}{theta_i = 1 - sqrt(s2_e / (s2_e + T_i s2_u))}, T_i the rows of
#' entity i; n - k - 1 residual degrees of freedom.
#'
#' Two sets (`effects = "both"`): exact generalised least squares with
#' \eqn{V = \sigma^2_e I + \sigma^2_u D_N D_N' + \sigma^2_v D_T D_T'}{V = s2_e I + s2_u D_N
#' D_N' + s2_v D_T D_T'}, unbalanced or not, solved through a system of the smaller set's
#' size. Clustered errors use the products of the regressors with V^-1 times the residuals.
#'
#' Variance components, argument `variance`:
#'
#' * `"amemiya"`: of within residuals, e = y - x'b with the within slopes b: the forms e'Qe and e'Pe set equal to their
#'   exact expectations; regressors that do not vary within enter by regressing the means of e on them. The method for
#'   two sets, with a form for each.
#' * `"maximum-likelihood"`: of no residuals, but of the normal likelihood, over s2_u / (s2_u + s2_e) and the rest.
#' * `"nerlove"`: of the within effects, whose variance over N - 1 is s2_u, and of the within residuals,
#'   s2_e = SSR_within / n.
#' * `"swamy-arora"`: of the within residuals s2_e, over n - N - k_w (k_w regressors that vary within); of the residuals
#'   of the regression between entities, each mean counted T_i times, s2_u,
#'   \deqn{\sigma^2_u = (SSR_b - (N - K) \sigma^2_e) / (n - tr((Z'PZ)^{-1}
#'   Z'DD'Z)),}{s2_u = (SSR_b - (N - K) s2_e) / (n - tr((Z'PZ)^-1 Z'DD'Z)),}
#'   Z = \[1, x\] with K columns, D the entity dummies, P = D(D'D)^-1 D'. With two sets, on
#'   balanced panels only, from the regressions within, between entities and between periods.
#' * `"wallace-hussain"`: of the pooled residuals: the forms e'Qe and e'Pe set equal to their exact expectations.
#'
#' A negative component is set to 0 with a warning.
#'
#' Under [serial_ar1()] rho is that of fixed effects and the components are those of the transformed rows, with the
#' transformed dummies in place of D and the sum of their squares in place of n; s2_e is the variance of the
#' disturbances, that of the innovations over 1 - rho^2. `variance` is `"maximum-likelihood"`
#' or `"swamy-arora"`. With five periods s2_u comes out low.
#'
#' @inheritParams fit_fixed
#' @param effects `"entity"`, `"period"`, a column as `~ coast`, or two: `"both"`,
#'   `~ harbour + season`.
#' @param variance How the variance components are estimated; see Details. By default
#'   `"swamy-arora"`, with two sets of effects `"amemiya"`.
#' @param weights Analytic weights, under `"maximum-likelihood"` only: the other methods have
#'   no place for them, and say so.
#' @return A `panel_fit`, see [fit_pooled()]; [variance_parts()] has both components and
#'   theta, [effect_levels()] the predicted effects. The covariance under [se_classical()] is
#'   that of the transformed regression.
#' @section Errors:
#' Those of [fit_fixed()]; `wavetax_error_variance` for a method that is unknown or does not
#' suit; `wavetax_error_weights`; `wavetax_error_too_few_entities` when there are not more
#' entities than coefficients, or no entity has two rows. Warning
#' `wavetax_warning_negative_variance`.
#' @references Swamy, P. A. V. B. and Arora, S. S. (1972), *Econometrica* 40; Wallace, T. D.
#'   and Hussain, A. (1969), *Econometrica* 37; Amemiya, T. (1971), *International Economic
#'   Review* 12; Nerlove, M. (1971), *Econometrica* 39; Hausman, J. A. and Taylor, W. E.
#'   (1981), *Econometrica* 49; Wansbeek, T. and Kapteyn, A. (1989), *Journal of
#'   Econometrics* 41; Baltagi, B. H. and Chang, Y.-J. (1994), *Journal of Econometrics* 62.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' # The effects of the demo world are related to the levy: the truth is -0.05, and random
#' # effects are pulled towards the pooled slope.
#' fit_random(log(nights) ~ levy + storms + fuel + pier, panel)
#' fit_random(log(nights) ~ levy + storms + fuel, panel, variance = "maximum-likelihood")
#' fit_random(log(nights) ~ levy + storms + fuel, panel, effects = "both")
#' @export
fit_random <- function(formula, data, effects = "entity", variance = "swamy-arora",
                       errors = NULL, weights = NULL, rows = NULL, keep = "rows", serial = "none", ...) {
  check_own_arguments(..., of = fit_random, name = "fit_random()")
  if (missing(variance)) variance <- NULL
  run_fit(fit_request(
    "random", match.call(), formula, data, rlang::enquo(weights), rlang::enquo(rows), errors, keep,
    rlang::enquo(effects),
    list(variance = variance, serial = serial_argument(serial))
  ))
}

method_random <- function() {
  new_fit_method(
    "random", words = "random effects",
    title = function(fit) paste("Random effects by", list_words(effect_names(fit))),
    estimate = function(request) estimate_random(request), arguments = c("effects", "variance", "weights", "serial"),
    weighted = takes_weights,
    effects = "random", sets = list(most = 2, trends = FALSE), assumes = 2
  )
}

estimate_random <- function(request) {
  sets <- random_sets(request$effects, request$data)
  variance <- request$options$variance
  if (is.null(variance)) variance <- if (length(sets) == 2) "amemiya" else "swamy-arora"
  check_variance_method(variance, length(sets))
  check_no_weights(request$weights, variance)
  check_serial_request(request, sets)
  design <- request_design(request, also = effect_columns(sets))
  if (!is.null(request$options$serial)) return(estimate_random_serial(request, design, sets, variance))
  random_fit(request, design, sets, variance)
}

# One or two sets of levels.
random_sets <- function(effects, data) {
  sets <- effect_sets(effects, data)
  if (core_only_levels(sets) && length(sets) <= 2) return(sets)
  stop_effects(
    sprintf("`effects` has %s; random effects are levels of one or two sets.", effects_words(sets)),
    "`fit_fixed()` takes more, and trends."
  )
}

random_fit <- function(request, design, sets, variance) {
  groups <- lapply(sets, function(set) combined_groups(design, set$columns))
  parts <- if (length(sets) == 1) {
    random_one_way(design, groups[[1]], variance, sets[[1]]$name, request$options$components)
  } else {
    random_two_way(design, groups, variance, vapply(sets, `[[`, "", "name"))
  }
  solution <- parts$solution
  new_panel_fit(
    request, design, solution, parts$transform,
    effects = Map(describe_effects, sets, groups, solution$deviations), variance = parts$variance
  )
}

# `known` are components that are not to be estimated.
random_one_way <- function(design, groups, variance, name, known = NULL) {
  check_several_groups(groups, name)
  rows <- design_rows(design)
  state <- core_far_means(core_one_way_state(rows, groups), rows, groups)
  parts <- core_variance_state(state, design$constant)
  components <- if (is.null(known)) one_way_components(state, parts, variance, name) else known
  components$sigma2_u <- check_positive_variance(components$sigma2_u, name)
  solution <- core_solve_random(state, components, parts, design$constant)
  solution$deviations <- list(solution$deviations)
  list(
    solution = solution,
    transform = new_transformation("shrunken", list(core_layer(groups, state$means, solution$theta))),
    variance = list(
      method = variance, sigma2_e = components$sigma2_e, sigma2_u = components$sigma2_u,
      sigma2 = stats::setNames(components$sigma2_u, name), theta = solution$theta
    )
  )
}

# The variance components of a state's rows, that between groups perhaps negative.
one_way_components <- function(state, parts, variance, name) {
  check_within_rows(state, parts, name)
  components <- core_variance_methods[[variance]](state, parts)
  check_enough_entities(components, name)
  check_noise_variance(components$sigma2_e, variance)
  components
}

# AR(1) with the entities' components: rho as with fixed effects, the components from the transformed rows.
estimate_random_serial <- function(request, design, sets, variance) {
  check_serial_variance(variance)
  name <- sets[[1]]$name
  constant <- design$constant
  solve <- function(state) {
    parts <- core_variance_state(state, constant)
    components <- one_way_components(state, parts, variance, name)
    negative <- components$sigma2_u
    components$sigma2_u <- max(negative, 0)
    solution <- core_solve_random(state, components, parts, constant)
    solution$log_jacobian <- solution$log_jacobian + state$log_keep
    list(solution = solution, components = components, negative = negative)
  }
  made <- serial_rows(request, design, swept = TRUE, plain = one_set_of_entities,
                      solve = function(state, groups, design) solve(state)$solution,
                      joint = if (variance == "maximum-likelihood") function(state) {
                        solution <- solve(state)$solution
                        solution$log_jacobian - solution$n / 2 * log(solution$ssr / solution$n)
                      })
  done <- solve(made$state)
  check_positive_variance(done$negative, name)
  solution <- done$solution
  solution$r_squared <- serial_r_squared(made, solution$slopes, constant, FALSE)
  components <- done$components
  new_panel_fit(
    request, made$design, solution,
    serial_transformation(made, solution$theta, left = 1 - solution$theta, layers = TRUE),
    effects = list(describe_effects(sets[[1]], loaded_groups(made), solution$deviations)),
    variance = list(
      method = variance, sigma2_e = components$sigma2_e / (1 - made$serial$rho^2), innovation = components$sigma2_e,
      sigma2_u = components$sigma2_u, sigma2 = stats::setNames(components$sigma2_u, name), theta = solution$theta
    ),
    serial = made$serial, notes = c(made$notes, few_periods_words(made, name))
  )
}

# Beside AR(1) few periods do not tell the variance between entities well.
few_periods_words <- function(made, name) {
  rows <- made$state$n / sum(made$state$weight > 0)
  if (rows >= 6) return(NULL)
  sprintf("With %s rows %s the variance between %s is told poorly beside AR(1): at 5 periods it %s",
          format_number(rows, 2), one_of_a(name), plural_of(name),
          "comes out a tenth low, and with 10 entities negative in a third of samples")
}

check_serial_variance <- function(variance) {
  if (variance %in% c("swamy-arora", "maximum-likelihood")) return(invisible())
  stop_wavetax(
    "variance", sprintf("With AR(1) the variances are not estimated by %s.", dQuote(variance, FALSE)),
    todo = "Use \"maximum-likelihood\" or \"swamy-arora\"."
  )
}

random_two_way <- function(design, groups, variance, names) {
  rows <- design_rows(design)
  if (variance == "swamy-arora") check_balanced_sets(groups, names)
  keys <- unlist(design$index[c("entity", "period")])
  parts <- core_two_way_parts(rows, groups, cells_once = length(keys) == 2 && setequal(names, keys))
  check_converged(parts$within)
  check_within_df(parts$within, names)
  components <- if (variance == "amemiya") core_two_way_amemiya(parts) else core_two_way_swamy_arora(parts)
  check_enough_entities(components, names)
  check_noise_variance(components$sigma2_e, variance)
  check_told_apart(components$sigma2, names)
  sigma2 <- mapply(check_positive_variance, components$sigma2, names)
  solution <- core_solve_two_way(parts, components$sigma2_e, sigma2)
  check_converged(solution)
  known <- if (parts$system$order[1] == 1L) core_swept_r_squared(parts$swept, solution$slopes)
  if (is.null(known)) known <- core_r_squared(rows, solution$slopes, groups[[1]], parts$centre)
  solution$r_squared <- unlist(known[c("within", "between", "overall")])
  list(
    solution = solution, transform = new_transformation("two_way", solution$layers, ones = TRUE),
    variance = list(
      method = variance, sigma2_e = components$sigma2_e, sigma2 = stats::setNames(sigma2, names)
    )
  )
}

two_way_methods <- c("amemiya", "swamy-arora")

check_variance_method <- function(variance, sets) {
  known <- if (sets == 2) two_way_methods else names(core_variance_methods)
  if (is_one_text(variance) && variance %in% known) return(invisible())
  text <- value_words(variance)
  stop_wavetax(
    "variance",
    if (sets == 2 && is_one_text(variance) && variance %in% names(core_variance_methods)) {
      sprintf("The variance method %s is for one set of effects.", text)
    } else {
      sprintf("The variance method %s is not known.", text)
    },
    todo = sprintf("With %s there are %s.", if (sets == 2) "two sets" else "one set",
                   list_words(dQuote(known, FALSE)))
  )
}

takes_weights <- function(variance) identical(variance, "maximum-likelihood")

check_no_weights <- function(weights, variance) {
  if (is.null(weights) || takes_weights(variance)) return(invisible())
  stop_wavetax(
    "weights", sprintf("Random effects by %s take no weights.", dQuote(variance, FALSE)),
    where = "With unequal weights the method's expectations no longer hold.",
    todo = "`variance = \"maximum-likelihood\"` takes them, as do `fit_pooled()` and `fit_fixed()`."
  )
}

check_balanced_sets <- function(sets, names) {
  if (core_is_balanced(sets)) return(invisible())
  stop_wavetax(
    "variance", sprintf("\"swamy-arora\" with %s effects needs a balanced panel, and this one is not.",
                        list_words(names)),
    todo = "Use `variance = \"amemiya\"`, which is exact for unbalanced panels too."
  )
}

check_within_rows <- function(state, parts, name) {
  if (state$n - parts$N - sum(parts$within$status == 0L) >= 1) return(invisible())
  stop_wavetax(
    "too_few_entities", sprintf("The rows within %s do not tell the variance within.", plural_of(name)),
    todo = sprintf("Random effects need %s with two rows or more.", plural_of(name))
  )
}

check_within_df <- function(within, names) {
  if (within$df_residual >= 1) return(invisible())
  stop_wavetax(
    "too_few_entities", sprintf("The rows within %s do not tell the variance within.",
                                list_words(plurals_of(names))),
    todo = "Random effects of both need more rows, or one set of effects."
  )
}

check_several_groups <- function(groups, name) {
  if (sum(groups$sizes > 0) > 1) return(invisible())
  stop_wavetax("too_few_entities", sprintf("There is one %s, and one tells no variance between %s.", name,
                                           plural_of(name)),
               todo = "Use `fit_pooled()`, with `se_newey_west()` for relations over time.")
}

check_enough_entities <- function(components, names) {
  if (components$df_between >= 1) return(invisible())
  stop_wavetax(
    "too_few_entities",
    sprintf("There are not more %s than coefficients, so the variance between them is not told.",
            list_words(plurals_of(names))),
    todo = "Use fewer regressors, or `fit_fixed()`."
  )
}

check_told_apart <- function(sigma2, names) {
  if (!anyNA(sigma2)) return(invisible())
  stop_wavetax(
    "too_few_entities", sprintf("These rows do not tell the variances of %s apart.", list_words(plurals_of(names))),
    todo = "Use one of the two sets of effects, or `fit_fixed()`."
  )
}

# With a large entity component the equations of Wallace and Hussain can give the variance within
# a negative estimate; that of residuals that fit perfectly is 0.
check_noise_variance <- function(sigma2_e, variance) {
  if (sigma2_e > 0) return(invisible())
  others <- setdiff(names(core_variance_methods), c("wallace-hussain", variance))
  stop_wavetax(
    "negative_variance",
    if (sigma2_e < 0) {
      sprintf("By %s the variance within is estimated as negative (%s).", dQuote(variance, FALSE),
              format(sigma2_e, digits = 3, decimal.mark = "."))
    } else {
      "The regressors and effects fit every row: the variance within is 0."
    },
    todo = if (sigma2_e < 0) sprintf("Methods that work here are %s.", list_words(dQuote(others, FALSE))) else
      "Use fewer regressors, or more rows."
  )
}

check_positive_variance <- function(sigma2_u, name) {
  if (sigma2_u >= 0) return(sigma2_u)
  warn_wavetax(
    "negative_variance",
    sprintf("The estimated variance of the %s effects is negative (%s) and is set to 0.",
            name, format(sigma2_u, digits = 3, decimal.mark = ".")),
    todo = sprintf("The model is then the one without %s effects.", name)
  )
  0
}
