#' Panels with a truth that is known
#'
#' Question answered: *what would my method find, if I knew the answer?*
#'
#' With \eqn{z_i} a standard normal number of each entity,
#' \deqn{y_{it} = \sum_k b_k x_{kit} + u_i + e_{it}, \quad u_i = \mathrm{effect} \cdot z_i,}{
#' y_it = sum_k b_k x_kit + u_i + e_it, u_i = effect z_i,}
#' \deqn{x_{kit} = \sqrt{1/2}\, a_{ki} + \sqrt{1/2}\, w_{kit}, \quad a_{ki} = r z_i + \sqrt{1 - r^2}\, n_{ki},}{
#' x_kit = sqrt(1/2) a_ki + sqrt(1/2) w_kit, a_ki = r z_i + sqrt(1 - r^2) n_ki,}
#' so that each regressor has variance 1, half of it between entities, and r is the correlation of that half with the
#' level of the entity (`related`). The moving part w of a regressor and the disturbance e are stationary series of
#' autocorrelation `serial`, a share `shared` of their variance common to all entities of a period. The spread of e is
#' `disturbance` times
#' \eqn{s_i = \exp(\mathrm{spread} \cdot n_i - \mathrm{spread}^2)}{s_i = exp(spread n_i - spread^2)}, so that its
#' mean variance is `disturbance`^2. All draws are independent, and normal but for the `law` of e.
#'
#' Of one regressor pooled least squares then tends to \eqn{b + \sqrt{1/2}\, r \cdot \mathrm{effect}}{b + sqrt(1/2) r
#' effect} and the within estimator to b. Of two panels with one seed and one law the one differs from the other by what
#' their arguments say alone.
#'
#' @param entities,periods How many; `periods` may have one number for each entity.
#' @param effect Spread (standard deviation) of the entities' levels u.
#' @param slope True coefficients; names are those of the regressors, by default `x`, of several `x1`, `x2`, ...
#' @param related Correlation of the regressors' levels with u, one for all or one for each.
#' @param serial,shared Autocorrelation, from -1 to 1, and share common to a period, from 0 to 1: one for the
#'   disturbances and the moving parts of regressors, or two, in this order.
#' @param spread How the spread of disturbances differs between entities: the standard deviation of its logarithm.
#' @param unbalanced Share of the rows that are missing, up to 0.95: one half as late entry of every second entity, one
#'   half as gaps, whatever the outcome. Every entity keeps a row.
#' @param seed Where the draws start, the session's random numbers left alone; `NULL`: wherever these are.
#' @param disturbance Spread (standard deviation) of the disturbances.
#' @param law What the disturbances and their innovations follow: `"normal"`; `"skewed"`, chi-squared with 3 degrees of
#'   freedom; `"heavy"`, t with 5; all with mean 0 and variance 1.
#' @param ... Takes nothing; what is misspelt is told.
#' @return A [panel_frame()] with `entity`, `period`, `y` and the regressors. `panel_truth(panel)` gives what it was
#'   made of: a list with the arguments and `effects`, the levels u by entity; of another panel `NULL`. It stays when
#'   rows or columns are taken from the panel.
#' @section Errors:
#' `wavetax_error_argument`, naming the one at fault.
#' @seealso [monte_carlo()], which draws such panels again and again.
#' @examples
#' panel <- simulate_panel(50, 8, slope = c(levy = -0.05), related = 0.8, serial = 0.4, seed = 7)
#' panel
#' # The level of an entity moves with its levy: pooled the slope turns.
#' spec_table(fit_pooled(y ~ levy, panel), fit_fixed(y ~ levy, panel))
#' panel_truth(panel)$slope
#' @export
simulate_panel <- function(entities = 50, periods = 10, effect = 1, slope = 1, related = 0, serial = 0, spread = 0,
                           shared = 0, unbalanced = 0, seed = NULL, disturbance = 1,
                           law = c("normal", "skewed", "heavy"), ...) {
  check_own_arguments(..., of = simulate_panel, name = "simulate_panel()")
  check_number(entities, "entities", 1, 1e7, whole = TRUE)
  check_numbers(periods, "periods", c(1, entities), 1, 1e6, whole = TRUE)
  check_number(effect, "effect", 0)
  slope <- checked_slopes(slope)
  check_numbers(related, "related", c(1, length(slope)), -1, 1)
  check_numbers(serial, "serial", 1:2, -1, 1, open = TRUE)
  check_number(spread, "spread", 0, 10)
  check_numbers(shared, "shared", 1:2, 0, 1)
  check_number(unbalanced, "unbalanced", 0, 0.95)
  if (!is.null(seed)) check_seed(seed)
  check_number(disturbance, "disturbance", 0)
  law <- check_one_of(law, names(disturbance_laws), "law")
  if (entities * max(periods) > 1e9) {
    stop_argument("periods", sprintf("too many for %s", count_of(entities, "entity")),
                  "A panel has at most 1,000,000,000 rows.")
  }
  draw_panel(list(entities = entities, periods = periods, effect = effect, slope = slope, related = related,
                  serial = serial, spread = spread, shared = shared, unbalanced = unbalanced, seed = seed,
                  disturbance = disturbance, law = law))
}

#' @rdname simulate_panel
#' @param panel A panel that `simulate_panel()` made.
#' @export
panel_truth <- function(panel, ...) {
  check_own_arguments(..., of = panel_truth, name = "panel_truth()")
  check_is_table(panel)
  held_index(panel)$truth
}

disturbance_laws <- list(
  normal = function(n) stats::rnorm(n), skewed = function(n) (stats::rchisq(n, 3) - 3) / sqrt(6),
  heavy = function(n) stats::rt(n, 5) / sqrt(5 / 3)
)

checked_slopes <- function(slope) {
  if (!is.numeric(slope) || is.object(slope) || length(slope) == 0 || !all(is.finite(slope))) {
    stop_argument("slope", value_words(slope),
                  "Give true coefficients, named or not: `slope = c(levy = -0.05, storms = 0.1)`.")
  }
  names <- names(slope)
  if (is.null(names)) names <- if (length(slope) == 1) "x" else paste0("x", seq_along(slope))
  taken <- names %in% c("entity", "period", "y", constant_term, "", NA) | duplicated(names)
  if (any(taken)) {
    stop_argument("slope", sprintf("named %s", list_words(dQuote(names[taken], FALSE))),
                  "Each regressor has a name of its own, none of entity, period, y and (Intercept).")
  }
  stats::setNames(as.numeric(slope), names)
}

# `seed` NULL goes on with the random numbers of the caller.
draw_panel <- function(truth, seed = truth$seed) {
  drawn <- with_memory_told(if (is.null(seed)) drawn_columns(truth) else with_own_seed(seed, drawn_columns(truth)))
  panel <- new_panel_frame(drawn$data, "entity", "period")
  truth$effects <- stats::setNames(drawn$effects, seq_len(truth$entities))
  attr(panel, "panel")$truth <- structure(truth, class = "panel_truth")
  panel
}

drawn_columns <- function(truth) {
  n <- truth$entities
  longest <- max(truth$periods)
  serial <- rep_len(truth$serial, 2)
  shared <- rep_len(truth$shared, 2)
  z <- stats::rnorm(n)
  spread <- exp(truth$spread * stats::rnorm(n) - truth$spread^2)
  by_row <- function(of_entity) rep(of_entity, each = longest)
  e <- truth$disturbance * by_row(spread) * drawn_series(n, longest, serial[1], shared[1], truth$law)
  related <- rep_len(truth$related, length(truth$slope))
  x <- lapply(related, function(r) {
    level <- r * z + sqrt(1 - r^2) * stats::rnorm(n)
    sqrt(0.5) * (by_row(level) + drawn_series(n, longest, serial[2], shared[2]))
  })
  names(x) <- names(truth$slope)
  y <- by_row(truth$effect * z) + e
  for (k in seq_along(x)) y <- y + truth$slope[[k]] * x[[k]]
  data <- c(list(entity = rep(seq_len(n), each = longest), period = rep(seq_len(longest), n), y = y), x)
  seen <- seen_rows(n, longest, rep_len(truth$periods, n), truth$unbalanced)
  data <- if (all(seen)) data else lapply(data, `[`, seen)
  list(data = structure(data, class = "data.frame", row.names = .set_row_names(length(data[[1]]))),
       effects = truth$effect * z)
}

# Stationary series of variance 1, one entity after the other. As many numbers are drawn whatever the shares are.
drawn_series <- function(entities, periods, serial, shared, law = "normal") {
  own <- autoregressive(entities, periods, serial, law)
  common <- autoregressive(1, periods, serial, law)
  as.vector(sqrt(1 - shared) * t(own) + sqrt(shared) * as.vector(common))
}

autoregressive <- function(entities, periods, serial, law) {
  series <- matrix(disturbance_laws[[law]](entities * periods), entities)
  if (serial == 0) return(series)
  for (t in seq_len(periods)[-1]) series[, t] <- serial * series[, t - 1] + sqrt(1 - serial^2) * series[, t]
  series
}

# Late entry takes half of what is missing from every second entity's first periods, gaps the other half.
seen_rows <- function(entities, longest, periods, unbalanced) {
  seen <- outer(seq_len(longest), periods, `<=`)
  if (unbalanced == 0) return(as.vector(seen))
  late <- stats::rbinom(entities, longest, unbalanced) * (seq_len(entities) %% 2)
  gap <- unbalanced / 2 / (1 - unbalanced / 2)
  kept <- seen & outer(seq_len(longest), late, `>`) & stats::runif(length(seen)) >= gap
  none <- colSums(kept) == 0
  kept[cbind(periods, seq_along(periods))[none, , drop = FALSE]] <- TRUE
  as.vector(kept)
}

# ---- in words ----

# c(size: "30 entities, 6 periods", equation: "y = x + level + disturbance", made: "levels of spread 1, ...").
truth_words <- function(truth) {
  number <- function(x) label_text(signif(x, 4))
  periods <- unique(range(truth$periods))
  size <- paste0(
    count_of(truth$entities, "entity"), ", ",
    if (length(periods) == 1) count_of(periods, "period") else
      sprintf("%s to %s each", count_words(periods[1]), count_of(periods[2], "period")),
    if (truth$unbalanced > 0) sprintf(", %s percent of the rows missing", percent_words(truth$unbalanced))
  )
  parts <- c(paste0(ifelse(truth$slope == 1, "", paste0(number(truth$slope), " ")), names(truth$slope)),
             if (truth$effect > 0) "level", if (truth$disturbance > 0) "disturbance")
  one <- length(truth$slope) == 1
  related <- unique(truth$related)
  levels <- if (truth$effect > 0) {
    paste0("levels of spread ", number(truth$effect), ", ", if (all(related == 0)) "unrelated to " else sprintf(
      "correlated %s with ", list_words(number(if (length(related) == 1) related else truth$related))
    ), "those of the regressor", if (!one) "s")
  }
  noise <- if (truth$disturbance > 0) {
    paste0("disturbances of spread ", number(truth$disturbance),
           if (truth$law != "normal") sprintf(" (%s)", truth$law),
           if (truth$spread > 0) sprintf(", which differs between entities (by %s in logs)", number(truth$spread)))
  }
  both <- function(x, words) {
    if (all(x == 0)) return(NULL)
    x <- rep_len(x, 2)
    if (x[1] == x[2]) return(sprintf("%s %s", words, number(x[1])))
    sprintf("%s %s of disturbances and %s of regressors", words, number(x[1]), number(x[2]))
  }
  c(size = size, equation = gsub("+ -", "- ", paste("y =", paste(parts, collapse = " + ")), fixed = TRUE),
    made = paste(c(levels, noise, both(truth$serial, "autocorrelation"),
                   both(truth$shared, "share common to a period")), collapse = "; "))
}

truth_sentence <- function(truth, parts = c("size", "equation", "made")) {
  paste(Filter(nzchar, truth_words(truth)[parts]), collapse = "; ")
}
