#' Which standard errors of which model
#'
#' Question answered: *which errors can I have of this fit, and which should I have?*
#'
#' | errors | assume of the disturbances | with |
#' | :-- | :-- | :-- |
#' | [se_classical()] | one variance, unrelated | |
#' | [se_robust()] | a variance for each row, unrelated | HC0 to HC4 |
#' | [se_clustered()] | anything within a cluster, clusters unrelated | CR0 to CR3, several dimensions |
#' | [se_newey_west()] | related over a few periods of an entity, entities unrelated | |
#' | [se_driscoll_kraay()] | related over a few periods and between entities | many periods |
#' | [se_panel_corrected()] | shared by entities within a period, unrelated over time | a panel |
#' | [se_bootstrap()] | anything within a cluster, clusters unrelated | few clusters |
#' | [se_own()] | what you assume | |
#'
#' @section What is computed:
#' "yes": exact. Numbers point to the notes below; nothing is approximated without being asked for. Along the clock are
#' Newey-West and Driscoll-Kraay errors, by pairs panel-corrected ones.
#'
#' | model | HC0, HC1 | HC2 to HC4 | CR0, CR1 | CR2, CR3 | several dimensions | along the clock | by pairs | bootstrap |
#' | :-- | :-- | :-- | :-- | :-- | :-- | :-- | :-- | :-- |
#' | pooled | yes | yes | yes | yes | yes | (1) | (1) | yes |
#' | between | yes | yes | yes | yes | yes | (2) | (2) | yes |
#' | fixed, one set | yes | yes | yes | (3) | (3) | (1) | (1) | (3) |
#' | fixed, two sets | yes | (4) | yes | (3) | (3) | (1) | (1) | (3) |
#' | fixed, many sets, trends | yes | (4) | yes | (3) | (3) | (1) | (1) | (3) |
#' | random, one-way | yes | yes | yes | yes | yes | (1) | (1) | (5) |
#' | random, two-way | yes | yes | yes | yes | yes | (1) | (1) | (5) |
#' | differences | (6) | (6) | yes | yes | yes | (1) (6) | (9) | yes |
#' | with AR(1) | yes | yes | yes | (3) | (3) | (1) | (1) | (3) (5) |
#' | correlated effects | yes | yes | yes | yes | yes | (1) | (1) | (5) |
#' | instrumented | yes | (10) | yes | (11) | yes | (1) | (12) | (13) |
#' | instrumented, by moments | yes | (10) | (14) | (11) (14) | (14) | (14) | (12) | (14) |
#' | in pieces | yes | (7) | (7) | (8) | (8) | (8) | (8) | (8) |
#'
#' 1. On a [panel_frame()]; otherwise `wavetax_error_not_a_panel`.
#' 2. `wavetax_error_not_a_panel`: means of entities follow no clock.
#' 3. Where effects are held whole by the clusters, or those that are not have at most 1,500 levels together, or one set
#'    that is not has any number of levels and all else that is swept makes at most 500 columns (and rows times columns
#'    are at most 1e8). Otherwise CR3 leaves each of up to 500 clusters out in turn, and the wild bootstrap under CR1
#'    sweeps the effects once a cluster; the rest is `wavetax_error_errors`, with what to use.
#' 4. Where the effects beyond the largest set are solved directly (at most 4,096 levels). Otherwise
#'    `wavetax_error_errors`: HC1, or `leverages = "estimated"`.
#' 5. Clusters must hold the random effects whole; otherwise `wavetax_error_errors`.
#' 6. A note says that neighbouring changes are related: cluster by entity.
#' 7. By one column, and for HC2 to HC4 with one set of effects; otherwise `wavetax_error_pieces`.
#' 8. `wavetax_error_pieces`: read the data whole.
#' 9. `wavetax_error_errors`: a change is of two periods.
#' 10. With the leverages of effects and fitted regressors, as if the first stage were known; a note says so.
#' 11. CR3 leaves each cluster out and estimates every stage again; a coefficient that does not exist without one of
#'    them has no error, and the cluster is named. CR2 and Satterthwaite's degrees of freedom are
#'    `wavetax_error_errors`: no better than CR1.
#' 12. `wavetax_error_errors`: use clustered or Driscoll-Kraay errors.
#' 13. The wild one of two-stage least squares under CR1: the null is imposed, and the first stage is drawn too
#'    (Davidson and MacKinnon 2010). Otherwise `wavetax_error_errors`.
#' 14. The method of moments weighs by rows or by one kind of cluster; other errors are `wavetax_error_errors`,
#'    classical ones too.
#'
#' Random effects are taken on the rows of a root of the inverse covariance: quasi-demeaned by entity, and in the
#' two-way case then times \eqn{(I + BB')^{-1/2}}{(I + BB')^(-1/2)} with B the so transformed dummies of periods, scaled
#' by the ratio of standard deviations. A slim fit keeps the errors it has, and takes [se_classical()] and [se_own()].
#'
#' @section Which to use:
#' Cluster by entity where disturbances of an entity may be related, as they nearly always are: a
#' fit on a panel does so by itself. With under some 50 clusters, or when print says that a coefficient rests on few of
#' them, use `se_clustered(type = "CR2", df = "satterthwaite")` or `se_bootstrap()`. With shocks that hit many entities
#' in one period: both dimensions, Driscoll-Kraay errors where there are many periods, or panel-corrected ones where
#' nothing is related over time. When all of a regressor's
#' variation is in one cluster no clustered error of it is honest, and print says so. A coefficient whose scores sum to
#' zero in every group by construction has none: NA, with the reason.
#'
#' With instruments: CR1 by entity where they are strong, CR3 or the wild bootstrap under some 50 clusters, by moments
#' CR3. Where instruments are weak no error helps: [test_strength()].
#'
#' @section Degrees of freedom:
#' t and F refer to the residual degrees of freedom for classical, robust and Newey-West errors, to G - 1 for clustered
#' ones (of several dimensions the smallest), to the periods less 1 for Driscoll-Kraay and panel-corrected errors, and
#' with `df = "satterthwaite"` to those of each contrast. Joint tests: [test_joint()].
#'
#' @name standard_errors
#' @aliases standard_errors
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fit <- fit_fixed(log(nights) ~ levy + storms + fuel, panel)
#' compare_errors(fit, "levy")
NULL
