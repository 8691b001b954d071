# The rows of an instrumented regression, by model: as they are, swept, quasi-demeaned.

# By model what is left of [x, z, y]: list(factor, constant: whether it has that of ones; norms of the columns before;
# grand, their means; weight, NULL where nothing is swept; df_effects, exact, sst, transform, groups, levels: a function
# of the residual's weights by column; variance, of random effects).
instrumented_rows <- function(options, design, sets, endogenous) {
  if (options$model == "random") return(random_instrumented_rows(design, sets[[1]], endogenous, options$variance))
  rows <- design_rows(design)
  if (length(sets) == 0) return(instrumented_as_is(rows, design, options$model))
  sweep <- start_sweep(design, sets, rows)
  state <- sweep$state
  out <- c(if (sweep$one) one_set_swept(state, sweep$groups[[1]]) else sets_swept(state, sets, sweep$groups),
           list(factor = state$within, constant = FALSE, n = rows$n, groups = sweep$groups))
  sweep$release()
  out
}

instrumented_as_is <- function(rows, design, model) {
  state <- core_pooled_state(rows)
  constant <- design$constant
  factor <- if (constant) state$triangle else state$triangle[, -1, drop = FALSE]
  list(
    factor = factor, constant = constant, norms = sqrt(colSums(state$triangle^2))[-1],
    grand = core_centre(factor, constant), df_effects = 0L, n = rows$n,
    sst = sum(core_centred(state$triangle)[, rows$k + 1L]^2),
    transform = new_transformation(if (model == "difference") "changes" else "plain")
  )
}

# Quasi-demeaned by the set's groups; `known` are variance components that are not to be estimated.
random_instrumented_rows <- function(design, set, endogenous, variance, known = NULL) {
  rows <- design_rows(design)
  groups <- combined_groups(design, set$columns)
  state <- core_far_means(core_one_way_state(rows, groups), rows, groups)
  components <- if (is.null(known)) instrumented_components(state, design, set, endogenous, variance) else known
  sigma2_u <- check_positive_variance(components$sigma2_u, set$name)
  theta <- core_theta(state$weight, components$sigma2_e, sigma2_u)
  constant <- design$constant
  between <- core_group_triangle(state, sqrt(state$weight) * (1 - theta))
  all <- core_merge_within(state, between)
  factor <- all[, core_used_columns(state, constant), drop = FALSE]
  grand <- core_centre(factor, constant)
  used <- state$weight > 0
  shrink <- state$weight * sigma2_u / (components$sigma2_e + state$weight * sigma2_u)
  list(
    factor = factor, constant = constant, norms = sqrt(colSums(all^2))[-1], grand = grand, df_effects = 0L,
    n = rows$n, groups = list(groups), sst = sum(core_centred(all)[, rows$k + 1L]^2),
    transform = new_transformation("shrunken", list(core_layer(groups, state$means, theta))),
    levels = function(residual) {
      deviation <- core_combined_levels(state$means, residual, grand) * shrink
      deviation[!used] <- NA_real_
      list(list(level = deviation, slopes = list()))
    },
    variance = list(method = variance, sigma2_e = components$sigma2_e, sigma2_u = sigma2_u,
                    sigma2 = stats::setNames(sigma2_u, set$name), theta = theta)
  )
}

# The variance within of the swept two-stage least squares, and that between by `variance`.
instrumented_components <- function(state, design, set, endogenous, variance) {
  k <- length(design$x)
  within <- core_swept_parts(state, k, endogenous)
  fixed <- setdiff(endogenous, within$kept$endogenous)
  if (length(fixed) > 0 && variance == "amemiya") {
    stop_wavetax(
      c("variance", "instruments"),
      sprintf("%s is fixed within %s and endogenous, so that swept slopes do not tell it.",
              list_words(names(design$x)[fixed]), plural_of(set$name)),
      todo = "Use `variance = \"swamy-arora\"`, which has heavy tails, or leave it out."
    )
  }
  varying <- replace(within, "endogenous", list(within$kept$endogenous))
  if (within$m > 0) check_instrument_parts(varying, design, list(set))
  components <- if (variance == "amemiya") core_instrumented_amemiya(state, within, design$constant) else
    core_instrumented_between(state, within, k, endogenous, design$constant)
  if (components$df_within < 1) {
    stop_wavetax("too_few_entities", sprintf("The rows within %s do not tell the variance within.",
                                             plural_of(set$name)),
                 todo = sprintf("Random effects need %s with two rows or more.", plural_of(set$name)))
  }
  check_enough_entities(components, set$name)
  check_noise_variance(components$sigma2_e, variance)
  components
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
  effects <- list()
  transform <- swept$transform
  if (length(sets) > 0) {
    levels <- swept$levels(solution$residual)
    # Where no set has levels, the sweep added one for all rows.
    transform$offset <- unlist(lapply(levels[-seq_along(sets)], `[[`, "level"))
    effects <- Map(function(set, groups, level) {
      describe_effects(set, groups, level$level, level$slopes, level$connected)
    }, sets, swept$groups, levels[seq_along(sets)])
  }
  facts <- instrumented_facts(request, design, parts, done, solution, if (swept$df_effects > 0) sets)
  fit <- new_panel_fit(request, design, solution, transform, effects = effects, variance = swept$variance,
                       notes = design$across, instrumented = facts)
  fit$kappa <- done$kappa
  fit
}

# What a fit keeps of its instruments: a list of
#   model, method, kappa     as asked, and of limited information
#   endogenous, instruments  columns by name, those in use; dropped, instruments that are not; reasons, why
#   reduced                  core_reduced_form()'s
#   stored                   where columns stand among [x, beside, y]: z, exogenous ones and instruments; both, the
#                            endogenous ones and the outcome
#   bread                    of limited information (X_kappa'X)^-1, for classical errors
instrumented_facts <- function(request, design, parts, done, solution, sets) {
  names <- stored_names(design)
  gone <- setdiff(names(design$beside), names[parts$kept$instruments])
  list(
    model = request$options$model, method = request$options$method, kappa = done$kappa,
    endogenous = names[parts$kept$endogenous],
    instruments = names[parts$kept$instruments],
    dropped = gone, reasons = instrument_reasons(parts, design, sets)[gone], reduced = core_reduced_form(parts),
    stored = list(z = c(parts$kept$exogenous, parts$kept$instruments),
                  both = c(parts$kept$endogenous, length(names) + 1L)),
    bread = if (request$options$method == "liml") solution$bread
  )
}

# The covariance of the moments of the instruments less X1, of two-stage least squares' residuals under those errors.
instrument_moments <- function(fit, spec, parts) {
  if (!weighs_moments(spec)) stop_moment_errors(spec)
  plain_moments(fit, spec, c(-utils::tail(coefficients_by_part(fit)$b, parts$m), 1))$W
}
