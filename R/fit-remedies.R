#' When the disturbances misbehave: which road, and its price
#'
#' Question answered: *the tests say that disturbances are related over time, of unequal spread, or shared by
#' entities; do I repair the errors, or change the estimator?*
#'
#' Repairing the errors asks the least: the slopes stay, and the errors hold whatever was found. Changing the
#' estimator makes slopes more precise where its model of the disturbances is right, and needs more of the data. All
#' figures here are from simulated panels; `docs/remedies.md` of the sources has them by entities, periods,
#' autocorrelation and gaps.
#'
#' | found | the errors repaired | the estimator changed |
#' | :-- | :-- | :-- |
#' | related over time | clustered by entity: the default | `serial = "ar1"`, [serial_ar1()] |
#' | unequal across entities | clustered by entity | `weights = ~ variance_of(id)`, `fit_gls(variances = "entity")` |
#' | shared within a period | by entity and period, [se_panel_corrected()] | effects of it; `fit_gls(across = TRUE)` |
#'
#' @section Related over time:
#' Take `serial = "ar1"` when slopes must be more precise, with rho one for all entities; clustered errors stay the
#' default, and stay honest when AR(1) is not the truth (intervals of 95 percent cover 91 to 96). [test_serial()] on
#' the fit then asks whether AR(1) is enough.
#'
#' * *What biases rho.* With effects swept out, residuals of T periods are related by -1/T and more whatever rho is.
#'   At 5 periods and a rho of .4, regressing residuals on those before gives -.01 on average, the corrected estimate
#'   .40 (with 10 entities .35); at 20 periods .32 and .40. Its interval covers 90 to 96.
#' * *What slopes lose by it.* To a known rho one percent of their spread; with 10 entities and 5 periods up to six.
#' * *First rows.* `first = "drop"` costs a seventh of the precision at 5 periods.
#' * *A rho past .99* is set to it with a warning: [fit_difference()] suits what drifts. At 5 periods and a rho of .8
#'   one sample in ten does so by chance, and slopes are unharmed.
#' * *Random effects* at five periods: without AR(1) a component of .25 is estimated as .48, with it .22 to .24; with
#'   10 entities, or a rho of .8, a third of the estimates is negative and set to 0.
#' * *A rho for each entity* (`fit_gls(serial = "ar1-own")`) needs some 60 periods: at 20 it gains nothing even where
#'   the rhos differ, and intervals cover 89 to 92.
#'
#' @section Unequal across entities:
#' Weights from estimated variances pay where spreads differ much: where their logs have a standard deviation of .6
#' the slopes' spread is .64 to .73 of that of least squares, where they do not differ 1.09 at five periods. Errors
#' that do not make up for it are too small, clustered ones too: at 5 periods they cover 78 to 87, clustered 75 to 84.
#' Those here are multiplied by T/(T - 2) and cover 94 to 99, clustered 92 to 95; what was estimated from how many
#' rows is printed with it.
#'
#' @section Shared within a period:
#' Where shocks are shared clusters by entity cover 76 to 83 (50 entities: 44). [se_panel_corrected()] covers 95 to
#' 97, unless disturbances are related over time too (87 at a rho of .4 and 20 periods; after AR(1) 94).
#'
#' `fit_gls(across = TRUE)` estimates a covariance for every pair. With 10 entities and 10, 15, 20, 30, 60 periods its
#' textbook errors are 5.7, 2.3, 1.8, 1.5 and 1.2 times too small, and intervals cover 25, 59, 72, 81 and 89.
#' Multiplied by T/(T - N - 1) they cover 91 to 99, and under 2 N periods the intervals are then no shorter than those
#' of least squares with panel-corrected errors: that is the better road, and print says so. Where fewer periods are
#' complete than there are entities the likelihood of the covariance may have no maximum; then it is refused.
#'
#' @section Which and when:
#' 1. Take out what can be taken out: effects of entities and periods.
#' 2. Cluster by entity; by both where shocks are shared. For most questions this is the end.
#' 3. Where slopes are too imprecise and [test_serial()] rejects: `serial = "ar1"`, clustered. Look at
#'    [compare_errors()], which has the fit without it beside.
#' 4. Where few entities have many periods (T well above 2 N): `fit_gls(across = TRUE)`.
#'
#' @name remedies
#' @aliases remedies variance_of
#' @seealso [serial_ar1()], [fit_gls()], [se_panel_corrected()], [standard_errors], [diagnose()].
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' eq <- log(nights) ~ levy + storms + fuel + factor(season)
#' # The truth of the demo world: -0.05 on the levy, rho 0.4, a spread of its own for each harbour.
#' fixed <- fit_fixed(eq, panel)
#' ar1 <- fit_fixed(eq, panel, serial = "ar1")
#' weighted <- fit_gls(eq, panel, variances = "entity", serial = "ar1", effects = "entity")
#' spec_table(fixed, ar1, weighted, terms = "levy")
#' test_serial(ar1)
NULL
