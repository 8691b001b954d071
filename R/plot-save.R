# A figure to a file; the format from its extension.

save_figure <- function(figure, file, width = 8, height = 4.5) {
  extension <- file_extension(file)
  if (!extension %in% c("png", "pdf", "svg")) {
    stop_wavetax("format", sprintf("The figure cannot be drawn to %s.", sQuote(file, FALSE)),
                 todo = "End the name in .png, .pdf or .svg.")
  }
  device <- switch(extension,
    png = function(name, ...) grDevices::png(name, units = "in", res = 160, ...),
    pdf = grDevices::pdf, svg = grDevices::svg
  )
  write_whole_file(file, function(path) {
    device(path, width = width, height = height)
    tryCatch(print(figure), finally = grDevices::dev.off())
  })
}
