# Bindings and help pages from the sources. Run from the repository's root.
Rcpp::compileAttributes(getwd())
roxygen2::roxygenise(getwd(), load_code = roxygen2::load_source)
