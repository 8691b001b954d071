#' Is the equation's form right?
#'
#' Question answered: *do powers of what the equation predicts explain more, so that a curve or an interaction is
#' missing?*
#'
#' Powers of x'b, the part of the regressors without the effects, centred and scaled, are transformed as the fit's
#' columns are (swept, or quasi-demeaned with the fit's theta) and added; the test is that their coefficients are zero.
#' With classical or robust errors it is F(q, residual df) with the classical covariance; when the fit's errors are
#' clustered it is Wald's statistic with CR3, over q, referred to F(q, G - 1). q counts the powers that add rank.
#'
#' Null: the form is right. A small p says that something is missing, not what: try logs, squares, interactions.
#'
#' @param fit A fit of any of the `fit_` functions.
#' @param powers Whole numbers from 2 on.
#' @inheritParams test_effects
#' @param ... Takes nothing; what is misspelt is told.
#' @return A `panel_test`.
#' @section Size:
#' True nulls rejected at 5 percent, over 36 kinds of panels (`docs/size.md` of the sources): classical 3 to 7 percent,
#' CR3 4 to 9. CR1 would reject in 9 to 17 percent of cases.
#' @section Errors:
#' `wavetax_error_nothing_to_compare` when no power adds anything; `wavetax_error_too_few_clusters`;
#' `wavetax_error_argument` for other powers; `wavetax_error_perfect_fit`.
#' @references Ramsey, J. B. (1969), *Journal of the Royal Statistical Society* B 31.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' test_form(fit_fixed(log(nights) ~ levy + storms, panel))
#' @export
test_form <- function(fit, powers = 2:3, level = 0.05, draws = NULL, seed = 1, ...) {
  check_own_arguments(..., of = test_form, name = "test_form()")
  check_is_fit(fit)
  check_plain_residuals(fit, "A test of the form")
  good <- is.numeric(powers) && length(powers) > 0 && all(is.finite(powers)) && all(powers == trunc(powers)) &&
    all(powers >= 2 & powers <= 9) && !anyDuplicated(powers)
  if (!good) stop_argument("powers", value_words(powers), "Give whole numbers from 2 to 9, such as 2:3.")
  asked <- ask(level, draws, seed)
  check_keeps_rows(fit, "rows to test")
  done <- form_statistic(fit, powers)
  clustered <- is.null(done$residual_df)
  test <- new_panel_test(
    title = sprintf("Form of the equation, by powers %s of what it predicts", list_words(powers)),
    question = "is a curve or an interaction missing?",
    statistic = c(F = done$statistic), parameter = c("numerator df" = done$df[1], "denominator df" = done$df[2]),
    p_value = stats::pf(done$statistic, done$df[1], done$df[2], lower.tail = FALSE),
    null = "the form is right: powers of the prediction add nothing", alternative = "they add something",
    verdicts = c("the form misses something: try logs, squares or interactions.", "no sign that the form is wrong."),
    of = fit, distribution = list(name = "F", df = done$df), level = asked$level,
    notes = c(if (clustered) sprintf("Covariance clustered by %s (CR3).", done$by) else "Covariance classical.",
              if (done$df[1] < length(powers)) sprintf("%s of the powers add nothing to the others.",
                                                       count_words(length(powers) - done$df[1])))
  )
  with_draws(test, fit, function(y) form_statistic(refit(fit, y), powers)$statistic, asked)
}

form_statistic <- function(fit, powers) {
  walk <- rows_walk(fit)
  e <- weighted_residuals(fit, walk)
  check_some_residual(fit)
  added <- row_kind(fit)$apply(fit, power_columns(fit, powers))
  clusters <- form_clusters(fit)
  rows <- error_rows(fit, walk)
  basis <- if (!is.null(clusters)) rows$basis(clusters$groups)
  if (is.null(basis)) {
    clusters <- NULL
    basis <- core_coordinate_rows(walk, walk$skip)
  }
  q_rows <- core_added_basis(basis$z, added)
  q <- ncol(q_rows)
  if (q == 0) {
    stop_test("nothing_to_compare", "Powers of the prediction add nothing to the regressors.",
              todo = "Are all regressors indicators, whose powers are themselves?")
  }
  moved <- drop(crossprod(q_rows, e))
  if (is.null(clusters)) {
    df <- fit$df$residual - q
    if (df < 1) stop_test("too_few_rows", "No row is left to tell the error variance.", todo = "Use fewer powers.")
    left <- sum(e^2) - sum(moved^2)
    return(list(statistic = sum(moved^2) / q / (left / df), df = c(q, df), residual_df = df))
  }
  G <- live_groups(clusters$groups, rows$live)$count
  if (q >= G) stop_too_few_clusters(sprintf("%s for %s.", count_of(G, "cluster"), count_of(q, "power")))
  wide <- basis
  wide$pick <- rbind(matrix(0, ncol(basis$z), q), diag(q))
  wide$z <- cbind(basis$z, q_rows)
  wide$e <- e - drop(q_rows %*% moved)
  M <- core_adjusted_scores(wide, clusters$groups, "inverse")$products
  if (rcond(M) < 1e-14) stop_too_few_clusters("The covariance of the powers' coefficients is singular.")
  list(statistic = sum(moved * solve(M, moved)) / q, df = c(q, G - 1), by = clusters$name)
}

# The clusters of a fit's errors, where they are of one dimension.
form_clusters <- function(fit) {
  spec <- fit$errors$spec
  if (!identical(fit$errors$joint, "clusters") && !identical(fit$errors$joint, "wild")) return(NULL)
  if (!inherits(spec, c("se_clustered", "se_bootstrap")) || length(spec$by) != 1) return(NULL)
  dimension <- cluster_dimensions(fit, spec)[[1]]
  list(groups = cluster_groups(fit, dimension$columns), name = dimension$name)
}

# Powers of x'b, centred and scaled, on the rows of the data in levels.
power_columns <- function(fit, powers) {
  design <- level_design(fit)
  index <- linear_part(fit, design)
  index <- index - mean(index)
  size <- sqrt(mean(index^2))
  if (!is.finite(size) || size <= 1e-12 * sqrt(mean(design$y^2))) {
    stop_test("nothing_to_compare", "The regressors predict nothing that varies.", todo = "Add a regressor.")
  }
  vapply(powers, function(power) (index / size)^power, numeric(length(index)))
}
