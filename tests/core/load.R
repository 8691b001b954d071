# The R core alone: its files and the compiled code, without the package's namespace
# or any other layer: its functions see base R only.
load_core <- function(root) {
  loadNamespace("Rcpp") # the bindings call into it
  core <- new.env(parent = baseenv())
  shared <- system.file("libs", paste0("wavetax", .Platform$dynlib.ext), package = "wavetax")
  routines <- getDLLRegisteredRoutines(dyn.load(shared))$.Call
  for (name in names(routines)) assign(name, routines[[name]], envir = core)
  files <- c("RcppExports.R", list.files(file.path(root, "R"), pattern = "^core-.*[.]R$"))
  for (file in files) sys.source(file.path(root, "R", file), envir = core)
  list2env(as.list(core), new.env(parent = globalenv()))
}
