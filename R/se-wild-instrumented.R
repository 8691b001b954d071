# The wild bootstrap of instrumented fits.

# Wild draws in which the first stage is drawn too: by coefficient p of its null, and the interval of nulls that are not
# rejected. Errors are those of the formula.
wild_of_instrumented <- function(spec, fit) {
  drawn <- drawn_clusters(spec, fit)
  formula <- drawn$formula
  basis <- instrumented_basis(fit, drawn$nested)
  if (is.null(basis)) stop_many_crossing("Wild draws", drawn$name)
  moments <- core_wild_moments(basis$d, basis, drawn$clusters, fit$instrumented$reduced$parts)
  moments$grams <- moments$grams[, drawn$alive, drop = FALSE]
  weights <- wild_weights_by_level(ncol(moments$grams), spec)
  one <- weights(0.95)
  new_errors(
    spec, sprintf("wild bootstrap by %s", drawn$name), formula$df, meat = formula$meat,
    type = sprintf("%s of CR1", draw_words(one, one$draws)), clusters = formula$clusters, sizes = formula$sizes,
    joint = "clusters", own = wild_instrumented_answers(moments, weights, kept_estimates(fit),
                                                        coefficients_by_part(fit)$place),
    lost = formula$lost, notes = c(wild_words(one, one$draws, spec),
                                   grep("no clustered error", formula$notes, value = TRUE))
  )
}

wild_weights_by_level <- function(G, spec) {
  force(G)
  force(spec)
  made <- list()
  function(level) {
    kind <- core_wild_kind(G, spec$draws, level)
    if (is.null(made[[kind]])) {
      made[[kind]] <<- core_wild_blocks(G, spec$draws, level, function(expr, block = 0) {
        with_own_seed((spec$seed + block) %% 2^31, expr)
      })
    }
    made[[kind]]
  }
}

# `place` says which of the kept terms each coefficient of [X1, X2] is; the constant that stands aside is none.
wild_instrumented_answers <- function(moments, weights, estimates, place) {
  force(moments)
  force(weights)
  force(place)
  estimates <- unname(estimates)
  function(level) {
    blocks <- weights(level)
    out <- data.frame(p_value = rep(NA_real_, length(estimates)), low = NA_real_, high = NA_real_)
    for (j in along_with_progress(seq_along(place), "Drawing clusters")) {
      at <- place[j]
      own <- core_wild_own(moments, j)
      p_of <- function(tau) core_wild_instrumented_p(moments, j, tau, own, blocks)
      ends <- core_wild_interval(function(tau) p_of(-tau), sqrt(own), level, within = 1e-4)
      out[at, ] <- list(p_of(-estimates[at]), estimates[at] - ends[["low"]], estimates[at] + ends[["high"]])
    }
    out
  }
}
