#' Save a figure
#'
#' Question answered: *how does the figure get into my paper, at the size that it will have there?* It is drawn anew at
#' that size: titles are broken to its width, letters and lines are as large as they will be seen.
#'
#' @param plot A figure of this package, or another ggplot.
#' @param file Path ending in `.png`, `.pdf` or `.svg`; an existing file is replaced.
#' @param size `"page"` (6.5 inches wide, 9 points), `"column"` (3.4 inches, 8 points) or `"slide"` (10 inches, 18
#'   points).
#' @param dpi Dots per inch of a PNG; `NULL`: 300, of a slide 150.
#' @param width,height Inches, in place of those of the size.
#' @param ... Takes nothing; what is misspelt is told.
#' @return `file`, invisibly.
#' @section Errors:
#' `wavetax_error_format` for another ending; `wavetax_error_argument`; `wavetax_error_cannot_write`.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' fixed <- fit_fixed(log(nights) ~ levy + storms, panel)
#' save_figure(plot_estimates(fixed), file.path(tempdir(), "estimates.png"), size = "column")
#' @export
save_figure <- function(plot, file, size = "page", dpi = NULL, width = NULL, height = NULL, ...) {
  check_own_arguments(..., of = save_figure, name = "save_figure()")
  ending <- check_figure_file(file)
  if (!inherits(plot, "ggplot")) {
    stop_argument("plot", value_words(plot), "Give a figure: `save_figure(plot_estimates(fit), \"figure.png\")`.")
  }
  size <- figure_sizes[[check_choice(size, names(figure_sizes), "size")]]
  own <- list(dpi = dpi, width = width, height = height)
  for (name in names(own)) if (!is.null(own[[name]])) check_number(own[[name]], name, 0.1, 10000)
  if (is.null(width)) width <- size$width
  if (is.null(height)) height <- figure_height(plot, size)
  if (is.null(dpi)) dpi <- size$dpi
  if (inherits(plot, "panel_figure")) {
    plot <- with_heads(plot, width / size$scale, size$text) +
      ggplot2::theme(text = ggplot2::element_text(size = size$text))
    class(plot) <- setdiff(class(plot), "panel_figure")
  }
  device <- figure_device(ending, width / size$scale, height / size$scale, dpi * size$scale)
  write_whole_file(file, function(path) {
    device(path)
    tryCatch(print(plot), finally = grDevices::dev.off())
  })
}

# As high as the figure asks for on a page, and on others in proportion.
figure_height <- function(plot, size) {
  own <- attr(plot, "height")
  narrow <- attr(plot, "narrow")$height
  if (!is.null(narrow) && is_narrow(size$width / size$scale)) return(narrow)
  if (is.null(own)) size$height else own * size$height / figure_sizes$page$height
}

# Drawn by ragg and svglite where they are there.
figure_device <- function(ending, width, height, dpi) {
  has <- function(package) requireNamespace(package, quietly = TRUE)
  switch(ending,
    png = function(path) {
      if (has("ragg")) return(ragg::agg_png(path, width, height, units = "in", res = dpi, background = "white"))
      grDevices::png(path, width, height, units = "in", res = dpi)
    },
    # Its own fonts have no true minus, those of cairo do.
    pdf = function(path) {
      if (capabilities("cairo")) grDevices::cairo_pdf(path, width, height) else grDevices::pdf(path, width, height)
    },
    svg = function(path) {
      if (has("svglite")) svglite::svglite(path, width, height) else grDevices::svg(path, width, height)
    }
  )
}

check_figure_file <- function(file) check_ending(file, c("png", "pdf", "svg"), "The figure")
