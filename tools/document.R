# Bindings, help pages and what the shell tells without R, from the sources. Run from the repository's root.
Rcpp::compileAttributes(getwd())
roxygen2::roxygenise(getwd(), load_code = roxygen2::load_source)
source <- roxygen2::load_source(".")
source$write_shell_texts("inst/shell")
dir.create("inst/schema", showWarnings = FALSE)
writeLines(source$study_schema_json(), "inst/schema/study.json")
