# The R packages of a task, in the versions that DESCRIPTION asks for.
#   Rscript tools/packages.R missing <task>    their names, the needed ones first
#   Rscript tools/packages.R install <task>    from CRAN, into a library that can be written to
#   Rscript tools/packages.R library           that library, made when it is absent

task_packages <- function(task) {
  description <- read.dcf("DESCRIPTION")[1, ]
  listed <- function(field) {
    entries <- trimws(strsplit(gsub("\n", " ", description[[field]]), ",")[[1]])
    version <- ifelse(grepl("\\(", entries), gsub(".*>=\\s*|\\).*", "", entries), "0")
    stats::setNames(version, sub("\\s*\\(.*", "", entries))
  }
  linked <- listed("LinkingTo")
  needed <- c(listed("Imports"), linked[setdiff(names(linked), names(listed("Imports")))])
  suggested <- listed("Suggests")
  switch(task,
    build = list(needed = needed, wanted = character()),
    demo = list(needed = needed, wanted = suggested[c("jsonlite", "openxlsx", "readxl")]),
    test = list(needed = c(needed, suggested["testthat"]), wanted = suggested[names(suggested) != "testthat"]),
    docs = list(needed = c(needed, roxygen2 = "7.2"), wanted = character()),
    lint = list(needed = c(lintr = "3.0"), wanted = character()),
    screenshots = list(needed = c(needed, suggested[c("jsonlite", "openxlsx", "readxl", "officer", "flextable", "xml2",
                                                      "zip")]), wanted = character()),
    stop("unknown task: ", task)
  )
}

lacking <- function(packages) {
  have <- vapply(names(packages), function(name) {
    found <- nzchar(system.file(package = name))
    found && utils::packageVersion(name) >= packages[[name]]
  }, logical(1))
  names(packages)[!have]
}

# The first library that can be written to, otherwise the user's own.
own_library <- function() {
  writable <- .libPaths()[file.access(.libPaths(), 2) == 0]
  writable <- setdiff(normalizePath(writable), normalizePath(file.path(".build", "library"), mustWork = FALSE))
  if (length(writable) > 0) return(writable[1])
  library <- path.expand(strsplit(Sys.getenv("R_LIBS_USER"), .Platform$path.sep)[[1]][1])
  if (is.na(library) || !nzchar(library)) stop("no library can be written to; set R_LIBS_USER to a folder of your own")
  dir.create(library, recursive = TRUE, showWarnings = FALSE)
  library
}

install_from_cran <- function(packages) {
  # Packages that hold a copy of a C library build that instead of asking for the system's.
  Sys.setenv(USE_BUNDLED_LIBUV = "1")
  if (identical(unname(getOption("repos")["CRAN"]), "@CRAN@")) utils::chooseCRANmirror(ind = 1)
  library <- own_library()
  .libPaths(c(library, .libPaths()))
  logs <- file.path(getwd(), ".build", "packages")
  dir.create(logs, recursive = TRUE, showWarnings = FALSE)
  cores <- max(1L, parallel::detectCores(), na.rm = TRUE)
  message("setup: installing from CRAN into ", library, ": ", paste(packages, collapse = " "))
  in_its_words(utils::install.packages(packages, lib = library, quiet = TRUE, Ncpus = cores, keep_outputs = logs,
                                       INSTALL_opts = c("--no-docs", "--no-multiarch")))
}

# Goes on whatever happens, and says what the registry said of it.
in_its_words <- function(expression) {
  tell <- function(condition) message("setup: ", conditionMessage(condition))
  tryCatch(withCallingHandlers(expression, warning = function(condition) {
    tell(condition)
    invokeRestart("muffleWarning")
  }), error = tell)
}

# The failing package's own words: of each log that does not end well, the end.
show_failures <- function() {
  for (log in list.files(file.path(".build", "packages"), "[.]out$", full.names = TRUE)) {
    lines <- readLines(log, warn = FALSE)
    if (any(grepl("^\\* DONE", lines))) next
    message("setup: ", sub("[.]out$", "", basename(log)), " was not installed:")
    message(paste0("  ", utils::tail(lines, 15), collapse = "\n"))
  }
}

install_missing <- function(task) {
  packages <- task_packages(task)
  missing <- lacking(c(packages$needed, packages$wanted))
  if (length(missing) > 0) {
    unlink(file.path(".build", "packages"), recursive = TRUE)
    install_from_cran(missing)
  }
  still <- lacking(c(packages$needed, packages$wanted))
  if (length(still) == 0) return(invisible())
  show_failures()
  fatal <- lacking(packages$needed)
  if (length(fatal) > 0) {
    message("setup: still missing, and needed: ", paste(fatal, collapse = " "))
    quit(save = "no", status = 1)
  }
  message("setup: going on without ", paste(still, collapse = " "), "; what uses them is left out")
}

arguments <- commandArgs(TRUE)
switch(arguments[1],
  missing = cat(lacking(unlist(unname(task_packages(arguments[2])))), "\n"),
  install = install_missing(arguments[2]),
  library = cat(own_library(), "\n", sep = "")
)
