# A figure to a file; the format from its extension.

save_figure <- function(figure, file, width = 8, height = 4.5) {
  device <- switch(check_figure_file(file),
    png = function(name, ...) grDevices::png(name, units = "in", res = 160, ...),
    pdf = grDevices::pdf, svg = grDevices::svg
  )
  write_whole_file(file, function(path) {
    device(path, width = width, height = height)
    tryCatch(print(figure), finally = grDevices::dev.off())
  })
}

check_figure_file <- function(file) check_ending(file, c("png", "pdf", "svg"), "The figure")
