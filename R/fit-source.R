# Where the rows of a fit are: fit$design$source, a list with `kind`, the name of what says how, source_<kind>() below,
# and what the source alone knows. Covariances ask it for what is summed over rows and never where these are; another
# source, such as a database, is another kind. How a kind answers is a list of
#   whole       whether the rows are at hand all at once
#   refuse      function(what): stops, where errors need them and they are not
#   live        function(fit): the rows that tell something of the noise, see live_rows()
#   beside      function(fit, walk, live): those that regressors leave, see live_of_all()
#   levels      function(fit, nested, live): the rank of effects that cut across clusters, with the constant
#   clustered   function(spec, fit, dimensions): compute_errors() of clusters
#   robust      function(spec, fit, power): list(products, live, note) of robust errors
new_source_kind <- function(whole, refuse, live, beside, levels, clustered, robust) {
  list(whole = whole, refuse = refuse, live = live, beside = beside, levels = levels, clustered = clustered,
       robust = robust)
}

row_source <- function(fit) get(paste0("source_", fit$design$source$kind), mode = "function")()

check_whole_source <- function(fit, what) {
  source <- row_source(fit)
  if (!source$whole) source$refuse(what)
}
