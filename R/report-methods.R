# The appendix: what was used, with its formula and source, and nothing else; all estimates; the calls; versions.

part_appendix <- function(brief) {
  fits <- c(brief$fits, if (!is.null(brief$fit)) list(brief$fit))
  used <- unique(unlist(c(lapply(fits, methods_of_fit), lapply(brief$tests, method_of_test))))
  known <- method_notes[intersect(names(method_notes), used)]
  versions <- sprintf("Computed with wavetax %s and R %s.", utils::packageVersion("wavetax"), getRversion())
  list(
    if (length(known) > 0) list(heading_block("Methods"), list_block(unname(known))),
    if (!is.null(brief$fit)) {
      list(heading_block("All estimates"), table_block(all_estimates(brief$fit)))
    },
    if (length(brief$calls) > 0) list(heading_block("Calls"), code_block(brief$calls)), text_block(versions)
  )
}

all_estimates <- function(fit) {
  table <- as_table(fit)
  table$title <- fit_record(fit)$title
  table$says <- errors_words(fit)
  table
}

methods_of_fit <- function(fit) {
  spec <- fit$errors$spec
  kind <- sub("^se_", "", class(spec)[1])
  c(if (model_kind(fit) == "random") "random", fit$method, if (!is.null(fit$serial)) "ar1", kind,
    if (identical(spec$type, "CR2")) "CR2", if (identical(spec$type, "CR3")) "CR3")
}

method_of_test <- function(test) {
  patterns <- c(hausman = "^Hausman", mundlak = "^Mundlak", effects = "^F test of", component = "^Test for a component",
                serial = "^Serial correlation", variance = "^Unequal variances", cross_section = "^Dependence between",
                normality = "normal", form = "form", joint = "^Joint", agree = "^Over-identification",
                endogeneity = "^Endogeneity")
  names(patterns)[vapply(patterns, grepl, TRUE, x = test$method)]
}

# By method, error or test: what is computed, and where it comes from.
method_notes <- c(
  pooled = paste("Pooled least squares: b = (X'X)^-1 X'y on all rows, with the weights where there are any. Baltagi,",
                 "Econometric Analysis of Panel Data, ch. 2."),
  between = "Between: least squares of the means of entities. Baltagi, Econometric Analysis of Panel Data, ch. 2.",
  fixed = paste("Fixed effects: least squares of what is left of y and of every regressor once the effects are swept",
                "out; the sweep is solved, and degrees of freedom lost to effects are counted from connected",
                "components. Baltagi, Econometric Analysis of Panel Data, ch. 2; Wooldridge, Econometric Analysis of",
                "Cross Section and Panel Data, 10.5."),
  random = paste("Random effects: generalised least squares, rows quasi-demeaned by theta_i = 1 - sqrt(s_e^2 /",
                 "(s_e^2 + T_i s_a^2)), with the components of variance estimated. Swamy and Arora (1972),",
                 "Econometrica 40; Amemiya (1971), International Economic Review 12."),
  correlated = paste("Correlated random effects: random effects with the entities' means of all regressors added.",
                     "Mundlak (1978), Econometrica 46."),
  difference = paste("Differences: least squares of changes from one period to the next, never across a gap.",
                     "Wooldridge, Econometric Analysis of Cross Section and Panel Data, 10.6."),
  gls = paste("Feasible generalised least squares: rows weighed by the inverse of an estimated covariance. Parks",
              "(1967), Journal of the American Statistical Association 62; Kmenta (1986), Elements of Econometrics."),
  instrumented = paste("Instruments: b = (X'P X)^-1 X'P y with P the projection on all instruments, once effects are",
                       "swept out of all; how strong they are by the effective F. Montiel Olea and Pflueger (2013),",
                       "Journal of Business & Economic Statistics 31; sets by Anderson and Rubin (1949), Annals of",
                       "Mathematical Statistics 20."),
  ar1 = paste("AR(1) disturbances: rows transformed by the estimated rho, across gaps by its power. Baltagi and Wu",
              "(1999), Econometric Theory 15."),
  classical = "Classical errors: s^2 (X'X)^-1, one variance, disturbances unrelated.",
  robust = paste("Robust errors: (X'X)^-1 X' diag(w e^2) X (X'X)^-1, a variance for each row. MacKinnon and White",
                 "(1985), Journal of Econometrics 29."),
  clustered = paste("Clustered errors: (X'X)^-1 sum_g X_g' e_g e_g' X_g (X'X)^-1, times G / (G - 1) (n - 1) / (n -",
                    "k) under CR1; t with G - 1 degrees of freedom. Liang and Zeger (1986), Biometrika 73."),
  CR2 = paste("CR2 with Satterthwaite's degrees of freedom: residuals of a cluster corrected by its leverages. Bell",
              "and McCaffrey (2002), Survey Methodology 28; Pustejovsky and Tipton (2018), Journal of Business &",
              "Economic Statistics 36."),
  CR3 = paste("CR3: the spread of the estimates without each cluster in turn. Bell and McCaffrey (2002), Survey",
              "Methodology 28."),
  newey_west = "Newey-West errors along the clock of each entity. Newey and West (1987), Econometrica 55.",
  driscoll_kraay = paste("Driscoll-Kraay errors: Newey-West of the periods' sums of scores. Driscoll and Kraay",
                         "(1998), Review of Economics and Statistics 80."),
  panel_corrected = paste("Panel-corrected errors, by pairs of entities. Beck and Katz (1995), American Political",
                          "Science Review 89."),
  bootstrap = paste("Bootstrap by clusters, the null imposed. Cameron, Gelbach and Miller (2008), Review of",
                    "Economics and Statistics 90."),
  hausman = paste("Hausman's test: the difference of two estimates against its covariance, V(b) - V(a) where the",
                  "efficient one is efficient. Hausman (1978), Econometrica 46."),
  mundlak = paste("Mundlak's test: are the coefficients of entities' means zero beside the regressors? With",
                  "clustered errors. Mundlak (1978), Econometrica 46."),
  effects = paste("F test of effects: the sums of squares with and without them. Baltagi, Econometric Analysis of",
                  "Panel Data, ch. 2."),
  component = paste("Test for a component: are residuals of one group alike? Breusch and Pagan (1980), Review of",
                    "Economic Studies 47; Honda (1985), Review of Economic Studies 52."),
  serial = paste("Serial correlation of residuals, corrected for what the sweep does to them. Born and Breitung",
                 "(2016), Econometric Reviews 35."),
  variance = paste("Unequal variances: do entities differ in the size of their changes? After Levene (1960), in",
                   "Contributions to Probability and Statistics."),
  cross_section = paste("Dependence between entities: squared correlations of residuals with their exact moments.",
                        "Pesaran (2004), Cambridge Working Papers in Economics 0435; Breusch and Pagan (1980),",
                        "Review of Economic Studies 47."),
  normality = "Normality by skewness and kurtosis. Jarque and Bera (1987), International Statistical Review 55.",
  form = "Form: powers of what is fitted, added. Ramsey (1969), Journal of the Royal Statistical Society B 31.",
  joint = "Joint test of linear restrictions, F with the degrees of freedom of the errors.",
  agree = paste("Over-identification: do instruments tell the same? J of the two-step method of moments, with clusters",
                "on F(q, G - q); under classical errors Sargan's. Sargan (1958), Econometrica 26; Hansen (1982),",
                "Econometrica 50."),
  endogeneity = paste("Endogeneity: Wald's F of what instruments leave of a regressor, added to least squares. Wu",
                      "(1973), Econometrica 41; Hausman (1978), Econometrica 46.")
)
