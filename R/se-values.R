# Standard errors are objects: a specification made by se_*(), a list of class `se_<kind>` and `error_spec`, turned into
# numbers on a fit by compute_errors().

new_error_spec <- function(kind, ...) {
  structure(list(kind = kind, ...), class = c(paste0("se_", kind), "error_spec"))
}

# What compute_errors() gives, and the coefficient table, predictions and tests ask:
#   label       in words: "clustered by harbour"
#   type        of the small-sample form, "CR1", or NULL
#   meat        the covariance in the orthonormal coordinates of the regression (a number stands for
#               that times the identity): sums of squares there lose no digits to units
#   covariance  of the kept coefficients; with_errors() makes it of the meat where it is not given
#   df          the degrees of freedom that t is referred to: one number, or one for each kept coefficient
#   clusters    their count by dimension, named by column; NULL where there are none
#   sizes, effective   by dimension the smallest and largest cluster, and by slope how many clusters
#               tell it; NULL where not counted
#   forms       list(own, moments), from which Satterthwaite's degrees of freedom of any contrast follow
#   joint       "clusters": tests of several restrictions lose degrees of freedom to estimating their covariance
#   lost        coefficients that have no honest error, by kept coefficient
#   told_once   names of those that one cluster alone tells; no_scores flags those whose scores sum to zero
#   own         NULL, or intervals and p values that do not follow from covariance and df (a
#               bootstrap has its own): a function(level) that gives a data frame of p_value, low, high
#   notes       cautions; `spec` the specification
new_errors <- function(spec, label, df, meat = NULL, covariance = NULL, type = NULL, clusters = NULL, own = NULL,
                       notes = NULL, forms = NULL, joint = NULL, lost = NULL, told_once = NULL, sizes = NULL,
                       effective = NULL, lags = NULL) {
  list(label = label, type = type, meat = meat, covariance = covariance, df = df, clusters = clusters, own = own,
       notes = notes, spec = spec, forms = forms, joint = joint, lost = lost, told_once = told_once, sizes = sizes,
       effective = effective, lags = lags)
}

compute_errors <- function(spec, fit) UseMethod("compute_errors")
