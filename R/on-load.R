# Methods for generics of packages that need not be there are registered when these are loaded.
.onLoad <- function(libname, pkgname) {
  for (package in names(late_methods)) {
    register <- late_methods[[package]]
    if (isNamespaceLoaded(package)) get(register)()
    setHook(packageEvent(package, "onLoad"), get(register))
  }
}

late_methods <- c(dplyr = "register_dplyr", knitr = "register_knit_tables")
