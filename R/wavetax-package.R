#' wavetax: from panel data to compared models
#'
#' What does x do to y, once what is fixed about each entity is out of the way, and how sure am I? The work runs in four
#' steps, and so do the functions.
#'
#' @section Step one, structure:
#' Say which column is the entity and which the period: [panel_frame()], or of a file [read_panel()].
#' [panel_problems()] tells what is broken, [panel_repair()] mends what you name and keeps a log, [panel_shape()]
#' and [plot_presence()] show who is seen when, [panel_variation()] what varies between entities and what within.
#'
#' @section Step two, estimate:
#' One equation, several comparisons: [fit_pooled()], [fit_between()], [fit_fixed()], [fit_random()],
#' [fit_difference()], [fit_correlated()]; with regressors that answer to the outcome [fit_instrumented()], with
#' disturbances that misbehave [fit_gls()]. Not sure which? [appraise()] asks what varies in the regressor of interest,
#' recommends a model and errors, and says why.
#'
#' @section Step three, test and doubt:
#' [diagnose()] asks all questions of one fit; [test_hausman()], [test_serial()] and the others one each, with both
#' hypotheses and a sentence on the result. [with_errors()] and [compare_errors()] say how sure you are under other
#' assumptions ([standard_errors]), [influence_by()] whether it rests on one entity, [monte_carlo()] whether the method
#' keeps its promise on panels like yours.
#'
#' @section Step four, tell:
#' [spec_table()] sets the specifications side by side and [write_table()] puts them into the paper,
#' [plot_estimates()] and [plot_within()] draw them, [in_words()] says what a slope means, [write_report()] writes
#' the document that defends the result, and [run_study()] does all of it again when the data change.
#'
#' The pages to learn from are `browseVignettes("wavetax")`. The same job from a shell is `wavetax --help`.
#'
#' @section Processors:
#' From 50,000 rows on, fits use the processors that OpenMP offers (the environment variable `OMP_NUM_THREADS` limits
#' them). Results do not depend on their number.
#'
#' @examples
#' # 1. Rows of harbours and seasons become a panel.
#' panel <- panel_frame(harbours, harbour, season)
#' panel_shape(panel)
#' # 2. Two comparisons of one equation.
#' pooled <- fit_pooled(log(nights) ~ levy + storms, panel)
#' fixed <- fit_fixed(log(nights) ~ levy + storms, panel)
#' # 3. What is wrong with the second, and how sure is it?
#' diagnose(fixed)
#' # 4. Side by side. The truth of this made-up world is -0.05.
#' spec_table(pooled, fixed)
#' in_words(fixed)
#'
#' @keywords internal
#' @useDynLib wavetax, .registration = TRUE
#' @importFrom Rcpp evalCpp
#' @importFrom rlang .data
#' @importFrom stats coef confint deviance df.residual fitted formula logLik
#' @importFrom stats model.frame model.matrix nobs predict residuals sigma terms vcov weights
"_PACKAGE"

#' Ninety-six made-up harbours and their wave tax
#'
#' An invented world: 96 harbours on five coasts levy a wave tax on visiting boats,
#' seasons 2009 to 2020. Unbalanced: some open late, some close early, a few have
#' gaps. No real place or harbour.
#'
#' The script that makes it, `data-raw/harbours.R`, states the truth: log nights
#' falls by 0.05 per crown of levy. Pleasant harbours charge more and draw more
#' boats, so that the pooled slope is positive. Disturbances have first-order
#' autocorrelation 0.4 and a spread that differs between harbours; `berths` answers to
#' demand; `relief` moves `berths` and nothing else.
#'
#' @format A data frame with a row for each harbour and season seen:
#' \describe{
#'   \item{harbour}{name (text)}
#'   \item{coast}{one of five coasts (text)}
#'   \item{season}{year, 2009 to 2020}
#'   \item{nights}{berth nights sold to visitors}
#'   \item{levy}{wave tax, crowns per metre of boat and night}
#'   \item{storms}{storm days}
#'   \item{fuel}{price index of fuel on the coast}
#'   \item{berths}{berths for visitors}
#'   \item{relief}{share of the dredging cost repaid by the coast authority, 0 to 1}
#'   \item{rescues}{rescues at sea}
#'   \item{pennant}{1 in seasons with the award, else 0}
#'   \item{pier}{metres of breakwater, fixed over time}
#'   \item{sheltered}{1 for a sheltered harbour, fixed over time}
#' }
#' The same rows are in `system.file("extdata", "harbours.csv", package =
#' "wavetax")`; `harbours-wide.csv` has a row a harbour, and `harbours-raw.csv` the
#' faults that people meet.
#' @source Made by `data-raw/harbours.R` with a fixed seed.
#' @examples
#' str(harbours)
#' @name harbours
#' @docType data
#' @keywords datasets
#' @usage harbours
NULL

# Methods for generics of packages that need not be there are registered when these are loaded.
.onLoad <- function(libname, pkgname) {
  for (package in names(late_methods)) {
    register <- late_methods[[package]]
    if (isNamespaceLoaded(package)) get(register)()
    setHook(packageEvent(package, "onLoad"), get(register))
  }
}

late_methods <- c(dplyr = "register_dplyr", knitr = "register_knit_tables")
