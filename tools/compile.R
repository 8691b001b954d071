# Programs of the C++ core, with the compiler that R is configured with, and the flag that it has for
# threads, if any: compile(source, program, include) gives 0 where that went well.
compile <- function(source, program, include = "inst/include") {
  makeconf <- readLines(file.path(paste0(R.home("etc"), Sys.getenv("R_ARCH")), "Makeconf"))
  setting <- function(name) {
    line <- grep(sprintf("^%s *=", name), makeconf, value = TRUE)
    words <- strsplit(trimws(sub("^[^=]*=", "", line[1])), " +")[[1]]
    words[nzchar(words)]
  }
  compiler <- setting("CXX17")
  eigen <- system.file("include", package = "RcppEigen")
  flags <- c("-std=c++17", "-O1", setting("SHLIB_OPENMP_CXXFLAGS"), "-w", paste0("-I", shQuote(include)),
             paste0("-I", shQuote(eigen)))
  system2(compiler[1], c(compiler[-1], flags, shQuote(source), "-o", shQuote(program)))
}

# Compiles and runs the tests of the C++ core, two at a time: what each prints, NULL where it did not compile.
run_core_tests <- function(folder = "tests/cpp", include = "inst/include", build = ".build") {
  sources <- list.files(folder, "[.]cpp$", full.names = TRUE)
  one <- function(source) {
    program <- file.path(build, paste0("test-", sub("[.]cpp$", "", basename(source))))
    if (compile(source, program, include) == 0) suppressWarnings(system2(program, stdout = TRUE))
  }
  parallel::mclapply(sources, one, mc.cores = if (.Platform$OS.type == "windows") 1 else 2)
}
