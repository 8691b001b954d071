# The formatting rules of .lintr on all R code; status 1 when one is broken.
found <- c(
  lintr::lint_dir("R"), lintr::lint_dir("tests"), lintr::lint_dir("tools"),
  lintr::lint_dir("bench"), lintr::lint_dir("data-raw")
)
for (one in found) cat(sprintf("%s:%d: %s\n", one$filename, one$line_number, one$message))
cat(length(found), "lines to mend\n")
quit(save = "no", status = as.integer(length(found) > 0))
