#' wavetax: from panel data to compared models
#'
#' What does x do to y, once what is fixed about each entity is out of the way, and
#' how sure am I? The work runs in this order, and so do the functions: structure
#' ([read_panel()], [panel_problems()], [panel_frame()], [panel_shape()]), estimate
#' ([fit_pooled()], [fit_fixed()], [fit_random()]), be guided ([appraise()], [diagnose()],
#' [in_words()]), test ([test_hausman()], [test_serial()]), standard errors ([se_classical()],
#' [se_clustered()], [with_errors()]), tabulate and draw ([spec_table()], [write_table()],
#' [plot_estimates()]).
#'
#' From 50,000 rows on, fits use the processors that OpenMP offers (the environment
#' variable `OMP_NUM_THREADS` limits them). Results do not depend on their number.
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
