#' The estimated effects
#'
#' Question answered: *which entities are high and which low, given x, and how surely?*
#'
#' Of fixed effects with one set the level of group i is \eqn{\bar y_i - \bar x_i'b}{ybar_i -
#' xbar_i'b}, with classical variance \eqn{\sigma^2 / T_i + \bar x_i' V \bar x_i}{s2/T_i +
#' xbar_i' V xbar_i}; its deviation is from the fit's constant. Several sets are identified by
#' letting each beyond the first average zero over the rows of each connected component with it;
#' their errors are given where all levels can be told apart but for a constant a set, and the
#' sets beside the largest have at most 512 levels together. Where there are none the print says
#' why. Slopes of own trends come as rows of their own, with the trend's name, without errors.
#'
#' Of random effects the deviation is the best linear unbiased prediction, shrunken by
#' \eqn{\gamma_i = T_i \sigma^2_u / (\sigma^2_e + T_i \sigma^2_u)}{gamma_i = T_i s2_u / (s2_e +
#' T_i s2_u)}, the level the constant plus it, and the error that of the prediction,
#' \eqn{\sigma^2_u (1 - \gamma_i) + \gamma_i^2 \bar z_i' V \bar z_i}{s2_u (1 - gamma_i) +
#' gamma_i^2 zbar_i' V zbar_i}, z = \[1, x\]; with several sets without errors.
#'
#' @param fit A fit with effects.
#' @param set One set of effects, as it is named in the print: `season`, or `"coast:season"`. `NULL` gives all.
#' @param sort Whether the rows of each set run from the highest to the lowest deviation.
#' @param ... Takes nothing; what is misspelt is told.
#' @return A data frame of class `effect_levels`, which prints its highest and lowest: `effect` (the
#'   set), `group`, `rows`, `level`, `deviation`, `std_error` (of the level; of the prediction for
#'   random effects), `deviation_error`.
#' @section Errors:
#' `wavetax_error_no_effects` when the fit has none; `wavetax_error_not_a_fit`.
#' @references Baltagi, B. H. *Econometric Analysis of Panel Data*, ch. 2; Goldberger, A. S.
#'   (1962), *Journal of the American Statistical Association* 57.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fixed <- fit_fixed(log(nights) ~ levy + storms, panel)
#' head(effect_levels(fixed, sort = TRUE))
#' random <- fit_random(log(nights) ~ levy + storms, panel)
#' head(effect_levels(random, sort = TRUE))
#' @export
effect_levels <- function(fit, set = NULL, sort = FALSE, ...) {
  check_own_arguments(..., of = effect_levels, name = "effect_levels()")
  check_is_fit(fit)
  check_flag(sort, "sort")
  set <- rlang::enquo(set)
  if (length(fit$effects) == 0) {
    stop_wavetax("no_effects", sprintf("A %s fit has no effects.", method_words(fit)),
                 todo = "`fit_fixed()`, `fit_random()` and `fit_correlated()` have.")
  }
  wanted <- if (!rlang::quo_is_null(set)) named_set(set, effect_names(fit))
  errors <- effect_errors(fit)
  out <- do.call(rbind, lapply(seq_along(fit$effects), function(s) {
    rbind(level_rows(fit, fit$effects[[s]], s == 1L, errors[[s]]), slope_rows(fit$effects[[s]]))
  }))
  if (!is.null(wanted)) out <- out[out$effect == wanted, ]
  if (sort) out <- out[order(match(out$effect, unique(out$effect)), -out$deviation), ]
  rownames(out) <- NULL
  structure(out, class = c("effect_levels", "data.frame"), no_errors = attr(errors, "why"))
}

# One of the fit's sets, bare or quoted.
named_set <- function(quo, names) {
  set <- rlang::quo_get_expr(quo)
  set <- if (is.symbol(set) || is_operator(set, ":")) deparse_words(set) else named_expression(quo)
  if (is_one_text(set) && set %in% names) return(set)
  stop_argument("set", if (is_one_text(set)) sQuote(set, FALSE) else value_words(set),
                sprintf("The fit's effects are %s.", list_words(names)))
}

level_rows <- function(fit, set, first, errors) {
  if (is.null(set$level)) return(NULL)
  missing <- rep(NA_real_, length(set$level))
  data.frame(
    effect = set$name, group = set$groups$labels, rows = set$groups$sizes,
    level = set$level + if (first) constant_of(fit) else 0, deviation = set$level,
    std_error = if (is.null(errors)) missing else errors$level,
    deviation_error = if (is.null(errors)) missing else errors$deviation
  )
}

slope_rows <- function(set) {
  do.call(rbind, lapply(seq_along(set$slopes), function(j) {
    slope <- set$slopes[[j]]
    data.frame(
      effect = sprintf("%s:trend(%s)", set$name, set$trends[j]), group = set$groups$labels, rows = set$groups$sizes,
      level = slope, deviation = slope - mean(slope), std_error = NA_real_, deviation_error = NA_real_
    )
  }))
}

# By set list(level, deviation), or NULL where errors are not known, for the reason in `why`.
effect_errors <- function(fit) {
  unknown <- function(why) structure(vector("list", length(fit$effects)), why = why)
  fixed <- method_of(fit)$effects == "fixed"
  if (!core_only_levels(fit$effects)) return(unknown("those of effects beside own trends are not computed"))
  if (fit$transform$kind == "across") return(unknown("those of entities that are related are not computed"))
  if (length(fit$effects) == 1) return(list(if (fixed) one_way_errors(fit) else prediction_errors(fit)))
  if (!fixed) return(unknown("those of several sets of random effects are not computed"))
  if (!keeps_rows(fit)) return(unknown("the fit keeps no rows"))
  counts <- vapply(fit$effects, function(set) set$groups$count, 0)
  if (!fit$df$exact || fit$df$effects != sum(counts) - length(counts) + 1) {
    return(unknown("levels of sets that are not connected, or lie in each other, compare only in part"))
  }
  inverse <- fit$transform$reduced_inverse
  small <- sum(counts) - max(counts)
  if (is.null(inverse) || nrow(inverse) != small || max(counts) * small > largest_share_table) {
    return(unknown(sprintf("the sets beside the largest have %s levels, and they are computed up to %d",
                           count_words(small), core_kept_inverse)))
  }
  several_way_errors(fit, counts, inverse)
}

one_way_errors <- function(fit) {
  means <- layer_rows(fit, fit$transform$layers[[1]]$levels)
  weight <- group_weights(fit, fit$effects[[1]])
  share <- constant_shares(fit, weight)
  centred <- means - drop(means %*% share)
  own <- (1 - 2 * share) / weight + sum(share^2 / weight)
  list(
    level = sqrt(fit$scale * (1 / weight + slope_squares(fit, means))),
    deviation = sqrt(fit$scale * pmax(0, own + slope_squares(fit, centred)))
  )
}

# How much each level counts in the constant: by its rows. Under a root the fit holds what the constant's column has.
constant_shares <- function(fit, weight) {
  if (!is.null(fit$transform$left)) weight <- fit$transform$left * weight
  weight / sum(weight)
}

# x'(X'X)^-1 x over the slopes of a fixed effects fit, for each column of x: the squared length of
# its coordinates.
slope_squares <- function(fit, x) colSums(mean_coordinates(fit, numeric(ncol(x)), t(x))^2)

prediction_errors <- function(fit) {
  sigma2_u <- fit$variance$sigma2[[1]]
  shrink <- shrinkage(fit, group_weights(fit, fit$effects[[1]]))
  z <- t(layer_rows(fit, fit$transform$layers[[1]]$levels))
  squares <- colSums(mean_coordinates(fit, rep(1, nrow(z)), z)^2)
  error <- sqrt(sigma2_u * (1 - shrink) + shrink^2 * fit$scale * squares)
  list(level = error, deviation = error)
}

# With M the matrix of the reduced system in g, the levels of all sets but the largest; p the shares of their groups in
# all rows, set by set, and w_i those in group i of the largest: var(g_t - p'g) = s2 k'M^-k, k = e_t - p within t's set;
# the largest set's level is the group mean less (w_i - p)'g, and the two are uncorrelated.
largest_share_table <- 2e7

several_way_errors <- function(fit, counts, inverse) {
  sets <- fit$effects
  order <- order(-counts)
  large <- order[1]
  others <- order[-1]
  place <- split(seq_len(sum(counts[others])), rep(seq_along(others), counts[others]))
  weight <- lapply(sets, function(set) group_weights(fit, set))
  total <- sum(weight[[1]])
  p <- lapply(others, function(s) weight[[s]] / total)
  shares <- do.call(cbind, lapply(others, function(s) share_table(fit, sets[[large]]$groups, sets[[s]]$groups)))
  apart <- sweep(shares / weight[[large]], 2, unlist(p))
  spread <- rowSums((apart %*% inverse) * apart)
  noise <- list()
  noise[[large]] <- 1 / weight[[large]] - 1 / total + spread
  for (o in seq_along(others)) {
    contrast <- diag(counts[others[o]]) - rep(1, counts[others[o]]) %o% p[[o]]
    noise[[others[o]]] <- rowSums((contrast %*% inverse[place[[o]], place[[o]]]) * contrast)
  }
  x <- identified_levels(fit, large, others, p)
  # The first set carries the constant, whichever of them is the largest.
  lapply(seq_along(sets), function(s) {
    centred <- x[[s]] - if (s == large) drop(x[[s]] %*% weight[[s]]) / total else 0
    error <- function(noise, x) sqrt(fit$scale * pmax(0, noise + slope_squares(fit, x)))
    deviation <- error(noise[[s]], centred)
    list(level = if (s == 1L) error(noise[[s]] + 1 / total, centred + x$mean) else deviation, deviation = deviation)
  })
}

# Weights in each pair of groups, a row a group of the first.
share_table <- function(fit, rows, columns) {
  cell <- (columns$codes - 1L) * rows$count + rows$codes
  w <- fit_rows(fit)$weights
  cells <- rows$count * columns$count
  sums <- if (is.null(w)) tabulate(cell, cells) else core_group_sums(w, as.integer(cell), cells)
  matrix(sums, rows$count, columns$count)
}

# Levels of the kept regressors in each set: those of the sets beside the largest average zero over rows.
identified_levels <- function(fit, large, others, p) {
  layers <- fit$transform$layers
  set_of <- vapply(layers, `[[`, 0, "set")
  levels <- lapply(c(large, others), function(s) layer_rows(fit, layers[[which(set_of == s)]]$levels))
  shifts <- Map(function(level, share) drop(level %*% share), levels[-1], p)
  out <- list()
  out[[large]] <- levels[[1]] + Reduce(`+`, shifts)
  out[others] <- Map(`-`, levels[-1], shifts)
  weight <- group_weights(fit, fit$effects[[large]])
  out$mean <- drop(out[[large]] %*% weight) / sum(weight)
  out
}
