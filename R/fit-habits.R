# What R users ask of any model besides; and what is no question of a panel fit, said so.

#' Names, rows and terms of a fit
#'
#' Question answered: *what is in this fit, as R's other generics tell it?*
#'
#' * `variable.names()`: the names of the coefficients; `case.names()`: of the rows used; `labels()`: of the terms.
#' * `na.action()`: the rows left out because a variable of the model is missing there, as `na.omit()` has them, or
#'   `NULL`.
#' * `family()`: normal, with the identity.
#' * `alias()`: what each dropped regressor is of the others.
#' * `simulate()`: new outcomes of the same rows: the fitted values with new normal disturbances, under AR(1) related as
#'   the fit has it, and after random effects with new effects too.
#' * `head()`, `tail()`: of the coefficients as data.
#'
#' `effects()`, `proj()`, `qr()`, `kappa()`, `profile()`, `dummy.coef()` and `fit[...]` end in an error that names what
#' answers the question here.
#'
#' @param object,x,z,fitted,qr A fit.
#' @param nsim How many outcomes.
#' @param seed Of the random numbers; `NULL` uses the session's.
#' @param i,... As in R's generics.
#' @return As R's generics give.
#' @section Errors:
#' `wavetax_error_not_of_fits`; `wavetax_error_slim`; `wavetax_error_argument`.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fixed <- fit_fixed(log(nights) ~ levy + storms, panel)
#' variable.names(fixed)
#' head(simulate(fixed, 2, seed = 1))
#' @name fit_habits
NULL

#' @rdname fit_habits
#' @importFrom stats variable.names
#' @export
variable.names.panel_fit <- function(object, ...) names(stats::coef(object))

#' @rdname fit_habits
#' @importFrom stats case.names
#' @export
case.names.panel_fit <- function(object, ...) {
  check_keeps_rows(object, "rows to name")
  if (!is.null(object$design$between)) return(as.character(seq_len(object$n)))
  rows <- if (is.null(object$design$rows)) seq_len(nrow(object$design$data)) else object$design$rows
  row.names(object$design$data)[rows]
}

#' @rdname fit_habits
#' @export
labels.panel_fit <- function(object, ...) attr(stats::terms(object), "term.labels")

#' @rdname fit_habits
#' @importFrom stats na.action
#' @export
na.action.panel_fit <- function(object, ...) {
  missing <- object$design$missing$rows
  if (length(missing) == 0) return(NULL)
  data <- object$design$data
  structure(missing, names = if (is.null(data)) as.character(missing) else row.names(data)[missing], class = "omit")
}

#' @rdname fit_habits
#' @importFrom stats family
#' @export
family.panel_fit <- function(object, ...) stats::gaussian()

#' @rdname fit_habits
#' @importFrom stats alias
#' @export
alias.panel_fit <- function(object, ...) {
  dropped <- object$coefficients[lengths(object$coefficients$combination) > 0, ]
  out <- list(Model = object$design$formula)
  if (nrow(dropped) > 0) {
    kept <- kept_terms(object)
    out$Complete <- t(vapply(dropped$combination, function(one) {
      ifelse(kept %in% names(one), one[kept], 0)
    }, numeric(length(kept))))
    dimnames(out$Complete) <- list(dropped$term, kept)
  }
  structure(out, class = "listof")
}

#' @rdname fit_habits
#' @importFrom stats simulate
#' @export
simulate.panel_fit <- function(object, nsim = 1, seed = NULL, ...) {
  check_no_dots(..., of = method_call("simulate"))
  check_number(nsim, "nsim", 1, 1e6, whole = TRUE)
  check_keeps_rows(object, "rows to simulate")
  check_without_instruments(object, "A model of the outcome alone", "`fit_fixed()` or `fit_pooled()` can be simulated.")
  if (!is.null(object$design$levels) || !is.null(object$design$between)) {
    stop_not_of_fits("simulate()", object, "Outcomes are simulated of fits of rows in levels.",
                     "`fit_pooled()`, `fit_fixed()` or `fit_random()` of the same equation.")
  }
  random <- method_of(object)$effects == "random"
  mean <- if (random) linear_part(object) + offset_of(object) else stats::fitted(object)
  if (object$transform$kind == "across") row_kind(object)$noise(object)
  noise <- disturbance_draws(object, if (is.null(object$variance)) object$scale else object$variance$sigma2_e)
  draw <- function(i) {
    out <- mean + noise()
    for (s in if (random) seq_along(object$effects)) {
      groups <- object$effects[[s]]$groups
      out <- out + stats::rnorm(groups$count, sd = sqrt(object$variance$sigma2[[s]]))[groups$codes]
    }
    out
  }
  draws <- if (is.null(seed)) lapply(seq_len(nsim), draw) else with_own_seed(seed, lapply(seq_len(nsim), draw))
  rows <- row_names_of(object)
  structure(stats::setNames(draws, paste0("sim_", seq_len(nsim))), class = "data.frame",
            row.names = if (is.null(rows)) seq_len(object$n) else rows, seed = seed)
}

#' @rdname fit_habits
#' @importFrom utils head
#' @export
head.panel_fit <- function(x, ...) head(as.data.frame(x), ...)

#' @rdname fit_habits
#' @importFrom utils tail
#' @export
tail.panel_fit <- function(x, ...) tail(as.data.frame(x), ...)

#' @rdname fit_habits
#' @importFrom stats effects
#' @export
effects.panel_fit <- function(object, ...) {
  stop_not_of_fits("effects()", object, "In R it means the outcome in orthogonal directions.",
                   "`effect_levels(fit)` has the effects of entities, `anova(fit)` what each term adds.")
}

#' @rdname fit_habits
#' @importFrom stats proj
#' @export
proj.panel_fit <- function(object, ...) {
  stop_not_of_fits("proj()", object, "Effects were swept out, not projected one by one.",
                   "`anova(fit)` has what each term adds, `fitted(fit)` the fitted values.")
}

#' @rdname fit_habits
#' @export
qr.panel_fit <- function(x, ...) {
  stop_not_of_fits("qr()", x, "It keeps no decomposition.",
                   "`qr(model.matrix(fit, type = \"swept\"))`, or `vcov(with_errors(fit, se_classical()))`.")
}

#' @rdname fit_habits
#' @export
kappa.panel_fit <- function(z, ...) {
  stop_not_of_fits("kappa()", z, "Its units would decide it.", "`collinearity(fit)` has the condition number.")
}

#' @rdname fit_habits
#' @importFrom stats profile
#' @export
profile.panel_fit <- function(fitted, ...) {
  stop_not_of_fits("profile()", fitted, "Its likelihood is normal.", "`confint(fit)` has the intervals.")
}

#' @rdname fit_habits
#' @importFrom stats dummy.coef
#' @export
dummy.coef.panel_fit <- function(object, ...) {
  stop_not_of_fits("dummy.coef()", object, "Levels that were swept out are no coefficients.",
                   "`effect_levels(fit)` has them; `coef(fit)` those of dummies in the formula.")
}

#' @rdname fit_habits
#' @export
`[.panel_fit` <- function(x, i, ...) {
  stop_not_of_fits("fit[...]", x, "A fit is one thing.",
                   "`coef(fit)[...]`, `as.data.frame(fit)[...]`; to choose among fits, keep them in a list.")
}

#' @export
coef.panel_fit_summary <- function(object, ...) object$coefficients

#' @export
vcov.panel_fit_summary <- function(object, ...) stats::vcov(object$fit)
